"""The board's schedule, driven in the real window."""

from __future__ import annotations

import time
from datetime import date
from pathlib import Path
from typing import Any

import pytest
from deskhelp import press, settle
from PyQt6.QtCore import QPoint, QPointF, QSizeF, Qt, QTimer
from PyQt6.QtGui import QTextDocument
from PyQt6.QtWidgets import QTableWidgetItem

from transmixis.desk.dialogs import NewShot
from transmixis.desk.office.peopledialog import PeopleDialog
from transmixis.desk.office.scheduleview import ScheduleView
from transmixis.desk.printing import keep_together
from transmixis.desk.window import MainWindow
from transmixis.media.calendar import DayEvent, calendar_bytes, read_days
from transmixis.shot.document import Document
from transmixis.shot.model import Film, Shot
from transmixis.shot.office import Scenario, Worker
from transmixis.shot.planning.work import with_work_from_order
from transmixis.shot.workorder import plate_from


def made_film(film: Film, shots: int) -> Film:
    """A film of shots that are still to be made, two people, one date that cannot be kept."""
    new = []
    for i in range(shots):
        plan = {"takes": {"tricks": ["replace the background", "attach an element to a hand or tool"]}, "estimate": {"edge": 2.0}}
        s = with_work_from_order(Shot(code=f"S{i:03d}", length=48, rate="24", width=960, height=540, plan=plan))
        new.append(
            s.model_copy(
                update={"plates_due": "2026-05-25", "waits_for": "storm plate"} if i == 0 else {"plates_due": "2026-05-12"}
            )
        )
    production = film.production.model_copy(
        update={
            "shots": tuple(s.code for s in new), "people": (Worker(name="Mara", week=(6, 6, 6, 6, 6, 0, 0)), Worker(name="Ilse", week=(4, 4, 4, 4, 0, 0, 0))),
            "scenarios": (Scenario(name="class version", deadline="2026-05-25"), Scenario(name="festival version", deadline="2026-09-01")), "day": "2026-05-12",
        }
    )  # fmt: skip
    return film.model_copy(update={"production": production, "shots": tuple(new)})


@pytest.fixture
def board(window: MainWindow, tmp_path: Path, qtbot: Any) -> MainWindow:
    """A production of three planned shots on the board."""
    folder = tmp_path / "film"
    doc = Document.create(folder, "Film")
    doc.apply("made", made_film(doc.film, 3))
    doc.close()
    assert window.productions.open_folder(folder)
    window.show_page("board")
    settle(qtbot, window)
    return window


def film_of(window: MainWindow) -> Film:
    assert window.state.session is not None
    return window.state.session.document.film


def drag(qtbot: Any, view: ScheduleView, start: QPointF, by: QPoint) -> None:
    a = start.toPoint()
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=a)
    qtbot.mouseMove(view, a + by / 2)
    qtbot.mouseMove(view, a + by)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=a + by)


def test_the_schedule_says_what_is_late_and_why_and_a_proposal_mends_it(board: MainWindow, qtbot: Any) -> None:
    panel = board.board.schedule
    now = board.state.planner.now
    assert now is not None
    assert now.table is not None
    assert now.table.missed.keys() == {"S000"}
    assert "storm plate" in panel.why.text()
    assert panel.card.isVisible()
    assert now.rows["S000"].risk == "high"
    colours = {panel.view.grab().toImage().pixelColor(x, 40).name() for x in range(130, 900, 20)}
    assert len(colours) > 4
    first = panel.reason.text()
    qtbot.mouseClick(panel.keep, Qt.MouseButton.LeftButton)
    assert panel.reason.text() != first
    for _ in range(4):
        if panel.card.isVisible():
            qtbot.mouseClick(panel.use, Qt.MouseButton.LeftButton)
            settle(qtbot, board)
    now = board.state.planner.now
    assert now is not None
    assert now.table is not None
    assert not now.table.missed
    kinds = [e.kind for e in board.state.session.document.log.entries()]  # type: ignore[union-attr]
    assert "schedule" in kinds
    assert "proposal declined" in kinds
    while board.state.session.document.undo_title:  # type: ignore[union-attr]
        board.state.edits.undo()
    settle(qtbot, board)
    assert panel.view.table is not None
    assert panel.view.table.missed


def test_what_was_declined_stays_declined(board: MainWindow, qtbot: Any) -> None:
    panel, seen = board.board.schedule, []
    while panel.card.isVisible():
        assert panel.reason.text() not in seen
        seen.append(panel.reason.text())
        qtbot.mouseClick(panel.keep, Qt.MouseButton.LeftButton)
    assert len(seen) > 1
    panel.refresh()
    assert not panel.card.isVisible()


