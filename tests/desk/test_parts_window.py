"""Parts in the window: gathered by a dialog, folded on the ledger's band, switched, copied and put behind by the menu; and the commands."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import opened, press, settle, when_shown
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QApplication, QListWidgetItem

from transmixis.core.readings import Reading
from transmixis.desk.commands import Command
from transmixis.desk.ledger.columns import columns_of, worst_at, worst_of
from transmixis.desk.partdialogs import Gather, Offsets
from transmixis.desk.window import MainWindow
from transmixis.desk.windowkeys import sheet_of
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.parts import suggested

pytestmark = pytest.mark.qt_log_ignore("This plugin does not support", extend=True)


@pytest.fixture
def window(qtbot: Any, tmp_path: Path) -> Iterator[MainWindow]:
    write_still(tmp_path / "ground.png", np.full((48, 64, 3), 0.2, np.float32), kind="uint8")
    for name in ("red", "blue"):
        card = np.zeros((48, 64, 4), np.float32)
        card[16:32, 16:40] = (0.7, 0.2, 0.1, 1) if name == "red" else (0.1, 0.2, 0.7, 1)
        write_still(tmp_path / f"{name}.png", card, kind="uint8")
    plates = [Plate(id="ground", role="hero", path=str(tmp_path / "ground.png"))]
    plates += [Plate(id=n, role="element", path=str(tmp_path / f"{n}.png")) for n in ("red", "blue")]
    cut = Step(
        id="cut",
        kind="shapes",
        name="Cut",
        inputs={"plate": "plate:ground"},
        params={"outline": [[1, 2, 3], [2, 9, 3], [3, 9, 9]]},
    )
    red = Step(id="red", kind="lay_in", name="Red", inputs={"front": "plate:red", "back": "plate:ground", "before": "step:cut"},
               params={"corners": [[10, 10], [50, 10], [50, 40], [10, 40]]})  # fmt: skip
    blue = Step(id="blue", kind="place", name="Blue", inputs={"front": "plate:blue", "back": "step:red"})
    doc = Document.create(tmp_path / "film", "Film")
    doc.change_shot("Make", Shot(code="A", length=6, width=64, height=48, plates=tuple(plates), steps=(cut, red, blue)))
    doc.close()
    w = opened(qtbot, tmp_path / "film")
    yield w
    w.close()


def shot_of(window: MainWindow) -> Shot:
    assert window.state.shot is not None
    return window.state.shot


def gather(qtbot: Any, window: MainWindow, step: str, name: str) -> list[str]:
    """A on a step; the steps that were ticked by themselves."""
    window.state.set_step(step)
    ticked: list[str] = []

    def fill(dialog: Gather) -> None:
        ticked.extend(dialog.chosen())
        dialog.name.setText(name)
        dialog.accept()

    when_shown(Gather, fill)
    qtbot.keyClick(window.bench.viewer, Qt.Key.Key_A)
    settle(qtbot, window)
    window.activateWindow()  # offscreen nobody gives the window the keys back when a dialog closes
    qtbot.waitUntil(window.isActiveWindow)
    return ticked


def choose(window: MainWindow, words: str, at: QPointF) -> None:
    """The right button on the ledger, and an entry of the menu that it shows."""
    ledger, chosen = window.bench.ledger, []

    def menu(acts: dict[str, Any], where: Any) -> None:
        chosen.append(words)
        acts[words]()

    window.bench.acts._menu = menu  # type: ignore[method-assign]  # a menu that pops up cannot be read offscreen
    p = at.toPoint()
    QApplication.sendEvent(ledger, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, p, ledger.mapToGlobal(p)))
    assert chosen == [words]


def band(window: MainWindow, k: int = 0) -> QPointF:
    """The middle of a part's piece of the band."""
    v = window.bench.ledger.layout_
    part = shot_of(window).parts[k]
    mine = [(left, width) for c, left, width in v.columns() if c.part and c.part.id == part.id]
    return QPointF((mine[0][0] + mine[-1][0] + mine[-1][1]) / 2, 22 + v.band / 2)


def test_steps_are_gathered_folded_and_spread(window: MainWindow, qtbot: Any) -> None:
    assert gather(qtbot, window, "red", "Board") == ["cut", "red"]  # what serves it alone is ticked
    ledger = window.bench.ledger
    assert [p.name for p in shot_of(window).parts] == ["Board"]
    assert [c[0] for c in ledger.columns()] == ["cut", "red", "blue"]
    press(qtbot, ledger, band(window).x(), band(window).y())
    assert [c[0] for c in ledger.columns()] == ["part:part", "blue"]
    ledger.grab()
    column = ledger.layout_.all_columns()[0]
    readings = window.state.known.readings
    readings["red"][3] = [Reading("hold", 0.9, "px", 0.5, note="slides")]
    readings["cut"][3] = [Reading("edge", 0.1, "px", 0.5)]
    ledger.touch()
    at_three, found = worst_at(window.state, column, 3), worst_of(window.state, column)
    assert at_three is not None
    assert at_three.value == 0.9
    assert found is not None
    assert (found[0].id, found[1], found[2].value) == ("red", 3, 0.9)
    readings["cut"][5] = [Reading("edge", 2.0, "px", 0.5), Reading("unsure", None, "px", 0.5)]
    readings["red"][5] = [Reading("unsure", None, "px", 0.5)]
    at_five, now = worst_at(window.state, column, 5), worst_of(window.state, column)
    assert at_five is not None
    assert at_five.value == 2.0  # what could not be measured is not worse than what was
    assert now is not None
    assert (now[0].id, now[1]) == ("cut", 5)
    del readings["cut"][5], readings["red"][5]
    window.state.set_step("blue")
    _, left, width = ledger.columns()[0]
    press(qtbot, ledger, left + width / 2, 80)
    assert window.state.step_id == "red"  # the worst of the part
    qtbot.keyClick(window.bench.viewer, Qt.Key.Key_A, Qt.KeyboardModifier.ShiftModifier)
    assert [c[0] for c in ledger.columns()] == ["cut", "red", "blue"]
    window.state.edits.undo()
    assert [c[0] for c in ledger.columns()] == ["part:part", "blue"]


