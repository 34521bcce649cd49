"""What an element does over the shot's frames, time downwards: its begin and end are jaws that are dragged, and so is a loop's seam."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from transmixis.core.plot import Action
from transmixis.desk.marks import flag, hatch, hline, text
from transmixis.desk.theme import BLUE, BLUE_TEXT, EDGE, INK, INK2, PAPER, PURPLE, RULE2, WHITE, colour

LEFT, TOP, BOTTOM, RIGHT = 30, 16, 16, 2  # px about the drawing; the bar stands left of it
BAR = 12  # px left of the drawing
NEAR = 7  # px from a jaw
NAMES = {"begin": "begin", "end": "end"}


def area_of(box: QRectF) -> QRectF:
    """Where the drawing stands in the plot's box."""
    return QRectF(
        box.left() + LEFT, box.top() + TOP, max(box.width() - LEFT - RIGHT, 20.0), max(20.0, box.height() - TOP - BOTTOM)
    )


def y_of(area: QRectF, panel: Action, frame: float) -> float:
    """The middle of a frame's row."""
    return area.top() + (frame - 0.5) / max(len(panel.values), 1) * area.height()


def frames_of(area: QRectF, panel: Action, px: float) -> float:
    """How many frames so many px are."""
    return px / area.height() * len(panel.values)


def gripped(box: QRectF, at: QPointF, panel: Action, values: dict[str, float]) -> tuple[str, ...]:
    """What a press takes hold of: a jaw, both by the bar or what lies between them, or a seam."""
    area = area_of(box)
    if panel.slides is not None:
        for first, last in panel.seams:
            if y_of(area, panel, first) - NEAR <= at.y() <= y_of(area, panel, last) + NEAR:
                return (panel.slides.param,)
    jaws = {j.param: y_of(area, panel, values[j.param]) for j in panel.jaws}
    near = min(jaws, key=lambda n: abs(at.y() - jaws[n]), default="")
    if near and abs(at.y() - jaws[near]) <= NEAR:
        return (near,)
    inside = len(jaws) == 2 and min(jaws.values()) < at.y() < max(jaws.values()) and at.x() < area.left()
    return tuple(jaws) if inside else ()


def dragged(panel: Action, begin: dict[str, float], names: tuple[str, ...], by: float) -> dict[str, float]:
    """The values after a drag of so many frames: whole frames, begin before end, the bar's length kept, a seam around its ring."""
    step = round(by)
    if panel.slides is not None and panel.slides.param in names:
        s = panel.slides
        return {s.param: float((begin[s.param] - step - s.low) % (s.high - s.low + 1) + s.low)}
    jaws = {j.param: j for j in panel.jaws if j.param in names}
    if len(jaws) == 2:
        low = max(j.low - begin[n] for n, j in jaws.items())
        high = min(j.high - begin[n] for n, j in jaws.items())
        return {n: begin[n] + float(np.clip(step, low, high)) for n in jaws}
    out = {}
    for n, j in jaws.items():
        low, high = j.low, j.high
        if n == "begin" and "end" in begin:
            high = min(high, begin["end"])
        if n == "end":
            low = max(low, begin["begin"])
        out[n] = float(np.clip(begin[n] + step, low, high))
    return out