def test_a_block_is_dragged_to_somebody_else_and_to_another_day(board: MainWindow, qtbot: Any) -> None:
    view = board.board.schedule.view
    placed = next(p for p in view.placed() if p.block.person == "Mara" and p.block.task.shot != "S000")
    code = placed.block.task.shot
    drag(qtbot, view, placed.rect.center(), QPoint(round(2 * view.day_px), 44))
    settle(qtbot, board)
    moved = [w for w in film_of(board).shot(code).work if w.id in placed.tasks]
    assert moved
    assert all(w.who == ("Ilse",) for w in moved)
    assert all(w.not_before == "2026-05-14" for w in moved)
    assert board.board.table.chosen == code
    qtbot.mouseClick(board.board.schedule.free, Qt.MouseButton.LeftButton)
    assert all(not w.who and not w.not_before for w in film_of(board).shot(code).work)
    board.state.edits.undo()
    board.state.edits.undo()
    assert all(not w.who for w in film_of(board).shot(code).work)
    before = film_of(board)
    placed = view.placed()[0]
    drag(qtbot, view, placed.rect.center(), QPoint(1, 1))  # a press that shakes moves nothing
    assert film_of(board) is before


def test_another_version_has_another_date(board: MainWindow, qtbot: Any) -> None:
    panel = board.board.schedule
    panel.choose_scenario("festival version")
    settle(qtbot, board)
    now = board.state.planner.now
    assert now is not None
    assert now.deadline == date(2026, 9, 1)
    assert now.table is not None
    assert not now.table.missed
    assert panel.scenario.currentText() == "festival version"
    assert not panel.card.isVisible()


