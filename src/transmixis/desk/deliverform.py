"""The widgets of the delivery page, and how they lie."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from transmixis.shot.deliver import FORMATS


class DeliverForm(QWidget):
    """What, as which kind of file, where, which frames; what speaks against it; how far it is; what was handed over before."""

    def __init__(self) -> None:
        super().__init__()
        self.what, self.how = QComboBox(), QComboBox()
        self.where, self.browse = QLineEdit(), QPushButton("Choose…")
        self.first, self.last = QSpinBox(), QSpinBox()
        self.go, self.stop = QPushButton("Write the files"), QPushButton("Cancel")
        self.folder = QPushButton("Show folder")
        self.bar, self.note, self.findings, self.past = QProgressBar(), QLabel(), QLabel(), QLabel()
        self.waiting, self.picture = QLabel(), QLabel()
        self._dress()
        self._lay_out()

    def _dress(self) -> None:
        self.go.setObjectName("act")
        self.past.setObjectName("note")
        self.go.setToolTip("Renders every frame of the range. Frames that are finished and unchanged are not made again.")
        self.what.setToolTip("Which step's picture or matte is delivered.")
        self.how.setToolTip("The kind of file.")
        self.where.setToolTip("Where it is written; #### stands for the frame number.")
        self.folder.setToolTip("Opens the folder that this is written to.")
        self.bar.setRange(0, 1000)
        self.bar.setTextVisible(False)
        for label in (self.note, self.findings, self.waiting, self.past, self.picture):
            label.setWordWrap(True)
        for spin in (self.first, self.last):
            spin.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            spin.setFixedWidth(72)
            spin.setToolTip("First and last frame that are delivered.")
        self.picture.setFixedWidth(380)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.picture.setToolTip("The frame at the playhead, as it would be delivered.")
        for name, f in FORMATS.items():
            self.how.addItem(f.words, name)

    def _lay_out(self) -> None:
        across = QHBoxLayout()
        across.setSpacing(24)
        across.addLayout(self._grid(), 1)
        across.addWidget(self.picture)
        box = QVBoxLayout(self)
        box.setContentsMargins(24, 20, 24, 20)
        box.setSpacing(14)
        box.addWidget(_title("Hand this shot over"))
        box.addLayout(across)
        box.addWidget(_title("Handed over before"))
        box.addWidget(self.past)
        box.addStretch(1)

    def _grid(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(16)
        grid.setVerticalSpacing(10)
        grid.setColumnMinimumWidth(0, 90)
        grid.setColumnStretch(1, 1)
        frames = _row((self.first, QLabel("to"), self.last))
        frames.addStretch(1)
        rows: tuple[tuple[str, QWidget | QLayout], ...] = (
            ("What", self.what),
            ("Kind of file", self.how),
            ("Where", _row((self.where, self.browse), wide=self.where)),
            ("Frames", frames),
            ("Check first", self.findings),
            ("Proposals", self.waiting),
            ("", _row((self.go, self.stop, self.bar, self.folder), wide=self.bar)),
            ("", self.note),
        )
        for i, (name, item) in enumerate(rows):
            label = QLabel(name)
            label.setMinimumHeight(26)
            grid.addWidget(label, i, 0, Qt.AlignmentFlag.AlignTop)
            if isinstance(item, QWidget):
                grid.addWidget(item, i, 1)
            else:
                grid.addLayout(item, i, 1)
        return grid


def _row(widgets: Sequence[QWidget], wide: QWidget | None = None) -> QHBoxLayout:
    """Widgets side by side; one of them takes the room that is left."""
    row = QHBoxLayout()
    row.setSpacing(8)
    for w in widgets:
        row.addWidget(w, 1 if w is wide else 0)
    return row


def _title(words: str) -> QLabel:
    label = QLabel(words)
    label.setObjectName("title")
    return label
