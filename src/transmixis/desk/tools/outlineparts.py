"""Parts of the outline tool: what lies under the pointer, and how points are painted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen, QPolygonF

from transmixis.core.matte.outline import Mark, with_point
from transmixis.desk.theme import BLUE, INK, WHITE
from transmixis.desk.tools.tool import Canvas, double_line, near, side_at
from transmixis.shot.contract import Handle

Outlines = tuple[tuple[Mark, ...], ...]


def point_at(value: Outlines, p: QPointF, canvas: Canvas) -> tuple[int, int] | None:
    """Outline and index of the point under a place of the screen."""
    for k, outline in enumerate(value):
        for i, (_, x, y) in enumerate(outline):
            if near(p, canvas.to_screen(x, y)):
                return k, i
    return None


def side_of(value: Outlines, p: QPointF, canvas: Canvas, closed: bool = True) -> tuple[int, int] | None:
    """Outline and side under a place of the screen, by the index of its first point."""
    for k, outline in enumerate(value):
        side = side_at(p, [canvas.to_screen(x, y) for _, x, y in outline], closed=closed)
        if side is not None:
            return k, side
    return None


def added(value: Outlines, side: tuple[int, int], f: QPointF, taken: Sequence[int]) -> tuple[Outlines, tuple[int, int]]:
    """The outlines with a new point on a side, at a place of the frame; and its outline and index."""
    k, i = side
    new = with_point(value[k], i, f.x(), f.y(), taken)
    return (*value[:k], new, *value[k + 1 :]), (k, i + 1)


def sets_alone(handle: Handle, event: QMouseEvent) -> bool:
    """With Ctrl only the point that is dragged is set here, where the outline itself was not."""
    return bool(handle.facts.get("some") and not handle.here and event.modifiers() & Qt.KeyboardModifier.ControlModifier)


def paint_others(p: QPainter, lines: Sequence[tuple[Any, bool]], canvas: Canvas) -> None:
    """The outlines beside the one in the hand, thinner."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    for line, closed in lines:
        shape = QPolygonF([canvas.to_screen(x, y) for x, y in line])
        for ink, wide in ((INK, 2.0), (WHITE, 0.8)):
            p.setPen(QPen(QColor(ink), wide))
            if closed:
                p.drawPolygon(shape)
            else:
                p.drawPolyline(shape)


def paint_point(p: QPainter, q: QPointF, middle: QPointF, *, here: bool, chosen: bool) -> None:
    """Set here: a blue notch outside that points in; carried here: a small hollow dot."""
    if here:
        out = np.array([q.x() - middle.x(), q.y() - middle.y()])
        out = out / max(float(np.hypot(*out)), 1e-6)
        side = np.array([-out[1], out[0]])
        tip, base = np.array([q.x(), q.y()]) + 1.5 * out, np.array([q.x(), q.y()]) + 8.5 * out
        shape = [tip, base + 3.5 * side, base + 6 * out + 3.5 * side, base + 6 * out - 3.5 * side, base - 3.5 * side]
        p.setPen(QPen(QColor(WHITE), 1.2))
        p.setBrush(QColor(BLUE))
        p.drawPolygon(QPolygonF([QPointF(*v) for v in shape]))
    p.setBrush(QColor(WHITE) if chosen else Qt.BrushStyle.NoBrush)
    for ink, width in ((INK, 3.0), (WHITE, 1.4)):
        p.setPen(QPen(QColor(ink), width))
        p.drawEllipse(q, 3.6, 3.6)


def paint_drawing(p: QPainter, places: list[QPointF], pointer: QPointF | None) -> None:
    """An outline that is not closed yet, to the pointer."""
    line: Sequence[QPointF] = [*places, pointer] if pointer is not None else places
    double_line(p, line, closed=False)
    for i, q in enumerate(places):
        p.setPen(QPen(QColor(WHITE), 1.4))
        p.setBrush(QColor(BLUE))
        p.drawEllipse(q, 5.0 if i == 0 else 3.5, 5.0 if i == 0 else 3.5)