def test_the_menu_switches_stacks_and_copies(window: MainWindow, qtbot: Any) -> None:
    gather(qtbot, window, "red", "Board")
    gather(qtbot, window, "blue", "Bird")
    choose(window, "Switch off", band(window, 0))
    assert [s.on for s in shot_of(window).steps] == [False, False, True]
    choose(window, "Switch on", band(window, 0))
    assert all(s.on for s in shot_of(window).steps)
    choose(window, "One place to the front", band(window, 0))
    assert shot_of(window).step("red").inputs["back"] == "step:blue"
    assert [p.name for p in shot_of(window).parts] == ["Board", "Bird"]
    choose(window, "One place to the front", band(window, 0))
    assert "nothing in front of 'Board'" in window.trouble.words.text()

    def offsets(dialog: Offsets) -> None:
        dialog.right.setValue(12)
        dialog.frames.setValue(1)
        dialog.accept()

    when_shown(Offsets, offsets)
    choose(window, "Copy…", band(window, 0))
    copy = shot_of(window).parts[-1]
    assert copy.name == "Board again"
    assert shot_of(window).step(copy.steps[1]).params["corners"][0] == [22, 10]
    when_shown(Offsets, offsets)
    choose(window, "Move…", band(window, 2))
    assert shot_of(window).step(copy.steps[1]).params["corners"][0] == [34, 10]
    choose(window, "Take out with its steps", band(window, 2))
    choose(window, "Let go of its steps", band(window, 1))
    assert [p.name for p in shot_of(window).parts] == ["Board"]
    assert {s.id for s in shot_of(window).steps} == {"cut", "red", "blue"}


def test_a_part_of_nothing_cannot_be_gathered(window: MainWindow, qtbot: Any) -> None:
    dialog = Gather(shot_of(window), shot_of(window).step("blue"), window)
    assert dialog.chosen() == ["blue"]
    item = dialog.steps.item(2)
    assert isinstance(item, QListWidgetItem)
    item.setCheckState(Qt.CheckState.Unchecked)
    assert not dialog._buttons.buttons()[0].isEnabled()
    item.setCheckState(Qt.CheckState.Checked)
    dialog.name.setText(" ")
    assert not dialog._buttons.buttons()[0].isEnabled()
    assert suggested(shot_of(window), "blue") == {"blue"}
    window.state.set_step("blue")
    with qtbot.waitSignal(window.state.said, check_params_cb=lambda words, kind: "is in no part" in words):
        window.commands.run("part.fold")


def test_a_column_stands_for_its_steps(window: MainWindow, qtbot: Any) -> None:
    gather(qtbot, window, "red", "Board")
    window.state.edits.run("part.fold", part="Board")
    first = columns_of(shot_of(window))[0]
    assert (first.key, first.name, first.folded, first.stage) == ("part:part", "Board", True, "Matte")
    assert first.on
    window.state.edits.run("part.switch", part="Board")
    assert not columns_of(shot_of(window))[0].on
    window.bench.ledger.grab()


def test_every_command_has_a_key_of_its_own_and_a_line(window: MainWindow, qtbot: Any) -> None:
    sheet = {words: keys for keys, words in sheet_of(window.commands)}
    assert sheet["one frame back, on"] == "Up, Down"
    assert sheet["go to a stage"] == "1–8"
    assert sheet["undo, do again"] == "Ctrl Z, Ctrl Shift Z"
    assert sheet["look at the plate"] == "hold Y"
    with pytest.raises(ValueError, match="registered already"):
        window.commands.add(Command("other", "F", "another", lambda: None))
    window.commands.run("frame.on")
    assert window.state.frame == 2
    qtbot.keyClick(window.bench.viewer, Qt.Key.Key_Down)
    assert window.state.frame == 3
    qtbot.keyClick(window.bench.viewer, Qt.Key.Key_Up, Qt.KeyboardModifier.KeypadModifier)  # as the number pad sends it
    assert window.state.frame == 2
    window.commands.run("frame.last")
    assert window.state.frame == 6
    window.commands.run("frame.first")
    assert window.state.frame == 1
    window.commands.run("step.next")
    before = window.state.step_id
    qtbot.keyClick(window.bench.viewer, Qt.Key.Key_Left)
    assert window.state.step_id != before
    window.commands.run("view.next")
    window.commands.run("page.log")
    assert window.page == "log"
    qtbot.keyClick(window.log, Qt.Key.Key_Down)  # the bench's keys are the bench's
    assert window.state.frame == 1
    window.commands.run("second.on")
    assert window.state.frame == 6
