"""Drawing on a plate: boxes on colours before a screen and on the cloth, or a shadow from its foot to its tip."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.types import Array
from transmixis.desk.engine import LOOK
from transmixis.desk.marks import text
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, SURROUND, VERMILION, WHITE
from transmixis.desk.viewimage import picture_image

LEAST = 5  # px of the frame: a smaller box is a slip of the hand
CLOTH = "the cloth"


@dataclass(frozen=True)
class Boxed:
    """A named box in px of the frame (x, y, w, h)."""

    name: str
    box: tuple[int, int, int, int]


class PickPicture(QWidget):
    """A picture on which boxes or a line are drawn by dragging; the boxes' names are given from outside."""

    drawn = pyqtSignal(object)  # (x0, y0, x1, y1) in px of the frame

    def __init__(self, *, line: bool) -> None:
        super().__init__()
        self.image = QImage()
        self.boxes: list[Boxed] = []
        self.line: tuple[float, float, float, float] | None = None
        self._line = line
        self._from: QPointF | None = None
        self._to: QPointF | None = None
        self.empty = "The picture is being read …"
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(480, 270)
        self.setCursor(Qt.CursorShape.CrossCursor)

    def sizeHint(self) -> QSize:
        return QSize(960, 540)

    def rect_of_picture(self) -> QRectF:
        """Where the picture stands in the widget."""
        w, h = max(self.image.width(), 1), max(self.image.height(), 1)
        scale = min(self.width() / w, self.height() / h)
        return QRectF((self.width() - w * scale) / 2, (self.height() - h * scale) / 2, w * scale, h * scale)

    def to_frame(self, at: QPointF) -> QPointF:
        """A point of the widget in px of the frame."""
        r = self.rect_of_picture()
        return QPointF(
            (at.x() - r.left()) / r.width() * self.image.width(), (at.y() - r.top()) / r.height() * self.image.height()
        )

    def to_widget(self, x: float, y: float) -> QPointF:
        """A point of the frame in the widget."""
        r = self.rect_of_picture()
        return QPointF(
            r.left() + x / max(self.image.width(), 1) * r.width(), r.top() + y / max(self.image.height(), 1) * r.height()
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), QColor(SURROUND))
        if self.image.isNull():
            text(p, self.width() / 2, self.height() / 2, self.empty, 12, 500, WHITE, "centre", room=self.width() - 24)
            return
        p.drawImage(self.rect_of_picture(), self.image)
        for b in self.boxes:
            x, y, w, h = b.box
            self._box(p, QRectF(self.to_widget(x, y), self.to_widget(x + w, y + h)), b.name)
        if self._from is not None and self._to is not None:
            self._stretch(p, self._from, self._to)
        elif self.line is not None:
            self._stretch(p, self.to_widget(*self.line[:2]), self.to_widget(*self.line[2:]))

    def _box(self, p: QPainter, r: QRectF, name: str) -> None:
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(WHITE), 3))
        p.drawRect(r)
        p.setPen(QPen(QColor(BLUE if name != CLOTH else VERMILION), 1.5))
        p.drawRect(r)
        text(p, r.left() + 4, r.top() - 8, name, 11, 600, WHITE)

    def _stretch(self, p: QPainter, a: QPointF, b: QPointF) -> None:
        if not self._line:
            self._box(p, QRectF(a, b).normalized(), "")
            return
        for ink, w in ((WHITE, 4.0), (BLUE, 2.0)):
            p.setPen(QPen(QColor(ink), w))
            p.drawLine(a, b)
        p.setBrush(QColor(BLUE))
        p.drawEllipse(a, 5, 5)
        text(p, a.x() + 10, a.y() + 12, "foot", 11, 600, WHITE)
        text(p, b.x() + 10, b.y() + 12, "tip", 11, 600, WHITE)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self.image.isNull():
            self._from = self._to = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._from is not None:
            self._to = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._from is None or self._to is None:
            return
        a, b = self.to_frame(self._from), self.to_frame(self._to)
        self._from = self._to = None
        self.update()
        self.drawn.emit((a.x(), a.y(), b.x(), b.y()))


