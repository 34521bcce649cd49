"""The drawings of the plan's questions, painted into any rectangle, so that a page can be printed as it is seen."""

from __future__ import annotations

import math
from datetime import datetime

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from transmixis.core.plan.sun import Hours, Sun
from transmixis.core.plan.takes import TakeList
from transmixis.core.types import Array
from transmixis.desk.marks import hatch, hline, mark, text, vline, wrapped
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PAPER, RULE2, VERMILION, WELL, WHITE
from transmixis.shot.planning.lens import LensDrawing
from transmixis.shot.planning.miniature import MiniatureDrawing
from transmixis.shot.planning.shadow import ShadowDrawing
from transmixis.shot.planning.shutter import ShutterDrawing
from transmixis.shot.planning.timing import TimingDrawing

BODY = "#B04632"
WAY, LOW, PLOT = 0.42, 150.0, 260.0  # the way's share of the width; px of height that a drawing of it, and a plot, take at least
FIGURES = 118  # px: a shadow's length and elevation beside its bar


def panel(p: QPainter, box: QRectF, title: str) -> QRectF:
    """A framed panel with a title; gives the room inside."""
    p.fillRect(box, QColor(PAPER))
    p.setPen(QPen(QColor(EDGE), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
    text(p, box.left() + 10, box.top() + 14, title, 12, 500)
    return box.adjusted(12, 28, -12, -12)


def camera(p: QPainter, x: float, y: float, ink: str = INK) -> None:
    """A camera that looks to the right."""
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(ink))
    p.drawRect(QRectF(x - 9, y - 6, 13, 12))
    p.drawPolygon(QPolygonF([QPointF(x + 4, y - 2), QPointF(x + 10, y - 6), QPointF(x + 10, y + 6), QPointF(x + 4, y + 2)]))


def arrow(p: QPainter, a: QPointF, b: QPointF, ink: str, width: float, *, dashed: bool = False) -> None:
    pen = QPen(QColor(ink), width)
    if dashed:
        pen.setStyle(Qt.PenStyle.DashLine)
    p.setPen(pen)
    p.drawLine(a, b)


def draw_lens(p: QPainter, box: QRectF, d: LensDrawing) -> None:
    """From above: what the lens shows, what is sharp, where the subject stands; and the frame as the camera sees it."""
    above = panel(p, QRectF(box.left(), box.top(), box.width() * 0.62, box.height()), "From above")
    seen = panel(
        p, QRectF(box.left() + box.width() * 0.62 + 12, box.top(), box.width() * 0.38 - 12, box.height()), "In the frame"
    )
    reach = min(max(d.distance * 2, d.near * 1.2), 4 * d.distance)
    scale = (above.width() - 20) / reach
    x0, y = above.left() + 12, above.center().y()
    half = math.tan(math.radians(d.angle) / 2)
    far = min(d.far, reach)
    p.save()
    p.setClipRect(above)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(WELL))
    p.drawPolygon(
        QPolygonF(
            [
                QPointF(x0, y),
                QPointF(x0 + reach * scale, y - half * reach * scale),
                QPointF(x0 + reach * scale, y + half * reach * scale),
            ]
        )
    )
    band = [QPointF(x0 + r * scale, y + s * half * r * scale) for r, s in ((d.near, -1), (far, -1), (far, 1), (d.near, 1))]
    p.setBrush(QColor("#C9DEEA"))
    p.drawPolygon(QPolygonF(band))
    p.setBrush(QColor(BODY))
    size = max(3.0, d.size / 2 * scale)
    p.drawEllipse(QPointF(x0 + d.distance * scale, y), max(3.0, 0.2 * scale), size)
    p.restore()
    camera(p, x0, y)
    text(p, x0 + d.distance * scale, above.bottom() - 6, f"{d.distance:g} m", 11, 500, INK, "centre")
    text(p, x0 + d.near * scale, above.top() + 6, f"sharp from {d.near:.2f} m", 10, 400, INK2)
    frame_h = min(seen.height(), seen.width() * 9 / 16)
    frame = QRectF(seen.left(), seen.center().y() - frame_h / 2, frame_h * 16 / 9, frame_h)
    p.fillRect(frame, QColor(WELL))
    w = d.share * frame.width()
    p.save()
    p.setClipRect(frame)
    p.fillRect(QRectF(frame.center().x() - w / 2, frame.center().y() - 0.18 * w, w, 0.36 * w), QColor(BODY))
    p.restore()
    text(p, frame.left(), frame.bottom() + 12, f"{100 * d.share:.0f} % of the frame's width", 11, 400, INK2, room=frame.width())


