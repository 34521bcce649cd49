"""Solved points as dots, some of which are said to be something: a press on one says so, a right press takes it back."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from transmixis.desk.theme import BLUE, INK, VERMILION, WHITE
from transmixis.desk.tools.held import HeldTool
from transmixis.desk.tools.tool import Canvas, Place, double_line, near
from transmixis.desk.tools.trail import paint_trail

SNAP = 14.0  # px of the screen within which a press means a dot
SMALL, RING = 2.0, 7.0


class DotsTool(HeldTool):
    """Up to `most` places that lie on dots; those of a handle that is `free` may lie anywhere."""

    value: tuple[Place, ...]

    def taken(self, value: object) -> tuple[Place, ...]:
        return tuple((float(x), float(y)) for x, y in np.asarray(value, np.float64).reshape(-1, 2))

    def given(self) -> list[list[float]]:
        return [[round(x, 2), round(y, 2)] for x, y in self.value]

    def _dot_at(self, p: QPointF, canvas: Canvas) -> Place | None:
        """The dot, or the free place, that a place of the screen means."""
        best, least = None, SNAP
        for x, y, _, _ in self.handle.facts.get("dots", ()):
            q = canvas.to_screen(x, y)
            away = float(np.hypot(q.x() - p.x(), q.y() - p.y()))
            if away < least:
                best, least = (x, y), away
        if best is None and self.handle.facts.get("free"):
            f = canvas.to_frame(p)
            return (f.x(), f.y())
        return best

    def _mark_at(self, p: QPointF, canvas: Canvas) -> int | None:
        return next((i for i, (x, y) in enumerate(self.value) if near(p, canvas.to_screen(x, y), RING + 3)), None)

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        if not self.handle.here:
            return None
        if self._mark_at(p, canvas) is not None:
            return Qt.CursorShape.SizeAllCursor
        return Qt.CursorShape.PointingHandCursor if self._dot_at(p, canvas) else None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if not self.handle.here or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        held = self._mark_at(event.position(), canvas)
        if event.button() == Qt.MouseButton.RightButton and held is not None:
            self.take_out(held, canvas)
            return True
        if event.button() != Qt.MouseButton.LeftButton:
            return False
        dot = self._dot_at(event.position(), canvas)
        if held is None and dot is None:
            return False
        self.begin()
        if held is None and dot is not None:
            most = int(self.handle.facts.get("most", 1))
            kept = self.value if len(self.value) < most else self.value[1:]  # one more: the oldest goes
            self.value = (*kept, dot)
            held = len(self.value) - 1
        self.held = held
        canvas.update()
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self.held is None:
            return False
        dot = self._dot_at(event.position(), canvas)
        if dot is not None:
            self.value = (*self.value[: self.held], dot, *self.value[self.held + 1 :])
            self.dragged(canvas)
        return True

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        """Large dots are seen in this frame, small ones lie there unseen; past the limit they are vermilion."""
        paint_trail(p, canvas, self.handle)
        limit = float(self.handle.facts.get("limit", np.inf))
        for x, y, error, seen in self.handle.facts.get("dots", ()):
            q = canvas.to_screen(x, y)
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(INK))
            p.drawEllipse(q, SMALL + 1, SMALL + 1)
            p.setBrush(QColor(VERMILION if error > limit else WHITE))
            r = SMALL if seen else SMALL / 2
            p.drawEllipse(q, r, r)
        self._paint_marks(p, canvas)

    def _paint_marks(self, p: QPainter, canvas: Canvas) -> None:
        places = [canvas.to_screen(x, y) for x, y in self.value]
        if len(places) > 1:
            double_line(p, places, closed=len(places) > 2)
        p.setBrush(Qt.BrushStyle.NoBrush)
        for q in places:
            for ink, width in ((WHITE, 3.6), (BLUE, 1.8)):
                p.setPen(QPen(QColor(ink), width))
                p.drawEllipse(q, RING, RING)
