"""Where a patch is taken from: a beam from the place (whole line) to the source (dashed), which is dragged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF

from transmixis.core.matte.outline import xy
from transmixis.core.motion.motion import moved_points
from transmixis.core.types import Array
from transmixis.desk.marks import text
from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.tool import Canvas, Place, Tool, double_line, near
from transmixis.shot.contract import Handle


class SourceTool(Tool):
    """The value is the offset (right, down) px at the frame at which the place was set."""

    value: Place

    def __init__(self, handle: Handle) -> None:
        super().__init__(handle)
        self._grip: QPointF | None = None

    def taken(self, value: object) -> Place:
        right, down = np.asarray(value, np.float64)
        return float(right), float(down)

    def _outlines(self) -> tuple[Array, Array]:
        """The place and its source in this frame."""
        here, matrix = xy(self.handle.facts["outline"]), self.handle.matrix
        own = moved_points(np.linalg.inv(matrix), here)
        return here, moved_points(matrix, own + np.array(self.value))

    def _inside(self, p: QPointF, canvas: Canvas) -> bool:
        shape = QPolygonF([canvas.to_screen(x, y) for x, y in self._outlines()[1]])
        return shape.containsPoint(p, Qt.FillRule.OddEvenFill) or near(p, shape.boundingRect().center(), 12)

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        return Qt.CursorShape.SizeAllCursor if self._inside(p, canvas) else None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        left = event.button() == Qt.MouseButton.LeftButton and not event.modifiers() & Qt.KeyboardModifier.AltModifier
        if not left or not self._inside(event.position(), canvas):
            return False
        self.begin()
        self._grip = event.position()
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._grip is None:
            return False
        f, g = canvas.to_frame(event.position()), canvas.to_frame(self._grip)
        self._grip = event.position()
        a, b = moved_points(np.linalg.inv(self.handle.matrix), np.array([[f.x(), f.y()], [g.x(), g.y()]]))
        self.value = (self.value[0] + float(a[0] - b[0]), self.value[1] + float(a[1] - b[1]))
        self.dragged(canvas)
        return True

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._grip is None:
            return False
        self._grip = None
        self.value = (round(self.value[0] * 4) / 4, round(self.value[1] * 4) / 4)
        self.end(canvas)
        return True

    def call_off(self, canvas: Canvas) -> None:
        self._grip = None
        super().call_off(canvas)

    @property
    def can_nudge(self) -> bool:
        return True

    def nudge(self, dx: float, dy: float) -> None:
        self.value = (self.value[0] + dx, self.value[1] + dy)

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        place, source = ([canvas.to_screen(x, y) for x, y in o] for o in self._outlines())
        double_line(p, place)
        double_line(p, source, dashed=True)
        a, b = QPolygonF(place).boundingRect().center(), QPolygonF(source).boundingRect().center()
        for ink, width in ((INK, 3.0), (BLUE, 1.6)):
            p.setPen(QPen(QColor(ink), width))
            p.drawLine(a, b)
        right, down = self.value
        words = f"{abs(right):.4g} px {'right' if right >= 0 else 'left'}, {abs(down):.4g} {'down' if down >= 0 else 'up'}"
        x = QPolygonF(source).boundingRect().right() + 8
        text(p, x + 1, b.y() + 1, words, 11, 600, INK)
        text(p, x, b.y(), words, 11, 600, WHITE)