def draw_shutter(p: QPainter, box: QRectF, d: ShutterDrawing) -> None:
    """What the frame shows of a thing that crosses it; and when the shutter is open."""
    upper = panel(
        p,
        QRectF(box.left(), box.top(), box.width(), box.height() * 0.62),
        "One thing on three pictures in turn, enlarged to 200 px across",
    )
    lower = panel(
        p,
        QRectF(box.left(), box.top() + box.height() * 0.62 + 10, box.width(), box.height() * 0.38 - 10),
        "When the shutter is open",
    )
    scale = upper.width() / max(200.0, 2.6 * d.step + d.blur + 20)
    y, size = upper.center().y(), 20.0
    p.save()
    p.setClipRect(upper)
    for k in range(3):
        x = upper.left() + 10 + k * d.step * scale
        steps = max(2, min(60, int(d.blur * scale / 2)))
        for i in range(steps):
            c = QColor(BODY)
            c.setAlphaF(min(1.0, 1.6 / steps))
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(c)
            p.drawEllipse(QPointF(x + size / 2 + d.blur * scale * i / max(steps - 1, 1), y), size / 2, size / 2)
        text(p, x, upper.bottom() - 10, f"picture {k + 1}", 10, 400, INK2)
    p.restore()
    hline(p, lower.left(), lower.right(), lower.bottom() - 14, RULE2)
    w = lower.width() / 4
    for k in range(4):
        part = QRectF(lower.left() + k * w, lower.top() + 4, w * d.open / d.picture, lower.height() - 20)
        p.fillRect(part, QColor(BLUE))
        vline(p, lower.left() + k * w, lower.top(), lower.bottom() - 8, INK2)
        text(p, lower.left() + k * w + 4, lower.bottom() - 2, f"{k * d.picture * 1000:.1f} ms", 10, 400, INK2)


def draw_miniature(p: QPainter, box: QRectF, d: MiniatureDrawing) -> None:
    """The real thing and the model, each with the camera that sees it alike."""
    real = panel(p, QRectF(box.left(), box.top(), box.width(), box.height() * 0.5 - 5), "As it is to look")
    model = panel(
        p, QRectF(box.left(), box.top() + box.height() * 0.5 + 5, box.width(), box.height() * 0.5 - 5), "As it is filmed"
    )
    for room, size, away in ((real, d.real, d.far), (model, d.model, d.near)):
        ground = room.bottom() - 14
        scale = min((room.width() - 60) / (away + size), (room.height() - 22) / size)
        hline(p, room.left(), room.right(), ground, INK2)
        camera(p, room.left() + 14, ground - 8)
        x = room.left() + 18 + away * scale
        p.fillRect(QRectF(x, ground - size * scale, max(3.0, size * scale * 0.8), size * scale), QColor(BODY))
        text(p, (room.left() + x) / 2, ground + 9, f"{away:.2f} m", 11, 400, INK2, "centre")
        text(p, x + size * scale * 0.8 + 8, ground - 8, f"{size:g} m", 11, 500)
    text(p, model.right(), model.top() + 4, f"1 : {d.scale:.3g}", 13, 600, INK, "right")


def draw_shadow(p: QPainter, box: QRectF, d: ShadowDrawing) -> None:
    """Both shadows from above and from the side, and the hours of the day that agree."""
    top = box.height() - 96 if d.hours is not None else box.height()
    side = box.width() * 0.52
    _from_above(p, panel(p, QRectF(box.left(), box.top(), side - 6, top), "From above, camera at the foot"), d)
    _from_the_side(p, panel(p, QRectF(box.left() + side + 6, box.top(), box.width() - side - 6, top), "From the side"), d)
    if d.hours is not None and d.planned is not None:
        _day(p, QRectF(box.left(), box.top() + top + 10, box.width(), 86), d.hours, d.planned)


def _lights(d: ShadowDrawing) -> list[tuple[float, Sun, str, bool, str]]:
    """Shadow, Sun, ink, dashed or not, and name of every plate."""
    found = [(d.shadow_first, d.first, INK, False, "first"), (d.shadow_second, d.second, BLUE, True, "second")]
    return [*found, (*d.third, INK2, True, "third")] if d.third else found


