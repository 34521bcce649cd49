"""The plates of the chosen shot: what each is, and how it is read; guessed, shown and changeable."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.errors import UserError
from transmixis.desk.engine import LOOK
from transmixis.desk.state import State
from transmixis.desk.tables import open_table
from transmixis.media.colour import PLAIN_WORDS, SPACES
from transmixis.media.source import SourceInfo
from transmixis.shot.model import ROLES, Plate, Shot
from transmixis.shot.store import leaves_project

HEADS = ("Plate", "Role", "Frames", "Skip", "Size", "Pixel", "Rate", "Read as", "Chroma", "Turned", "Where and what")
WIDTHS = (110, 104, 60, 64, 92, 62, 70, 112, 104, 92)
AS_FOUND, HALF, FULL = "as found", "half size", "full size"


class PlatesPanel(QWidget):
    """A table with a row a plate, and the shot's own facts above it."""

    def __init__(self, state: State, chosen: Callable[[], str], add: Callable[[], None]) -> None:
        super().__init__()
        self._state, self._chosen = state, chosen
        self._opened: Shot | None = None
        self._title = QLabel()
        self._title.setObjectName("title")
        self.name, self.rate = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText("title of the shot")
        self.name.setToolTip("The shot's title.")
        self.rate.setToolTip("Frames a second of the shot, e.g. 24, 25 or 30000/1001.")
        self.rate.setMaximumWidth(90)
        self.name.setMinimumWidth(240)
        self.name.editingFinished.connect(self._rename)
        self.rate.editingFinished.connect(self._set_rate)
        more = QPushButton("Add plates…")
        more.setToolTip("Choose movies or pictures for this shot or a new one. You can also drop files on the window.")
        more.clicked.connect(add)
        head = QHBoxLayout()
        for w in (self._title, self.name, QLabel("Frames a second"), self.rate):
            head.addWidget(w)
        head.addStretch(1)
        head.addWidget(more)
        self.table = open_table(HEADS, WIDTHS, 32)
        self.table.setShowGrid(False)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        box = QVBoxLayout(self)
        box.setContentsMargins(16, 8, 16, 12)
        box.addLayout(head)
        box.addWidget(self.table, 1)

    def shot(self) -> Shot | None:
        session = self._state.session
        return next((s for s in session.document.film.shots if s.code == self._chosen()), None) if session else None

    def refresh(self) -> None:
        """Follow the document and the chosen shot."""
        shot = self.shot()
        self.setEnabled(shot is not None)  # the board shows and hides it
        if not shot or not self._state.session:
            return
        self._title.setText(f"Plates of {shot.code}")
        self.name.setText(shot.title)
        self.rate.setText(shot.rate)
        self.table.setRowCount(len(shot.plates))
        renderer = self._state.session.renderer_for(shot)
        if not renderer.prepared and self._opened is not shot:
            self._state.engine.drop("plates")
            self._state.engine.ask(LOOK, renderer.prepare, lambda _: self._now_opened(shot), tag="plates")
            return
        for row, plate in enumerate(shot.plates):
            self._fill(row, plate)

    def _now_opened(self, shot: Shot) -> None:
        self._opened = shot
        self.refresh()

    def _fill(self, row: int, plate: Plate) -> None:
        session = self._state.session
        assert session is not None
        info: SourceInfo | None = None
        try:
            info = session.material.source(plate).info
            what = "; ".join([info.depth, *info.notes])
        except UserError as e:
            what = str(e)
        outside = ", outside the production" if leaves_project(session.document.folder, plate.path) else ""
        texts = {0: plate.name or plate.id, 10: f"{plate.path}{outside}: {what}"}
        if info:
            rate = f"{float(info.rate):.4g} / s" if info.rate else "not said"
            texts |= {
                2: str(info.count),
                4: f"{info.width} × {info.height}",
                6: rate + (" uneven" if info.variable_rate else ""),
            }
        for column, value in texts.items():
            item = QTableWidgetItem(value)
            item.setFlags(Qt.ItemFlag.ItemIsEnabled)
            item.setToolTip(value)
            self.table.setItem(row, column, item)
        self._put(row, 1, ROLES, plate.role, lambda v: self._change(plate, role=v), "What the plate is for.")
        words = "\n".join(f"{k}: {v}" for k, v in PLAIN_WORDS.items())
        space = plate.space or (info.space if info else SPACES[1])
        self._put(
            row, 7, SPACES, space, lambda v: self._change(plate, space=v), f"The colour space the file is read as.\n{words}"
        )
        chroma = {None: AS_FOUND, True: HALF, False: FULL}[plate.chroma_halved]
        found = f"Found: {'half' if info.chroma_halved else 'full'} size." if info else ""
        self._put(
            row,
            8,
            (AS_FOUND, HALF, FULL),
            chroma,
            lambda v: self._change(plate, chroma_halved={AS_FOUND: None, HALF: True, FULL: False}[v]),
            f"Whether colour was recorded at half size (4:2:0); it is then brought back along the edges. {found}",
        )
        turns = {AS_FOUND: None, "0°": 0, "90°": 90, "180°": 180, "270°": 270}
        said = f"The file says {info.turn}°." if info and plate.turn is None else ""
        self._put(
            row, 9, tuple(turns), next(k for k, v in turns.items() if v == plate.turn), lambda v: self._change(plate, turn=turns[v]),
            f"By how much the pictures are turned, anticlockwise, to stand upright; phones write it into the file. {said}",
        )  # fmt: skip
        shape = QDoubleSpinBox()
        shape.setRange(0.1, 10)
        shape.setDecimals(3)
        shape.setSingleStep(0.05)
        shape.setValue(session.material.pixel_aspect(plate))
        shape.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        shape.setToolTip(
            "Width over height of a pixel, as the file says or as set here. The viewer shows the shot by its hero's."
        )
        shape.editingFinished.connect(partial(self._set_shape, plate, shape))
        self.table.setCellWidget(row, 5, shape)
        skip = QSpinBox()
        skip.setRange(-100_000, 100_000)
        skip.setValue(plate.offset)
        skip.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        skip.setToolTip("Frames of the plate skipped before the shot's first.")
        skip.editingFinished.connect(partial(self._set_skip, plate, skip))
        self.table.setCellWidget(row, 3, skip)

    def _put(self, row: int, column: int, options: tuple[str, ...], now: str, act: Callable[[str], None], tip: str) -> None:
        box = QComboBox()
        box.addItems(list(options))
        box.setCurrentText(now)
        box.setToolTip(tip)
        box.textActivated.connect(act)
        self.table.setCellWidget(row, column, box)

    def _change(self, plate: Plate, **values: object) -> None:
        shot = self.shot()
        if not shot or all(getattr(plate, k) == v for k, v in values.items()):
            return
        new = plate.model_copy(update=values)
        plates = tuple(new if p.id == plate.id else p for p in shot.plates)
        self._state.edits.change(f"Change plate {plate.name or plate.id}", lambda: shot.model_copy(update={"plates": plates}))

    def _set_shape(self, plate: Plate, field: QDoubleSpinBox) -> None:
        session = self._state.session  # a field that is replaced loses the focus, and says that it was edited
        if session and not sip.isdeleted(field) and abs(field.value() - session.material.pixel_aspect(plate)) > 1e-4:
            self._change(plate, pixel_aspect=field.value())

    def _set_skip(self, plate: Plate, field: QSpinBox) -> None:
        if not sip.isdeleted(field):
            self._change(plate, offset=field.value())

    def _rename(self) -> None:
        shot = self.shot()
        if shot and self.name.text().strip() != shot.title:
            self._state.edits.change(f"Title of {shot.code}", lambda: shot.model_copy(update={"title": self.name.text().strip()}))

    def _set_rate(self) -> None:
        shot = self.shot()
        text = self.rate.text().strip().replace(",", ".")
        if not shot or text == shot.rate:
            return
        try:
            new = Shot.model_validate({**shot.model_dump(), "rate": text})
        except (ValueError, ZeroDivisionError):
            self._state.said.emit(f"'{text}' is not a rate; write frames a second such as 24 or 30000/1001.", "trouble")
            self.rate.setText(shot.rate)
            return
        self._state.edits.change(f"Rate of {shot.code}", lambda: new)
