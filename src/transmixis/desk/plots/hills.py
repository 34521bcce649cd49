"""Populations over 0..1 with a calliper whose jaws are dragged."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.plot import Hill, Hills
from transmixis.desk.marks import hatch, jaws, mark, text, vline
from transmixis.desk.theme import BLUE, BLUE_TEXT, EDGE, INK, INK2, PAPER, PURPLE, RULE, VERMILION_TEXT

TOP, BOTTOM, SIDE = 46, 34, 6  # px about the hills; the calliper stands above them, its sum below
CALLIPER = 12  # px above the hills
NEAR = 10  # px from a jaw


def area_of(box: QRectF) -> QRectF:
    """Where the hills stand in the plot's box."""
    return QRectF(box.left() + SIDE, box.top() + TOP, box.width() - 2 * SIDE, max(20.0, box.height() - TOP - BOTTOM))


def x_of(area: QRectF, value: float) -> float:
    return area.left() + value * area.width()


def gripped(box: QRectF, at: QPointF, values: dict[str, float]) -> tuple[str, ...]:
    """The jaws that a press takes hold of: one of them, or all by the bar between."""
    area = area_of(box)
    near = {n: abs(at.x() - x_of(area, v)) for n, v in values.items()}
    if not near:
        return ()
    name = min(near, key=lambda n: near[n])
    if near[name] < NEAR:
        return (name,)
    low, high = (x_of(area, f(values.values())) for f in (min, max))
    bar = area.top() - CALLIPER
    return tuple(values) if bar - 6 <= at.y() <= area.top() and low < at.x() < high else ()


def paint_hills(p: QPainter, box: QRectF, hills: Hills, values: dict[str, float], proposed: dict[str, float]) -> None:
    """The hills, the calliper at `values`, dashed where it is `proposed`."""
    area = area_of(box)
    p.fillRect(area, QColor(PAPER))
    _paint_populations(p, area, hills, values)
    p.setPen(QPen(QColor(EDGE), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(area)
    for v in (0, 0.25, 0.5, 0.75, 1.0):
        text(p, x_of(area, v), area.bottom() + 9, f"{v:g}", 10, 400, INK2, "centre")
    if values:
        _paint_calliper(p, area, values)
    for v in proposed.values():
        _paint_proposed(p, area, v)
    _paint_sum(p, box, hills, next(iter(values.values()), 0.0))


def _paint_populations(p: QPainter, area: QRectF, hills: Hills, values: dict[str, float]) -> None:
    top = float(np.log10(max(10, *(int(h.counts.max()) for h in hills.hills))))
    for hill in hills.hills:
        path = _outline(area, hill, top)
        if not hill.hatched:
            p.fillPath(path, QColor(0x90, 0x90, 0x90, 200))
            continue
        p.fillPath(path, QColor("#D2D2D2"))
        hatch(p, path, "#9A9A9A", 4, 0.8)
    p.save()
    first = max(next(iter(values.values()), 0.0), hills.least)
    p.setClipRect(QRectF(x_of(area, first), area.top(), area.right(), area.height()))
    hatch(p, _outline(area, hills.hills[0], top))
    p.restore()


def _outline(area: QRectF, hill: Hill, top: float) -> QPainterPath:
    path = QPainterPath(QPointF(area.left(), area.bottom()))
    width = area.width() / len(hill.counts)
    for i, n in enumerate(hill.counts):
        y = area.bottom() - (np.log10(n + 1) / top) * (area.height() - 4)
        path.lineTo(area.left() + i * width, y)
        path.lineTo(area.left() + (i + 1) * width, y)
    path.lineTo(area.right(), area.bottom())
    path.closeSubpath()
    return path


def _paint_calliper(p: QPainter, area: QRectF, values: dict[str, float]) -> None:
    xs = [x_of(area, v) for v in values.values()]
    y = area.top() - CALLIPER
    p.fillRect(QRectF(min(xs), y, max(xs) - min(xs), 4), QColor(BLUE))
    for x in xs:
        vline(p, x - 1, y, area.bottom(), BLUE, 2)
    p.setPen(QPen(QColor(INK), 1.2))
    p.drawLine(QPointF(min(xs), area.bottom()), QPointF(max(xs), area.top()))
    for i, (name, value) in enumerate(values.items()):
        x, side = (max(xs[i], area.left() - 4), "left") if i == 0 else (min(xs[i], area.right() + 4), "right")
        text(p, x, area.top() - 22, f"{name} {value:.2f}", 11, 500, BLUE_TEXT, side)


def _paint_proposed(p: QPainter, area: QRectF, value: float) -> None:
    x = x_of(area, value)
    pen = QPen(QColor(PURPLE), 1.4)
    pen.setDashPattern([3, 2])
    p.setPen(pen)
    p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
    jaws(p, x, area.top() + 8, 4)


def _paint_sum(p: QPainter, box: QRectF, hills: Hills, value: float) -> None:
    """What of the first hill lies beyond its jaw, and the colour that belongs to it."""
    y = box.bottom() - 9.0
    share = hills.beyond(value)
    fault = share >= hills.most
    mark(p, "fault" if fault else "sound", 6, y, 3.5)
    text(p, 15, y, f"{hills.words} {share:.2f} %", 11, 400, VERMILION_TEXT if fault else INK2)
    if hills.colour is not None:
        swatch = QRectF(box.right() - 26, y - 6, 24, 12)
        coded = np.clip(np.round(255 * linear_to_srgb(np.clip(np.array(hills.colour), 0, 1))), 0, 255).astype(int)
        p.fillRect(swatch, QColor(*(int(v) for v in coded)))
        p.setPen(QPen(QColor(RULE), 1))
        p.drawRect(swatch)
