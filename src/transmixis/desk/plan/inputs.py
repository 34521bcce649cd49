"""Controls for a question's inputs, made from its parameter model."""

from __future__ import annotations

from functools import partial
from typing import Any

from pydantic.fields import FieldInfo
from PyQt6 import sip
from PyQt6.QtCore import QDate, Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDateEdit, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from transmixis.core.plan.screen import COMMON
from transmixis.core.plan.takes import TRICKS
from transmixis.desk.ruler import Ruler
from transmixis.desk.theme import in_lines
from transmixis.shot.planning.contract import Question
from transmixis.shot.steps.params import CLOCK, clock_words, facts

TICKED = {"tricks": tuple(TRICKS), "colours": tuple(COMMON)}  # inputs that are lists of names, each with a box to tick
HEADS = {"tricks": "Tricks, any number", "colours": "Stands before it"}
DAYS = {"first_day": "First plate on", "second_day": "Second plate on", "third_day": "Third plate on"}


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
        self.texts: dict[str, QLineEdit] = {}
        self.ticks: dict[str, dict[str, QCheckBox]] = {}
        self._rows: dict[str, QWidget] = {}
        self._fields: dict[str, FieldInfo] = {}
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
        for name, line in self.texts.items():
            if not line.hasFocus():
                line.setText(str(values.get(name, fields[name].default)))
        for name, boxes in self.ticks.items():
            for word, check in boxes.items():
                check.blockSignals(True)
                check.setChecked(word in values.get(name, ()))
                check.blockSignals(False)
        for name, row in self._rows.items():
            row.setVisible(name in used)

    def said(self, name: str, value: Any) -> str:
        """An input and its value in words, for the log book."""
        facts_of = facts(self._fields[name]) if name in self._fields else {}
        if facts_of.get("unit") == CLOCK and isinstance(value, float):
            return f"{facts_of['words']}: {clock_words(value)}"
        words = str(facts_of.get("words") or DAYS.get(name) or HEADS.get(name) or name)
        shown = (
            ", ".join(map(str, value))
            if isinstance(value, list | tuple)
            else f"{value:g}"
            if isinstance(value, float)
            else str(value)
        )
        return f"{words}: {shown or 'nothing'} {facts_of.get('unit', '')}".strip()

    def _build(self, question: Question) -> None:
        self._kind, self._fields = question.kind, dict(question.Params.model_fields)
        boxes = [c for group in self.ticks.values() for c in group.values()]
        for control in (*self.rulers.values(), *self.choices.values(), *self.days.values(), *self.texts.values(), *boxes):
            control.blockSignals(True)  # a field that goes away loses the focus, and would say that it was edited
        self.rulers, self.choices, self.days, self.texts, self.ticks, self._rows = {}, {}, {}, {}, {}, {}
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
            elif f["control"] == "words":
                self._add_text(name, f)
            elif name in DAYS:
                self._add_day(name)
            elif name in TICKED:
                self._add_ticks(name)
        self._box.addStretch(1)

    def _add_ruler(self, name: str, f: dict[str, Any]) -> None:
        ruler = Ruler(f, name)
        ruler.changed.connect(partial(self.dragged.emit, name))
        ruler.settled.connect(partial(self.settled.emit, name))
        self.rulers[name] = ruler
        self._box.addWidget(ruler)

    def _row(self, name: str, words: str, control: QWidget) -> None:
        holder = QWidget()
        self._rows[name] = holder
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(QLabel(words))
        row.addStretch(1)
        row.addWidget(control)
        self._box.addWidget(holder)

    def _add_choice(self, name: str, f: dict[str, Any]) -> None:
        box = QComboBox()
        box.addItems(f["options"])
        box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        box.setMinimumContentsLength(min(max(len(o) for o in f["options"]), 13))
        box.setToolTip(f["tip"])
        box.setAccessibleName(f["words"])
        box.textActivated.connect(partial(self.settled.emit, name))
        self.choices[name] = box
        self._row(name, f["words"], box)

    def _add_day(self, name: str) -> None:
        day = QDateEdit()
        day.setDisplayFormat("ddd d MMM yyyy")
        day.setButtonSymbols(QDateEdit.ButtonSymbols.NoButtons)
        day.setToolTip("The day that plate is or was filmed.")
        day.setAccessibleName(DAYS[name])
        day.editingFinished.connect(partial(self._day_set, name))
        self.days[name] = day
        self._row(name, DAYS[name], day)

    def _day_set(self, name: str) -> None:
        day = self.days.get(name)
        if day is not None and not sip.isdeleted(day):
            self.settled.emit(name, day.date().toString(Qt.DateFormat.ISODate))

    def _add_text(self, name: str, f: dict[str, Any]) -> None:
        line = QLineEdit()
        line.setMaxLength(200)
        line.setToolTip(f["tip"])
        line.setAccessibleName(f["words"])
        line.setMinimumWidth(170)
        line.editingFinished.connect(partial(self._text_set, name))
        self.texts[name] = line
        self._row(name, f["words"], line)

    def _text_set(self, name: str) -> None:
        line = self.texts.get(name)
        if line is not None and not sip.isdeleted(line):
            self.settled.emit(name, line.text().strip())

    def _add_ticks(self, name: str) -> None:
        head = QLabel(HEADS[name])
        head.setObjectName("title")
        self._box.addWidget(head)
        self.ticks[name] = {}
        for word in TICKED[name]:
            check = QCheckBox(in_lines(word[0].upper() + word[1:], 12, 400, 232))
            check.setToolTip(word)
            check.toggled.connect(partial(self._ticks_changed, name))
            self.ticks[name][word] = check
            self._box.addWidget(check)

    def _ticks_changed(self, name: str, _on: bool) -> None:
        self.settled.emit(name, [n for n, c in self.ticks[name].items() if c.isChecked()])
