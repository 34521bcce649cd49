"""The board: every shot of the production with its stages, hours and open findings."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from transmixis.desk.engine import Engine
from transmixis.desk.office.schedulepanel import SchedulePanel
from transmixis.desk.platespanel import PlatesPanel
from transmixis.desk.shottable import ShotTable
from transmixis.desk.state import State
from transmixis.desk.theme import INK

LOWER, BELOW = 300, 100  # px of the lower part at least, and of what stands under the schedule


class Board(QWidget):
    """The board's page: the table, and what can be done with it."""

    def __init__(self, state: State, engine: Engine, add_plates: Callable[[str], None], add_shot: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("page")
        self._state, self._ask_shot, self._ask_plates = state, add_shot, add_plates
        self.table = ShotTable(state, engine)
        self._note = self._empty(add_plates)
        scroll = QScrollArea()
        scroll.setWidget(self.table)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._note)
        box.addWidget(scroll, 1)
        self.plates = PlatesPanel(state, lambda: self.table.chosen, lambda: add_plates(self.table.chosen))
        self.schedule = SchedulePanel(state)
        self.parts = QStackedWidget()
        self.parts.addWidget(self.schedule)
        self.parts.addWidget(self.plates)
        box.addLayout(self._switch())
        box.addWidget(self.parts)
        self.schedule.view.chosen.connect(self.choose)
        state.planner.changed.connect(self._fit)
        self._fit()
        self.table.row_chosen.connect(self.plates.refresh)
        state.shot_changed.connect(self.refresh)
        state.opened.connect(self.refresh)
        state.readings_changed.connect(lambda _: self.table.update() if self.isVisible() else None)

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def _fit(self) -> None:
        """The lower part takes what its people need, up to half of the page."""
        wanted = self.schedule.view.sizeHint().height() + BELOW
        self.parts.setFixedHeight(max(LOWER, min(wanted, self.height() // 2)))

    def _empty(self, add_plates: Callable[[str], None]) -> QWidget:
        """What to do first, where there is no shot yet."""
        note = QWidget()
        words = QLabel("No shots yet. Drop movies or pictures on this window, or choose them: each take becomes a shot.")
        words.setWordWrap(True)
        self.first = QPushButton("Add plates …")
        self.first.setObjectName("act")
        self.first.setToolTip("Choose movies or pictures; a green or blue screen becomes a shot with a first work order.")
        self.first.clicked.connect(lambda: add_plates(""))
        box = QHBoxLayout(note)
        box.setContentsMargins(16, 20, 16, 12)
        box.addWidget(self.first)
        box.addSpacing(12)
        box.addWidget(words, 1)
        return note

    def _switch(self) -> QHBoxLayout:
        """The words that choose what stands below the shots."""
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 0, 2)
        self.words: dict[str, QPushButton] = {}
        for name, tip in (
            ("Schedule", "Who does what when."),
            ("Plates", "The plates of the chosen shot, and how each is read."),
        ):
            b = QPushButton(name)
            b.setObjectName("word")
            b.setCheckable(True)
            b.setToolTip(tip)
            b.clicked.connect(partial(self.show_part, name))
            self.words[name] = b
            row.addWidget(b)
        self.more = QPushButton("Add a shot …")
        self.more.setToolTip(
            "Makes a shot that is still to be filmed, to be planned. Shots that are filmed come with their plates."
        )
        self.more.clicked.connect(self._add_shot)
        self.film = QPushButton("Add plates …")
        self.film.setToolTip(
            "Movies or pictures for the chosen shot, or for new ones: takes become shots of their own. Files can be dropped as well."
        )
        self.film.clicked.connect(lambda: self._ask_plates(self.table.chosen))
        row.addWidget(self.film)
        row.addSpacing(8)
        row.addWidget(self.more)
        row.addSpacing(12)
        self.office = QWidget()
        self.office.setLayout(self.schedule.head)
        row.addWidget(self.office, 1)
        self.show_part("Schedule")
        return row

    def show_part(self, name: str, _: bool = False) -> None:
        """Show the schedule or the plates below the shots."""
        self.parts.setCurrentWidget(self.schedule if name == "Schedule" else self.plates)
        self.office.setEnabled(name == "Schedule")
        for n, b in self.words.items():
            b.setChecked(n == name)
            b.setStyleSheet(
                f"QPushButton {{ border: none; border-bottom: 2px solid {INK if n == name else 'transparent'}; background: transparent;"
                f" font-weight: {600 if n == name else 400}; padding: 4px 6px; }}"
            )

    def _add_shot(self) -> None:
        self._ask_shot()

    def choose(self, code: str) -> None:
        """Choose a shot in the table, as when its block is pressed."""
        self.table.chosen = code
        self.table.update()
        self.plates.refresh()

    def refresh(self) -> None:
        shots = self.table.shots()
        self._note.setVisible(not shots)
        self.film.setVisible(bool(shots))
        if self.isVisible():
            self.table.refresh()
            self.plates.refresh()

    def showEvent(self, event: object) -> None:
        self.table.look_again()
        self.refresh()
        self.schedule.refresh()  # otherwise it follows the planner

    def show_what_drives(self) -> None:
        """Show the schedule and choose the shot that drives the date."""
        now = self._state.planner.now
        if now is None:
            return
        self.show_part("Schedule")
        if now.table is None or not now.table.schedule.drives:
            self._state.said.emit(now.trouble or "Nothing is left to do.", "note")
            return
        self.choose(now.table.schedule.drives)
        self._state.said.emit(now.why, "note")