def _from_above(p: QPainter, room: QRectF, d: ShadowDrawing) -> None:
    r = min(room.width(), room.height()) / 2 - 10
    c = room.center()
    p.setPen(QPen(QColor(EDGE), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawEllipse(c, r, r)
    for angle, sun, ink, dashed, words in _lights(d):
        if sun.elevation <= 0:
            continue
        a = math.radians(angle)
        tip = QPointF(c.x() + 0.9 * r * math.sin(a), c.y() - 0.9 * r * math.cos(a))
        lamp = QPointF(c.x() - 0.9 * r * math.sin(a), c.y() + 0.9 * r * math.cos(a))
        arrow(p, c, tip, ink, 6, dashed=dashed)
        arrow(p, c, lamp, ink, 1.2, dashed=dashed)
        p.setPen(QPen(QColor(ink), 1.5))
        p.setBrush(QColor(WHITE))
        p.drawEllipse(lamp, 6, 6)
        text(p, tip.x() + (8 if tip.x() >= c.x() else -8), tip.y(), words, 11, 500, ink, "left" if tip.x() >= c.x() else "right")
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(BODY))
    p.drawEllipse(c, 7, 7)
    p.setBrush(QColor(INK))
    p.drawRect(QRectF(c.x() - 7, c.y() + r - 2, 14, 10))


def _from_the_side(p: QPainter, room: QRectF, d: ShadowDrawing) -> None:
    """What casts the shadows, as high as lets the longest of them and its figures fit (a low light's is cut)."""
    lights = _lights(d)
    ratios = [1 / math.tan(math.radians(s.elevation)) for _, s, *_ in lights if s.elevation > 0]
    ground = room.bottom() - 10 - 15 * len(lights)
    x = room.left() + 40
    most = room.right() - FIGURES - x
    high = min(room.height() - 85, 120.0, max(most / max([*ratios, 1e-6]), 36.0))
    hline(p, room.left(), room.right(), ground, INK2)
    p.fillRect(QRectF(x - 6, ground - high, 12, high), QColor(BODY))
    for k, (_, sun, ink, dashed, _) in enumerate(lights):
        y = ground + 12 + 15 * k
        if sun.elevation <= 0:
            text(p, x, y, "below the horizon", 11, 400, ink)
            continue
        ratio = 1 / math.tan(math.radians(sun.elevation))
        end = min(x + high * ratio, x + most)
        tip = QPointF(end, ground - high + (end - x) / max(ratio, 1e-6))
        arrow(p, QPointF(x, ground - high), tip, ink, 1.4, dashed=dashed)
        p.fillRect(QRectF(x, y - 3, end - x, 6), QColor(ink))
        cut = "… " if high * ratio > most + 1 else ""
        text(p, end + 6, y, f"{cut}{ratio:.2f} × height, {sun.elevation:.0f}°", 11, 500, ink)


def _day(p: QPainter, box: QRectF, hours: Hours, planned: datetime) -> None:
    """Hours along, the worse reading over its limit upwards; what agrees stands clear."""
    text(p, box.left(), box.top() + 8, "When on that day they agree (worse of the two readings over its limit)", 11, 500)
    strip = QRectF(box.left(), box.top() + 18, box.width(), 46)
    p.fillRect(strip, QColor(WELL))
    n = len(hours.times)

    def x_of(hour: float) -> float:
        return strip.left() + hour / 24 * strip.width()

    limit = strip.top() + strip.height() / 2
    ratio = np.minimum(hours.ratio, 2.0)
    up = np.isfinite(hours.ratio)
    for i in range(n - 1):
        if up[i] and ratio[i] > 1:
            a, b = strip.left() + i / (n - 1) * strip.width(), strip.left() + (i + 1) / (n - 1) * strip.width()
            high = limit - (ratio[i] - 1) * strip.height() / 2
            hatch(p, QRectF(a, high, b - a, limit - high), VERMILION)
    hline(p, strip.left(), strip.right(), limit, INK)
    for first, last in hours.spans:
        a, b = (x_of(t.hour + t.minute / 60) for t in (first, last))
        p.setPen(QPen(QColor(INK), 2))
        p.setBrush(QColor(PAPER))
        p.drawRect(QRectF(a, strip.top(), max(b - a, 2.0), strip.height()))
    vline(p, x_of(planned.hour + planned.minute / 60), strip.top() - 4, strip.bottom() + 4, BLUE, 2)
    for hour in range(0, 25, 2):
        at = "left" if hour == 0 else "right" if hour == 24 else "centre"
        text(p, x_of(hour), strip.bottom() + 10, f"{hour}:00" if hour % 4 == 0 else "", 10, 400, INK2, at)


def draw_timing(p: QPainter, box: QRectF, d: TimingDrawing) -> None:
    """The way in the picture with a dot a frame, and right and down over the frames."""
    wide, far, deep = box.width() * WAY, max(float(np.ptp(d.right)), 1.0), max(float(np.ptp(d.down)), 1.0)
    # no taller than the way needs in its true proportion; the plot beside it no taller than a plot need be
    high = min(max(wide * deep / far + 60, LOW), box.height())
    way = panel(p, QRectF(box.left(), box.top(), wide, high), "The way, a dot a frame")
    over = panel(
        p,
        QRectF(box.left() + wide + 12, box.top(), box.width() - wide - 12, min(max(high, PLOT), box.height())),
        "Over the frames, px",
    )
    scale = min(way.width() / far, way.height() / deep) * 0.92
    cx, cy = (d.right.min() + d.right.max()) / 2, (d.down.min() + d.down.max()) / 2
    p.setPen(Qt.PenStyle.NoPen)
    for i, (x, y) in enumerate(zip(d.right, d.down, strict=True)):
        p.setBrush(QColor(BLUE if i in (0, len(d.right) - 1) else BODY))
        p.drawEllipse(QPointF(way.center().x() + (x - cx) * scale, way.center().y() + (y - cy) * scale), 3, 3)
    low, high = min(float(d.right.min()), float(d.down.min()), 0.0), max(float(d.right.max()), float(d.down.max()), 1.0)
    first, last = float(d.frames[0]), max(float(d.frames[-1]), float(d.frames[0]) + 1)

    def at(n: float, v: float) -> QPointF:
        room = over.adjusted(44, 4, -8, -20)
        return QPointF(
            room.left() + (n - first) / (last - first) * room.width(),
            room.bottom() - (v - low) / max(high - low, 1e-9) * room.height(),
        )

    for v in (low, high):
        hline(p, at(first, v).x(), at(last, v).x(), at(first, v).y(), RULE2)
        text(p, at(first, v).x() - 6, at(first, v).y(), f"{v:.0f}".replace("-", "\u2212"), 10, 400, INK2, "right")
    lines: list[tuple[Array, str, str]] = []
    for values, ink, name in ((d.right, BLUE, "right"), (d.down, BODY, "down")):
        if not np.ptp(values):
            continue
        p.setPen(QPen(QColor(ink), 1.6))
        p.drawPolyline(QPolygonF([at(float(n), float(v)) for n, v in zip(d.frames, values, strict=True)]))
        lines.append((values, ink, name))
    x = over.right() - 8
    for _, ink, name in reversed(lines):  # named above the plot, where no line runs
        x -= text(p, x, over.top() - 14, name, 11, 600, ink, "right") + 14
    text(p, at(first, low).x(), over.bottom() - 4, f"frame {first:.0f}", 10, 400, INK2)
    text(p, at(last, low).x(), over.bottom() - 4, f"{last:.0f}", 10, 400, INK2, "right")


def draw_takes(p: QPainter, box: QRectF, d: TakeList) -> None:
    """The takes with their reasons; what is often forgotten has a mark of its own; the work order, and who must agree."""
    room = panel(p, box, "What to film or note, and why (squares: often forgotten)")
    work = " → ".join(d.work) or "none yet"
    foot = room.bottom() - 30
    hline(p, room.left(), room.right(), foot - 12, RULE2)
    text(p, room.left(), foot, f"Work: {work}", 12, 500, INK, room=room.width())
    text(p, room.left(), foot + 18, f"Must agree: {', '.join(d.agree) or 'nobody but you'}", 12, 500, INK, room=room.width())
    y, across = room.top() + 4, room.width() / 2 - 8
    half = -(-len(d.takes) // 2)
    for i, t in enumerate(d.takes):
        if i == half:
            y = room.top() + 4
        x = room.left() + (across + 16 if i >= half else 0)
        if y > foot - 40:
            continue
        mark(p, "watch" if t.forgotten else "sound", x + 6, y)
        y = wrapped(p, x + 18, y, across - 20, t.what[0].upper() + t.what[1:], 12, 15, 600, INK, 2)
        y = wrapped(p, x + 18, y, across - 20, t.why, 11, 14, 400, INK2, 2) + 8
