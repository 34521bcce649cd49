"""The log book page: what was done, proposed, chosen and measured, newest first."""

from __future__ import annotations

from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QTableWidgetItem,
    QVBoxLayout,
)

from transmixis.desk.page import Page
from transmixis.desk.state import State
from transmixis.desk.tables import plain_table
from transmixis.shot.logbook import PAUSE, Entry, folded, time_spent
from transmixis.shot.planning.reportpage import said_day

ALL = "everything"


class LogPage(Page):
    """A table of the log's entries, to be searched and narrowed; a line of one's own can be added."""

    def __init__(self, state: State) -> None:
        super().__init__(state)
        self.setObjectName("page")
        self.search, self.kind = QLineEdit(), QComboBox()
        self.table = plain_table(("When", "Shot", "Kind", "What"), (180, 80, 140), (3,))
        self.own, self.add = QLineEdit(), QPushButton("Write down")
        title = QLabel("Log book")
        title.setObjectName("title")
        self.search.setPlaceholderText("Find words")
        self.search.setMaximumWidth(220)
        self.own.setPlaceholderText("What was done, how long it took, what you would do otherwise")
        self.kind.setMinimumWidth(150)
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(self.kind)
        head.addWidget(self.search)
        foot = QHBoxLayout()
        foot.addWidget(self.own, 1)
        foot.addWidget(self.add)
        self.empty = QLabel("Nothing is written yet. What you do, what is proposed and what you choose is kept here by itself.")
        self.empty.setObjectName("note")
        self.spent = QLabel()
        self.spent.setObjectName("note")
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 12, 16, 12)
        box.addLayout(head)
        box.addWidget(self.empty)
        box.addWidget(self.table, 1)
        box.addWidget(self.spent)
        box.addLayout(foot)
        self.search.textChanged.connect(lambda _: self._fill())
        self.kind.activated.connect(lambda _: self._fill())
        self.add.clicked.connect(self._write)
        self.own.returnPressed.connect(self._write)

    def refresh(self) -> None:
        """Read the log anew."""
        session = self._state.session
        self._entries = folded(session.document.log.entries()) if session else []
        held = self.kind.currentText() or ALL
        self.kind.clear()
        self.kind.addItems([ALL, *sorted({e.kind for e in self._entries})])
        self.kind.setCurrentText(held)
        self._fill()

    def _fill(self) -> None:
        words, kind = self.search.text().lower().split(), self.kind.currentText()
        shown = [
            e
            for e in reversed(self._entries)
            if (kind in (ALL, e.kind)) and all(w in f"{e.text} {e.shot} {e.kind}".lower() for w in words)
        ]
        self.empty.setVisible(not self._entries)
        self.spent.setText(_spent_words(shown))
        self.table.setRowCount(min(len(shown), 2000))
        for row, e in enumerate(shown[:2000]):
            for column, value in enumerate((said_day(e.when), e.shot, e.kind, e.text)):
                item = QTableWidgetItem(value)
                item.setToolTip(value if column == 3 else "")
                self.table.setItem(row, column, item)

    def _write(self) -> None:
        text, session = self.own.text().strip(), self._state.session
        if text and session:
            session.document.log.add("note", text, self._state.code)
            self.own.clear()
            self.refresh()


def _spent_words(shown: list[Entry]) -> str:
    """How long the shown lines span, for whoever reads how long something took."""
    seconds = time_spent(shown)
    if seconds < 60:
        return ""
    hours, minutes = divmod(round(seconds / 60), 60)
    took = f"{hours} h {minutes} min" if hours else f"{minutes} min"
    return f"{took} between the lines shown; pauses of more than {PAUSE // 60} min are not counted."