def paint_action(
    p: QPainter, box: QRectF, panel: Action, values: dict[str, float], proposed: dict[str, float], frame: int
) -> None:
    """The amount as a filled outline, jaws and seams on it, what is proposed dashed."""
    area = area_of(box)
    n = len(panel.values)
    p.fillRect(area, QColor(PAPER))
    _paint_amount(p, area, panel, values)
    p.setPen(QPen(QColor(EDGE), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(area)
    text(p, area.left(), box.top() + 6, panel.words, 10, 400, INK2, room=area.width())
    text(p, area.left() - 6, area.top() + 4, "1", 10, 400, INK2, "right")
    text(p, area.left() - 6, area.bottom() - 3, f"{n}", 10, 400, INK2, "right")
    for at, name in panel.cues:
        y = y_of(area, panel, at)
        flag(p, area.right() - 10, y)
        if any(abs(y_of(area, panel, v) - y) < 14 for v in proposed.values()):
            continue  # what is proposed says as much
        text(p, area.right() - 13, y - 6, name, 10, 400, INK2, "right", room=area.width() * 0.5)
    moved = _moved(panel, values)
    for first, last in panel.seams:
        _paint_seam(p, area, panel, first + moved, last + moved)
    _paint_jaws(p, area, panel, values, proposed)
    y = y_of(area, panel, min(frame, n))
    hline(p, area.left(), area.right(), y, INK)


def _moved(panel: Action, values: dict[str, float]) -> int:
    """Frames that the seams are off by while they are dragged."""
    s = panel.slides
    if s is None or s.param not in values:
        return 0
    ring = int(s.high - s.low + 1)
    off = int(s.value - values[s.param]) % ring
    return off - ring if off > ring / 2 else off


def _paint_amount(p: QPainter, area: QRectF, panel: Action, values: dict[str, float]) -> None:
    n = len(panel.values)
    tall = area.height() / max(n, 1)
    known = np.nan_to_num(panel.values)
    path = QPainterPath(QPointF(area.left(), area.top()))
    for k, v in enumerate(known):
        x = area.left() + 1 + v * (area.width() - 4) * 0.9
        path.lineTo(x if v > 0 else area.left(), area.top() + k * tall)
        path.lineTo(x if v > 0 else area.left(), area.top() + (k + 1) * tall)
    path.lineTo(area.left(), area.bottom())
    path.closeSubpath()
    p.fillPath(path, colour(RULE2))
    p.setPen(QPen(QColor(INK2), 1.2))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPath(path)


def _paint_seam(p: QPainter, area: QRectF, panel: Action, first: int, last: int) -> None:
    """A white band with two lines that cross: one picture goes over into the other."""
    half = area.height() / max(len(panel.values), 1) / 2
    top = max(y_of(area, panel, first) - half, area.top())
    bottom = min(y_of(area, panel, last) + half, area.bottom())
    if bottom - top < 4:
        top, bottom = (top + bottom) / 2 - 2, (top + bottom) / 2 + 2
    if bottom < area.top() or top > area.bottom():
        return
    band = QRectF(area.left() + 1, top, area.width() - 2, bottom - top)
    p.fillRect(band, colour(WHITE, 0.75))
    p.setPen(QPen(QColor(INK), 1))
    p.drawLine(band.topLeft(), band.bottomRight())
    p.drawLine(band.topRight(), band.bottomLeft())
    text(p, area.right() - 4, top - 5, "seam", 10, 500, BLUE_TEXT, "right")


def _paint_jaws(p: QPainter, area: QRectF, panel: Action, values: dict[str, float], proposed: dict[str, float]) -> None:
    ys = {j.param: y_of(area, panel, values[j.param]) for j in panel.jaws}
    if "begin" in proposed and "begin" in ys:
        y = y_of(area, panel, proposed["begin"])
        low, high = sorted((y, ys["begin"]))
        hatch(p, QRectF(area.left() + 1, low, area.width() - 2, high - low))
        pen = QPen(QColor(PURPLE), 1.4)
        pen.setDashPattern([3, 2])
        p.setPen(pen)
        p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))
        earlier = proposed["begin"] < values["begin"]
        text(p, area.left() + 5, y - 8 if earlier else y + 8, f"begin {proposed['begin']:.0f}", 11, 600, PURPLE)
    if not ys:
        return
    top, bottom = min(ys.values()), max(ys.values()) if len(ys) > 1 else area.bottom()
    p.fillRect(QRectF(area.left() - BAR + 4, top, 4, max(bottom - top, 1)), QColor(BLUE))
    for name, y in ys.items():
        hline(p, area.left() - BAR + 2, area.right(), y - 1, BLUE, 2)
        above = name == "begin" and y > area.top() + 12 and proposed.get("begin", values[name]) >= values[name]
        label = f"{NAMES[name]} {values[name]:.0f}"
        if name == "end" or above:
            y -= 8
        else:
            y += 9
        text(p, area.left() + 5, y, label, 11, 600, BLUE_TEXT)
