"""The one plot: what each kind of panel draws and where, and jaws that are dragged."""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import LONG, opened, settle, shown
from places import ROOT
from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from transmixis.core.plot import (
    COMBED,
    DOUBLED,
    JUMP,
    MISSING,
    Action,
    Curve,
    Frames,
    Hill,
    Hills,
    Limit,
    Panel,
    Patches,
    Plot,
    Spotted,
    Stills,
    Trace,
)
from transmixis.core.plot import Path as Way
from transmixis.desk.plots import action, hills, panels
from transmixis.desk.plots.view import paint_plot
from transmixis.desk.theme import BLUE, INK, PAPER, VERMILION

pytestmark = pytest.mark.usefixtures("qapp")
DEMO = ROOT / "demo" / "kite_post"
BOX = QRectF(0, 0, 200, 112)
LEFT = Qt.MouseButton.LeftButton


def painted(draw: Callable[[QPainter], Any], size: tuple[int, int] = (200, 112)) -> np.ndarray:
    """(h, w, 3) what is painted on white."""
    image = QImage(*size, QImage.Format.Format_RGB32)
    image.fill(QColor("white"))
    p = QPainter(image)
    draw(p)
    p.end()
    bits = image.constBits()
    assert bits is not None
    return np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(size[1], size[0], 4)[..., 2::-1].astype(int)


def panel(what: Panel, frame: int = 1) -> np.ndarray:
    return painted(lambda p: panels.paint(p, BOX, what, frame))


def where(picture: np.ndarray, ink: str, within: int = 90) -> np.ndarray:
    """(n, 2) x, y px of a colour."""
    c = QColor(ink)
    ys, xs = np.nonzero(np.abs(picture - [c.red(), c.green(), c.blue()]).sum(axis=2) < within)
    return np.stack([xs, ys], 1)


def test_a_trace_lies_where_its_values_are() -> None:
    """Area from y 12 to 110, middle 61; reach 1: +0.5 lies a quarter of the height above."""
    flat = panel(Trace("light", np.full(50, 0.5), top=1.0))
    ys = where(flat, BLUE)[:, 1]
    assert ys.min() >= 61 - 24.5 - 2
    assert ys.max() <= 61 - 24.5 + 2
    floor = where(panel(Trace("light", np.full(50, 0.5), floor=True, top=1.0)), BLUE)[:, 1]
    assert np.median(floor) == pytest.approx(110 - 49, abs=1.5)
    gap = np.full(50, 0.5)
    gap[20:30] = np.nan
    xs = where(panel(Trace("light", gap, top=1.0)), BLUE)[:, 0]
    assert not ((xs > 84) & (xs < 116)).any()  # frames 22 to 29 of 50, 4 px each
    assert (xs < 78).any()
    assert (xs > 122).any()
    head = where(panel(Trace("light", np.full(50, 0.5), top=1.0), frame=40), INK, 30)
    assert np.median(head[head[:, 1] > 70][:, 0]) == pytest.approx(39.5 * 4, abs=1)


def test_a_trace_without_values_says_why() -> None:
    said = panel(Trace("light", np.full(5, np.nan), why="nothing stands still"))
    assert len(where(said, BLUE)) == 0
    assert len(where(said[40:80], "#5A5A5A", 200)) > 30


def test_a_path_is_drawn_about_its_middle_with_its_ring() -> None:
    """A limit of 1 px and points within: 112 px hold ± 1.15 px."""
    way = np.array([[0.0, 0.0], [1.0, 0.0], [np.nan, np.nan], [0.0, 1.0], [0.0, 0.5]])
    picture = panel(Way(way, 1.0), frame=2)
    scale = 56 / 1.15
    blue = where(picture, BLUE)
    assert blue[:, 0].max() == pytest.approx(100 + scale, abs=4)
    assert blue[:, 1].max() == pytest.approx(56 + scale, abs=2)
    rows = where(picture[:, :100], "#5A5A5A", 120)
    assert rows[:, 0].min() == pytest.approx(100 - scale, abs=2)  # the ring
    assert len(where(panel(Way(way, 0.0), frame=5)[:, :60], "#5A5A5A", 120)) == 0
    assert len(where(panel(Way(np.full((3, 2), np.nan), 1.0)), BLUE)) == 0


