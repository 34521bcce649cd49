"""The list of material that is to be added: what each piece is, which shot it goes to, and what is left out."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from transmixis.desk.tables import open_table
from transmixis.media.colour import PLAIN_WORDS, SPACES
from transmixis.media.source import SourceInfo
from transmixis.shot.dropped import Dropped, free_codes
from transmixis.shot.model import ROLES, Plate, Shot
from transmixis.shot.record import CODE

HEADS = ("Material", "Shot", "Role", "Frames", "Size", "Rate", "Read as", "Notes")
WIDTHS = (200, 110, 116, 60, 100, 70, 120)
LEAVE_OUT = "leave out"


class AddPlates(QDialog):
    """One line a piece; its shot, role and colour space are guessed, shown and changeable."""

    def __init__(self, found: Dropped, shots: tuple[Shot, ...], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Add plates")
        self.setMinimumWidth(980)
        self.found, self._shots = found, {s.code: s for s in shots}
        self.title = QLineEdit()
        self.title.setPlaceholderText("what happens in it; can be written later")
        self.table = self._make_table()
        self.left_out = QListWidget()
        self.left_out.setWordWrap(True)
        self.left_out.setMaximumHeight(110)
        self.left_out.addItems(found.left_out)
        self.note = QLabel()
        self.note.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self._ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self._title_row = QWidget()
        row = QHBoxLayout(self._title_row)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(QLabel("Title of the new shot"))
        row.addWidget(self.title, 1)
        box = QVBoxLayout(self)
        box.addWidget(self.table, 1)
        box.addWidget(self._title_row)
        head = QLabel("Left out")
        head.setObjectName("title")
        for widget in (head, self.left_out):
            box.addWidget(widget)
            widget.setVisible(bool(found.left_out))
        box.addWidget(self.note)
        box.addWidget(buttons)
        self._follow()

    def _make_table(self) -> QTableWidget:
        table = open_table(HEADS, WIDTHS, 34)
        table.setRowCount(len(self.found.pieces))
        table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        codes = [*self._shots, *dict.fromkeys(p.code for p in self.found.pieces if p.code not in self._shots)]
        spare = free_codes(tuple(self._shots.values()), len(codes) + 1)
        codes += [c for c in spare if c not in codes][:1]
        for i, piece in enumerate(self.found.pieces):
            info = piece.info
            rate = f"{float(info.rate):.4g}" if info.rate else "not said"
            values = {0: piece.plate.name, 3: str(info.count), 4: f"{info.width} × {info.height}", 5: rate, 7: _notes(info)}
            for column, value in values.items():
                item = QTableWidgetItem(value)
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
                item.setToolTip(value)
                table.setItem(i, column, item)
            shot = _combo((*codes, LEAVE_OUT), piece.code)
            shot.setEditable(True)
            shot.setToolTip("A shot that is there, or a new code such as KP040; or leave it out.")
            shot.currentTextChanged.connect(lambda _: self._follow())
            role = _combo(ROLES, piece.plate.role)
            role.setToolTip("What it is in the shot: hero is what is worked on.")
            space = _combo(SPACES, info.space)
            space.setToolTip("\n".join(f"{k}: {v}" for k, v in PLAIN_WORDS.items()))
            for column, box in ((1, shot), (2, role), (6, space)):
                table.setCellWidget(i, column, box)
        high = 40 + 34 * min(len(self.found.pieces), 8)
        table.setMinimumHeight(high)
        return table

    def _follow(self) -> None:
        """Say what Add will do."""
        groups = self.groups()
        made = [c for c in groups if c not in self._shots]
        self._title_row.setVisible(len(made) == 1)
        words = [f"{len(made)} shot{'s' if len(made) != 1 else ''} will be made: {', '.join(made)}"] if made else []
        words += [f"{len(groups[c])} plate{'s' if len(groups[c]) != 1 else ''} added to {c}" for c in groups if c in self._shots]
        self.note.setText("; ".join(words) + "." if words else "Nothing will be added.")
        if self._ok:
            self._ok.setText("Add")
            self._ok.setEnabled(bool(groups))

    def groups(self) -> dict[str, list[tuple[Plate, SourceInfo]]]:
        """Plates by shot, with the roles and spaces that were chosen."""
        out: dict[str, list[tuple[Plate, SourceInfo]]] = {}
        for i, piece in enumerate(self.found.pieces):
            shot, role, space = (self._box(i, c).currentText().strip() for c in (1, 2, 6))
            if shot == LEAVE_OUT or not shot:
                continue
            changed = space if space != piece.info.space else None
            out.setdefault(shot, []).append((piece.plate.model_copy(update={"role": role, "space": changed}), piece.info))
        return out

    def choose(self, row: int, code: str) -> None:
        """Put a piece into a shot."""
        self._box(row, 1).setCurrentText(code)

    def _box(self, row: int, column: int) -> QComboBox:
        box = self.table.cellWidget(row, column)
        assert isinstance(box, QComboBox)
        return box

    def accept(self) -> None:
        wrong = next((c for c in self.groups() if not CODE.match(c)), None)
        if wrong is not None:
            self.note.setText(f"'{wrong[:40]}' cannot be a shot's code; use letters, digits, - and _, at most 32.")
            return
        super().accept()


def _notes(info: SourceInfo) -> str:
    half = info.chroma_halved and not any("half size" in n for n in info.notes)
    screen = {True: ["before a screen"], False: ["no screen is seen"] if info.count > 1 else [], None: []}[info.screen]
    return "; ".join(
        [
            *screen,
            *info.notes,
            *(["colour recorded at half size (4:2:0)"] if half else []),
            *(["with sound"] if info.sound else []),
        ]
    )


def _combo(options: tuple[str, ...], now: str) -> QComboBox:
    box = QComboBox()
    box.addItems(options)
    box.setCurrentText(now)
    return box
