"""Answers land where they were asked: deliveries, dialogs, a second program, a folder that moves."""

from __future__ import annotations

import json
import shutil
import threading
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from deskhelp import LONG, settle
from PyQt6.QtCore import Qt

from transmixis.desk.office.peopledialog import PeopleDialog
from transmixis.desk.plots.view import NOT_TOLD
from transmixis.desk.window import MainWindow
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.dropped import dropped
from transmixis.shot.store import load_film
from transmixis.shot.workorder import add_step, with_plates


def begin(window: MainWindow, qtbot: Any, target: Path) -> None:
    window.show_page("deliver")
    page = window.deliver
    page.how.setCurrentIndex(page.how.findData("png"))
    page.where.setText(str(target))
    qtbot.mouseClick(page.go, Qt.MouseButton.LeftButton)


def test_a_delivery_is_written_down_for_the_shot_it_was_asked_for(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    page = bench.deliver
    with qtbot.waitSignal(page.finished, timeout=LONG):
        begin(bench, qtbot, tmp_path / "o" / "x.####.png")
        bench.adding.make_shot("KP990", "another", 24)
        assert bench.state.code == "KP990"
    settle(qtbot, bench)
    film = load_film(Path(bench.state.folder))  # type: ignore[arg-type]
    assert film.shot("KP010").delivered.endswith("x.####.png")
    assert film.shot("KP990").delivered == ""
    entries = bench.state.session.document.log.entries()  # type: ignore[union-attr]
    assert [e.shot for e in entries if e.kind == "delivered"] == ["KP010"]
    assert page.note.text().startswith("KP010: ")


def test_a_delivery_of_a_closed_production_reaches_no_other(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    first = Path(bench.state.folder)  # type: ignore[arg-type]
    second = tmp_path / "second"
    shutil.copytree(first, second)
    begin(bench, qtbot, tmp_path / "o" / "x.####.png")
    assert bench.productions.open_folder(second)
    settle(qtbot, bench)
    assert not bench.deliver.running
    for folder in (first, second):
        assert load_film(folder).shot("KP010").delivered == ""
    assert not [e for e in bench.state.session.document.log.entries() if e.kind == "delivered"]  # type: ignore[union-attr]


@pytest.mark.parametrize("yes", [False, True])
def test_what_stands_there_is_asked_about(
    bench: MainWindow, qtbot: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, yes: bool
) -> None:
    (tmp_path / "x.0002.png").write_text("mine")
    asked: list[str] = []
    monkeypatch.setattr(bench.deliver, "may_overwrite", lambda words: asked.append(words) or yes)
    with qtbot.waitSignal(bench.deliver.finished, timeout=LONG):
        begin(bench, qtbot, tmp_path / "x.####.png")
    assert len(asked) == 1
    assert "x.0002.png" in asked[0]
    assert (len(list(tmp_path.glob("x.*.png"))) == 4) == yes
    assert ((tmp_path / "x.0002.png").read_bytes() == b"mine") != yes


def test_plates_are_never_delivered_over(bench: MainWindow, qtbot: Any) -> None:
    plates = Path(bench.state.folder) / "plates/KP010/hero"  # type: ignore[arg-type]
    before = {p: p.read_bytes() for p in plates.iterdir()}
    with qtbot.waitSignal(bench.deliver.finished, timeout=LONG):
        begin(bench, qtbot, plates / "KP010_hero.####.png")
    assert "never written over" in bench.deliver.note.text()
    assert {p: p.read_bytes() for p in plates.iterdir()} == before


def test_a_dialog_s_answer_merges_into_the_film_as_it_is_then(bench: MainWindow) -> None:
    state = bench.state
    session = state.session
    assert session is not None
    dialog = PeopleDialog(session.document.film, bench)
    dialog.people.item(0, 0).setText("Ada")  # type: ignore[union-attr]
    dialog.shots.item(0, 4).setText("the storm plate")  # type: ignore[union-attr]
    # meanwhile a delivery comes in, and a new shot
    assert state.edits.change_there(
        session, "KP010", "Delivered", lambda s: s.model_copy(update={"delivered": "x", "hours_spent": 3.0})
    )
    bench.adding.make_shot("KP990", "another", 24)
    bench.board.schedule.take_people(dialog)
    film = session.document.film
    assert [s.code for s in film.shots] == ["KP010", "KP990"]
    assert (film.shot("KP010").delivered, film.shot("KP010").hours_spent) == ("x", 3.0)
    assert film.shot("KP010").waits_for == "the storm plate"
    assert film.production.people[0].name == "Ada"
    dialog.deleteLater()


def test_an_open_production_can_be_looked_at(
    window: MainWindow, demo_copy: Path, qtbot: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    other = Document.open(demo_copy)
    asked: list[str] = []
    monkeypatch.setattr(window.productions, "may_look", lambda words: asked.append(words) or len(asked) > 1)
    assert not window.productions.open_folder(demo_copy)
    assert window.state.session is None
    assert window.productions.open_folder(demo_copy)
    settle(qtbot, window)
    assert "for looking only" in window.windowTitle()
    assert "is open in another Transmixis" in asked[0]
    said: list[str] = []
    window.state.said.connect(lambda words, kind: said.append(words))
    assert not window.state.edits.change("Edit", lambda: window.state.shot.model_copy(update={"title": "x"}))  # type: ignore[union-attr]
    assert "looking only" in said[-1]
    other.change_shot("Theirs", other.shot("KP010").model_copy(update={"title": "theirs"}))
    window.productions.look_outside()
    assert "changed by another program" in said[-1]
    window.state.work.again()
    assert window.state.shot.title == "theirs"  # type: ignore[union-attr]
    other.close()


def test_a_moved_folder_is_told_once_and_not_made_anew(bench: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    folder = Path(bench.state.folder)  # type: ignore[arg-type]
    said: list[str] = []
    bench.state.said.connect(lambda words, kind: said.append(words))
    folder.rename(tmp_path / "elsewhere")
    bench.productions.look_outside()
    bench.productions.look_outside()
    assert [w for w in said if "moved, renamed or taken away" in w] == said
    assert len(said) == 1
    bench.state.edits.set_param("black", 0.2)
    settle(qtbot, bench)
    assert not folder.exists()
    kept = json.loads((tmp_path / "elsewhere/shots/KP010/shot.json").read_text())
    assert next(s for s in kept["steps"] if s["kind"] == "screen_key")["params"].get("black") != 0.2


def test_the_folder_is_watched_beside_the_window(bench: MainWindow, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """A look at hundreds of files takes its time: it is not the interface's thread that takes it."""
    document = bench.state.session.document  # type: ignore[union-attr]
    threads: list[int] = []
    looked = document.outside
    monkeypatch.setattr(document, "outside", lambda: threads.append(threading.get_ident()) or looked())
    bench.productions._watch.timeout.emit()
    settle(qtbot, bench)
    assert threads
    assert threading.get_ident() not in threads


def test_undo_and_pins_are_in_the_log_book_as_they_happened(bench: MainWindow) -> None:
    state = bench.state
    state.set_step("screen_key")
    state.set_frame(2)
    state.edits.set_param("black", 0.1, at_frame=True)
    state.edits.unpin("black", 2)
    state.edits.undo()
    state.edits.redo()
    told = [(e.kind, e.text) for e in state.session.document.log.entries()][-4:]  # type: ignore[union-attr]
    assert told == [
        ("pin", "Screen key: black pinned at frame 2."),
        ("pin", "Screen key: pin of black at frame 2 taken out."),
        ("undo", "Undone: Screen key: take out a pin"),
        ("redo", "Done again: Screen key: take out a pin"),
    ]


def test_a_key_without_a_screen_is_not_measured_for_ever(window: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    """What cannot be measured says so where the plot would stand, and in whole sentences over the picture."""
    street = np.random.default_rng(1).random((48, 64, 3)).astype(np.float32) * np.float32([0.5, 0.4, 0.4])
    for n in (1, 2, 3):
        write_still(tmp_path / f"street.{n:04d}.png", street, kind="uint8")
    window.productions.make_new(tmp_path / "Film", "Film")
    assert window.state.session is not None
    document = window.state.session.document
    found = dropped(document.folder, [tmp_path / "street.0001.png"], ())
    shot, _ = add_step(with_plates(document.film, "A", "", [(p.plate, p.info) for p in found.pieces]), "screen_key")
    document.change_shot("Key", shot)
    window.open_shot("A", "Matte")
    settle(qtbot, window)
    plot = window.bench.sheet.plot
    assert plot is not None
    assert (plot.isVisible(), plot.shown, plot.note) == (True, None, NOT_TOLD)
    assert "No screen to key" in window.bench.viewer.message
