"""A line, straight or through more points: along a wire, an edge, a horizon."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.gripped import GrippedTool
from transmixis.desk.tools.tool import Canvas, Place, double_line, side_at


class LineTool(GrippedTool):
    """The value is its points from one end to the other. A press on it adds a point, the right button takes one out; two stay."""

    def grips(self) -> list[Place]:
        return list(self.value)

    def drawn(self, start: Place, end: Place) -> tuple[Place, ...]:
        return (start, end)

    def pulled(self, held: int, dx: float, dy: float) -> tuple[Place, ...]:
        return tuple((x + dx, y + dy) if i == held else (x, y) for i, (x, y) in enumerate(self.value))

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        shape = super().cursor(p, canvas)
        if shape is None and self._side(p, canvas) is not None:
            return Qt.CursorShape.PointingHandCursor
        return shape

    def _side(self, p: QPointF, canvas: Canvas) -> int | None:
        return side_at(p, [canvas.to_screen(x, y) for x, y in self.value], closed=False)

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        p = event.position()
        if event.button() == Qt.MouseButton.RightButton:
            return self._take_out(self.at(p, canvas), canvas)
        plain = event.button() == Qt.MouseButton.LeftButton and event.modifiers() == Qt.KeyboardModifier.NoModifier
        side = self._side(p, canvas) if plain and self.value and self.at(p, canvas) is None else None
        if side is None:
            return super().press(event, canvas)
        f = canvas.to_frame(p)
        self.begin()
        self.value = (*self.value[: side + 1], (f.x(), f.y()), *self.value[side + 1 :])
        self._held = self.chosen = side + 1
        self._grip = p
        return True

    def _take_out(self, hit: int | None, canvas: Canvas) -> bool:
        if hit is None:
            return False
        if len(self.value) > 2:
            self.begin()
            self.value = (*self.value[:hit], *self.value[hit + 1 :])
            self.chosen = None
            self.end(canvas)
        return True

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        places = [canvas.to_screen(x, y) for x, y in self.value]
        if len(places) < 2:
            return
        double_line(p, places, closed=False)
        for i, q in enumerate(places):
            p.setPen(QPen(QColor(WHITE), 1.4))
            p.setBrush(QColor(BLUE if self.handle.here or self.chosen == i else INK))
            p.drawEllipse(q, 4.0, 4.0)
