"""Four corners with their perspective: drawn from corner to corner, then each dragged to its place."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen, QPolygonF

from transmixis.core.motion.motion import moved_points, through
from transmixis.desk.marks import hatch
from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.gripped import GrippedTool
from transmixis.desk.tools.tool import Canvas, Place, double_line
from transmixis.desk.tools.trail import paint_trail

ACROSS, DOWN = 4, 8  # fields of the grid that shows the perspective
UNSEEN = 30  # % : less agrees than that, and it is taken for something else
UNIT = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])


class CornersTool(GrippedTool):
    """Top left, top right, bottom right, bottom left."""

    def grips(self) -> list[Place]:
        return list(self.value)

    def drawn(self, start: Place, end: Place) -> tuple[Place, ...]:
        (x0, x1), (y0, y1) = sorted((start[0], end[0])), sorted((start[1], end[1]))
        return ((x0, y0), (x1, y0), (x1, y1), (x0, y1))

    def pulled(self, held: int, dx: float, dy: float) -> tuple[Place, ...]:
        return tuple((x + dx, y + dy) if i == held else (x, y) for i, (x, y) in enumerate(self.value))

    def is_something(self) -> bool:
        return bool(self.value) and bool(np.ptp(np.array(self.value), axis=0).min() >= 2)

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        paint_trail(p, canvas, self.handle)
        if len(self.value) != 4:
            return
        self._paint_grid(p, canvas)
        self._paint_unseen(p, canvas)
        places = [canvas.to_screen(x, y) for x, y in self.value]
        double_line(p, places)
        for i, q in enumerate(places):
            p.setPen(QPen(QColor(WHITE), 1.4))
            p.setBrush(QColor(BLUE if self.handle.here or self.chosen == i else INK))
            p.drawRect(int(q.x()) - 4, int(q.y()) - 4, 8, 8)

    def _paint_unseen(self, p: QPainter, canvas: Canvas) -> None:
        """Hatched where it does not agree with its reference here: glare, or what passes in front."""
        where = self.handle.facts.get("where")
        if where is None or self.busy:
            return
        matrix, n = through(UNIT, np.array(self.value)), len(where)
        path = QPainterPath()
        for j, i in np.argwhere(np.asarray(where) < UNSEEN):
            cell = moved_points(matrix, np.array([[i, j], [i + 1, j], [i + 1, j + 1], [i, j + 1]]) / n)
            path.addPolygon(QPolygonF([canvas.to_screen(*q) for q in cell.tolist()]))
        if not path.isEmpty():
            hatch(p, path, WHITE, 6, 0.9)
            hatch(p, path, INK, 5, 0.5)

    def _paint_grid(self, p: QPainter, canvas: Canvas) -> None:
        matrix = through(UNIT, np.array(self.value))
        p.setPen(QPen(QColor(255, 255, 255, 120), 1))
        lines = [((i / ACROSS, 0), (i / ACROSS, 1)) for i in range(1, ACROSS)] + [
            ((0, j / DOWN), (1, j / DOWN)) for j in range(1, DOWN)
        ]
        for ends in lines:
            a, b = moved_points(matrix, np.array(ends))
            p.drawLine(canvas.to_screen(*a), canvas.to_screen(*b))
