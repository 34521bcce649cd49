"""A point with its pattern: four jaws press on the pattern's sides, a beam over its head, a dot; a ring of dots is its reach."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from transmixis.core.motion.motion import moved_points
from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.held import HeldTool
from transmixis.desk.tools.holdsmap import paint_better, paint_holds
from transmixis.desk.tools.patternpanel import paint_pattern
from transmixis.desk.tools.tool import Canvas, Place, near
from transmixis.desk.tools.trail import dot_at, paint_trail

SMALL = 12.0  # px of the screen: a smaller pattern shows its dot only


class PointTool(HeldTool):
    """One place, or none yet: then the first press sets it."""

    value: tuple[Place, ...]

    def taken(self, value: object) -> tuple[Place, ...]:
        return tuple((float(x), float(y)) for x, y in np.asarray(value, np.float64).reshape(-1, 2)[:1])

    def _near(self, p: QPointF, canvas: Canvas) -> bool:
        half = self.handle.facts.get("half", 0) * canvas.scale()
        return bool(self.value) and near(p, canvas.to_screen(*self.value[0]), max(12.0, half))

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        if not self.value:
            return Qt.CursorShape.CrossCursor
        return Qt.CursorShape.SizeAllCursor if self._near(p, canvas) else None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        if self.value and not self._near(event.position(), canvas):
            frame = dot_at(canvas, self.handle, event.position())
            if frame is not None:
                self.went(frame)
            return frame is not None
        self.begin()
        self.held = True
        if not self.value:
            self.move(event, canvas)
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self.held is None:
            return False
        f = canvas.to_frame(event.position())
        self.value = ((f.x(), f.y()),)
        self.dragged(canvas)
        return True

    @property
    def can_nudge(self) -> bool:
        return bool(self.value)

    def nudge(self, dx: float, dy: float) -> None:
        ((x, y),) = self.value
        self.value = ((x + dx, y + dy),)

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        paint_trail(p, canvas, self.handle)
        if not self.value:
            paint_holds(p, canvas, self.handle)
            return
        paint_better(p, canvas, self.handle)
        q = canvas.to_screen(*self.value[0])
        half = float(self.handle.facts.get("half", 0))
        if (
            not self.handle.facts.get("known", True) and self.held is None
        ):  # where it lay in its reference: it is not claimed to lie there
            self._paint_reach(p, canvas, q)
            paint_pattern(p, canvas, self.handle, self.value[0], live=False)
            return
        if 2 * half * canvas.scale() >= SMALL:
            self._paint_jaws(p, canvas, half)
        self._paint_reach(p, canvas, q)
        for ink, r in ((INK, 4.2), (BLUE if self.handle.here else WHITE, 2.8)):
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(ink))
            p.drawEllipse(q, r, r)
        paint_pattern(p, canvas, self.handle, self.value[0], self.held is not None)

    def _paint_jaws(self, p: QPainter, canvas: Canvas, half: float) -> None:
        """Jaws on the four sides, as the pattern is turned here; the beam joins left and right over its head."""
        turn = np.asarray(self.handle.facts.get("matrix", np.eye(3)))
        place = np.array(self.value[0])
        own = moved_points(np.linalg.inv(turn), place)[0]
        sides = {(-1, 0): 0.45, (1, 0): 0.45, (0, -1): 0.45, (0, 1): 0.45}
        strokes = []
        for (u, v), wide in sides.items():
            along = np.array([-v, u]) * half * wide
            strokes.append([own + half * np.array([u, v]) - along, own + half * np.array([u, v]) + along])
        top = own + np.array([0, -1.35 * half])
        strokes.append(
            [
                own + half * np.array([-1, -0.45]),
                top + half * np.array([-1, 0]),
                top + half * np.array([1, 0]),
                own + half * np.array([1, -0.45]),
            ]
        )
        p.setBrush(Qt.BrushStyle.NoBrush)
        for ink, width in ((INK, 3.4), (WHITE, 1.6)):
            p.setPen(QPen(QColor(ink), width))
            for stroke in strokes:
                there = [canvas.to_screen(x, y) for x, y in moved_points(turn, np.array(stroke))]
                for a, b in pairwise(there):
                    p.drawLine(a, b)

    def _paint_reach(self, p: QPainter, canvas: Canvas, q: QPointF) -> None:
        r = (self.handle.facts.get("half", 0) + self.handle.facts.get("reach", 0)) * canvas.scale()
        for ink, width in ((INK, 2.0), (WHITE, 1.0)):
            pen = QPen(QColor(ink), width)
            pen.setDashPattern([1 / width, 5 / width])
            p.setPen(pen)
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(q, r, r)
