"""The lower half of the board: the schedule, what drives its date, what would help, and the way to people, dates and reports."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QBuffer, QByteArray, QRect, Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from transmixis.desk.office import reporting
from transmixis.desk.office.peopledialog import PeopleDialog
from transmixis.desk.office.scheduleview import ScheduleView
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, PAPER, PURPLE
from transmixis.media.calendar import calendar_bytes
from transmixis.shot.planning.calendar import events_of
from transmixis.shot.planning.helps import Help, with_help, words_for
from transmixis.shot.planning.moving import with_block_moved
from transmixis.shot.planning.work import without_moves

EMPTY = "Nobody works on this film yet. Add people and the hours that they have, then the work is laid into their days."
WIDEST = 1600  # px of the schedule that a page shows


class SchedulePanel(QWidget):
    """Follows the planner; every change is one undoable command."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.view = ScheduleView()
        self._kept: set[tuple[str, str, int]] = set()  # helps that were declined
        self.scenario = QComboBox()
        self.scenario.setToolTip("The version of the film that is worked towards: its date and its quality.")
        self.people = QPushButton("People and dates …")
        self.people.setToolTip("Who works when, days off, versions with their deadlines, and when plates come in.")
        self.free = QPushButton("Free the blocks")
        self.free.setToolTip("Takes back every block that was dragged: whoever is free, as early as can be. Can be undone.")
        self.calendar = QPushButton("Calendar …")
        self.calendar.setToolTip("Writes the schedule as a calendar file (.ics) that calendar programs take in.")
        self.reports = QPushButton("Reports")
        self.reports.setToolTip("Pages to print (PDF, HTML) and tables (CSV).")
        menu = QMenu(self)
        for kind, words in reporting.REPORTS.items():
            action = menu.addAction(f"{words} …")
            assert action is not None
            action.triggered.connect(partial(self.ask_report, kind))
        self.reports.setMenu(menu)
        self.why, self.empty = QLabel(), QLabel(EMPTY)
        self.reason = QLabel()
        for label in (self.why, self.reason):
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft)
        self.use, self.keep = QPushButton("Use proposal"), QPushButton("Keep mine")
        self.use.setObjectName("main")
        self.use.setToolTip("Sets it; can be undone. Whether it can be had, only you know.")
        self.keep.setToolTip("Leaves everything as it is and shows the next proposal.")
        self._lay_out()
        self.scenario.textActivated.connect(self.choose_scenario)
        self.people.clicked.connect(self.ask_people)
        self.free.clicked.connect(self.free_blocks)
        self.calendar.clicked.connect(self.ask_calendar)
        self.use.clicked.connect(self.use_proposal)
        self.keep.clicked.connect(self.keep_mine)
        self.view.moved.connect(self.move_block)
        state.planner.changed.connect(self.refresh)
        state.opened.connect(self._kept.clear)

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 16, 0)
        head.addStretch(1)
        for widget in (QLabel("Version"), self.scenario, self.people, self.free, self.calendar, self.reports):
            head.addWidget(widget)
        self.head = head
        self.area = QScrollArea()
        self.area.setWidget(self.view)
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.area.setAlignment(Qt.AlignmentFlag.AlignTop)
        drives = QVBoxLayout()
        title = QLabel("What drives it")
        title.setObjectName("title")
        drives.addWidget(title)
        drives.addWidget(self.why, 1)
        card = QVBoxLayout()
        card.setContentsMargins(10, 6, 10, 8)
        label = QLabel("Proposal")
        label.setStyleSheet(f"color: {PURPLE}; font-weight: 600;")
        buttons = QHBoxLayout()
        buttons.addWidget(self.reason, 1)
        buttons.addWidget(self.use, 0, Qt.AlignmentFlag.AlignBottom)
        buttons.addWidget(self.keep, 0, Qt.AlignmentFlag.AlignBottom)
        card.addWidget(label)
        card.addLayout(buttons)
        self.card = QFrame()
        self.card.setObjectName("card")
        self.card.setStyleSheet(
            f"QFrame#card {{ background: {PAPER}; border: 1px solid {EDGE}; border-top: 3px solid {PURPLE}; }}"
        )
        self.card.setLayout(card)
        self.low = QWidget()
        low = QHBoxLayout(self.low)
        low.setContentsMargins(16, 0, 16, 8)
        low.setSpacing(16)
        low.addLayout(drives, 1)
        low.addWidget(self.card, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        self.empty.setContentsMargins(16, 8, 16, 8)
        self.empty.setWordWrap(True)
        box.addWidget(self.empty)
        box.addWidget(self.area, 1)
        box.addWidget(self.low)

    # -- following

    def refresh(self) -> None:
        """Follow the planner."""
        now = self._state.planner.now
        session = self._state.session
        if session:
            names = [s.name for s in session.document.film.production.scenarios]
            self.scenario.clear()
            self.scenario.addItems(names)
            self.scenario.setEnabled(len(names) > 1)
            self.scenario.setVisible(bool(names))
        if now is None:
            return
        self.scenario.setCurrentText(now.scenario)
        has = now.table is not None
        self.empty.setVisible(not has)
        self.empty.setText(EMPTY if session and not session.document.film.production.people else now.trouble)
        self.area.setVisible(has)
        self.low.setVisible(has)
        self.calendar.setEnabled(has)
        self.view.show_overview(now)
        self.why.setText(now.why)
        found = self.proposal()
        self.card.setVisible(found is not None)
        if found is not None and now.table:
            self.reason.setText(words_for(found))

    def proposal(self) -> Help | None:
        """What would help most, but for what was declined; None if nothing does."""
        now = self._state.planner.now
        if now is None or now.table is None:
            return None
        helps = [h for h in now.table.helps if (h.kind, h.whose, h.amount) not in self._kept]
        return helps[0] if helps else None

    # -- acting

    def choose_scenario(self, name: str) -> None:
        """Work towards another version."""
        self._state.edits.change_film(
            f"Work towards the {name}",
            lambda film: film.model_copy(update={"production": film.production.model_copy(update={"scenario": name})}),
        )

    def ask_people(self) -> None:
        """Open people and dates."""
        session = self._state.session
        if session:
            dialog = PeopleDialog(session.document.film, self)
            if dialog.exec():
                self.take_people(dialog)
            dialog.deleteLater()

    def take_people(self, dialog: PeopleDialog) -> None:
        """Set what the dialog holds."""
        self._state.edits.change_film("People and dates", dialog.merged_into)

    def free_blocks(self) -> None:
        """Take back all dragged blocks."""
        self._state.edits.change_film("Free the blocks", without_moves)

    def move_block(self, code: str, tasks: tuple[str, ...], person: str, later: int) -> None:
        """A block was let go somewhere else."""
        table = self.view.table
        if table is not None:
            self._state.edits.change_film(f"Move {code}", lambda film: with_block_moved(film, table, code, tasks, person, later))

    def use_proposal(self) -> None:
        """Take up what helps most."""
        found = self.proposal()
        now, session = self._state.planner.now, self._state.session
        if found is None or now is None or now.table is None or session is None:
            return
        words = words_for(found)
        if self._state.edits.change_film("Use the schedule's proposal", lambda film: with_help(film, found)):
            session.document.log.add("schedule", words, found.whose if found.kind == "plates" else "")

    def keep_mine(self) -> None:
        """Decline the proposal."""
        found, now, session = self.proposal(), self._state.planner.now, self._state.session
        if found is None or now is None or now.table is None:
            return
        if session:
            session.document.log.add("proposal declined", words_for(found))
        self._kept.add((found.kind, found.whose, found.amount))
        self.refresh()

    # -- files

    def ask_calendar(self) -> None:
        """Ask where to write the calendar."""
        name, _ = QFileDialog.getSaveFileName(self, "Write the schedule as a calendar", "schedule.ics", "Calendar (*.ics)")
        if name:
            self.write_calendar(Path(name))

    def write_calendar(self, path: Path) -> None:
        """Write the calendar of everybody."""
        session, table = self._state.session, self.view.table
        if not session or table is None:
            return
        film = session.document.film
        reporting.told(
            self._state,
            path,
            lambda: reporting.write_file(
                session.document.folder, path, calendar_bytes(events_of(film, table), film.production.name)
            ),
        )

    def ask_report(self, kind: str) -> None:
        """Ask where to write a report."""
        path = reporting.ask_where(self, self._state, kind)
        if path is not None:
            self.write(kind, path)

    def write(self, kind: str, path: Path) -> None:
        """Write a report."""
        reporting.write(self._state, kind, path, self._drawing() if kind == "schedule" and self.view.table else None)

    def _drawing(self) -> bytes:
        """The schedule as PNG, as much of it as fits a page."""
        seen = self.view.grab(QRect(0, 0, min(self.view.width(), WIDEST), self.view.height()))
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QBuffer.OpenModeFlag.WriteOnly)
        seen.save(buffer, "PNG")
        return bytes(data.data())
