"""The step sheet: the chosen step's controls, the plot that explains them, and the proposal."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from transmixis.core.readings import FAULT
from transmixis.desk.benchparts import word
from transmixis.desk.marks import hline, mark, text
from transmixis.desk.plots.view import PlotView
from transmixis.desk.proposal import ProposalCard
from transmixis.desk.readingwords import limit_words, value_words
from transmixis.desk.ruler import Ruler
from transmixis.desk.state import State
from transmixis.desk.theme import INK, INK2, RAISED, RULE, VERMILION_TEXT
from transmixis.desk.things import Things
from transmixis.desk.tools import TOOLS
from transmixis.shot.contract import AnyKind, Slot, SurveyKind
from transmixis.shot.given import refuse_cycles
from transmixis.shot.model import Shot, Step
from transmixis.shot.refs import refs_of, slot_name, with_product
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.params import counts, facts, in_order


class SheetHead(QWidget):
    """Name of the step, what it does, and its reading at the playhead."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.setFixedHeight(30)
        for signal in (state.readings_changed, state.frame_changed, state.step_changed):
            signal.connect(lambda _: self.update())
        state.shot_changed.connect(self.update)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(RAISED))
        hline(p, 0, self.width(), 0, RULE)
        step = self._state.step
        if not step:
            text(p, 16, 15, "No step chosen", 13, 600)
            return
        w = self._state.known.worst_at(step.id, self._state.frame)
        mark(p, w.state if w else "open", 22, 15)
        width = text(p, 34, 15, step.name, 13, 600)
        right = self.width() - 16.0
        if w and w.value is not None:
            limit = limit_words(w)
            right -= text(p, right, 15, limit, 11, 400, INK2, "right") + 12
            right -= (
                text(
                    p,
                    right,
                    15,
                    f"here: {w.name} {value_words(w)}",
                    12,
                    600,
                    VERMILION_TEXT if w.state == FAULT else INK,
                    "right",
                )
                + 12
            )
        elif w is None and self._state.known.readings.get(step.id, {}).get(self._state.frame):
            note = self._state.known.readings[step.id][self._state.frame][0].note
            right -= text(p, right, 15, note, 11, 400, INK2, "right", room=self.width() * 0.5) + 12
        text(p, 34 + width + 10, 15, kind_of(step.kind).says, 12, 400, INK2, room=max(10, right - width - 50))


