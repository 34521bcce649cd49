"""Controls for a question's inputs, made from its parameter model."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QDate, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDateEdit, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from transmixis.core.plan.takes import TRICKS
from transmixis.desk.ruler import Ruler
from transmixis.desk.theme import elided
from transmixis.shot.planning.contract import Question
from transmixis.shot.steps.params import facts

DAYS = {"first_day": "First plate on", "second_day": "Second plate on"}


class Inputs(QWidget):
    """One control an input. `dragged` while a number moves, `settled` when it is let go."""

    dragged = pyqtSignal(str, object)
    settled = pyqtSignal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self._kind = ""
        self.rulers: dict[str, Ruler] = {}
        self.choices: dict[str, QComboBox] = {}
        self.days: dict[str, QDateEdit] = {}
        self.tricks: dict[str, QCheckBox] = {}
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 4, 12, 4)
        self._box.setSpacing(2)

    def show_question(self, question: Question, values: dict[str, Any]) -> None:
        """Show a question's inputs; the controls are made anew only for another question."""
        if question.kind != self._kind:
            self._build(question)
        fields, used = question.Params.model_fields, question.used(values)
        for name, ruler in self.rulers.items():
            ruler.show_value(float(values.get(name, fields[name].default)), None, 0)
            ruler.setVisible(name in used)
        for name, box in self.choices.items():
            box.setCurrentText(str(values.get(name, fields[name].default)))
        for name, day in self.days.items():
            day.blockSignals(True)
            day.setDate(QDate.fromString(str(values.get(name, fields[name].default)), Qt.DateFormat.ISODate))
            day.blockSignals(False)
        for name, check in self.tricks.items():
            check.blockSignals(True)
            check.setChecked(name in values.get("tricks", ()))
            check.blockSignals(False)

    def _build(self, question: Question) -> None:
        self._kind = question.kind
        for control in (*self.rulers.values(), *self.choices.values(), *self.days.values(), *self.tricks.values()):
            control.blockSignals(True)  # a field that goes away loses the focus, and would say that it was edited
        self.rulers, self.choices, self.days, self.tricks = {}, {}, {}, {}
        while self._box.count():
            item = self._box.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                widget.setParent(None)
                widget.deleteLater()
        for name, field in question.Params.model_fields.items():
            f = facts(field)
            if f["control"] == "number":
                self._add_ruler(name, f)
            elif f["control"] == "choice":
                self._add_choice(name, f)
            elif name in DAYS:
                self._add_day(name)
            elif name == "tricks":
                self._add_tricks()
        self._box.addStretch(1)

    def _add_ruler(self, name: str, f: dict) -> None:
        ruler = Ruler(f, name)
        ruler.changed.connect(partial(self.dragged.emit, name))
        ruler.settled.connect(partial(self.settled.emit, name))
        self.rulers[name] = ruler
        self._box.addWidget(ruler)

    def _row(self, words: str, control: QWidget) -> None:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(QLabel(words))
        row.addStretch(1)
        row.addWidget(control)
        self._box.addWidget(holder)

    def _add_choice(self, name: str, f: dict) -> None:
        box = QComboBox()
        box.addItems(f["options"])
        box.setToolTip(f["tip"])
        box.setAccessibleName(f["words"])
        box.textActivated.connect(partial(self.settled.emit, name))
        self.choices[name] = box
        self._row(f["words"], box)

    def _add_day(self, name: str) -> None:
        day = QDateEdit()
        day.setDisplayFormat("ddd d MMM yyyy")
        day.setButtonSymbols(QDateEdit.ButtonSymbols.NoButtons)
        day.setToolTip("The day that plate is or was filmed.")
        day.setAccessibleName(DAYS[name])
        day.editingFinished.connect(partial(self._day_set, name))
        self.days[name] = day
        self._row(DAYS[name], day)

    def _day_set(self, name: str) -> None:
        day = self.days.get(name)
        if day is not None and not sip.isdeleted(day):
            self.settled.emit(name, day.date().toString(Qt.DateFormat.ISODate))

    def _add_tricks(self) -> None:
        for name in TRICKS:
            check = QCheckBox(elided(name[0].upper() + name[1:], 12, 400, 232))
            check.setToolTip(name)
            check.toggled.connect(self._tricks_changed)
            self.tricks[name] = check
            self._box.addWidget(check)

    def _tricks_changed(self) -> None:
        self.settled.emit("tricks", [n for n, c in self.tricks.items() if c.isChecked()])
