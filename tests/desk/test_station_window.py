"""The proving shot made in the window with mouse and keys: points, surface, outline with pins, corners, patch; held against its truth."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import station
from clirun import here
from deskhelp import click, drag, mouse, opened, settle
from PyQt6.QtCore import QEvent, QPointF, Qt, QTimer
from PyQt6.QtWidgets import QApplication, QMenu

from transmixis.core.motion.motion import moved_points
from transmixis.desk.window import MainWindow
from transmixis.shot.document import Document

# menus that pop up offscreen say what this platform lacks
pytestmark = pytest.mark.qt_log_ignore("This plugin does not support", extend=True)

FIRST, LENGTH, AT = 26, 9, 5  # frames 26 to 34 of the plate; its frame 30 is the shot's 5
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A production with a dozen frames of the station and a board; no step of it is made yet."""
    root = tmp_path_factory.mktemp("window-station")
    here("new", root / "film", "--name", "The Kite Post")
    here("add", root / "film", "KP020", station.PLATE, "--role", "hero")
    here("add", root / "film", "KP020", station.BOARD, "--role", "still")
    doc = Document.open(root / "film")
    shot = doc.shot("KP020")
    plates = tuple(p.model_copy(update={"offset": FIRST - 1}) if p.role == "hero" else p for p in shot.plates)
    doc.change_shot("Shorter", shot.model_copy(update={"plates": plates, "length": LENGTH, "steps": ()}))
    doc.close()
    return root / "film"


@pytest.fixture
def window(film: Path, qtbot: Any) -> Iterator[MainWindow]:
    w = opened(qtbot, film)
    yield w
    w.close()


def add(qtbot: Any, window: MainWindow, title: str) -> str:
    """Press Add step and the kind in its menu; gives the new step's id."""

    def choose() -> None:
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        action = next(a for a in menu.actions() if a.text().startswith(f"{title}:"))
        qtbot.mouseClick(menu, LEFT, pos=menu.actionGeometry(action).center())

    QTimer.singleShot(200, choose)
    qtbot.mouseClick(window.bench.add, LEFT)
    settle(qtbot, window)
    return window.state.step_id


def close_to(window: MainWindow, x: float, y: float, zoom: float) -> None:
    """The viewer enlarged, with a place of the frame in its middle."""
    v = window.bench.viewer
    v.fit()
    v.zoom_about(zoom / v.scale(), QPointF(v.to_screen(x, y)))
    v._middle = QPointF(x, y)
    v.update()


def draw(window: MainWindow, points: Any) -> None:
    for x, y in [*points, points[0]]:
        click(window, x, y)


def connect(qtbot: Any, window: MainWindow, slot: str, ref: str) -> None:
    """Choose what a slot takes in the step sheet."""
    box = window.bench.sheet._inputs[slot]
    box.setCurrentIndex(box.findData(ref))
    box.activated.emit(box.currentIndex())
    settle(qtbot, window)


