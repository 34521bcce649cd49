"""The things that a step holds, such as its outlines: a list to choose, switch, add and take out of, and the settings of the chosen one."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.errors import UserError
from transmixis.desk.benchparts import word
from transmixis.desk.ruler import Ruler
from transmixis.desk.state import State
from transmixis.shot.contract import Thing
from transmixis.shot.model import Step
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.params import facts

ROWS = 4  # that are seen at once


class Things(QWidget):
    """Follows the chosen step; `chosen` names the handle of the thing that was pressed."""

    chosen = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.param = ""
        self._things: tuple[Thing, ...] = ()
        self.list = QListWidget()
        self.list.setToolTip("Press one to set it in the picture; its mark switches it off and on.")
        self.list.currentRowChanged.connect(self._pressed)
        self.list.itemChanged.connect(self._switched)
        self._settings = QVBoxLayout()
        self._settings.setSpacing(0)
        self._rulers: dict[str, Ruler] = {}
        self._boxes: dict[str, QComboBox] = {}
        self._lines: dict[str, QLineEdit] = {}
        self._acts = QGridLayout()
        self._acts.setSpacing(0)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 6)
        box.setSpacing(2)
        box.addWidget(self.list)
        box.addLayout(self._acts)
        box.addLayout(self._settings)
        self._made_for = ""

    def follow(self) -> None:
        """Show the things of the chosen step as they are."""
        step = self._state.step
        kind = kind_of(step.kind) if step else None
        self.setVisible(bool(kind and kind.known and kind.thing))
        if step is None or kind is None or not kind.known or kind.thing is None:
            self._things = ()
            return
        if self._made_for != step.kind:
            self._make(step)
        try:
            self._things = kind.things(step)
        except UserError:  # what is wrong with it stands among its readings
            self._things = ()
        params = [t.param for t in self._things]
        if self.param not in params:
            self.param = params[0] if params else ""
        self.list.blockSignals(True)
        self._fill()
        if self.param in params:
            self.list.setCurrentRow(params.index(self.param))
        self.list.blockSignals(False)
        self.list.setFixedHeight(8 + 20 * min(max(len(params), 1), ROWS))
        self._show_settings()

    def _fill(self) -> None:
        """The rows as they are: brought up to date in place, since one of them may just have been pressed."""
        while self.list.count() > len(self._things):
            self.list.takeItem(self.list.count() - 1)
        for k, t in enumerate(self._things):
            item = self.list.item(k) or QListWidgetItem(self.list)
            item.setText(f"{t.words}   {t.note}")
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if t.on else Qt.CheckState.Unchecked)

    def choose(self, param: str) -> None:
        """The thing whose handle is in the hand."""
        if param != self.param and any(t.param == param for t in self._things):
            self.param = param
            self.follow()

    # -- made once a kind

    def _make(self, step: Step) -> None:
        self._made_for = step.kind
        kind = kind_of(step.kind)
        self.list.setAccessibleName(kind.title)
        for layout in (self._settings, self._acts):
            while layout.count():
                item = layout.takeAt(0)
                if item is not None and (w := item.widget()) is not None:
                    w.setParent(None)
                    w.deleteLater()
        self._rulers, self._boxes, self._lines = {}, {}, {}
        for new in kind.new_things:
            self._button(new.words, new.tip).clicked.connect(lambda _, n=new.name: self._add(n))
        self._button("Take it out", "Takes the chosen one out with its pins; undo brings it back.").clicked.connect(
            lambda _: self._take_out()
        )
        assert kind.thing is not None
        for name, field in kind.thing.model_fields.items():
            f = facts(field)
            if f.get("control") == "number":
                ruler = Ruler(f, f"thing.{name}")
                ruler.settled.connect(lambda v, n=name: self._set(n, v))
                self._rulers[name] = ruler
                self._settings.addWidget(ruler)
            elif f.get("control") in ("choice", "words"):
                self._settings.addWidget(self._row(name, f))

    def _button(self, words: str, tip: str) -> Any:
        button = word(words, tip)
        place = self._acts.count()
        self._acts.addWidget(button, place // 2, place % 2, Qt.AlignmentFlag.AlignLeft)
        return button

    def _row(self, name: str, f: dict[str, Any]) -> QWidget:
        holder, row = QWidget(), QHBoxLayout()
        row.setContentsMargins(0, 2, 0, 2)
        holder.setLayout(row)
        row.addWidget(QLabel(f["words"]))
        if f["control"] == "choice":
            box = QComboBox()
            box.addItems(f["options"])
            box.textActivated.connect(lambda v, n=name: self._set(n, v))
            self._boxes[name] = box
            field: QWidget = box
        else:
            line = QLineEdit()
            line.setMaxLength(200)
            line.editingFinished.connect(lambda n=name: self._named(n))
            self._lines[name] = line
            field = line
        field.setToolTip(f["tip"])
        field.setAccessibleName(f["words"])
        field.setMaximumWidth(140)
        row.addWidget(field, 1)
        return holder

    def _show_settings(self) -> None:
        thing = next((t for t in self._things if t.param == self.param), None)
        for table in (self._rulers, self._boxes, self._lines):
            for w in table.values():
                w.setEnabled(thing is not None)
        if thing is None:
            return
        for name, ruler in self._rulers.items():
            ruler.show_value(float(thing.values[name]), None, 0)
        for name, box in self._boxes.items():
            box.setCurrentText(str(thing.values[name]))
        for name, line in self._lines.items():
            if not line.hasFocus():
                line.setText(str(thing.values[name]))

    # -- what a person does

    def _pressed(self, row: int) -> None:
        if 0 <= row < len(self._things):
            self.param = self._things[row].param
            self._show_settings()
            self.chosen.emit(self.param)

    def _switched(self, item: QListWidgetItem) -> None:
        thing = self._things[self.list.row(item)]
        self._change(f"switch {thing.words}", thing.param, "on", item.checkState() == Qt.CheckState.Checked)

    def _set(self, name: str, value: Any) -> None:
        self._change(name, self.param, name, value)

    def _named(self, name: str) -> None:
        self._set(name, self._lines[name].text().strip())

    def _change(self, words: str, param: str, name: str, value: Any) -> None:
        shot, step = self._state.shot, self._state.step
        thing = next((t for t in self._things if t.param == param), None)
        if shot is None or step is None or thing is None or value == {**thing.values, "on": thing.on}[name]:
            return
        self._state.edits.change(
            f"{step.name}: {words}", lambda: shot.with_step(kind_of(step.kind).thing_set(step, param, name, value))
        )

    def _add(self, new: str) -> None:
        shot, step = self._state.shot, self._state.step
        if shot is None or step is None:
            return
        try:
            made, param = kind_of(step.kind).with_thing(step, new)
        except UserError as e:
            self._state.said.emit(str(e), "trouble")
            return
        self.param = param
        if self._state.edits.change(f"{step.name}: new {new}", lambda: shot.with_step(made)):
            self.chosen.emit(param)

    def _take_out(self) -> None:
        shot, step, param = self._state.shot, self._state.step, self.param
        if shot is None or step is None or not param:
            return
        words = next((t.words for t in self._things if t.param == param), "")
        self._state.edits.change(
            f"{step.name}: take {words} out", lambda: shot.with_step(kind_of(step.kind).without_thing(step, param))
        )
