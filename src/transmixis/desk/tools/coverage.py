"""What gives back each place of what must go, over the picture: the sounder the way, the less ink; grains stand in the picture's own grid, so that they do not crawl when it is moved."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QBrush, QColor, QPainter, QPen, QPolygonF

from transmixis.core.types import Array
from transmixis.desk.theme import INK, ORANGE, VERMILION, WHITE
from transmixis.desk.tools.tool import Canvas, Tool

APART = 15.0  # px of the screen from grain to grain, at least
CLEAN, TIME, BESIDE, MADE = 1, 2, 3, 4


class CoverageTool(Tool):
    """Shows a map (h, w) of codes: 1 the clean plate, 2 other frames, 3 a neighbour, 4 made up; nothing is taken hold of."""

    sets = False

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        found: Array | None = self.handle.facts.get("map")
        if found is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for x, y, code in grains(found, APART / max(canvas.scale(), 1e-3)):
            _grain(p, canvas.to_screen(x, y), code)


def grains(found: Array, apart: float) -> list[tuple[float, float, int]]:
    """Where grains stand in a map, px of the frame, so far apart, and which; rings only at every other place."""
    h, w = found.shape
    step = max(1.0, apart)
    out = []
    for j, y in enumerate(np.arange(step / 2, h, step)):
        for i, x in enumerate(np.arange(step / 2, w, step)):
            code = int(found[int(y), int(x)])
            if code and not (code == CLEAN and (i + j) % 2):
                out.append((float(x), float(y), code))
    return out


def _grain(p: QPainter, q: QPointF, code: int) -> None:
    if code == CLEAN:
        _stroked(p, QPen(QColor(INK), 2.4), QPen(QColor(WHITE), 1.2), lambda: p.drawEllipse(q, 2.8, 2.8))
    elif code == TIME:
        _stroked(
            p, QPen(QColor(INK), 4.6), QPen(QColor(WHITE), 2.2), lambda: p.drawLine(q + QPointF(0, -3.6), q + QPointF(0, 3.6))
        )
    elif code == BESIDE:
        for dy in (-2.4, 2.4):
            a, b = q + QPointF(-4, dy), q + QPointF(4, dy)
            _stroked(p, QPen(QColor(INK), 3.6), QPen(QColor(ORANGE), 1.8), lambda a=a, b=b: p.drawLine(a, b))  # type: ignore[misc]
    elif code == MADE:
        p.setPen(QPen(QColor(WHITE), 1.0))
        p.setBrush(QBrush(QColor(VERMILION)))
        p.drawPolygon(QPolygonF([q + QPointF(-5, -5.5), q + QPointF(6, 0), q + QPointF(-5, 5.5)]))


def _stroked(p: QPainter, under: QPen, over: QPen, draw: Callable[[], None]) -> None:
    """The same twice, so that it is seen on dark and light."""
    p.setBrush(QBrush())
    for pen in (under, over):
        p.setPen(pen)
        draw()