class PickDialog(QDialog):
    """A plate's frame to draw on. `boxes` gives named boxes, `line` the shadow; `picture` is the frame, scene linear."""

    def __init__(self, state: State, parent: QWidget, *, line: bool) -> None:
        super().__init__(parent)
        self._state, self._line = state, line
        self.picture: Array | None = None
        self.setWindowTitle("Draw the shadow on the plate" if line else "Measure colours on a still")
        self.view = PickPicture(line=line)
        self.plates, self.frame = QComboBox(), QSpinBox()
        shot = state.shot
        for plate in shot.plates if shot else ():
            self.plates.addItem(plate.name or plate.id, plate.id)
        self.frame.setRange(1, shot.length if shot else 1)
        self.frame.setValue(state.frame)
        self.frame.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.frame.setToolTip("The frame that is shown.")
        self.name = QLineEdit("coat")
        self.name.setMaxLength(60)
        self.name.setToolTip("What the next box is drawn on.")
        self.cloth = QPushButton(f"Next box is {CLOTH}")
        self.cloth.setCheckable(True)
        self.cloth.setToolTip("Draw it over bare cloth, as much of it as will stand behind the subject.")
        self.clear = QPushButton("Take the last box out")
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self._lay_out()
        self.view.drawn.connect(self._drawn)
        self.plates.activated.connect(self._read)
        self.frame.valueChanged.connect(self._read)
        self.clear.clicked.connect(self._take_out)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)
        self._said()
        self._read()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        for widget in (QLabel("Plate"), self.plates, QLabel("Frame"), self.frame):
            head.addWidget(widget)
        head.addStretch(1)
        if not self._line:
            for more in (QLabel("Next box is"), self.name, self.cloth, self.clear):
                head.addWidget(more)
        self.note = QLabel()
        box = QVBoxLayout(self)
        box.addLayout(head)
        box.addWidget(self.view, 1)
        low = QHBoxLayout()
        low.addWidget(self.note, 1)
        low.addWidget(self.buttons)
        box.addLayout(low)
        self.resize(1000, 660)

    def _read(self, _: int = 0) -> None:
        session, shot, plate = self._state.session, self._state.shot, self.plates.currentData()
        if not session or not shot or plate is None:
            self.view.empty = "This shot has no plate yet; add a still of it first."
            return
        renderer, frame = session.renderer(shot.code), self.frame.value()
        self._state.engine.drop("pick")
        self._state.engine.ask(
            LOOK, lambda: renderer.product(f"plate:{plate}", frame).picture, self._show, self._fail, tag="pick"
        )

    def _show(self, picture: Array | None) -> None:
        if picture is not None:
            self.picture = np.asarray(picture[..., :3])
            self.view.image = picture_image(picture)
            self.view.update()

    def _fail(self, why: str) -> None:
        self.view.image, self.view.empty = QImage(), why
        self.view.update()

    def _drawn(self, at: tuple[float, float, float, float]) -> None:
        if self._line:
            self.view.line = at
        else:
            box = self._inside(at)
            if box is None:
                return
            name = CLOTH if self.cloth.isChecked() else self.name.text().strip() or f"colour {len(self.view.boxes) + 1}"
            self.view.boxes = [b for b in self.view.boxes if b.name != name] + [Boxed(name, box)]
            self.cloth.setChecked(False)
        self.view.update()
        self._said()

    def _inside(self, at: tuple[float, float, float, float]) -> tuple[int, int, int, int] | None:
        """The box within the picture; None if nothing is left of it."""
        w, h = self.view.image.width(), self.view.image.height()
        x0, x1 = sorted(min(max(round(v), 0), w) for v in at[::2])
        y0, y1 = sorted(min(max(round(v), 0), h) for v in at[1::2])
        return (x0, y0, x1 - x0, y1 - y0) if min(x1 - x0, y1 - y0) >= LEAST else None

    def _take_out(self) -> None:
        del self.view.boxes[-1:]
        self.view.update()
        self._said()

    def _said(self) -> None:
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        if self._line:
            ok.setEnabled(self.view.line is not None)
            self.note.setText("Drag from where the thing stands to the far end of its shadow.")
            return
        ok.setEnabled(bool(self.view.boxes))
        n = len(self.view.boxes)
        self.note.setText(f"{n} box{'es' if n != 1 else ''}. Write what it is, then drag a box over it; larger ones count more.")
