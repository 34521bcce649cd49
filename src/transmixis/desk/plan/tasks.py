"""The shot's tasks with their hours: what was spent, what is done, and who does it."""

from __future__ import annotations

from functools import partial

from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.plan.estimate import RATES
from transmixis.desk.state import State
from transmixis.desk.tables import open_table
from transmixis.shot.office import Work
from transmixis.shot.planning.tasks import today_of
from transmixis.shot.planning.work import STAGE_OF_KIND, as_finished, with_more, with_work, with_work_from_order
from transmixis.shot.workorder import unique_id

HEADS = ("Stage", "Task", "Frames", "Spent, h", "Done", "Who", "")
WIDTHS = (64, 300, 84, 84, 50, 250)
ANYBODY = "whoever is free"


class TaskTable(QWidget):
    """One row a task; every change is undoable, and hours go to the log book."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.take = QPushButton("Take tasks from the work order")
        self.take.setToolTip(
            "Puts the tasks that the work order and the tricks ask for on the list; what is there keeps its hours."
        )
        self.kinds = QComboBox()
        self.kinds.addItems(list(RATES))
        self.kinds.setToolTip("A kind of work to add.")
        self.add = QPushButton("Add")
        self.add.setToolTip("Adds a task of this kind.")
        self.table = open_table(HEADS, WIDTHS, 28)
        self.table.setShowGrid(False)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setMinimumHeight(120)
        head = QHBoxLayout()
        title = QLabel("Tasks")
        title.setObjectName("title")
        for widget in (title, self.take):
            head.addWidget(widget)
        head.addStretch(1)
        head.addWidget(self.kinds)
        head.addWidget(self.add)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addLayout(head)
        self.none = QLabel("No tasks are kept yet: take them from the work order, then set the hours as they are spent.")
        self.none.setObjectName("note")
        box.addWidget(self.none)
        box.addWidget(self.table)
        self.take.clicked.connect(self.take_from_order)
        self.add.clicked.connect(self.add_one)

    def refresh(self) -> None:
        """Follow the shot."""
        shot, session = self._state.shot, self._state.session
        if not shot or not session:
            return
        people = [p.name for p in session.document.film.production.people]
        self.none.setVisible(not shot.work)
        self.table.setVisible(bool(shot.work))
        self.table.setRowCount(0)
        self.table.setRowCount(len(shot.work))
        for row, w in enumerate(shot.work):
            self._fill(row, w, people)

    def _fill(self, row: int, w: Work, people: list[str]) -> None:
        for column, words in ((0, w.stage), (1, w.name or w.kind)):
            item = QTableWidgetItem(words)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            self.table.setItem(row, column, item)
        frames = QSpinBox()
        frames.setRange(0, 1_000_000)
        frames.setSpecialValueText("all")
        frames.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        frames.setValue(w.frames or 0)
        frames.setToolTip("Frames that must be worked on; 0 is all of the shot.")
        frames.setAccessibleName(f"Frames of {w.name or w.kind}")
        frames.editingFinished.connect(partial(self._frames, w.id, frames))
        self.table.setCellWidget(row, 2, frames)
        spent = QDoubleSpinBox()
        spent.setRange(0, 10_000)
        spent.setDecimals(2)
        spent.setSingleStep(0.25)
        spent.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        spent.setValue(w.spent)
        spent.setToolTip("Hours that this task has taken so far.")
        spent.setAccessibleName(f"Hours spent on {w.name or w.kind}")
        spent.editingFinished.connect(partial(self._spent, w.id, spent))
        self.table.setCellWidget(row, 3, spent)
        done = QCheckBox()
        done.setChecked(w.done)
        done.setToolTip("Finished: its hours teach the estimate of the next task of this kind.")
        done.setAccessibleName(f"{w.name or w.kind} is done")
        done.toggled.connect(partial(self._done, w.id))
        self.table.setCellWidget(row, 4, done)
        who = QComboBox()
        who.addItems([ANYBODY, *people])
        who.setCurrentText(w.who[0] if w.who and w.who[0] in people else ANYBODY)
        who.setToolTip("Who does it; else whoever is free first.")
        who.textActivated.connect(partial(self._who, w.id))
        self.table.setCellWidget(row, 5, who)
        out = QPushButton("take out")
        out.setToolTip("Takes this task off the list; can be undone.")
        out.clicked.connect(partial(self._take_out, w.id))
        self.table.setCellWidget(row, 6, out)

    def _change(self, work_id: str, title: str, **values: object) -> None:
        shot = self._state.shot
        w = next((x for x in shot.work if x.id == work_id), None) if shot else None
        if not shot or w is None or all(getattr(w, k) == v for k, v in values.items()):
            return
        new = w.model_copy(update=values)
        if self._state.edits.change(f"{w.name or w.kind}: {title}", lambda: with_work(shot, new)) and self._state.session:
            self._state.session.document.log.add(
                "hours", f"{w.name or w.kind}: {title}.", shot.code, task=w.id, task_kind=w.kind, spent=new.spent, done=new.done
            )

    def _spent(self, work_id: str, field: QDoubleSpinBox) -> None:
        if not sip.isdeleted(field):
            self._change(work_id, f"{field.value():g} h spent", spent=field.value())

    def _frames(self, work_id: str, field: QSpinBox) -> None:
        if not sip.isdeleted(field):
            n = field.value() or None
            self._change(work_id, f"{n or 'all'} frames", frames=n)

    def _take_out(self, work_id: str, _: bool = False) -> None:
        shot = self._state.shot
        if shot:
            rest = tuple(w for w in shot.work if w.id != work_id)
            self._state.edits.change("Take a task out", lambda: shot.model_copy(update={"work": rest}))

    def _done(self, work_id: str, on: bool) -> None:
        session = self._state.session
        if session:
            film, shot = session.document.film, self._state.shot
            w = next((x for x in shot.work if x.id == work_id), None) if shot else None
            if shot and w and on:
                done = as_finished(w, shot, film, today_of(film).isoformat())
                self._change(work_id, "done", done=True, finished=done.finished, estimated=done.estimated)
            else:
                self._change(work_id, "not done yet", done=False, finished="", estimated=None)

    def _who(self, work_id: str, name: str) -> None:
        self._change(work_id, f"done by {name}", who=() if name == ANYBODY else (name,))

    def take_from_order(self) -> None:
        """Put the work order's tasks on the list."""
        shot = self._state.shot
        if shot:
            self._state.edits.change("Take tasks from the work order", lambda: with_work_from_order(shot))

    def add_one(self) -> None:
        """Add a task of the chosen kind."""
        shot, kind = self._state.shot, self.kinds.currentText()
        if shot:
            new = Work(
                id=unique_id(kind.replace(" ", "_"), {w.id for w in shot.work}), stage=STAGE_OF_KIND[kind], kind=kind, name=kind
            )
            self._state.edits.change(f"Add task {kind}", lambda: with_more(shot, new))
