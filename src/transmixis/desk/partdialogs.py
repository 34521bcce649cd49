"""Dialogs for parts: which steps are gathered, and by how much a part is moved or its copy set off."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from transmixis.shot.model import Part, Shot, Step
from transmixis.shot.parts import suggested

FAR = 100_000  # px and frames


class Gather(QDialog):
    """A name, and the shot's steps to be ticked; those that serve the chosen one alone are ticked already."""

    def __init__(self, shot: Shot, step: Step, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Gather to a part")
        self.name, self.steps = QLineEdit(step.name), QListWidget()
        self.name.selectAll()
        wanted = suggested(shot, step.id)
        for s in shot.steps:
            item = QListWidgetItem(s.name)
            item.setData(Qt.ItemDataRole.UserRole, s.id)
            item.setCheckState(Qt.CheckState.Checked if s.id in wanted else Qt.CheckState.Unchecked)
            self.steps.addItem(item)
        note = QLabel(
            "Ticked are the steps that serve this one alone. A part is switched, moved, copied and put in front or behind as one."
        )
        note.setWordWrap(True)
        self._buttons = _buttons(self)
        form = QFormLayout()
        form.addRow("Name", self.name)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(self.steps)
        box.addWidget(note)
        box.addWidget(self._buttons)
        self.steps.itemChanged.connect(lambda _: self._check())
        self.name.textChanged.connect(lambda _: self._check())
        self.setMinimumWidth(380)
        self._check()

    def _check(self) -> None:
        button = self._buttons.button(QDialogButtonBox.StandardButton.Ok)
        if button:
            button.setEnabled(bool(self.chosen() and self.name.text().strip()))

    def chosen(self) -> list[str]:
        """Ids of the ticked steps."""
        items = [self.steps.item(i) for i in range(self.steps.count())]
        return [str(i.data(Qt.ItemDataRole.UserRole)) for i in items if i is not None and i.checkState() == Qt.CheckState.Checked]


class Offsets(QDialog):
    """To the right, down, and later."""

    def __init__(self, part: Part, parent: QWidget | None = None, *, copy: bool) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Copy {part.name}" if copy else f"Move {part.name}")
        self.name = QLineEdit(f"{part.name} again") if copy else None
        self.right, self.down, self.frames = QDoubleSpinBox(), QDoubleSpinBox(), QSpinBox()
        form = QFormLayout()
        if self.name is not None:
            form.addRow("Name of the copy", self.name)
        for words, field, unit in (
            ("To the right", self.right, "px"),
            ("Down", self.down, "px"),
            ("Pins later by", self.frames, "frames"),
        ):
            field.setRange(-FAR, FAR)
            field.setButtonSymbols(QAbstractSpinBox.ButtonSymbols.NoButtons)
            field.setSuffix(f" {unit}")
            form.addRow(words, field)
        note = QLabel("Outlines, corners and placings move; what was followed in the plate stays. Below zero: left, up, earlier.")
        note.setWordWrap(True)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(note)
        box.addWidget(_buttons(self))
        self.setMinimumWidth(360)

    def values(self) -> dict[str, Any]:
        """The edit's arguments."""
        out: dict[str, Any] = {"right": self.right.value(), "down": self.down.value(), "frames": self.frames.value()}
        return out if self.name is None else {**out, "name": self.name.text()}


def _buttons(dialog: QDialog) -> QDialogButtonBox:
    buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    buttons.accepted.connect(dialog.accept)
    buttons.rejected.connect(dialog.reject)
    return buttons
