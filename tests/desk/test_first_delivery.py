"""From the start page to a first delivered key of one's own: few actions, and every page leads on."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import LONG, press, settle, when_shown
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QFileDialog, QPushButton
from tinyplates import tiny_frame

from transmixis.desk.addplates import LEAVE_OUT, AddPlates
from transmixis.desk.dialogs import NewProduction
from transmixis.desk.look import rate_words
from transmixis.desk.window import MainWindow
from transmixis.media.source import open_source
from transmixis.media.still import write_still
from transmixis.shot.logbook import folded

MOST = 12  # actions


class Person:
    """Presses what can be seen, and counts it."""

    def __init__(self, qtbot: Any) -> None:
        self._qtbot, self.actions = qtbot, 0

    def press(self, button: QPushButton) -> None:
        assert button.isVisible()
        assert button.isEnabled()
        assert button.window().rect().contains(button.mapTo(button.window(), button.rect().center()))
        self.actions += 1
        self._qtbot.mouseClick(button, Qt.MouseButton.LeftButton)

    def will_answer(self, kind: type[QDialog]) -> None:
        """Press OK in the next dialog of a kind, as soon as it is there."""

        def answer(dialog: QDialog) -> None:
            ok = dialog.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Ok)  # type: ignore[union-attr]
            self.press(ok)

        when_shown(kind, answer)


def deliver(person: Person, window: MainWindow, qtbot: Any) -> Path:
    """From the bench to the written files."""
    assert window.page == "bench"
    x = window.top.stage_x("Hand over")
    person.actions += 1
    press(qtbot, window.top, x, 20)
    assert window.page == "deliver"
    settle(qtbot, window)
    with qtbot.waitSignal(window.deliver.finished, timeout=LONG):
        person.press(window.deliver.go)
    settle(qtbot, window)
    assert window.state.shot is not None
    assert window.state.shot.delivered
    return Path(window.state.shot.delivered)


def test_by_mouse(window: MainWindow, qtbot: Any, tiny_plates: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("HOME", str(tmp_path))
    person = Person(qtbot)
    person.will_answer(NewProduction)
    person.press(window.start.new)
    assert window.page == "board"

    def chosen(*_: Any) -> tuple[list[str], str]:
        person.actions += 2  # the file, and Open
        return [str(tiny_plates / "take.0001.png"), str(tiny_plates / "background_sky.png")], ""

    monkeypatch.setattr(QFileDialog, "getOpenFileNames", chosen)
    person.will_answer(AddPlates)
    person.press(window.board.first)
    settle(qtbot, window)
    out = deliver(person, window, qtbot)
    assert person.actions <= MOST
    made = open_source(out.with_name(out.name.replace("####", "0001")))
    assert made.info.count == 6
    behind = open_source(tiny_plates / "background_sky.png").read(1)
    assert np.abs(made.read(3)[4:10] - behind[4:10]).max() < 0.03  # the cloth is gone


def drop(window: MainWindow, paths: list[Path]) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    none = Qt.KeyboardModifier.NoModifier
    window.dropEvent(QDropEvent(QPointF(100, 100), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, none))


def test_by_dropping(window: MainWindow, qtbot: Any, tiny_plates: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Path, "home", lambda: tmp_path)
    person = Person(qtbot)
    person.will_answer(AddPlates)
    person.actions += 1
    drop(window, sorted(tiny_plates.iterdir()))
    qtbot.waitUntil(lambda: window.page == "bench", timeout=LONG)
    settle(qtbot, window)
    deliver(person, window, qtbot)
    assert person.actions <= 5


def test_several_takes_become_several_shots_in_one_list(
    window: MainWindow, qtbot: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    for k in (11, 12, 13):
        for n in range(1, 4):
            write_still(tmp_path / f"c{k}_x.{n:04d}.png", tiny_frame(n), kind="uint8")
    (tmp_path / "list.txt").write_text("no plate")
    assert window.productions.make_new(tmp_path / "film", "Film")
    seen: dict[str, Any] = {}

    def look(dialog: AddPlates) -> None:
        seen["note"] = dialog.note.text()
        seen["left"] = [dialog.left_out.item(i).text() for i in range(dialog.left_out.count())]  # type: ignore[union-attr]
        dialog.choose(1, "AB010")
        dialog.choose(2, LEAVE_OUT)
        seen["then"] = dialog.note.text()
        dialog.accept()

    when_shown(AddPlates, look)
    drop(window, [*sorted(tmp_path.glob("c*.0001.png")), tmp_path / "list.txt"])
    qtbot.waitUntil(lambda: bool(window.board.table.shots()), timeout=LONG)
    settle(qtbot, window)
    assert seen["note"] == "3 shots will be made: SH010, SH020, SH030."
    assert seen["then"] == "2 shots will be made: SH010, AB010."
    assert len(seen["left"]) == 1
    assert "list.txt" in seen["left"][0]
    assert [s.code for s in window.board.table.shots()] == ["SH010", "AB010"]
    assert window.page == "board"
    window.state.edits.undo()  # one change
    assert not window.board.table.shots()
    assert window.board.first.isVisible()


def test_measuring_stops_when_told_and_goes_on(bench: MainWindow, qtbot: Any) -> None:
    state, stop = bench.state, bench.foot.stop
    assert stop.isHidden()  # nothing is under way
    state.edits.set_param("white", 0.8)
    qtbot.waitUntil(stop.isVisible, timeout=LONG)
    qtbot.mouseClick(stop, Qt.MouseButton.LeftButton)
    assert state.work.stopped
    settle(qtbot, bench)
    left = state.known.remeasuring
    assert left > 0
    state.answers.want("match")  # what was dropped can be asked for again
    settle(qtbot, bench)
    assert "match" in state.answers.made
    assert stop.text() == "Go on"
    state.edits.set_param("white", 0.7)  # an edit does not start it again
    settle(qtbot, bench)
    assert state.known.remeasuring >= left
    qtbot.mouseClick(stop, Qt.MouseButton.LeftButton)
    settle(qtbot, bench)
    assert state.known.remeasuring == 0
    assert stop.isHidden()


def test_the_rate_of_play_is_the_true_one() -> None:
    beat = 1000 / 24
    assert rate_words([beat * i for i in range(10)], 24.0) == "24 / s, the shot's rate"
    slow = rate_words([100.0 * i for i in range(10)], 24.0)
    assert slow.startswith("10 / s of 24:")
    assert rate_words([0.0], 24.0) == "playing"


def test_play_keeps_to_the_shot_s_rate_where_frames_are_at_hand(bench: MainWindow, qtbot: Any) -> None:
    bench.bench.look.toggle_play()
    qtbot.waitUntil(lambda: "the shot's rate" in bench.bench._play_note.text(), timeout=LONG)
    bench.bench.look.toggle_play()
    assert bench.bench._play_note.text() == ""


def test_proposals_that_wait_are_named_before_a_shot_is_handed_over(bench: MainWindow, qtbot: Any) -> None:
    bench.show_page("deliver")
    settle(qtbot, bench)
    waits, unknown = bench.state.answers.waiting()
    assert not unknown
    assert "Match" in waits
    assert "Match" in bench.deliver.form.waiting.text()
    bench.state.set_step("match")
    bench.state.answers.keep_mine()
    bench.deliver.refresh()
    assert "Match" not in bench.deliver.form.waiting.text()


def test_the_log_page_folds_measuring(bench: MainWindow, qtbot: Any) -> None:
    log = bench.state.session.document.log  # type: ignore[union-attr]
    for i in range(5):
        log.add("measured", f"Every step measured, {i}.", "KP010")
    log.add("note", "tried a softer edge", "KP010")
    bench.show_page("log")
    kinds = [bench.log.table.item(r, 2).text() for r in range(bench.log.table.rowCount())]  # type: ignore[union-attr]
    assert kinds.count("measured") == 1
    assert kinds[0] == "note"
    assert len(folded(log.entries())) < len(log.entries())
