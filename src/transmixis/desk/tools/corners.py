"""Four corners with their perspective: drawn from corner to corner, then each dragged to its place."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from transmixis.core.motion.motion import moved_points, through
from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.tool import Canvas, Place, Tool, double_line, near
from transmixis.desk.tools.trail import paint_trail
from transmixis.shot.contract import Handle

ACROSS, DOWN = 4, 8  # fields of the grid that shows the perspective
UNIT = np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]])


class CornersTool(Tool):
    """Top left, top right, bottom right, bottom left."""

    value: tuple[Place, ...]

    def __init__(self, handle: Handle) -> None:
        super().__init__(handle)
        self._held: int | None = None  # a corner; -1: a new box is drawn; 4: all of it
        self._grip = QPointF()
        self.chosen: int | None = None

    def follow_on(self, before: Tool) -> None:
        self.chosen = before.chosen if isinstance(before, CornersTool) else None

    def taken(self, value: object) -> tuple[Place, ...]:
        return tuple((float(x), float(y)) for x, y in np.asarray(value, np.float64).reshape(-1, 2))

    def _places(self, canvas: Canvas) -> list[QPointF]:
        return [canvas.to_screen(x, y) for x, y in self.value]

    def _at(self, p: QPointF, canvas: Canvas) -> int | None:
        return next((i for i, q in enumerate(self._places(canvas)) if near(p, q, 12)), None)

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        if not self.value:
            return Qt.CursorShape.CrossCursor
        return Qt.CursorShape.SizeAllCursor if self._at(p, canvas) is not None else None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        p = event.position()
        held = -1 if not self.value else self._at(p, canvas)
        if held is None and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            held = 4
        if held is None:
            return False
        self.begin()
        self._held, self._grip = held, p
        self.chosen = held if 0 <= held < 4 else None
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._held is None:
            return False
        f, g = canvas.to_frame(event.position()), canvas.to_frame(self._grip)
        if self._held == -1:
            x0, x1 = sorted((f.x(), g.x()))
            y0, y1 = sorted((f.y(), g.y()))
            self.value = ((x0, y0), (x1, y0), (x1, y1), (x0, y1))
        else:
            self._shift(f.x() - g.x(), f.y() - g.y(), whole=self._held == 4)
            self._grip = event.position()
        self.dragged(canvas)
        return True

    def _shift(self, dx: float, dy: float, *, whole: bool) -> None:
        held = self._held if self._held is not None else self.chosen
        self.value = tuple((x + dx, y + dy) if whole or i == held else (x, y) for i, (x, y) in enumerate(self.value))

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._held is None:
            return False
        small = self._held == -1 and (not self.value or np.ptp(np.array(self.value), axis=0).min() < 2)
        self._held = None
        if small:
            self.call_off(canvas)
        else:
            self.end(canvas)
        return True

    def call_off(self, canvas: Canvas) -> None:
        self._held = None
        super().call_off(canvas)

    @property
    def can_nudge(self) -> bool:
        return self.chosen is not None

    def nudge(self, dx: float, dy: float) -> None:
        self._shift(dx, dy, whole=False)

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        paint_trail(p, canvas, self.handle)
        if len(self.value) != 4:
            return
        self._paint_grid(p, canvas)
        places = self._places(canvas)
        double_line(p, places)
        for i, q in enumerate(places):
            p.setPen(QPen(QColor(WHITE), 1.4))
            p.setBrush(QColor(BLUE if self.handle.here or self.chosen == i else INK))
            p.drawRect(int(q.x()) - 4, int(q.y()) - 4, 8, 8)

    def _paint_grid(self, p: QPainter, canvas: Canvas) -> None:
        matrix = through(UNIT, np.array(self.value))
        p.setPen(QPen(QColor(255, 255, 255, 120), 1))
        lines = [((i / ACROSS, 0), (i / ACROSS, 1)) for i in range(1, ACROSS)] + [
            ((0, j / DOWN), (1, j / DOWN)) for j in range(1, DOWN)
        ]
        for ends in lines:
            a, b = moved_points(matrix, np.array(ends))
            p.drawLine(canvas.to_screen(*a), canvas.to_screen(*b))