class StepSheet(QWidget):
    """Rebuilt when another step is chosen; its controls follow the document. `acted` names an act of the step that was pressed,
    `file_wanted` that a file is to be chosen for it."""

    acted = pyqtSignal(str)
    file_wanted = pyqtSignal()

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self._rulers: dict[str, Ruler] = {}
        self._choices: dict[str, QComboBox] = {}
        self._inputs: dict[str, QComboBox] = {}
        self._file: QLabel | None = None
        self._built_for = ("", "")
        self.plot: PlotView | None = None
        self.setMinimumHeight(284)
        self.setMaximumHeight(340)
        self._controls = QVBoxLayout()
        self._controls.setContentsMargins(0, 0, 8, 0)
        self._controls.setSpacing(0)
        self.things = Things(state)
        holder = QWidget()
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addWidget(self.things)
        inside.addLayout(self._controls, 1)
        self._scroll = QScrollArea()
        self._scroll.setWidget(holder)
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setFixedWidth(218)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.card = ProposalCard(state)
        self._middle = QVBoxLayout()
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 16, 10)
        row.setSpacing(12)
        row.addWidget(self._scroll)
        row.addLayout(self._middle, 1)
        row.addWidget(self.card)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(SheetHead(state))
        box.addLayout(row, 1)
        state.step_changed.connect(lambda _: self.rebuild())
        state.shot_changed.connect(self.rebuild)
        state.frame_changed.connect(lambda _: self.follow())
        state.proposal_changed.connect(lambda _: self.follow())
        self.rebuild()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        QPainter(self).fillRect(QRectF(self.rect()), QColor("#DADADA"))

    def ruler(self, name: str) -> Ruler:
        """The ruler of a parameter."""
        return self._rulers[name]

    def take_focus(self, other: QWidget) -> None:
        """The first control takes the keys; `other` if there is none."""
        next(iter(self._rulers.values()), other).setFocus()

    def rebuild(self) -> None:
        """Make the controls of the chosen step, unless they stand already."""
        step = self._state.step
        wanted = (step.id, step.kind) if step else ("", "")
        if wanted == self._built_for:
            self.follow()
            return
        self._built_for = wanted
        if self.plot is not None:
            self.plot.elsewhere.disconnect(self.card.show_readings)  # what it was asked for may still come
        _empty(self._controls)
        _empty(self._middle)
        self._rulers, self._choices, self._inputs, self._file, self.plot = {}, {}, {}, None, None
        self.card.show_readings(False)
        self.card.setVisible(step is not None and not isinstance(kind_of(step.kind), SurveyKind))  # a survey proposes nothing
        if step:
            self._make_controls(step.kind)
            self.plot = PlotView(self._state)
            self.plot.elsewhere.connect(self.card.show_readings)
            self._middle.addWidget(self.plot)
        self.follow()

    def _make_controls(self, kind_name: str) -> None:
        kind = kind_of(kind_name)
        for name, field in in_order(kind.Params).items():
            f = facts(field)
            if f["control"] == "number":
                self._add_ruler(name, f)
            elif f["control"] == "choice":
                self._add_choice(name, f)
        if kind.files:
            self._add_file(kind.files)
        if kind.tools:
            hint = QLabel(_in_picture(kind))
            hint.setObjectName("note")
            hint.setWordWrap(True)
            self._controls.addWidget(hint)
        for act in kind.acts:
            button = word(act.words, act.tip)
            button.clicked.connect(lambda _, n=act.name: self.acted.emit(n))
            self._controls.addWidget(button, alignment=Qt.AlignmentFlag.AlignLeft)
        step = self._state.step
        for key in self._keys_of_inputs(step) if step else ():
            self._add_input(key, next(s for s in kind.slots if s.name == slot_name(key)))
        strange = sorted(set(step.params) - set(kind.Params.model_fields)) if step and kind.known else []
        if strange:
            note = QLabel(f"Unknown here, kept and passed by: {', '.join(strange)[:80]}")
            note.setObjectName("note")
            note.setWordWrap(True)
            self._controls.addWidget(note)
        self._controls.addStretch(1)

    def _add_file(self, endings: tuple[str, ...]) -> None:
        button = QPushButton("Choose a file …")
        button.setToolTip(f"Read it from a file ({', '.join(endings)}); what it holds is kept with the production.")
        button.clicked.connect(self.file_wanted)
        self._file = QLabel()
        self._file.setObjectName("note")
        self._file.setWordWrap(True)
        self._file.setContentsMargins(0, 2, 0, 8)
        self._controls.insertWidget(0, button, alignment=Qt.AlignmentFlag.AlignLeft)
        self._controls.insertWidget(1, self._file)

    def _add_ruler(self, name: str, f: dict[str, Any]) -> None:
        ruler = Ruler(f, name)
        ruler.settled.connect(lambda v, n=name: self._state.edits.set_param(n, v))
        ruler.proposal_pressed.connect(lambda n=name: self._state.answers.use(n))
        self._rulers[name] = ruler
        self._controls.addWidget(ruler)

    def _add_choice(self, name: str, f: dict[str, Any]) -> None:
        box = _labelled(self._controls, f["words"], f["tip"])
        box.addItems(f["options"])
        box.textActivated.connect(lambda v, n=name: self._state.edits.set_param(n, v))
        self._choices[name] = box

    @staticmethod
    def _keys_of_inputs(step: Step) -> list[str]:
        """One a slot; of one that takes many those that are connected and one that is free."""
        out: list[str] = []
        for slot in kind_of(step.kind).slots:
            there = list(refs_of(step, slot))
            free = [slot.name, *(f"{slot.name}.{n}" for n in range(2, len(there) + 2))]
            out += [*there, next(k for k in free if k not in there)] if slot.many else [slot.name]
        return out

    def _add_input(self, key: str, slot: Slot) -> None:
        words = slot.name.capitalize() if key == slot.name else f"and {slot.name}"
        box = _labelled(self._controls, words, f"What this step takes as {slot.words}.")
        box.activated.connect(lambda _, k=key: self._connect_input(k))
        self._inputs[key] = box

    def _connect_input(self, key: str) -> None:
        shot, step = self._state.shot, self._state.step
        if not shot or not step:
            return
        ref = self._inputs[key].currentData()
        inputs = {k: v for k, v in step.inputs.items() if k != key}
        if ref:
            inputs[key] = ref
        self._state.edits.change(
            f"{step.name}: connect {slot_name(key)}", lambda: checked(shot.with_step(step.model_copy(update={"inputs": inputs})))
        )
        self.follow()

    def follow(self) -> None:
        """Show the document's values at the playhead."""
        step, shot = self._state.step, self._state.shot
        self.things.follow()
        if not step or not shot:
            return
        proposal = self._state.answers.made.get(step.id)
        values = proposal.values if proposal and step.id not in self._state.answers.folded else {}
        fields = kind_of(step.kind).Params.model_fields
        now = {n: self._state.edits.param(n) for n in (*self._rulers, *self._choices)}
        for name, ruler in self._rulers.items():
            ruler.setVisible(counts(fields[name], now))
            ruler.show_value(float(self._state.edits.param(name)), values.get(name), len(step.pins.get(name, ())))
        for name, box in self._choices.items():
            box.setCurrentText(str(self._state.edits.param(name)))
        if self._keys_of_inputs(step) != list(self._inputs):
            self._built_for = ("", "")
            self.rebuild()
            return
        if self._file is not None:
            source = step.params.get("source")
            self._file.setText(f"Read from {source}." if source else "Nothing was read yet.")
        for key, box in self._inputs.items():
            slot = next(s for s in kind_of(step.kind).slots if s.name == slot_name(key))
            _fill_inputs(box, shot, step.id, slot, step.inputs.get(key, ""), more=key != slot.name)


