"""A shape's points in the window: corner or round, softness and width, with mouse, wheel and keys; what is shown about an outline; the ground."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import Sheet, click, drag, mouse, settle, with_step
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QWheelEvent
from PyQt6.QtWidgets import QApplication
from shapeshot import EVERY, LENGTH, marks, truth, written

from transmixis.desk.snapshot import wait_until
from transmixis.desk.tools import tool_for
from transmixis.desk.tools.shapeparts import limits, outwards, paint_whiskers
from transmixis.desk.window import MainWindow
from transmixis.shot.contract import Handle
from transmixis.shot.steps import kind_of

NONE, SHIFT, CTRL = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return written(tmp_path_factory.mktemp("points-window"))


@pytest.fixture
def window(take: Path, tmp_path: Path, qtbot: Any) -> Iterator[MainWindow]:
    w = with_step(qtbot, tmp_path / "film", take, "shapes")
    w.bench.viewer.setFocus()
    for x, y in [*truth(1)[::EVERY], truth(1)[0]]:
        click(w, x, y)
    settle(qtbot, w)
    shot, step = w.state.shot, w.state.step
    assert shot is not None
    assert step is not None
    w.state.edits.change("smooth", lambda: shot.with_step(kind_of("shapes").thing_set(step, "outline", "line", "smooth")))
    settle(qtbot, w)
    yield w
    w.close()


def style(window: MainWindow, i: int) -> dict[str, Any]:
    step = window.state.step
    assert step is not None
    return step.params["shapes"][0]["styles"][str(i)] if step.params.get("shapes") else {}


def turn(window: MainWindow, x: float, y: float, notches: int, keys: Qt.KeyboardModifier) -> None:
    v = window.bench.viewer
    p = v.to_screen(x, y)
    none = Qt.MouseButton.NoButton
    event = QWheelEvent(
        p, QPointF(v.mapToGlobal(p)), QPoint(), QPoint(0, 120 * notches), none, keys, Qt.ScrollPhase.NoScrollPhase, False
    )
    QApplication.sendEvent(v, event)


def test_a_double_press_makes_a_corner_and_takes_it_back(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    place = marks(1)[4]
    before = s.renderer().product("step:shapes", 1).matte  # type: ignore[union-attr]
    click(window, *place[1:])
    mouse(window, QEvent.Type.MouseButtonDblClick, *place[1:])
    mouse(window, QEvent.Type.MouseButtonRelease, *place[1:])
    settle(qtbot, window)
    assert style(window, 5) == {"corner": True, "inward": 0.0, "outward": 0.0, "wide": 4.0}
    after = s.renderer().product("step:shapes", 1).matte  # type: ignore[union-attr]
    assert before is not None
    assert after is not None
    assert 0 < np.abs(after - before).sum() < 200  # about that point alone
    ys, xs = np.nonzero(np.abs(after - before) > 0.02)
    assert np.hypot(xs - place[1], ys - place[2]).max() < 40
    # the point stays chosen: X makes it round again; the next one, by the full stop, is a corner then
    qtbot.keyClick(v, Qt.Key.Key_X)
    settle(qtbot, window)
    assert style(window, 5)["corner"] is False
    qtbot.keyClick(v, Qt.Key.Key_Period)
    qtbot.keyClick(v, Qt.Key.Key_X)
    settle(qtbot, window)
    assert style(window, 6)["corner"] is True
    qtbot.keyClick(v, Qt.Key.Key_Comma)
    qtbot.keyClick(v, Qt.Key.Key_Comma)
    assert v.tool is not None
    assert v.tool.chosen == (0, 3)  # type: ignore[attr-defined]
    for _ in range(3):
        s.edits.undo()
    settle(qtbot, window)
    np.testing.assert_array_equal(s.renderer().product("step:shapes", 1).matte, before)  # type: ignore[union-attr]
    assert v.tool.styles[5]["corner"] is False  # type: ignore[attr-defined]


def test_softness_by_wheel_keys_and_its_dotted_line(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    s.edits.set_param("feather", 0.0)
    settle(qtbot, window)
    place = marks(1)[2]
    turn(window, *place[1:], 4, SHIFT)
    settle(qtbot, window)
    turn(window, *place[1:], 2, CTRL)
    settle(qtbot, window)
    assert style(window, 3) == {"corner": False, "inward": 1.0, "outward": 2.0, "wide": 4.0}
    assert v.scale() == v.fit_scale()  # the wheel did not zoom
    qtbot.keyClick(v, Qt.Key.Key_Up, CTRL)
    settle(qtbot, window)
    qtbot.keyClick(v, Qt.Key.Key_Down, CTRL | SHIFT)
    settle(qtbot, window)
    assert (style(window, 3)["outward"], style(window, 3)["inward"]) == (2.5, 0.5)
    for _ in range(12):
        qtbot.keyClick(v, Qt.Key.Key_Up, CTRL)
        settle(qtbot, window)
    assert style(window, 3)["outward"] == 8.5
    # its end is drawn as a dotted line, which is dragged: so far from the outline as the pointer is
    tool = v.tool
    assert tool is not None
    line = next(k for k in limits(tool.handle, tool.marks, tool.styles, True) if k.side == "outward")  # type: ignore[attr-defined]
    k = int(np.abs(line.line - (np.array(place[1:]) + 8.5 * line.way[line.at == 2].mean(axis=0))).sum(axis=1).argmin())
    way, at = line.way[k], line.line[k]
    drag(window, at, at + 6 * way, drop=False)
    assert "px out" in tool.words
    assert tool.busy
    mouse(window, QEvent.Type.MouseButtonRelease, *(at + 6 * way))
    settle(qtbot, window)
    assert style(window, 3)["outward"] == pytest.approx(14.5, abs=1.0)
    assert s.step is not None
    assert s.step.params["outline"] == marks(1)  # no point was moved
    matte = s.renderer().product("step:shapes", 1).matte  # type: ignore[union-attr]
    assert matte is not None
    x, y = (np.array(place[1:]) + 6 * line.way[line.at == 2].mean(axis=0)).astype(int)
    assert 0.3 < matte[y, x] < 0.8  # without its softness 0
    # Escape calls a drag of it off
    tool = v.tool
    line = next(k for k in limits(tool.handle, tool.marks, tool.styles, True) if k.side == "outward")  # type: ignore[union-attr, attr-defined]
    k = int(np.hypot(*(line.line - np.array(place[1:]) - 14 * line.way).T).argmin())
    was = style(window, 3)
    drag(window, line.line[k], line.line[k] + 4 * line.way[k], drop=False)
    qtbot.keyClick(v, Qt.Key.Key_Escape)
    mouse(window, QEvent.Type.MouseButtonRelease, *line.line[k])
    settle(qtbot, window)
    assert style(window, 3) == was


def test_what_changes_nothing_is_no_edit_and_leaves_the_outline_in_the_hand(window: MainWindow, qtbot: Any) -> None:
    """Harder than hard: no entry of undo, and the point is still nudged as a point."""
    s, v = window.state, window.bench.viewer
    place = marks(1)[2]
    click(window, *place[1:])
    settle(qtbot, window)
    before = s.shot
    qtbot.keyClick(v, Qt.Key.Key_Down, CTRL)
    settle(qtbot, window)
    assert s.shot is before
    assert s.trial is None
    qtbot.keyClick(v, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier | SHIFT)
    settle(qtbot, window)
    assert s.step is not None
    assert s.step.params["outline"][2][1] == pytest.approx(place[1] + 1, abs=0.02)


def test_a_strands_width_is_dragged(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    button = next(b for b in window.bench.sheet.things.findChildren(type(window.bench.play)) if b.text() == "New strand")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    v.setFocus()
    for x, y in ((20, 30), (60, 30), (100, 30), (140, 30)):
        click(window, x, y)
    qtbot.keyClick(v, Qt.Key.Key_Return)
    settle(qtbot, window)
    turn(window, 60, 30, 12, SHIFT)
    settle(qtbot, window)
    step = s.step
    assert step is not None
    assert step.params["shapes"][1]["styles"]["2"]["wide"] == 10.0
    drag(window, (66, 34.5), (66, 42))  # beside the point, which would be taken hold of itself
    settle(qtbot, window)
    assert s.step is not None
    assert s.step.params["shapes"][1]["styles"]["2"]["wide"] == pytest.approx(24, abs=1.5)
    matte = s.renderer().product("step:shapes", 1).matte  # type: ignore[union-attr]
    assert matte is not None
    assert matte[22:38, 60].min() > 0.9
    assert matte[20:40, 139].sum() < 8


def test_pins_before_and_after_and_doubt_are_shown_until_e(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    s.set_frame(LENGTH)
    settle(qtbot, window)
    qtbot.keyClick(v, Qt.Key.Key_P)
    settle(qtbot, window)
    s.set_frame(5)
    assert wait_until(lambda: len(s.known.readings.get("shapes", {})) == LENGTH, 60)
    settle(qtbot, window)
    tool = v.tool
    assert tool is not None
    assert [f for f, _ in tool.handle.facts["beside"]] == [1, LENGTH]
    first = np.array(tool.handle.facts["beside"][0][1][0])
    assert np.hypot(*(first[:, None] - np.array(marks(1))[None, :, 1:]).transpose(2, 0, 1)).min(axis=0).max() < 0.01
    off = tool.handle.facts["off"]
    assert len(off) == len(tool.value[0])
    foretold = next(r.value for r in s.known.readings["shapes"][5] if r.name == "foretold")
    assert np.mean(off) == pytest.approx(foretold, abs=1e-6)
    shown = v.grab().toImage()
    qtbot.keyClick(v, Qt.Key.Key_E)
    hidden = v.grab().toImage()
    assert shown != hidden
    assert not v.show_panel


def test_what_a_cut_out_is_shown_on(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    word = window.bench._ground

    def corner() -> tuple[int, ...]:
        settle(qtbot, window)
        assert v.shown is not None
        return tuple(QColor(v.shown.image.pixel(x, 3)).red() for x in (3, 17))

    s.set_view("Plate")
    settle(qtbot, window)
    assert not word.isVisible()
    s.set_view("Result")
    dim = corner()
    assert word.isVisible()
    seen = {word.text(): dim}
    for _ in range(4):
        qtbot.mouseClick(word, Qt.MouseButton.LeftButton)
        seen[word.text()] = corner()
    assert (seen["Black"], seen["White"]) == ((0, 0), (255, 255))
    assert seen["Grey"][0] == seen["Grey"][1] == pytest.approx(118, abs=2)  # 0.18 in the curve of display
    assert abs(seen["Stripes"][0] - seen["Stripes"][1]) > 40
    qtbot.keyClick(window, Qt.Key.Key_B, SHIFT)
    assert word.text() == "Usual ground"
    assert corner() == dim
    # once another step makes the shot's picture of it, the view Result is that, and Cut-out still the matte's
    made = s.edits.run("step.add", kind="join_mattes", name="Whole").made
    shot = s.shot
    assert shot is not None
    inputs = {"plate": "plate:hero", "first": "step:shapes"}
    s.edits.change("join", lambda: shot.with_step(shot.step(made).model_copy(update={"inputs": inputs})))
    settle(qtbot, window)
    s.set_step("shapes")
    assert corner() != dim
    s.set_view("Cut-out")
    assert corner() == dim
    assert word.isVisible()
    assert window.bench.tools.isHidden()


def test_whiskers_are_as_long_as_the_doubt() -> None:
    """On a canvas of two screen px a px: an arm is four times the doubt to either side, none where there is little or nothing known."""
    image = QImage(200, 200, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.black)
    p = QPainter(image)
    places = np.array([[20.0, 50.0], [50.0, 50.0], [80.0, 50.0], [90.0, 50.0]])
    paint_whiskers(p, places, np.tile([0.0, 1.0], (4, 1)), [2.0, 0.5, 0.1, float("nan")], Sheet())
    p.end()

    def column(x: int) -> int:
        return sum(QColor(image.pixel(x, y)).value() > 60 for y in range(200))

    assert column(40) == pytest.approx(2 * 2 * 4 * 2.0, abs=4)
    assert column(100) == pytest.approx(2 * 2 * 4 * 0.5, abs=4)
    assert (column(160), column(180)) == (0, 0)
    assert QColor(image.pixel(40, 100)).red() > 1.3 * QColor(image.pixel(40, 100)).blue()  # over a px: vermilion
    assert QColor(image.pixel(100, 100)).red() == QColor(image.pixel(100, 100)).blue()


def test_outwards_is_outwards_whichever_way_round() -> None:
    square = np.array([[0.0, 0], [10, 0], [10, 10], [0, 10]])
    for line in (square, square[::-1]):
        assert ((line - 5) * outwards(line, True)).sum(axis=1).min() > 5
    assert outwards(np.array([[0.0, 0], [5, 0], [9, 0]]), False) == pytest.approx(np.tile([0.0, -1.0], (3, 1)))


def test_a_limit_that_lies_on_the_outline_is_not_taken_hold_of() -> None:
    facts = {
        "closed": True,
        "styles": {1: {"corner": True, "inward": 0.0, "outward": 0.0, "wide": 4.0}},
        "whole": "outline",
        "style": "style",
        "feather": 0.5,
    }
    tool = tool_for(
        Handle("shape", "outline", "A", "", ((1, 40.0, 40.0), (2, 140.0, 40.0), (3, 140.0, 140.0), (4, 40.0, 140.0)), facts=facts)
    )
    assert tool.cursor(QPointF(180, 80), Sheet()) == Qt.CursorShape.PointingHandCursor  # type: ignore[arg-type]
    far = tool_for(Handle("shape", "outline", "A", "", tool.value[0], facts={**facts, "feather": 8.0}))
    assert far.cursor(QPointF(180, 64), Sheet()) == Qt.CursorShape.SizeFDiagCursor  # type: ignore[arg-type]
    assert far.cursor(QPointF(180, 96), Sheet()) == Qt.CursorShape.SizeFDiagCursor  # type: ignore[arg-type]
    assert far.cursor(QPointF(180, 80), Sheet()) == Qt.CursorShape.PointingHandCursor  # type: ignore[arg-type]
