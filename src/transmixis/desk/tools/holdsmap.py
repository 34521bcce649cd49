"""Where points hold, over the picture: a veil where nothing does, ticks where they hold best."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from transmixis.core.motion.holds import GOOD, POOR, Holds
from transmixis.core.types import Array
from transmixis.desk.marks import text
from transmixis.desk.theme import INK, WHITE
from transmixis.desk.tools.patternpanel import px_words
from transmixis.desk.tools.tool import Canvas
from transmixis.shot.contract import Handle

VEIL = (226, 226, 226)  # paper's grey
THICKEST = 190  # of 255, where nothing holds
TICK = 7.0  # px of the screen
MOST = 24  # ticks; more would hide the picture


def paint_holds(p: QPainter, canvas: Canvas, handle: Handle) -> None:
    """The whole map, before anything was pressed."""
    found: Holds | None = handle.facts.get("holds")
    if found is None or found.error.size == 0:
        return
    h, w = found.error.shape
    a, b = canvas.to_screen(0, 0), canvas.to_screen(w * found.by, h * found.by)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, True)
    p.drawImage(QRectF(a, b), veil(found.error))
    for x, y, _ in found.best[:MOST]:
        _tick(p, canvas.to_screen(x, y))


def paint_better(p: QPainter, canvas: Canvas, handle: Handle) -> None:
    """What holds better near the place that was pressed, with its foretold error."""
    for x, y, error in handle.facts.get("better", ()):
        q = canvas.to_screen(float(x), float(y))
        _tick(p, q)
        for dx, ink in ((1, INK), (0, WHITE)):
            text(p, q.x() + TICK + 3 + dx, q.y() - 8 + dx, px_words(float(error)), 10, 600, ink)


def veil(error: Array) -> QImage:
    """(h, w) px of foretold error as a veil: none where it is GOOD, thickest where it is POOR."""
    with np.errstate(divide="ignore"):
        share = np.clip(np.log(np.maximum(error, 1e-6) / GOOD) / np.log(POOR / GOOD), 0, 1)
    alpha = (THICKEST * share).astype(np.uint32)
    r, g, b = (np.uint32(v) * alpha // 255 for v in VEIL)  # premultiplied
    bits = np.ascontiguousarray(alpha << 24 | r << 16 | g << 8 | b)
    h, w = bits.shape
    return QImage(bits.tobytes(), w, h, 4 * w, QImage.Format.Format_ARGB32_Premultiplied).copy()


def _tick(p: QPainter, q: QPointF) -> None:
    """An upright and a level stroke that leave the place itself free."""
    for ink, width in ((INK, 3.2), (WHITE, 1.5)):
        p.setPen(QPen(QColor(ink), width))
        for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
            p.drawLine(q + QPointF(dx * 2.5, dy * 2.5), q + QPointF(dx * TICK, dy * TICK))
