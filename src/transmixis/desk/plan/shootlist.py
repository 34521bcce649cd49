"""The shoot list: what all answered questions ask to be filmed or noted, to be ticked on the set, saved as text or printed."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from transmixis.desk.office import reporting
from transmixis.desk.state import State
from transmixis.desk.theme import font
from transmixis.shot.planning.contract import Answer


class ShootList(QWidget):
    """One line an entry, in the order of the questions."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.head = QLabel("Shoot list")
        self.head.setObjectName("title")
        self.lines = QListWidget()
        self.lines.setWordWrap(True)
        self.lines.setToolTip("Tick what is done. Lines in bold are what people forget most.")
        self.save = QPushButton("Save the shoot list …")
        self.save.setToolTip("Writes the list as a page to print (PDF), a page (HTML) or a table (CSV).")
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 8, 12, 0)
        row = QHBoxLayout()
        row.addWidget(self.head)
        box.addLayout(row)
        box.addWidget(self.lines, 1)
        box.addWidget(self.save)
        self.lines.itemChanged.connect(self._ticked)
        self.save.clicked.connect(self.ask_where)

    def show_answers(self, answers: list[tuple[str, Answer]]) -> None:
        """Show the entries of these answers."""
        shot = self._state.shot
        entries = list({e.what: e for _, a in answers for e in a.entries}.values())
        self.lines.blockSignals(True)
        self.lines.clear()
        for e in entries:
            item = QListWidgetItem(e.what[0].upper() + e.what[1:])
            item.setToolTip(e.why)
            item.setData(Qt.ItemDataRole.UserRole, e.what)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(Qt.CheckState.Checked if shot and e.what in shot.ticked else Qt.CheckState.Unchecked)
            item.setFont(font(12, 600 if e.forgotten else 400))
            self.lines.addItem(item)
        self.lines.blockSignals(False)
        done = sum(e.what in shot.ticked for e in entries) if shot else 0
        self.head.setText(f"Shoot list, {done} of {len(entries)} done" if entries else "Shoot list: answer a question first")
        self.save.setEnabled(bool(entries))

    def _ticked(self, item: QListWidgetItem) -> None:
        shot, what = self._state.shot, str(item.data(Qt.ItemDataRole.UserRole))
        if not shot:
            return
        rest = tuple(t for t in shot.ticked if t != what)
        ticked = (*rest, what) if item.checkState() == Qt.CheckState.Checked else rest
        self._state.edits.change(f"Shoot list: {what}", lambda: shot.model_copy(update={"ticked": ticked}))

    def ask_where(self) -> None:
        """Ask where the list goes, and write it."""
        path = reporting.ask_where(self, self._state, "shoot")
        if path is not None:
            self.write(path)

    def write(self, path: Path) -> None:
        """Write the list as a page, a printed page or a table."""
        reporting.write(self._state, "shoot", path)