def test_people_and_dates_are_written_checked_and_undone(board: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    dialog = PeopleDialog(film_of(board), board)
    qtbot.addWidget(dialog)
    dialog.people.setItem(0, 1, QTableWidgetItem("many"))
    dialog.accept()
    assert "not a number" in dialog.note.text()
    dialog.people.setItem(0, 1, QTableWidgetItem("30"))
    dialog.accept()
    assert "People, line 1" in dialog.note.text()
    dialog.people.setItem(0, 1, QTableWidgetItem("7,5"))
    dialog.people.setItem(0, 8, QTableWidgetItem("Matte, Cooking"))
    dialog.accept()
    assert "Cooking" in dialog.note.text()
    dialog.people.setItem(0, 8, QTableWidgetItem("Matte"))
    dialog.shots.setItem(1, 2, QTableWidgetItem("soon"))
    dialog.accept()
    assert "not a day" in dialog.note.text()
    dialog.shots.setItem(1, 2, QTableWidgetItem("2026-05-20"))
    path = tmp_path / "off.ics"
    path.write_bytes(calendar_bytes([DayEvent("a", date(2026, 5, 18), date(2026, 5, 19), "away")], "x"))
    dialog.people.setCurrentCell(0, 0)
    dialog.take_calendar(path)
    dialog.take_calendar(tmp_path / "none.ics")
    assert "Cannot read" in dialog.note.text()
    board.board.schedule.take_people(dialog)
    mara = film_of(board).production.people[0]
    assert mara.week[0] == 7.5
    assert mara.does == ("Matte",)
    assert mara.off == ("2026-05-18", "2026-05-19")
    assert film_of(board).shot("S001").due == "2026-05-20"
    board.state.edits.undo()
    assert film_of(board).production.people[0].week[0] == 6


def test_two_people_of_one_name_are_refused(board: MainWindow, qtbot: Any) -> None:
    dialog = PeopleDialog(film_of(board), board)
    qtbot.addWidget(dialog)
    dialog.people.setItem(1, 0, QTableWidgetItem("Mara"))
    dialog.accept()
    assert "same name" in dialog.note.text()


@pytest.mark.parametrize("name", ["schedule.pdf", "breakdown.html", "breakdown.csv", "brief.pdf", "log.csv", "shoot.pdf"])
def test_reports_are_written(board: MainWindow, qtbot: Any, tmp_path: Path, name: str) -> None:
    path = tmp_path / name
    board.board.schedule.write(path.stem, path)
    settle(qtbot, board)
    data = path.read_bytes()
    assert data.startswith(b"%PDF") if path.suffix == ".pdf" else len(data) > 20


def test_the_calendar_is_written(board: MainWindow, qtbot: Any, tmp_path: Path) -> None:
    path = tmp_path / "film.ics"
    board.board.schedule.write_calendar(path)
    assert date(2026, 5, 12) in read_days(path)
    board.board.schedule.write_calendar(Path("/proc/no/where.ics"))  # told, not raised
    assert "annot" in board.trouble.words.text()


def test_without_people_the_board_says_what_to_do_first(window: MainWindow, tmp_path: Path, qtbot: Any) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.apply(
        "made",
        made_film(doc.film, 2).model_copy(
            update={"production": doc.film.production.model_copy(update={"shots": ("S000", "S001")})}
        ),
    )
    doc.close()
    window.productions.open_folder(tmp_path / "film")
    window.show_page("board")
    settle(qtbot, window)
    assert window.board.schedule.empty.isVisible()
    assert "Add people" in window.board.schedule.empty.text()
    assert not window.board.schedule.calendar.isEnabled()
    press(qtbot, window.board.words["Plates"], 10, 10)
    assert window.board.parts.currentWidget() is window.board.plates


def test_a_shot_to_be_filmed_is_made_planned_and_filmed(board: MainWindow, qtbot: Any, tiny_plates: Path) -> None:
    dialog = NewShot({"S000"}, board)
    qtbot.addWidget(dialog)
    dialog.accept()
    assert "code" in dialog.note.text()
    dialog.code.setText("S000")
    dialog.accept()
    assert "already" in dialog.note.text()
    board.adding.make_shot("S000", "", 10)
    assert len(film_of(board).shots) == 3
    board.adding.make_shot("N010", "The last letter", 36)
    assert board.page == "plan"
    assert film_of(board).shot("N010").length == 36
    board.plan.inputs.ticks["tricks"]["miniature"].click()
    board.plan.questions.choose("estimate")
    qtbot.mouseClick(board.plan.tasks.take, Qt.MouseButton.LeftButton)
    settle(qtbot, board)
    plate, info = plate_from(board.state.folder, tiny_plates / "take.0001.png", None)  # type: ignore[arg-type]
    board.adding.add_plates("N010", "", [(plate, info)])
    settle(qtbot, board)
    shot = film_of(board).shot("N010")
    assert (shot.width, shot.length, shot.title) == (64, 6, "The last letter")
    assert shot.plan["takes"]["tricks"] == ["miniature"]
    assert shot.work
    assert shot.steps


def test_keys_of_the_board(board: MainWindow, qtbot: Any) -> None:
    board.show_page("log")
    qtbot.keyClick(board, Qt.Key.Key_W)
    assert board.page == "board"
    assert board.board.table.chosen == "S000"
    first = board.board.schedule.reason.text()
    qtbot.keyClick(board, Qt.Key.Key_K)
    assert board.board.schedule.reason.text() != first
    before = film_of(board)
    qtbot.keyClick(board, Qt.Key.Key_U)
    assert film_of(board) is not before
    board.show_page("log")
    before = film_of(board)
    qtbot.keyClick(board, Qt.Key.Key_U)  # does nothing where no proposal is seen
    assert film_of(board) is before


def test_the_newest_film_wins(board: MainWindow, qtbot: Any) -> None:
    planner, heard = board.state.planner, []
    planner.changed.connect(lambda: heard.append(planner.now.deadline if planner.now else None))
    for name in ("festival version", "class version", "festival version"):
        board.board.schedule.choose_scenario(name)
    settle(qtbot, board)
    assert planner.searched
    assert heard[-1] == date(2026, 9, 1)
    assert planner.now is not None
    assert planner.now.scenario == "festival version"


def moved_once(window: MainWindow, qtbot: Any, day: int) -> tuple[float, float]:
    """One block of work moved: the longest gap between two ticks and the interface's own work, in seconds."""
    worst, last = 0.0, time.perf_counter()

    def tick() -> None:
        nonlocal worst, last
        now = time.perf_counter()
        worst, last = max(worst, now - last), now

    timer = QTimer()
    timer.timeout.connect(tick)
    timer.start(5)
    view = window.board.schedule.view
    before, block = view.table, view.placed()[3]
    assert before is not None
    worst, last, began = 0.0, time.perf_counter(), time.thread_time()
    window.board.schedule.move_block(block.block.task.shot, block.tasks, "Ilse", day)
    qtbot.waitUntil(lambda: view.table is not before, timeout=60_000)
    settle(qtbot, window)
    used = time.thread_time() - began
    timer.stop()
    return worst, used


@pytest.mark.alone
def test_three_hundred_shots_are_laid_out_again_without_a_stall(window: MainWindow, tmp_path: Path, qtbot: Any) -> None:
    """The interface's thread is never held for 100 ms, and all its work for one change takes less than a second. A stall of ours
    comes in every round, one of the machine does not: the best of up to four counts."""
    doc = Document.create(tmp_path / "film", "Film")
    doc.apply("made", made_film(doc.film, 300))
    doc.close()
    window.productions.open_folder(tmp_path / "film")
    window.show_page("board")
    settle(qtbot, window)
    best, least = 9.9, 9.9
    for day in range(5, 9):
        worst, used = moved_once(window, qtbot, day)
        best, least = min(best, worst), min(least, used)
        if best < 0.1 and least < 1.0:
            break
    assert best < 0.1, f"{1000 * best:.0f} ms"
    assert least < 1.0, f"{least:.2f} s"


def test_a_table_is_not_cut_by_the_end_of_a_page(qapp: object) -> None:
    document = QTextDocument()
    document.setPageSize(QSizeF(400, 300))
    rows = "".join(f"<tr><td>row {i}</td></tr>" for i in range(5))
    document.setHtml("".join(f"<table class=together><tr><th>S{i}</th></tr>{rows}</table>" for i in range(7)))

    def cut() -> int:
        layout, root = document.documentLayout(), document.rootFrame()
        assert layout is not None
        assert root is not None
        boxes = [layout.frameBoundingRect(f) for f in root.childFrames()]
        return sum(int(b.top() // 300) != int((b.bottom() - 1) // 300) for b in boxes)

    assert cut() > 0
    keep_together(document)
    assert cut() == 0
