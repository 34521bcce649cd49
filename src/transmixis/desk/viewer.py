"""The viewer: the picture in its surround, with zoom, pan, loupe, dividing line and the ring of a fault."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.core.types import Array
from transmixis.desk.marks import CENTRE, mark, text
from transmixis.desk.theme import INK, INK2, PAPER, RAISED, SURROUND, VERMILION, VERMILION_TEXT, WHITE, in_lines, text_width
from transmixis.desk.tools.tool import Tool

LOUPE_PIXELS, LOUPE_SCALE = 11, 8


@dataclass(frozen=True)
class Shown:
    """What is on screen: the picture, a second one for Beside, and the pixels behind them for the figures."""

    image: QImage
    other: QImage | None
    plate: Array | None
    alpha: Array | None
    title: str
    by: int = 1  # px of the frame across one of the picture: 1 at full size

    def values(self, x: int, y: int) -> tuple[Array | None, float | None]:
        """The plate's values and the matte's at a px of the frame, where they are known."""
        u, v = x // self.by, y // self.by
        plate = None if self.plate is None or v >= self.plate.shape[0] or u >= self.plate.shape[1] else self.plate[v, u, :3]
        alpha = None if self.alpha is None or v >= self.alpha.shape[0] or u >= self.alpha.shape[1] else float(self.alpha[v, u])
        return plate, alpha


@dataclass(frozen=True)
class Ring:
    """A fault to ring: its box in px of the frame, and its words."""

    box: tuple[int, int, int, int]
    words: str


class Viewer(QWidget):
    """Paints `Shown`, and hands the mouse and the keys to the tool that is at hand. `pointed` tells the pixel under the pointer."""

    pointed = pyqtSignal(object)  # (x, y) or None

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Viewer")
        self.shown: Shown | None = None
        self.message = ""
        self.ring: Ring | None = None
        self.show_ring = self.show_loupe = True
        self.tool: Tool | None = None
        self._zoom: float | None = None  # None: fitted
        self._middle = QPointF()  # of the frame, in frame px, that stands in the widget's middle
        self._divide = 0.5
        self._drag: str | None = None
        self._from = QPointF()
        self._pointer: QPointF | None = None
        self.pixel_aspect = 1.0  # width over height of a pixel of the frame

    def sizeHint(self) -> QSize:
        return QSize(672, 388)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, 200)

    # -- geometry

    def frame_size(self) -> tuple[int, int]:
        """Width and height of what is shown."""
        s = self.shown
        return (s.image.width() * s.by, s.image.height() * s.by) if s else (16, 9)

    def fit_scale(self) -> float:
        w, h = self.frame_size()
        return max(0.01, min((self.width() - 32) / (w * self.pixel_aspect), (self.height() - 28) / h))

    def scale(self) -> float:
        """Screen px for the height of one px of the frame."""
        return self._zoom or self.fit_scale()

    def to_screen(self, x: float, y: float) -> QPointF:
        s = self.scale()
        w, h = self.frame_size()
        mid = self._middle if self._zoom else QPointF(w / 2, h / 2)
        return QPointF((x - mid.x()) * s * self.pixel_aspect + self.width() / 2, (y - mid.y()) * s + self.height() / 2)

    def to_frame(self, p: QPointF) -> QPointF:
        s = self.scale()
        w, h = self.frame_size()
        mid = self._middle if self._zoom else QPointF(w / 2, h / 2)
        return QPointF((p.x() - self.width() / 2) / (s * self.pixel_aspect) + mid.x(), (p.y() - self.height() / 2) / s + mid.y())

    def picture_rect(self) -> QRectF:
        w, h = self.frame_size()
        return QRectF(self.to_screen(0, 0), self.to_screen(w, h))

    def fit(self) -> None:
        """Show the whole frame."""
        self._zoom = None
        self.pointed.emit(self.pixel())
        self.update()

    def zoom_about(self, factor: float, at: QPointF) -> None:
        """Zoom so that the frame's point under `at` stays there."""
        held = self.to_frame(at)
        self._zoom = float(np.clip(self.scale() * factor, 0.05, 32))
        s = self._zoom
        x = held.x() - (at.x() - self.width() / 2) / (s * self.pixel_aspect)
        self._middle = QPointF(x, held.y() - (at.y() - self.height() / 2) / s)
        self.pointed.emit(self.pixel())
        self.update()

    # -- what is shown

    def show_picture(self, shown: Shown | None, message: str = "") -> None:
        self.shown, self.message = shown, message
        self.update()

    def pixel(self) -> tuple[int, int] | None:
        """The frame's pixel under the pointer."""
        if self._pointer is None or not self.shown:
            return None
        f = self.to_frame(self._pointer)
        w, h = self.frame_size()
        x, y = int(np.floor(f.x())), int(np.floor(f.y()))
        return (x, y) if 0 <= x < w and 0 <= y < h else None

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(SURROUND))
        if not self.shown:
            self._paint_message(p)
            return
        rect = self.picture_rect()
        smooth = self.scale() * self.shown.by < 3
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        p.drawImage(rect, self.shown.image)
        if self.shown.other is not None:
            self._paint_beside(p, rect)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.tool is not None:
            self.tool.paint(p, self)
        if self.ring and self.show_ring:
            self._paint_ring(p, self.ring)
        if self.shown.by > 1:
            self._paint_size(p, self.shown.by)
        if self.message:
            self._paint_note(p)
        if self.show_loupe and self.pixel() and self._drag is None and not (self.tool and self.tool.busy):
            self._paint_loupe(p)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _paint_message(self, p: QPainter) -> None:
        lines = in_lines(self.message or "Rendering this frame", 13, 500, self.width() - 64).split("\n")
        top = self.height() / 2 - 10 * (len(lines) - 1)
        for i, line in enumerate(lines):
            text(p, self.width() / 2, top + 20 * i, line, 13, 500, WHITE, CENTRE, room=self.width() - 32)

    def _paint_size(self, p: QPainter, by: int) -> None:
        """What is on screen, where it is not the full size."""
        words = f"{'half' if by == 2 else 'quarter'} size; readings and delivery are full size"
        wide = text_width(words, 11, 500) + 16
        p.fillRect(QRectF(self.width() - wide - 8, 8, wide, 20), QColor(PAPER))
        text(p, self.width() - wide, 18, words, 11, 500, INK)

    def _paint_note(self, p: QPainter) -> None:
        lines = in_lines(self.message, 12, 500, self.width() - 52).split("\n")
        w = min(max(text_width(line, 12, 500) for line in lines) + 20, self.width() - 32)
        high = 18 * len(lines) + 6
        box = QRectF(16, self.height() - 16 - high, w, high)
        p.fillRect(box, QColor(PAPER))
        for i, line in enumerate(lines):
            text(p, box.left() + 10, box.top() + 12 + 18 * i, line, 12, 500, VERMILION_TEXT, room=self.width() - 42)

    def _paint_beside(self, p: QPainter, rect: QRectF) -> None:
        assert self.shown is not None and self.shown.other is not None
        x = rect.left() + self._divide * rect.width()
        p.save()
        p.setClipRect(QRectF(x, rect.top(), rect.right() - x, rect.height()))
        p.drawImage(rect, self.shown.other)
        p.restore()
        p.fillRect(QRectF(x - 1, rect.top(), 2, rect.height()), QColor(WHITE))
        p.fillRect(QRectF(x - 2, rect.top(), 1, rect.height()), QColor(INK))
        text(p, rect.left() + 8, rect.bottom() - 12, "Plate", 11, 500, WHITE)
        text(p, rect.right() - 8, rect.bottom() - 12, "Result", 11, 500, WHITE, "right")

    def _paint_ring(self, p: QPainter, ring: Ring) -> None:
        x, y, w, h = ring.box
        a, b = self.to_screen(x, y), self.to_screen(x + w, y + h)
        box = QRectF(a, b).adjusted(-10, -10, 10, 10)
        least = 28.0
        if box.width() < least or box.height() < least:
            c = box.center()
            bw, bh = max(box.width(), least), max(box.height(), least)
            box = QRectF(c.x() - bw / 2, c.y() - bh / 2, bw, bh)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for ink, width in ((WHITE, 4.0), (VERMILION, 2.0)):
            p.setPen(QPen(QColor(ink), width))
            p.drawEllipse(box)
        width = text_width(ring.words, 12, 600) + 30
        left = float(np.clip(box.center().x() - width / 2, 8, max(8, self.width() - width - 8)))
        top = box.bottom() + 8 if box.bottom() + 40 < self.height() else box.top() - 34
        label = QRectF(left, top, width, 26)
        p.setPen(QPen(QColor(VERMILION), 1))
        p.setBrush(QColor(PAPER))
        p.drawRect(label)
        mark(p, "fault", label.left() + 13, label.center().y())
        text(p, label.left() + 22, label.center().y(), ring.words, 12, 600)

    def _paint_loupe(self, p: QPainter) -> None:
        assert self.shown is not None and self._pointer is not None
        at = self.pixel()
        assert at is not None
        side = LOUPE_PIXELS * LOUPE_SCALE
        width = side + 104
        left = 16.0 if self._pointer.x() > self.width() / 2 else self.width() - width - 16.0
        top = 16.0 if self._pointer.y() > self.height() / 2 else self.height() - side - 20.0
        half = LOUPE_PIXELS // 2
        p.fillRect(QRectF(left, top, width, side + 4), QColor(RAISED))
        part = self.shown.image.copy(at[0] // self.shown.by - half, at[1] // self.shown.by - half, LOUPE_PIXELS, LOUPE_PIXELS)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        p.drawImage(QRectF(left + 2, top + 2, side, side), part)
        c = QRectF(left + 2 + half * LOUPE_SCALE, top + 2 + half * LOUPE_SCALE, LOUPE_SCALE, LOUPE_SCALE)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(QColor(INK), 3))
        p.drawRect(c)
        p.setPen(QPen(QColor(WHITE), 1.2))
        p.drawRect(c)
        x = left + side + 10
        text(p, x, top + 12, f"x {at[0]}  y {at[1]}", 11, 400, INK2)
        for i, (name, value) in enumerate(zip("RGB", self._stops(at), strict=True)):
            y = top + 31 + 16 * i
            text(p, x, y, name, 12)
            text(p, x + 62, y, value, 12, 500, align="right")
            text(p, x + 66, y, "stop", 11, 400, INK2)
        alpha = self.shown.values(*at)[1]
        if alpha is not None:
            text(p, x, top + 82, "Matte", 11, 400, INK2)
            text(p, x + 86, top + 82, f"{alpha:.2f}", 12, 600, align="right")

    def _stops(self, at: tuple[int, int]) -> list[str]:
        """Stops under white of the plate's pixel, by channel."""
        values = self.shown.values(*at)[0] if self.shown is not None else None
        if values is None:
            return ["–"] * 3
        return [f"{np.log2(v):+.2f}".replace("-", "\u2212") if v > 1e-6 else "black" for v in values]

    # -- pointer and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pos = event.position()
        self.setFocus()
        self._from = pos
        if self.tool is not None and self.tool.press(event, self):
            self.update()
            return
        if event.button() == Qt.MouseButton.MiddleButton or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._drag = "pan"
        elif self.shown and self.shown.other is not None:
            self._drag = "divide"
        elif self._zoom:
            self._drag = "pan"
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pos = event.position()
        self._pointer = pos
        if self.tool is not None and self._drag is None:
            shape = self.tool.cursor(pos, self)
            self.setCursor(shape if shape is not None else Qt.CursorShape.ArrowCursor)
            if self.tool.move(event, self):
                return
        if self._drag == "pan":
            if not self._zoom:
                w, h = self.frame_size()
                self._zoom, self._middle = self.scale(), QPointF(w / 2, h / 2)
            moved = (pos - self._from) / self.scale()
            self._middle -= QPointF(moved.x() / self.pixel_aspect, moved.y())
            self._from = pos
        elif self._drag == "divide":
            r = self.picture_rect()
            self._divide = float(np.clip((pos.x() - r.left()) / max(r.width(), 1), 0.02, 0.98))
        self.pointed.emit(self.pixel())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.tool is not None and self._drag is None and self.tool.release(event, self):
            return
        self._drag = None
        self.update()

    def leaveEvent(self, event: object) -> None:
        self._pointer = None
        self.pointed.emit(None)
        self.update()

    def hold(self, tool: Tool | None) -> None:
        """Take a tool into the hand, or put it away."""
        self.tool = tool
        if tool is None:
            self.unsetCursor()
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.tool is not None and self.tool.press(event, self):  # two quick presses are two presses to a tool
            return
        self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.zoom_about(1.2 ** (event.angleDelta().y() / 120), event.position())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if self.tool is not None and self.tool.key(event, self):
            return
        if event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_about(1.25, QPointF(self.width() / 2, self.height() / 2))
        elif event.key() == Qt.Key.Key_Minus:
            self.zoom_about(0.8, QPointF(self.width() / 2, self.height() / 2))
        elif event.key() == Qt.Key.Key_0:
            self.fit()
        else:
            super().keyPressEvent(event)