def test_the_shot_is_made_with_mouse_and_keys(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    s.set_frame(AT)
    settle(qtbot, window)
    # a point on the postbox
    point = add(qtbot, window, "Point track")
    close_to(window, *station.BOX_POINT, 4)
    click(window, *station.BOX_POINT)
    settle(qtbot, window)
    step = s.step
    assert step is not None
    assert step.params["reference"] == AT
    assert step.params["point"][0] == pytest.approx(station.BOX_POINT, abs=0.3)
    # its outline, pinned at the far end where the box has turned
    box = add(qtbot, window, "Shapes")
    drawn = [(x, y) for _, x, y in station.box_at(30)]
    close_to(window, 435, 440, 2.4)
    draw(window, drawn)
    settle(qtbot, window)
    assert s.step is not None
    assert s.step.inputs["motion"] == f"step:{point}"  # as usual: the last motion there is
    renderer = s.session.renderer("KP020")  # type: ignore[union-attr]
    for n in range(1, LENGTH + 1):
        shape = renderer.product(f"step:{box}", n).shape
        assert shape
        assert station.apart(shape[0], FIRST - 1 + n) < 2.2, n  # without a single pin, six frames away at most
    # the flush trim about the window, and the board on it
    front = add(qtbot, window, "Surface track")
    close_to(window, 340, 350, 2.2)
    for outline in station.FLUSH:
        draw(window, outline)
    settle(qtbot, window)
    assert s.step is not None
    assert len(s.step.params["region"]) == len(station.FLUSH)
    off = []
    for n in range(1, LENGTH + 1):
        motion = s.session.renderer("KP020").product(f"step:{front}", n).motion  # type: ignore[union-attr]
        assert motion is not None
        assert motion.known
        off.append(moved_points(motion.matrix, station.board(30)) - station.board(FIRST - 1 + n))
    assert np.sqrt((np.array(off) ** 2).sum(-1).mean()) < 0.3
    board = add(qtbot, window, "Lay in")
    connect(qtbot, window, "motion", f"step:{front}")
    assert s.step is not None
    assert s.step.inputs["before"] == f"step:{box}"
    close_to(window, 392, 340, 4)
    corners = station.board(30)
    drag(window, corners[0], corners[2])
    for i in (1, 3):
        there = s.edits.param("corners")[i]
        settle(qtbot, window)
        drag(window, there, corners[i])
    settle(qtbot, window)
    assert np.array(s.edits.param("corners")) == pytest.approx(corners, abs=0.3)
    with_board = s.session.renderer("KP020").product(f"step:{board}", 9)  # type: ignore[union-attr]
    assert with_board.matte is not None
    inside = station.board(FIRST + 8).mean(axis=0).astype(int)
    assert with_board.matte[inside[1], inside[0]] > 0.99
    before = [int(q) for q in station.box_at(30)[0][1:]]
    assert with_board.matte[before[1] + 8, before[0] + 8] < 0.05  # the postbox stands before it
    assert v.tool is not None


def test_a_drag_shows_its_effect_is_one_undo_and_can_be_called_off(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    s.set_frame(AT)
    add(qtbot, window, "Shapes")
    connect(qtbot, window, "motion", "")
    s.set_view("Matte")
    draw(window, [(300, 200), (500, 200), (500, 400), (300, 400)])
    settle(qtbot, window)
    assert v.shown is not None
    dark = v.shown.image.pixelColor(280, 300).lightness()
    drag(window, (300, 200), (200, 200), drop=False)
    settle(qtbot, window)
    assert s.trial is not None
    assert v.shown.image.pixelColor(280, 230).lightness() > dark + 100  # what would be kept is shown while dragging
    assert s.edits.param("outline")[0][1] == pytest.approx(300, abs=1)  # and nothing is changed yet
    qtbot.keyClick(v, Qt.Key.Key_Escape)
    settle(qtbot, window)
    assert s.trial is None
    assert v.shown.image.pixelColor(230, 230).lightness() < dark + 20
    mouse(window, QEvent.Type.MouseButtonRelease, 200, 200)
    assert s.edits.param("outline")[0][1] == pytest.approx(300, abs=1)
    drag(window, (300, 200), (250, 230))
    settle(qtbot, window)
    assert s.edits.param("outline")[0][1:] == pytest.approx([250, 230], abs=1)
    s.edits.undo()
    settle(qtbot, window)
    assert s.edits.param("outline")[0][1:] == pytest.approx([300, 200], abs=1)
    assert len(s.edits.param("outline")) == 4
    # a press on a side adds a point that is dragged at once; Backspace takes it out; a right press takes one out
    drag(window, (400, 400), (400, 440))
    settle(qtbot, window)
    assert [m[0] for m in s.edits.param("outline")] == [1, 2, 3, 5, 4]
    qtbot.keyClick(v, Qt.Key.Key_Backspace)
    settle(qtbot, window)
    assert [m[0] for m in s.edits.param("outline")] == [1, 2, 3, 4]
    click(window, 500, 200, Qt.MouseButton.RightButton)
    settle(qtbot, window)
    assert [m[0] for m in s.edits.param("outline")] == [1, 3, 4]
    # another frame is pinned
    s.set_frame(AT + 3)
    settle(qtbot, window)
    assert v.tool is not None
    x, y = next(m[1:] for m in v.tool.value[0] if m[0] == 3)  # the picture has carried it
    drag(window, (x, y), (x + 20, y + 20))
    settle(qtbot, window)
    assert s.step is not None
    assert [p.frame for p in s.step.pins["outline"]] == [AT, AT + 3]
    v.setFocus()
    qtbot.keyClick(v, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
    settle(qtbot, window)
    moved = {m[0]: m[1:] for m in s.step.pins["outline"][1].value}
    assert moved[3][0] == pytest.approx(x + 20.1, abs=1)


def test_a_patch_is_drawn_and_its_source_dragged(window: MainWindow, qtbot: Any) -> None:
    s = window.state
    s.set_frame(AT)
    add(qtbot, window, "Patch")
    connect(qtbot, window, "motion", "")
    draw(window, [(170, 330), (185, 330), (185, 350), (170, 350)])
    settle(qtbot, window)
    names = window.bench.tools.words
    assert names == ("What must go", "Source")
    window.bench.tools._pick("Source")
    settle(qtbot, window)
    right, down = s.edits.param("right"), s.edits.param("down")
    drag(window, (177.5 + right, 340 + down), (177.5, 380))
    settle(qtbot, window)
    assert (s.edits.param("right"), s.edits.param("down")) == (pytest.approx(0, abs=1.6), pytest.approx(40, abs=1.6))
    readings = {r.name: r for r in s.known.readings[s.step_id][AT]}
    assert readings["seam"].value is not None
    assert readings["source"].value == 0


def test_a_track_is_seated_by_hand_and_shows_where_it_was(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    s.set_frame(AT)
    add(qtbot, window, "Point track")
    assert v.tool is not None
    assert "Press the thing" in window.bench._pointer.text() or "Press the thing" in v.tool.words
    click(window, 300, 280)
    settle(qtbot, window)
    s.set_frame(AT + 4)
    settle(qtbot, window)
    assert v.tool is not None
    trail = v.tool.handle.facts["trail"]
    assert {n for n, *_ in trail} == set(range(1, LENGTH + 1))
    x, y = v.tool.value[0]
    drag(window, (x, y), (x + 6, y - 4))
    settle(qtbot, window)
    assert s.step is not None
    assert [p.frame for p in s.step.pins["seat"]] == [AT + 4]
    assert s.step.pins["seat"][0].value[0] == pytest.approx([x + 6, y - 4], abs=1)
    readings = s.known.readings[s.step_id][AT + 4]
    assert readings[0].note == "set by hand here"
    v.setFocus()
    qtbot.keyClick(v, Qt.Key.Key_Delete)
    settle(qtbot, window)
    assert not s.step.pins.get("seat")


def test_many_columns_scroll_and_heads_stay(window: MainWindow, qtbot: Any) -> None:
    s, ledger = window.state, window.bench.ledger
    for _ in range(14):
        window.bench.acts.add_step("edges")
    settle(qtbot, window)
    columns = ledger.columns()
    assert min(w for _, _, w in columns) >= 54
    assert ledger._bar.isVisible()
    first, last = s.shot.steps[0].id, s.shot.steps[-1].id  # type: ignore[union-attr]
    s.set_step(first)
    assert [c for c, _, _ in ledger.layout_.shown() if c.key == first]
    assert not [c for c, _, _ in ledger.layout_.shown() if c.key == last]
    s.set_step(last)
    assert [c for c, _, _ in ledger.layout_.shown() if c.key == last]
    assert ledger.layout_.column_at(20) is None  # the film edge is no column's, whatever lies under it
    _, left, width = next(c for c in ledger.columns() if c[0] == last)
    qtbot.mouseClick(ledger, LEFT, pos=QPointF(left + width / 2, 60).toPoint())
    assert s.step_id == last
