"""Round spots set by hand: Ctrl and press sets one, dragging moves it, dragging its rim sizes it, a right press takes it away. Spots
that were found are shown beside them and stay as they are."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from transmixis.desk.theme import BLUE, VERMILION, WHITE
from transmixis.desk.tools.held import HeldTool
from transmixis.desk.tools.tool import Canvas

Spot = tuple[float, float, float]  # x, y, radius; px whose centres are whole numbers, as the survey counts them
FIRST_RADIUS, LEAST_RADIUS = 8.0, 1.0  # px of the frame
RIM = 6.0  # px of the screen


class SpotsTool(HeldTool):
    """The spots set by hand."""

    value: tuple[Spot, ...]

    def taken(self, value: object) -> tuple[Spot, ...]:
        return tuple((float(x), float(y), float(r)) for x, y, r in np.asarray(value, np.float64).reshape(-1, 3))

    def given(self) -> list[list[float]]:
        return [[round(v, 1) for v in s] for s in self.value]

    def _at(self, canvas: Canvas, p: QPointF) -> tuple[int, str] | None:
        """The spot under a point of the screen, and whether it is its rim."""
        for i, (x, y, r) in enumerate(self.value):
            c, s = canvas.to_screen(x + 0.5, y + 0.5), canvas.scale()
            away = float(np.hypot(p.x() - c.x(), p.y() - c.y()))
            if away < max(r * s + RIM, 10):
                return i, "rim" if away > r * s - RIM and r * s > 2 * RIM else "whole"
        return None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        hit = self._at(canvas, event.position())
        if event.button() == Qt.MouseButton.RightButton and hit:
            self.take_out(hit[0], canvas)
            return True
        if event.button() != Qt.MouseButton.LeftButton:
            return False
        if hit:
            self.begin()
            self.held = hit
            return True
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            f = canvas.to_frame(event.position())
            self.begin()
            self.value = (*self.value, (f.x() - 0.5, f.y() - 0.5, FIRST_RADIUS))
            self.held = (len(self.value) - 1, "whole")
            return True
        return False

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self.held is None:
            return False
        i, part = self.held
        x, y, r = self.value[i]
        f = canvas.to_frame(event.position())
        u, v = f.x() - 0.5, f.y() - 0.5
        spot = (u, v, r) if part == "whole" else (x, y, max(LEAST_RADIUS, float(np.hypot(u - x, v - y))))
        self.value = (*self.value[:i], spot, *self.value[i + 1 :])
        self.dragged(canvas)
        return True

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        """Found spots in the ink of faults, those set by hand in that of a person's."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        for spots, ink in ((self.handle.facts.get("found", ()), VERMILION), (self.value, BLUE)):
            for x, y, r in spots:
                c, radius = canvas.to_screen(x + 0.5, y + 0.5), max(r * canvas.scale(), 4.0)
                for colour, width in ((WHITE, 3.4), (ink, 1.6)):
                    p.setPen(QPen(QColor(colour), width))
                    p.drawEllipse(c, radius, radius)
