"""Dialogs: a new production, adding plates, a plate's facts, and the keys."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from transmixis.shot.record import CODE


class KeysDialog(QDialog):
    """The shortcut sheet."""

    def __init__(self, rows: list[tuple[str, str]], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        half = (len(rows) + 1) // 2
        for i, (keys, words) in enumerate(rows):
            column = 0 if i < half else 2
            name = QLabel(keys)
            name.setStyleSheet("font-weight: 600")
            grid.addWidget(name, i % half, column)
            grid.addWidget(QLabel(words), i % half, column + 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.setContentsMargins(20, 16, 20, 16)
        box.setSpacing(14)
        box.addWidget(QLabel("Time runs down, so Up and Down are frames."))
        box.addLayout(grid)
        box.addWidget(buttons)


class NewShot(QDialog):
    """Code, title and length of a shot that is still to be filmed."""

    def __init__(self, taken: set[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("New shot")
        self._taken = taken
        self.code, self.title, self.frames = QLineEdit(), QLineEdit(), QSpinBox()
        self.code.setMaxLength(32)
        self.code.setPlaceholderText("such as KP100")
        self.title.setPlaceholderText("what happens in it")
        self.frames.setRange(1, 1_000_000)
        self.frames.setValue(48)
        self.frames.setSuffix(" frames")
        self.note = QLabel("Its plan, tasks and dates can be set before anything is filmed; plates are added later.")
        self.note.setWordWrap(True)
        form = QFormLayout()
        for words, field in (("Code", self.code), ("Title", self.title), ("Length", self.frames)):
            form.addRow(words, field)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(self.note)
        box.addWidget(buttons)
        self.setMinimumWidth(380)

    def accept(self) -> None:
        code = self.code.text().strip()
        if not CODE.match(code):
            self.note.setText("Write a code of letters, digits, - and _, at most 32.")
        elif code in self._taken:
            self.note.setText(f"There is a shot {code} already; choose another code.")
        else:
            super().accept()


class NewProduction(QDialog):
    """Name, folder and rate of a new film."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("New production")
        self.name, self.folder, self.rate = (
            QLineEdit("My film"),
            QLineEdit(str(Path.home() / "Transmixis" / "My film")),
            QComboBox(),
        )
        self.rate.addItems(["24", "25", "30", "24000/1001", "30000/1001", "50", "60"])
        self.rate.setToolTip("Frames a second of the finished film.")
        choose = QPushButton("Choose…")
        choose.clicked.connect(self._choose)
        self.name.textEdited.connect(lambda t: self.folder.setText(str(Path(self.folder.text()).parent / (t.strip() or "film"))))
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(choose)
        form = QFormLayout()
        form.addRow("Name", self.name)
        form.addRow("Folder", row)
        form.addRow("Frames a second", self.rate)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(buttons)
        self.setMinimumWidth(520)

    def _choose(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder for the production")
        if folder:
            self.folder.setText(str(Path(folder) / (self.name.text().strip() or "film")))
