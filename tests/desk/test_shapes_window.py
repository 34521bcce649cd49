"""Several shapes in the window: added, drawn, named, carried, pinned whole and point by point, taken out, with mouse and keys."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import click, drag, mouse, settle, with_step
from PyQt6.QtCore import QEvent, QPoint, Qt
from PyQt6.QtWidgets import QPushButton
from shapeshot import EVERY, LENGTH, truth, written

from transmixis.desk.snapshot import wait_until
from transmixis.desk.window import MainWindow
from transmixis.shot.steps import kind_of

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return written(tmp_path_factory.mktemp("shapes-window"))


@pytest.fixture
def window(take: Path, tmp_path: Path, qtbot: Any) -> Iterator[MainWindow]:
    w = with_step(qtbot, tmp_path / "film", take, "shapes")
    yield w
    w.close()


def press(qtbot: Any, window: MainWindow, words: str) -> None:
    button = next(b for b in window.bench.sheet.things.findChildren(QPushButton) if b.text() == words)
    qtbot.mouseClick(button, LEFT)
    settle(qtbot, window)


def places(window: MainWindow) -> dict[int, np.ndarray]:
    tool = window.bench.viewer.tool
    assert tool is not None
    return {m[0]: np.array(m[1:]) for m in tool.value[0]}


def measured(window: MainWindow) -> None:
    s = window.state
    assert wait_until(lambda: len(s.known.readings.get("shapes", {})) == LENGTH, 60)


def test_shapes_are_drawn_named_and_carried(window: MainWindow, qtbot: Any) -> None:
    s, v, things = window.state, window.bench.viewer, window.bench.sheet.things
    s.set_frame(5)
    settle(qtbot, window)
    v.setFocus()
    for x, y in [*truth(5)[::EVERY], truth(5)[0]]:
        click(window, x, y)
    settle(qtbot, window)
    assert things.list.count() == 1
    assert things.list.item(0).text().endswith("1 pin")
    # a name of its own
    name = things._lines["name"]
    qtbot.mouseClick(name, LEFT)
    qtbot.keyClicks(name, "Cat")
    qtbot.keyClick(name, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert s.step is not None
    assert s.step.params["shapes"][0]["name"] == "Cat"
    assert things.list.item(0).text().startswith("Cat")
    # a strand, drawn in the same frame, takes itself away
    press(qtbot, window, "New strand")
    assert things.list.count() == 2
    assert things.param == "outline.2"
    v.setFocus()
    for x, y in ((110, 100), (150, 120), (190, 95)):
        click(window, x, y)
    qtbot.keyClick(v, Qt.Key.Key_Return)
    settle(qtbot, window)
    assert [p.frame for p in s.step.pins["outline.2"]] == [5]
    things._boxes["joins"].setCurrentText("subtract")
    things._boxes["joins"].textActivated.emit("subtract")
    settle(qtbot, window)
    assert s.step.params["shapes"][1]["joins"] == "subtract"
    renderer = s.renderer()
    assert renderer is not None
    matte = renderer.product("step:shapes", 5).matte
    assert matte is not None
    assert matte[119, 150] < 0.1
    assert matte[80, 150] > 0.9
    # chosen by a press in the list, it is in the hand
    item = things.list.visualItemRect(things.list.item(0))
    qtbot.mouseClick(things.list.viewport(), LEFT, pos=QPoint(item.left() + 60, item.center().y()))
    settle(qtbot, window)
    assert v.tool is not None
    assert v.tool.handle.param == "outline"
    # carried by the picture on other frames, once they are measured
    s.set_frame(LENGTH)
    measured(window)
    settle(qtbot, window)
    far = np.hypot(*(np.array(list(places(window).values())) - truth(LENGTH)[::EVERY]).T)
    assert far.mean() < 1.5
    # off and on by its mark
    things.list.item(1).setCheckState(Qt.CheckState.Unchecked)
    settle(qtbot, window)
    assert s.step.params["shapes"][1]["on"] is False
    # taken out, and brought back
    things.list.setCurrentRow(1)
    press(qtbot, window, "Take it out")
    assert things.list.count() == 1
    assert "outline.2" not in s.step.pins
    s.edits.undo()
    settle(qtbot, window)
    assert things.list.count() == 2


def test_points_are_pinned_alone_and_all_together(window: MainWindow, qtbot: Any) -> None:
    s, v = window.state, window.bench.viewer
    s.set_frame(1)
    settle(qtbot, window)
    for x, y in [*truth(1)[::EVERY], truth(1)[0]]:
        click(window, x, y)
    settle(qtbot, window)
    s.set_frame(4)
    measured(window)
    settle(qtbot, window)
    assert v.tool is not None
    assert not v.tool.handle.here
    before = places(window)
    x, y = before[7]
    drag(window, (x, y), (x + 9, y - 6), modifiers=Qt.KeyboardModifier.ControlModifier)
    settle(qtbot, window)
    assert s.step is not None
    assert "outline" not in s.step.pins
    (pin,) = s.step.pins["points"]
    assert pin.frame == 4
    assert [m[0] for m in pin.value] == [7]
    assert places(window)[7] == pytest.approx(before[7] + [9, -6], abs=0.6)
    assert places(window)[8] == pytest.approx(before[8], abs=0.05)
    # called off, and then without Ctrl, it is the outline again that is set
    x, y = places(window)[9]
    drag(window, (x, y), (x + 5, y), modifiers=Qt.KeyboardModifier.ControlModifier, drop=False)
    qtbot.keyClick(v, Qt.Key.Key_Escape)
    mouse(window, QEvent.Type.MouseButtonRelease, x + 5, y)
    settle(qtbot, window)
    drag(window, (x, y), (x + 5, y))
    settle(qtbot, window)
    assert [p.frame for p in s.step.pins["outline"]] == [1, 4]
    assert [m[0] for m in s.step.pins["points"][0].value] == [7]
    s.edits.undo()
    settle(qtbot, window)
    # P pins the whole outline as it lies, N goes to what is asked for
    v.setFocus()
    qtbot.keyClick(v, Qt.Key.Key_P)
    settle(qtbot, window)
    assert [p.frame for p in s.step.pins["outline"]] == [1, 4]  # the first was set at frame 1
    assert v.tool is not None
    assert v.tool.handle.here
    # N goes to the frames that are asked for, in their order
    s.edits.run("step.limit", step="shapes", reading="foretold", limit=0.02)
    settle(qtbot, window)
    assert wait_until(lambda: bool((now := s.answers.made.get("shapes")) and len(now.asks) > 1), 60)
    asks = s.answers.made["shapes"].asks  # type: ignore[union-attr]
    for n in asks[:2]:
        qtbot.keyClick(v, Qt.Key.Key_N)
        assert s.frame == n
    qtbot.keyClick(v, Qt.Key.Key_N, Qt.KeyboardModifier.ShiftModifier)
    assert s.frame == asks[0]
    kind = kind_of("shapes")
    assert [t.note for t in kind.things(s.step)] == ["2 pins"]


def test_a_document_whose_shapes_cannot_be_read_opens(window: MainWindow, qtbot: Any) -> None:
    s, things = window.state, window.bench.sheet.things
    shot, step = s.shot, s.step
    assert shot is not None
    assert step is not None
    s.edits.change("broken", lambda: shot.with_step(step.model_copy(update={"params": {"shapes": "none"}})))
    settle(qtbot, window)
    assert things.list.count() == 0
    assert wait_until(lambda: bool(s.known.readings.get("shapes", {}).get(1)), 60)
    assert "set it anew" in s.known.readings["shapes"][1][0].note
