"""Dialogs: a new production, adding plates, a plate's facts, and the keys."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
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
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)  # fmt: skip

from transmixis.core.errors import UserError
from transmixis.media.colour import PLAIN_WORDS, SPACES
from transmixis.media.source import SourceInfo
from transmixis.shot.model import ROLES, Plate, Shot
from transmixis.shot.record import CODE
from transmixis.shot.workorder import plate_from

KEYS = (
    ("Up, Down", "one frame back, on"),
    ("Page Up, Page Down", "one second back, on"),
    ("Home, End", "first, last frame"),
    ("Left, Right", "previous, next step"),
    ("1–8", "go to a stage"),
    ("Space", "play, stop"),
    ("F, Shift F", "next, previous fault"),
    ("Z", "next zoom of the ledger"),
    ("V, Shift V", "next, previous view"),
    ("hold Y", "look at the plate"),
    ("O", "loupe on or off"),
    ("G", "ring of the fault on or off"),
    ("P, Delete", "pin here, take the pin out"),
    ("U, K", "use the proposal, keep mine"),
    ("W", "what drives the date"),
    ("M", "look at the files anew and measure again"),
    ("C", "add a cue"),
    ("B", "board"),
    ("S", "findings of all plates"),
    ("L", "shelf of stock elements"),
    ("J", "log book"),
    ("D", "hand over"),
    ("Ctrl Z, Ctrl Shift Z", "undo, do again"),
    ("Ctrl N, Ctrl O", "new production, open one"),
    ("+, −, 0", "in the viewer: closer, further, whole frame"),
    ("F1", "this sheet"),
)


class KeysDialog(QDialog):
    """The shortcut sheet."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Keys")
        grid = QGridLayout()
        grid.setHorizontalSpacing(20)
        half = (len(KEYS) + 1) // 2
        for i, (keys, words) in enumerate(KEYS):
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
        self.code.setPlaceholderText("such as KP090")
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


class AddPlates(QDialog):
    """Which shot the material belongs to, and each piece's role and colour space: guessed, shown and changeable."""

    def __init__(self, folder: Path, paths: list[Path], shots: tuple[Shot, ...], now: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Add plates")
        self.setMinimumWidth(860)
        self._folder, self._shots = folder, {s.code: s for s in shots}
        self.found: list[tuple[Plate, SourceInfo]] = []
        self.refused: list[str] = []
        self.code, self.title = QComboBox(), QLineEdit()
        self.code.setEditable(True)
        self.code.addItems([*self._shots, self._free_code()])
        self.code.setCurrentText(now if now and not paths_are_new_shot(paths) else self._free_code())
        self.code.setToolTip("A shot that is there, or a new code such as KP040.")
        self._read(paths)
        self.table = self._make_table()
        note = QLabel("\n".join(self.refused))
        note.setObjectName("fault")
        note.setWordWrap(True)
        note.setVisible(bool(self.refused))
        form = QFormLayout()
        form.addRow("Shot", self.code)
        form.addRow("Title of a new shot", self.title)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self._ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        if self._ok:
            self._ok.setText("Add")
            self._ok.setEnabled(bool(self.found))
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box = QVBoxLayout(self)
        box.addLayout(form)
        box.addWidget(self.table)
        box.addWidget(note)
        box.addWidget(buttons)

    def _free_code(self) -> str:
        n = 10 * (len(self._shots) + 1)
        stem = next(iter(self._shots), "SH010").rstrip("0123456789") or "SH"
        while f"{stem}{n:03d}" in self._shots:
            n += 10
        return f"{stem}{n:03d}"

    def _read(self, paths: list[Path]) -> None:
        shot = self._shots.get(self.code.currentText())
        for path in paths:
            try:
                plate, info = plate_from(self._folder, path, shot)
            except UserError as e:
                self.refused.append(str(e))
                continue
            if any(p.path == plate.path for p, _ in self.found):
                continue  # several files of one sequence
            if plate.role == "hero" and any(p.role == "hero" for p, _ in self.found):
                plate = plate.model_copy(update={"role": "background"})
            self.found.append((plate, info))

    def _make_table(self) -> QTableWidget:
        heads = ["Material", "Role", "Frames", "Size", "Rate", "Read as", "Notes"]
        table = QTableWidget(len(self.found), len(heads))
        table.setHorizontalHeaderLabels(heads)
        rows = table.verticalHeader()
        if rows:
            rows.hide()
        for i, (plate, info) in enumerate(self.found):
            notes = "; ".join(
                [
                    *info.notes,
                    *(
                        ["colour recorded at half size (4:2:0)"]
                        if info.chroma_halved and not any("half size" in n for n in info.notes)
                        else []
                    ),
                ]
            )
            rate = f"{float(info.rate):.4g}" if info.rate else "not said"
            for column, value in {
                0: plate.name,
                2: str(info.count),
                3: f"{info.width} × {info.height}",
                4: rate,
                6: notes,
            }.items():
                item = QTableWidgetItem(value)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                item.setToolTip(value)
                table.setItem(i, column, item)
            table.setCellWidget(i, 1, _combo(ROLES, plate.role))
            space = _combo(SPACES, info.space)
            space.setToolTip("\n".join(f"{k}: {v}" for k, v in PLAIN_WORDS.items()))
            table.setCellWidget(i, 5, space)
        for column, width in enumerate((210, 110, 60, 100, 70, 120)):
            table.setColumnWidth(column, width)
        columns = table.horizontalHeader()
        if columns:
            columns.setStretchLastSection(True)
        return table

    def plates(self) -> list[tuple[Plate, SourceInfo]]:
        """The plates with the roles and spaces that were chosen; ids made anew so that none is taken twice."""
        out = []
        for i, (plate, info) in enumerate(self.found):
            role, space = self.table.cellWidget(i, 1), self.table.cellWidget(i, 5)
            assert isinstance(role, QComboBox) and isinstance(space, QComboBox)
            changed = space.currentText() if space.currentText() != info.space else None
            out.append((plate.model_copy(update={"role": role.currentText(), "space": changed}), info))
        return out

    def chosen_code(self) -> str:
        return self.code.currentText().strip()

    def accept(self) -> None:
        if not CODE.match(self.chosen_code()):
            self.code.setToolTip("Use letters, digits, - and _ for a shot's code.")
            self.code.setFocus()
            return
        super().accept()


def paths_are_new_shot(paths: list[Path]) -> bool:
    """Several movies or pictures without words for a clean plate or background are taken for a new shot."""
    names = " ".join(p.stem.lower() for p in paths)
    return not any(w in names for w in ("clean", "background", "element", "still", "bg"))


def _combo(options: tuple[str, ...], now: str) -> QComboBox:
    box = QComboBox()
    box.addItems(options)
    box.setCurrentText(now)
    return box