def _in_picture(kind: AnyKind) -> str:
    """What the picture is for, beside a step's controls."""
    shows = bool(kind.files) or not any(TOOLS[t].sets for t in kind.tools)
    return "Shown in the picture." if shows else "Set in the picture; the strip under it says how."


def checked(shot: Shot) -> Shot:
    """The shot, unless its steps would wait for each other (UserError)."""
    refuse_cycles(shot)
    return shot


def _fill_inputs(box: QComboBox, shot: Shot, own: str, slot: Slot, ref: str, *, more: bool = False) -> None:
    box.blockSignals(True)
    box.clear()
    if slot.optional or not ref or more:
        box.addItem("nothing", "")
    if slot.takes == "picture":
        for plate in shot.plates:
            box.addItem(
                f"{plate.name or plate.id} ({plate.role})" if plate.name != plate.role else plate.name, f"plate:{plate.id}"
            )
    for step in shot.steps:
        kind = kind_of(step.kind)
        if step.id != own and kind.fits(slot.takes):
            box.addItem(step.name, f"step:{step.id}")
        for given in kind.also if step.id != own else ():
            if kind.fits(slot.takes, given.name):
                box.addItem(f"{step.name}: {given.words}", with_product(f"step:{step.id}", given.name))
    box.setCurrentIndex(max(0, box.findData(ref)))
    box.blockSignals(False)


def _labelled(layout: QVBoxLayout, words: str, tip: str) -> QComboBox:
    row = QHBoxLayout()
    label = QLabel(words)
    box = QComboBox()
    box.setToolTip(tip)
    box.setAccessibleName(words)
    box.setMinimumWidth(80)  # long labels need the room
    box.setMaximumWidth(164)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    row.setSpacing(8)
    row.addWidget(label)
    row.addWidget(box, 1)
    layout.addLayout(row)
    return box


def _empty(layout: QVBoxLayout | QHBoxLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            return
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.setParent(None)
            widget.deleteLater()
        elif inner is not None:
            _empty(inner)  # type: ignore[arg-type]
