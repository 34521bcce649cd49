"""A solved place in the window: seen from the side and gone round, its dots pressed in the picture."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from cardscenes import card_scene
from deskhelp import Sheet, opened, settle
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter
from PyQt6.QtTest import QTest

from transmixis.core.plot import Solid
from transmixis.desk.plots.solid import FRONT, MOST_ZOOM, STEEPEST, _nice, held, looking, paint_solid, turned_by
from transmixis.desk.theme import BLUE, VERMILION
from transmixis.desk.tools import tool_for
from transmixis.desk.tools.dots import DotsTool
from transmixis.media.still import write_still
from transmixis.shot.contract import Handle
from transmixis.shot.document import Document
from transmixis.shot.edits import do
from transmixis.shot.model import Plate, Shot

pytestmark = pytest.mark.usefixtures("qapp")
BOX = QRectF(0, 0, 240, 160)
LEFT, RIGHT = Qt.MouseButton.LeftButton, Qt.MouseButton.RightButton


def place(**more: Any) -> Solid:
    points = np.array([[-1.0, 0, 4], [1, 0, 4], [0, -1, 6], [0.5, 0, 5]])
    way = np.array([[0.0, -1, 0], [0.5, -1, 0], [np.nan] * 3])
    facts = {"levelled": True, "unit": "m", **more}
    return Solid(points, np.array([0.1, 0.1, 0.9, 0.2]), 0.5, way, np.repeat(np.eye(3)[None], 3, 0), **facts)


def inks(panel: Solid, frame: int = 1) -> dict[str, int]:
    """Pixels near a few colours."""
    image = QImage(240, 160, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    p = QPainter(image)
    paint_solid(p, BOX, panel, frame)
    p.end()
    bits = image.constBits()
    assert bits is not None
    raw = np.frombuffer(bits.asarray(image.sizeInBytes()), np.uint8).reshape(160, 240, 4)[..., 2::-1].astype(int)
    out = {}
    for name in (VERMILION, BLUE):
        c = QColor(name)
        out[name] = int((np.abs(raw - (c.red(), c.green(), c.blue())).sum(axis=2) < 60).sum())
    return out


def test_points_over_their_limit_and_the_way_are_seen() -> None:
    seen = inks(place())
    assert 3 < seen[VERMILION] < 40
    assert seen[BLUE] > 10
    assert (
        inks(Solid(*[getattr(place(), n) for n in ("points",)], np.zeros(4), 0.5, place().way, place().turns, False, ""))[
            VERMILION
        ]
        == 0
    )


def test_from_straight_ahead_right_is_right_and_up_is_up() -> None:
    look = looking(place(yaw=0.0, pitch=0.0))
    assert look == pytest.approx(np.eye(3))
    above = looking(place(yaw=0.0, pitch=90.0))
    assert above @ (0, 0, 1) == pytest.approx([0, -1, 0], abs=1e-9)  # what lies ahead comes higher
    side = looking(place(yaw=90.0, pitch=0.0))
    assert side @ (0, 0, 1) == pytest.approx([-1, 0, 0], abs=1e-9)
    assert np.linalg.det(looking(place(yaw=30.0, pitch=20.0))) == pytest.approx(1)


def test_dragging_goes_round_and_the_wheel_comes_nearer() -> None:
    sight = turned_by(FRONT, 25, -10)
    assert (sight.yaw, sight.pitch) == (25.0, 18.0)
    assert turned_by(FRONT, 0, 1000).pitch == STEEPEST
    assert FRONT.nearer(2).zoom == pytest.approx(1.15**2)
    assert FRONT.nearer(1000).zoom == MOST_ZOOM
    panel = sight.of(place())
    assert (panel.yaw, panel.pitch, panel.zoom) == (25.0, 18.0, 1.0)


def test_the_drawing_holds_points_and_way() -> None:
    middle, reach = held(place())
    assert reach >= np.linalg.norm(np.array([0, -1, 0]) - middle)
    nothing = Solid(np.zeros((0, 3)), np.zeros(0), 0.5, np.full((2, 3), np.nan), np.zeros((2, 3, 3)), False, "", "no points")
    assert inks(nothing)[BLUE] == 0
    assert [_nice(v) for v in (0.9, 1.0, 3.0, 7, 24)] == [0.5, 1, 2, 5, 20]


# -- dots in the picture


def mouse(tool: DotsTool, x: float, y: float, button: Qt.MouseButton = LEFT) -> bool:
    from PyQt6.QtCore import QEvent
    from PyQt6.QtGui import QMouseEvent

    p = QPointF(2 * x, 2 * y)
    keys = Qt.KeyboardModifier.NoModifier
    used = tool.press(QMouseEvent(QEvent.Type.MouseButtonPress, p, p, button, button, keys), Sheet())
    tool.release(QMouseEvent(QEvent.Type.MouseButtonRelease, p, p, button, button, keys), Sheet())
    return used


DOTS = [(10.0, 10.0, 0.1, True), (50.0, 12.0, 0.9, True), (30.0, 40.0, 0.2, False), (80.0, 60.0, 0.1, True)]


def test_presses_mean_dots_and_the_oldest_goes() -> None:
    settled: list[Any] = []
    tool = tool_for(Handle("dots", "span", "Length", "hint", (), here=True, facts={"dots": DOTS, "most": 2}))
    assert isinstance(tool, DotsTool)
    tool.settled = settled.append
    assert mouse(tool, 12, 9)
    assert settled == [[[10.0, 10.0]]]
    assert not mouse(tool, 65, 30)  # no dot near
    mouse(tool, 50, 12)
    mouse(tool, 79, 60)
    assert tool.given() == [[50.0, 12.0], [80.0, 60.0]]
    assert mouse(tool, 50, 12, RIGHT)
    assert tool.given() == [[80.0, 60.0]]
    there = tool_for(Handle("dots", "span", "Length", "hint", ((10, 10),), here=False, facts={"dots": DOTS, "most": 2}))
    assert not mouse(there, 50, 12)  # type: ignore[arg-type]
    free = tool_for(Handle("dots", "origin", "Origin", "hint", (), here=True, facts={"dots": DOTS, "most": 1, "free": True}))
    mouse(free, 66, 31)  # type: ignore[arg-type]
    assert free.given() == [[66.0, 31.0]]


# -- in the window


@pytest.fixture
def window(qtbot: Any, tmp_path: Path) -> Any:
    scene = card_scene(1, (180, 320), 8)
    for n, f in enumerate(scene.frames, 1):
        write_still(tmp_path / f"cards.{n:04d}.png", f, kind="uint16")
    doc = Document.create(tmp_path / "film", "Film")
    plates = (Plate(id="hero", role="hero", path=str(tmp_path / "cards.0001.png")),)
    doc.change_shot("Make", Shot(code="A", length=8, width=320, height=180, plates=plates))
    do(doc, "A", "step.add", kind="camera_solve")
    do(doc, "A", "step.add", kind="stand_in")
    doc.close()
    w = opened(qtbot, tmp_path / "film")
    w.state.set_step("camera_solve")
    w.state.edits.set_params({"focal": scene.focal})
    settle(qtbot, w)
    yield w
    w.close()


def test_a_place_is_marked_and_something_stands_in_it(window: Any, qtbot: Any) -> None:
    s, viewer = window.state, window.bench.viewer
    qtbot.waitUntil(lambda: isinstance(viewer.tool, DotsTool) and bool(viewer.tool.handle.facts["dots"]), timeout=60_000)
    dots = sorted((d for d in viewer.tool.handle.facts["dots"] if d[3]), key=lambda d: d[0])
    for k in (0, len(dots) // 2, len(dots) - 1):
        q = viewer.to_screen(*dots[k][:2])
        QTest.mouseClick(viewer, LEFT, pos=QPoint(round(q.x()), round(q.y())))
        settle(qtbot, window)
    assert len(s.step.params["ground"]) == 3
    assert s.step.params["at"] == s.frame
    s.edits.set_params({"height": 1.5})
    settle(qtbot, window)
    plot = window.bench.sheet.plot
    qtbot.waitUntil(
        lambda: plot.shown is not None and isinstance(plot.shown.panels[0], Solid) and plot.shown.panels[0].levelled,
        timeout=60_000,
    )
    assert plot.shown.panels[0].unit == "m"
    before = plot.sight
    QTest.mousePress(plot, LEFT, pos=QPoint(40, 60))
    QTest.mouseMove(plot, QPoint(80, 70))
    QTest.mouseRelease(plot, LEFT, pos=QPoint(80, 70))
    assert plot.sight != before
    QTest.mouseDClick(plot, LEFT, pos=QPoint(40, 60))
    assert plot.sight == FRONT
    s.set_step("stand_in")
    settle(qtbot, window)
    q = viewer.to_screen(160, 150)
    QTest.mouseClick(viewer, LEFT, pos=QPoint(round(q.x()), round(q.y())))
    settle(qtbot, window)
    ((x, y),) = s.step.params["foot"]
    assert (x, y) == pytest.approx((160, 150), abs=1.5)
    s.edits.undo()
    settle(qtbot, window)
    assert not s.step.params.get("foot")
