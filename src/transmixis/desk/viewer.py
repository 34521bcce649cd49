"""The viewer: the picture in its surround, with zoom, pan, loupe, dividing line and the ring of a fault."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.desk.theme import INK, SURROUND
from transmixis.desk.tools.tool import Tool
from transmixis.desk.viewerpaint import (
    Ring,
    Shown,
    paint_beside,
    paint_loupe,
    paint_message,
    paint_note,
    paint_ring,
    paint_size,
    picture_rect,
)


class Viewer(QWidget):
    """Paints `Shown`, and hands the mouse and the keys to the tool that is at hand. `pointed` tells the pixel under the pointer."""

    pointed = pyqtSignal(object)  # (x, y) or None

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Viewer")
        self.setMinimumSize(320, 200)
        self.shown: Shown | None = None
        self.message = ""
        self.ring: Ring | None = None
        self.show_ring = self.show_loupe = self.show_panel = True
        self.tool: Tool | None = None
        self._zoom: float | None = None  # None: fitted
        self._middle = QPointF()  # of the frame, in frame px, that stands in the widget's middle
        self.divide = 0.5
        self._drag: str | None = None
        self._from = QPointF()
        self.pointer: QPointF | None = None
        self.pixel_aspect = 1.0  # width over height of a pixel of the frame

    def sizeHint(self) -> QSize:
        return QSize(672, 388)

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
        if self.pointer is None or not self.shown:
            return None
        f = self.to_frame(self.pointer)
        w, h = self.frame_size()
        x, y = int(np.floor(f.x())), int(np.floor(f.y()))
        return (x, y) if 0 <= x < w and 0 <= y < h else None

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(SURROUND))
        if not self.shown:
            paint_message(self, p)
            return
        rect = picture_rect(self.to_screen, self.frame_size())
        smooth = self.scale() * self.shown.by < 3
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        p.drawImage(rect, self.shown.image)
        if self.shown.other is not None:
            paint_beside(self, p, rect)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.tool is not None:
            self.tool.paint(p, self)
        if self.ring and self.show_ring:
            paint_ring(self, p, self.ring)
        if self.shown.by > 1:
            paint_size(self, p, self.shown.by)
        if self.message:
            paint_note(self, p)
        if self.show_loupe and self.pixel() and self._drag is None and not (self.tool and self.tool.busy):
            paint_loupe(self, p)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

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
        self.pointer = pos
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
            r = picture_rect(self.to_screen, self.frame_size())
            self.divide = float(np.clip((pos.x() - r.left()) / max(r.width(), 1), 0.02, 0.98))
        self.pointed.emit(self.pixel())
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.tool is not None and self._drag is None and self.tool.release(event, self):
            return
        self._drag = None
        self.update()

    def leaveEvent(self, event: object) -> None:
        self.pointer = None
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
        if self.tool is not None and self.tool.double(event, self):
            return
        self.fit()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if self.tool is not None and self.tool.wheel(event, self):
            return
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