def test_a_strip_marks_its_frames() -> None:
    picture = panel(Frames(20, ((3, DOUBLED), (5, MISSING), (8, JUMP), (11, COMBED))), frame=20)
    cell = lambda n: picture[26:62, (n - 1) * 10 + 3 : n * 10 - 3]  # noqa: E731
    assert len(where(cell(3), VERMILION, 200)) > 5
    assert (cell(5) == 255).all()
    assert not (cell(4) == 255).all()
    assert len(where(picture[20:66, 66:74], VERMILION, 60)) > 30
    assert len(where(cell(11), "#7A5200", 230)) > 5
    assert len(where(cell(12), "#7A5200", 230)) == 0


def test_rings_and_boxes_lie_in_the_frame() -> None:
    """A frame of 400 x 200 in 200 x 112 px: half the size."""
    spots = Spotted((200, 400), ((100.0, 60.0, 12.0),), ((0.75, 0.0, 0.25, 1.0, 3, 5),))
    red = where(panel(spots, frame=4), VERMILION, 60)
    ring = red[red[:, 0] < 120]
    assert ring.mean(axis=0) == pytest.approx((50, 30), abs=1)
    assert np.ptp(ring[:, 0]) == pytest.approx(13, abs=2)
    box = lambda frame: where(panel(spots, frame)[:100, 152:198], VERMILION, 200)  # noqa: E731
    assert len(box(4)) > 100
    assert len(box(6)) == 0  # it is no longer there


def test_a_curve_meets_its_dots() -> None:
    xs = np.linspace(0, 10, 50)
    picture = panel(Curve("law", xs, xs, np.array([[5.0, 5.0], [10.0, 10.0]])))
    dots = where(picture, INK, 60)
    left = dots[dots[:, 0] < 150]
    # the area is 98 px high and holds 12: 5 of 12 from the floor at 110
    assert left.mean(axis=0) == pytest.approx((100, 110 - 98 * 5 / 12), abs=1.5)
    assert len(where(panel(Curve("law", xs, xs, why="not measured")), BLUE)) == 0


