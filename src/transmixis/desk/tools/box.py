"""A box: drawn from corner to corner; its corners and sides are dragged, with Shift all of it."""

from __future__ import annotations

from PyQt6.QtGui import QColor, QPainter, QPen

from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.gripped import GrippedTool
from transmixis.desk.tools.tool import Canvas, Place, double_line

# a grip moves the sides that it names: left, top, right, bottom
GRIPS = ((0, 1), (2, 1), (2, 3), (0, 3), (1,), (2,), (3,), (0,))


class BoxTool(GrippedTool):
    """The value is its upper left and lower right corner."""

    def grips(self) -> list[Place]:
        (x0, y0), (x1, y1) = self.value
        x, y = (x0 + x1) / 2, (y0 + y1) / 2
        return [(x0, y0), (x1, y0), (x1, y1), (x0, y1), (x, y0), (x1, y), (x, y1), (x0, y)]

    def drawn(self, start: Place, end: Place) -> tuple[Place, ...]:
        (x0, x1), (y0, y1) = sorted((start[0], end[0])), sorted((start[1], end[1]))
        return ((x0, y0), (x1, y1))

    def pulled(self, held: int, dx: float, dy: float) -> tuple[Place, ...]:
        """A side is not pulled beyond the one across."""
        sides = [*self.value[0], *self.value[1]]
        for side in GRIPS[held]:
            sides[side] += dx if side in (0, 2) else dy
        left, top, right, bottom = sides
        moves = set(GRIPS[held])
        left, right = (min(left, right - 1), right) if 0 in moves else (left, max(right, left + 1))
        top, bottom = (min(top, bottom - 1), bottom) if 1 in moves else (top, max(bottom, top + 1))
        return ((left, top), (right, bottom))

    def is_something(self) -> bool:
        return len(self.value) == 2 and all(b - a >= 2 for a, b in zip(*self.value, strict=True))

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        if len(self.value) != 2:
            return
        double_line(p, [canvas.to_screen(x, y) for x, y in self.grips()[:4]])
        for i, (x, y) in enumerate(self.grips()):
            q = canvas.to_screen(x, y)
            p.setPen(QPen(QColor(WHITE), 1.4))
            p.setBrush(QColor(BLUE if self.handle.here or self.chosen == i else INK))
            side = 4 if i < 4 else 3
            p.drawRect(int(q.x()) - side, int(q.y()) - side, 2 * side, 2 * side)
