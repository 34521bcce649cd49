"""A grid of places that are pulled: a picture bent by hand."""

from __future__ import annotations

import math

from PyQt6.QtGui import QColor, QPainter, QPen

from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.gripped import GrippedTool
from transmixis.desk.tools.tool import Canvas, Place, double_line

FIELDS = 4  # to a side, where the handle does not say


class MeshTool(GrippedTool):
    """The value is the places of a square grid, row by row. Drawn by a drag from corner to corner, with as many fields to a side as the handle's fact `fields`; then each of its places is pulled."""

    def grips(self) -> list[Place]:
        return list(self.value)

    def drawn(self, start: Place, end: Place) -> tuple[Place, ...]:
        n = int(self.handle.facts.get("fields", FIELDS))
        (x0, x1), (y0, y1) = sorted((start[0], end[0])), sorted((start[1], end[1]))
        return tuple((x0 + (x1 - x0) * i / n, y0 + (y1 - y0) * j / n) for j in range(n + 1) for i in range(n + 1))

    def pulled(self, held: int, dx: float, dy: float) -> tuple[Place, ...]:
        return tuple((x + dx, y + dy) if i == held else (x, y) for i, (x, y) in enumerate(self.value))

    def is_something(self) -> bool:
        return bool(self.value) and min(self.value[-1][0] - self.value[0][0], self.value[-1][1] - self.value[0][1]) >= 2

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        side = math.isqrt(len(self.value))
        if side < 2:
            return
        places = [canvas.to_screen(x, y) for x, y in self.value]
        for k in range(side):
            double_line(p, places[k * side : (k + 1) * side], closed=False)
            double_line(p, places[k::side], closed=False)
        for i, q in enumerate(places):
            p.setPen(QPen(QColor(WHITE), 1.4))
            p.setBrush(QColor(BLUE if self.chosen == i else INK))
            p.drawEllipse(q, 3.5, 3.5)