def test_stills_stand_in_a_grid_as_large_as_there_is_room() -> None:
    one = np.zeros((20, 40, 3), np.float32)
    one[..., 0] = 1
    seen = panel(Stills("still", (one,) * 4, ("1", "2: 0.1 px", "3", "4: 2 px"), (False, False, False, True)))
    red = where(seen, "#ff0000")
    assert len(np.unique(red[:, 0] // 104)) == 2  # two columns of two
    assert red[:, 1].max() - red[:, 1].min() > 60
    assert len(where(seen, VERMILION)) > 0
    assert len(where(seen, PAPER, 20)) > 200  # two lines over each
    empty = panel(Stills("still", why="not followed yet"))
    assert (empty != 255).any()


def test_patches_show_their_colours_coded() -> None:
    column = Patches("Subject", (("white", (1.0, 1.0, 1.0)), ("middle", (0.2140, 0.0, 0.0))), ("grain 1.0",))
    picture = painted(lambda p: panels.paint(p, QRectF(0, 0, 50, 140), column, 1), (50, 140))
    # the sRGB curve: 0.214 is coded half
    assert picture[90, 30].tolist() == pytest.approx([128, 0, 0], abs=1)
    assert picture[40, 30].tolist() == [255, 255, 255]


def test_the_words_stand_below_and_long_ones_are_cut() -> None:
    plot = Plot("Title", "", (Trace("light", np.zeros(5)),), "One. " * 100)
    picture = painted(lambda p: paint_plot(p, QRectF(0, 0, 200, 200), plot, 1), (200, 200))
    assert (picture[198:] >= 0x8C).all()  # nothing runs over the edge
    empty = painted(lambda p: paint_plot(p, QRectF(0, 0, 200, 200), None, 1, "Later."), (200, 200))
    assert len(where(empty, BLUE)) == 0
    assert len(where(empty[20:60], "#5A5A5A", 120)) > 10


HILLS = Hills(
    (Hill(np.full(10, 9), hatched=True), Hill(np.arange(10))),
    (Limit("black", 0.25, 0.0, 0.5), Limit("white", 0.75, 0.5, 1.0)),
    "that shows",
    0.1,
    1.0,
)


def test_what_lies_beyond_a_jaw() -> None:
    """Ten equal bins: from 0.25 on seven of them; never less than from 0.1 on."""
    assert [HILLS.beyond(v) for v in (0.25, 0.0, 1.0, 0.9)] == pytest.approx([70, 90, 0, 10])
    assert Hills((Hill(np.zeros(4)),), (), "", 0, 1).beyond(0.5) == 0


def test_a_press_takes_a_jaw_or_the_bar_between() -> None:
    box = QRectF(0, 0, 212, 200)  # 200 px for 0..1 from x 6 on
    values = {"black": 0.25, "white": 0.75}
    take = lambda x, y: hills.gripped(box, QPointF(x, y), values)  # noqa: E731
    assert take(6 + 50 + 8, 100) == ("black",)
    assert take(6 + 150 - 8, 100) == ("white",)
    assert take(6 + 100, 36) == ("black", "white")
    assert take(6 + 100, 100) == ()
    assert take(6 + 20, 36) == ()
    assert hills.gripped(box, QPointF(50, 100), {}) == ()


def test_jaws_are_dragged_in_the_window(qtbot: Any, demo_copy: Path) -> None:
    w = opened(qtbot, demo_copy)
    w.open_shot("KP010", "Matte")
    w.state.set_step("screen_key")
    settle(qtbot, w)
    view = w.bench.sheet.plot
    assert view is not None
    assert view.shown is not None
    assert view.shown.title == "Matte before the points"
    begin = view.values()
    y = view.height() // 2
    a, b = QPoint(round(view.x_of(begin["black"])), y), QPoint(round(view.x_of(0.2)), y)
    qtbot.mousePress(view, LEFT, pos=a)
    qtbot.mouseMove(view, b)
    assert view.values()["black"] == pytest.approx(0.2, abs=0.01)
    assert w.state.edits.param("black") == begin["black"]  # until it is let go
    qtbot.mouseMove(view, QPoint(view.width() + 300, y))
    assert view.values()["black"] == 0.5  # no further than it may go
    qtbot.mouseMove(view, b)
    qtbot.mouseRelease(view, LEFT, pos=b)
    assert w.state.edits.param("black") == pytest.approx(0.2, abs=0.01)
    settle(qtbot, w)
    assert view.values() == pytest.approx({"black": w.state.edits.param("black"), "white": begin["white"]})
    w.state.edits.undo()
    settle(qtbot, w)
    assert view.values() == begin
    # the bar between takes both along, as one change
    bar, away = QPoint(round(view.x_of(0.5)), 36), QPoint(round(view.x_of(0.5)) - 40, 36)
    w.state.edits.set_param("black", 0.3)
    settle(qtbot, w)
    qtbot.mousePress(view, LEFT, pos=bar)
    qtbot.mouseMove(view, away)
    moved = view.values()
    assert moved["black"] < 0.3
    assert moved["white"] < begin["white"]
    qtbot.mouseRelease(view, LEFT, pos=away)
    assert {n: w.state.edits.param(n) for n in moved} == pytest.approx(moved, abs=1e-3)
    w.state.edits.undo()
    assert (w.state.edits.param("black"), w.state.edits.param("white")) == (0.3, begin["white"])
    w.state.edits.undo()
    settle(qtbot, w)
    # the plot follows the playhead
    before = view.shown
    w.state.set_frame(3)
    settle(qtbot, w)
    assert view.shown is not before


def second_shot(film: Path) -> None:
    """The shot once more, from the take's next four frames."""
    shot = json.loads((film / "shots" / "KP010" / "shot.json").read_text())
    (film / "shots" / "KP015").mkdir()
    for n in range(1021, 1025):
        name = f"KP010_hero.{n}.png"
        target = film / "plates" / "KP015" / name.replace("KP010", "KP015")
        target.parent.mkdir(exist_ok=True)
        shutil.copy(DEMO / "plates" / "KP010" / "hero" / name, target)
    plates = [{**p, "path": "plates/KP015/KP015_hero.1021.png"} if p["role"] == "hero" else p for p in shot["plates"]]
    (film / "shots" / "KP015" / "shot.json").write_text(json.dumps({**shot, "code": "KP015", "plates": plates}))
    production = json.loads((film / "production.json").read_text())
    (film / "production.json").write_text(json.dumps({**production, "shots": ["KP010", "KP015"]}))


def test_no_shots_plot_stands_for_another(qtbot: Any, demo_copy: Path) -> None:
    """Both have a step of the same name and kind, so the sheet stays; the drawing of the first must go at once."""
    second_shot(demo_copy)
    w = shown(qtbot, demo_copy)
    w.open_shot("KP010", "Survey")
    w.state.set_step("steadiness")
    view = w.bench.sheet.plot
    assert view is not None
    qtbot.waitUntil(lambda: view.shown is not None, timeout=LONG)
    first = view.shown
    assert first is not None
    w.open_shot("KP015", "Survey")
    w.state.set_step("steadiness")
    now = w.bench.sheet.plot
    assert now is not None
    assert now.shown is not first
    qtbot.waitUntil(lambda: now.shown is not None, timeout=LONG)
    assert now.shown is not None
    assert now.shown.words != first.words


ACTION = Action(
    "there",
    np.linspace(0, 1, 20),
    (Limit("begin", 4, 1, 20), Limit("end", 16, 1, 20)),
    cues=((8, "strike"),),
)
LOOPED = Action("there", np.ones(20), seams=((4, 5), (12, 13)), slides=Limit("start", 3, 0, 7))


def test_an_action_s_jaws_are_gripped_and_dragged_to_whole_frames() -> None:
    box = QRectF(0, 0, 132, 232)  # 10 px a frame from y 16 on
    values = {"begin": 4.0, "end": 16.0}
    area = action.area_of(box)
    assert action.y_of(area, ACTION, 4) == 51
    take = lambda x, y: action.gripped(box, QPointF(x, y), ACTION, values)  # noqa: E731
    assert take(60, 51 + 6) == ("begin",)
    assert take(60, 171 - 6) == ("end",)
    assert take(60, 110) == ()
    assert take(20, 110) == ("begin", "end")
    assert take(20, 200) == ()
    drag = lambda names, by: action.dragged(ACTION, values, names, by)  # noqa: E731
    assert drag(("begin",), 2.4) == {"begin": 6}
    assert drag(("begin",), -9) == {"begin": 1}
    assert drag(("begin",), 30) == {"begin": 16}
    assert drag(("end",), -30) == {"end": 4}
    assert drag(("end",), 30) == {"end": 20}
    assert drag(("begin", "end"), 30) == {"begin": 8, "end": 20}
    assert drag(("begin", "end"), -30) == {"begin": 1, "end": 13}
    assert action.frames_of(area, ACTION, 25) == 2.5


def test_a_seam_is_dragged_around_its_ring() -> None:
    box = QRectF(0, 0, 132, 232)
    values = {"start": 3.0}
    assert action.gripped(box, QPointF(60, 16 + 40), LOOPED, values) == ("start",)
    assert action.gripped(box, QPointF(60, 16 + 90), LOOPED, values) == ()
    # a frame later on the shot is a frame less that is over at its beginning
    assert action.dragged(LOOPED, values, ("start",), 2) == {"start": 1}
    assert action.dragged(LOOPED, values, ("start",), 4) == {"start": 7}
    assert action.dragged(LOOPED, values, ("start",), -5) == {"start": 0}


def test_actions_are_painted(qtbot: Any) -> None:
    """Ink where the amount is, blue at the jaws, purple where something is proposed, a white band at a seam."""

    def painted(panel: Action, values: dict[str, float], proposed: dict[str, float]) -> np.ndarray:
        image = QImage(132, 232, QImage.Format.Format_RGB888)
        image.fill(QColor("#808080"))
        p = QPainter(image)
        action.paint_action(p, QRectF(0, 0, 132, 232), panel, values, proposed, 10)
        p.end()
        raw = image.constBits()
        assert raw is not None
        raw.setsize(image.sizeInBytes())
        return np.frombuffer(raw, np.uint8).reshape(232, image.bytesPerLine())[:, : 3 * 132].reshape(232, 132, 3).astype(int)

    plain = painted(ACTION, {"begin": 4.0, "end": 16.0}, {})
    blue = np.array([QColor(BLUE).red(), QColor(BLUE).green(), QColor(BLUE).blue()])
    is_blue = (np.abs(plain - blue).max(axis=2) < 8).sum(axis=1)
    assert is_blue[50:53].max() > 90
    assert is_blue[170:173].max() > 90
    asked = painted(ACTION, {"begin": 4.0, "end": 16.0}, {"begin": 8.0})
    assert (np.abs(asked - plain).max(axis=2)[52:90, 40:120] > 20).mean() > 0.2
    seams = painted(LOOPED, {"start": 3.0}, {})
    assert seams[56, 60].min() > 200
    moved = painted(LOOPED, {"start": 1.0}, {})
    assert moved[76, 60].min() > 200
    assert moved[56, 60].min() < 230
