"""Parts of the shape tool: where its soft border ends, and how that, the pins about it and its doubt are painted."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from transmixis.core.matte.outline import Mark, marks_of, xy
from transmixis.core.roto.curve import drawn
from transmixis.core.types import Array
from transmixis.desk.marks import text
from transmixis.desk.theme import INK, RAISED, VERMILION, WHITE
from transmixis.desk.tools.tool import Canvas
from transmixis.shot.contract import Handle

IN, OUT, WIDE = "inward", "outward", "wide"
FINE = 32  # places of a segment at which its limits are looked for
LEAST = 2.5  # px of the screen: limits that lie closer to the outline are not drawn, and not taken hold of
ARM = 4.0  # px of a whisker's arm for a px of doubt
MOST_ARM = 22.0  # px of the screen: longer ones tangle
SLIGHT = 0.25  # px of doubt: less has no whisker
OVER = 1.0  # px: from here on it is over its limit


@dataclass(frozen=True)
class Limit:
    """Where the border ends on one `side`: `line` (m, 2) px, `own` (m, 2) the outline's own places that it belongs to, `at` (m) the index of the
    nearest point, `way` (m, 2) to that side."""

    side: str
    line: Array
    own: Array
    at: Array
    way: Array


def corners_of(handle: Handle, marks: Sequence[Mark], styles: Mapping[int, Mapping[str, Any]]) -> Array:
    """Which points are corners; one that was added just now is as its outline."""
    had = dict(zip([m[0] for m in marks_of(handle.value)], handle.facts.get("corners", ()), strict=False))
    usual = not handle.facts.get("smooth")
    return np.array([styles.get(m[0], {}).get("corner", had.get(m[0], usual)) for m in marks], bool)


def run(
    handle: Handle, marks: Sequence[Mark], styles: Mapping[int, Mapping[str, Any]], closed: bool, steps: int | None = None
) -> tuple[Array, Array]:
    """The line through the points and where on it its places lie (see `drawn`)."""
    if len(marks) < (3 if closed else 2):
        return xy(marks), np.arange(len(marks), dtype=float)
    return drawn(xy(marks), corners_of(handle, marks, styles), closed, 0.3, steps)


def limits(handle: Handle, marks: Sequence[Mark], styles: Mapping[int, Mapping[str, Any]], closed: bool) -> list[Limit]:
    """The lines at which its soft border ends, in- and outward; of a strand the two sides of its width."""
    line, share = run(handle, marks, styles, closed, FINE)
    if len(line) < 3 or not styles:
        return []
    way = outwards(line, closed)
    facts, last = handle.facts, len(marks) - 1
    nearest = np.round(share).astype(int)
    nearest = nearest % len(marks) if closed else np.clip(nearest, 0, last)

    def along(name: str) -> Array:
        own = np.array([float(styles.get(m[0], {}).get(name, 0.0)) for m in marks])
        return np.asarray(np.interp(share, np.arange(len(marks) + closed), np.append(own, own[0]) if closed else own))

    if not closed:
        half = along(WIDE) / 2
        return [Limit(WIDE, line + s * half[:, None] * way, line, nearest, s * way) for s in (1, -1)]
    soft = [(OUT, 1, along(OUT) + facts.get(OUT, 0.0)), (IN, -1, along(IN) + facts.get(IN, 0.0))]
    return [Limit(n, line + s * (v + facts.get("feather", 0.0))[:, None] * way, line, nearest, s * way) for n, s, v in soft]


def outwards(line: Array, closed: bool) -> Array:
    """(m, 2) across the line: out of a closed one, to its left side of an open one."""
    ahead = np.roll(line, -1, axis=0) - np.roll(line, 1, axis=0) if closed else np.gradient(line, axis=0)
    way = np.stack([ahead[:, 1], -ahead[:, 0]], 1) / np.maximum(np.hypot(*ahead.T), 1e-9)[:, None]
    x, y = line.T
    turning = float(x @ np.roll(y, -1) - y @ np.roll(x, -1))
    return np.asarray(way if turning >= 0 or not closed else -way)


def limit_at(found: Sequence[Limit], p: QPointF, canvas: Canvas, within: float = 6.0) -> tuple[Limit, int] | None:
    """The limit under a place of the screen, and the index of the point that it is set at; none where it lies on the outline itself."""
    here = np.array([p.x(), p.y()])
    best: tuple[float, Limit, int] | None = None
    for limit in found:
        own = on_screen(limit.own, canvas)
        screen = on_screen(limit.line, canvas)
        screen[np.hypot(*(screen - own).T) < LEAST] = np.inf
        k = int(np.hypot(*(screen - here).T).argmin())
        off = float(np.hypot(*(screen[k] - here)))
        if off <= within and off < float(np.hypot(*(own - here).T).min()) and (best is None or off < best[0]):
            best = off, limit, int(limit.at[k])
    return best[1:] if best else None


def on_screen(line: Array, canvas: Canvas) -> Array:
    """(m, 2) px of the frame as (m, 2) px of the screen."""
    o, x, y = (canvas.to_screen(*v) for v in ((0.0, 0.0), (1.0, 0.0), (0.0, 1.0)))
    return np.asarray(line) * (x.x() - o.x(), y.y() - o.y()) + (o.x(), o.y())


def paint_limit(p: QPainter, limit: Limit, canvas: Canvas, closed: bool) -> None:
    """Fine dots, where it can be told from the outline."""
    line, own = on_screen(limit.line, canvas), on_screen(limit.own, canvas)
    if float(np.hypot(*(line - own).T).max()) < LEAST:
        return
    shape = QPolygonF([QPointF(*v) for v in ([*line, line[0]] if closed else line)])
    p.setBrush(Qt.BrushStyle.NoBrush)
    for ink, wide, dots in ((INK, 2.6, [0.1, 1.9]), (WHITE, 1.3, [0.1, 3.7])):
        pen = QPen(QColor(ink), wide, cap=Qt.PenCapStyle.RoundCap)
        pen.setDashPattern(dots)
        p.setPen(pen)
        p.drawPolyline(shape)


def paint_beside(p: QPainter, beside: Sequence[tuple[int, tuple[Any, bool]]], here: int, canvas: Canvas) -> None:
    """The outline at the pin before this frame, in long dashes, and at the pin after, in short ones, each with its frame."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    for frame, (line, closed) in beside:
        before = frame < here
        shape = QPolygonF([canvas.to_screen(x, y) for x, y in line])
        for ink, wide in ((INK, 2.0), (WHITE, 1.0)):
            pen = QPen(QColor(ink), wide)
            pen.setDashPattern([v / wide for v in ((9, 4) if before else (3, 3))])
            p.setPen(pen)
            (p.drawPolygon if closed else p.drawPolyline)(shape)
        box = shape.boundingRect()  # beside its top, the one before on the left
        _tag(p, box.left() - 34 if before else box.right() + 34, box.top() + 6, f"pin {frame}")


def _tag(p: QPainter, x: float, y: float, words: str) -> None:
    """Words on a slip of paper, about a place of the screen."""
    wide = 7.0 * len(words) + 8
    p.setPen(Qt.PenStyle.NoPen)
    p.fillRect(QRectF(x - wide / 2, y - 8, wide, 16), QColor(RAISED))
    text(p, x, y, words, 11, 500, INK, "centre")
    p.setBrush(Qt.BrushStyle.NoBrush)


def paint_whiskers(p: QPainter, places: Array, ways: Array, off: Sequence[float], canvas: Canvas) -> None:
    """Across each point, each arm so many times what it may be off by; more than a px is vermilion."""
    for place, way, px in zip(places, ways, off, strict=False):
        if not np.isfinite(px) or px < SLIGHT:
            continue
        arm = min(ARM * px, MOST_ARM / canvas.scale()) * way
        a, b = canvas.to_screen(*(place + arm)), canvas.to_screen(*(place - arm))
        over = px > OVER
        for ink, wide in ((WHITE if over else INK, 3.4), (VERMILION if over else WHITE, 1.6)):
            p.setPen(QPen(QColor(ink), wide))
            p.drawLine(a, b)
