"""Drawings of the questions about cloth, markers and set-ups."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.matte.measure import SEPARATION_LIMIT
from transmixis.core.plan.setups import Setup
from transmixis.desk.marks import hatch, hline, text, vline
from transmixis.desk.plan.drawings import BODY, camera, panel
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, RULE2, VERMILION, VERMILION_TEXT, WELL, WHITE
from transmixis.shot.planning.markers import MarkersDrawing
from transmixis.shot.planning.screen import BINS, REACH_LIMIT, Row, ScreenDrawing
from transmixis.shot.planning.setups import SetupsDrawing

CLOTH_INKS = {"green": "#4E9A53", "blue": "#3C63B0", "red": "#B2473F"}


def shown(rgb: tuple[float, float, float]) -> QColor:
    """A linear colour for the screen."""
    r, g, b = np.clip(linear_to_srgb(np.asarray(rgb)) * 255, 0, 255).astype(int)
    return QColor(int(r), int(g), int(b))


def draw_screen(p: QPainter, box: QRectF, d: ScreenDrawing) -> None:
    """A strip a cloth: where the subject's colours lie between nothing and the cloth itself; and what goes into the chosen one."""
    wide = box.width() * 0.66
    rows = panel(p, QRectF(box.left(), box.top(), wide - 6, box.height()), "From no colour of the cloth to the cloth itself")
    named = panel(p, QRectF(box.left() + wide + 6, box.top(), box.width() - wide - 6, box.height()), "Goes into it, %")
    high = (rows.height() - 26) / len(d.rows)
    left, right = rows.left() + 62, rows.right() - 74
    for i, row in enumerate(d.rows):
        _strip(p, QRectF(left, rows.top() + i * high + 4, right - left, high - 14), row)
        y = rows.top() + i * high + high / 2
        text(p, rows.left(), y - 6, row.name.capitalize(), 12, 600 if row.chosen else 400)
        text(p, rows.left(), y + 10, "planned" if row.chosen else "", 10, 400, INK2)
        text(p, right + 10, y - 6, f"{row.steps:.0f} steps", 12, 600 if row.chosen else 400)
        holds = row.steps >= SEPARATION_LIMIT
        text(p, right + 10, y + 10, "apart" if holds else "apart: too few", 10, 400, INK2 if holds else VERMILION_TEXT)
    y = rows.bottom() - 4
    for value, words in ((0.0, "none"), (0.5, "half"), (1.0, "the cloth")):
        text(p, _at(value, left, right), y - 12, words, 10, 400, INK2, "centre")
    text(p, rows.left(), y + 2, "black: beyond it, it keys through; blue: 95 % of the subject", 10, 400, INK2, room=rows.width())
    y = named.top() + 8
    for name, reach, rgb in d.reach:
        p.setPen(QPen(QColor(EDGE), 1))
        p.setBrush(shown(rgb))
        p.drawRect(QRectF(named.left(), y - 7, 14, 14))
        bad = reach > REACH_LIMIT
        text(p, named.left() + 22, y, name, 12, 600 if bad else 400, room=named.width() - 70)
        text(p, named.right(), y, f"{reach:.0f}", 12, 600, VERMILION_TEXT if bad else INK, "right")
        y += 20
        if y > named.bottom() - 8:
            break


def _at(value: float, left: float, right: float) -> float:
    return float(left + (value - BINS[0]) / (BINS[-1] - BINS[0]) * (right - left))


def _strip(p: QPainter, box: QRectF, row: Row) -> None:
    p.fillRect(box, QColor(WELL if row.chosen else "#E2E2E2"))
    ink = CLOTH_INKS.get(row.name, INK)
    low = _at(1.0, box.left(), box.right())
    p.fillRect(QRectF(low, box.top(), box.right() - low, box.height()), QColor(ink))
    top = max(float(row.shares.max()), 1e-9)
    width = box.width() / (len(BINS) - 1)
    for i, share in enumerate(row.shares):
        h = box.height() * 0.9 * math.sqrt(share / top)  # by its root: the few pixels that key through are what matters
        if h > 0.5:
            p.fillRect(QRectF(box.left() + i * width, box.bottom() - h, width + 0.3, h), QColor("#555555"))
    limit = _at(REACH_LIMIT / 100, box.left(), box.right())
    vline(p, limit, box.top() - 2, box.bottom() + 2, INK)
    reach = _at(min(max(row.subject, BINS[0]), BINS[-1]), box.left(), box.right())
    if reach > limit:
        hatch(p, QRectF(limit, box.top(), min(reach, low) - limit, box.height()), VERMILION)
    p.setPen(QPen(QColor(BLUE), 2))
    p.drawLine(QPointF(reach, box.top()), QPointF(reach, box.bottom()))


def draw_markers(p: QPainter, box: QRectF, d: MarkersDrawing) -> None:
    """The object as the camera sees it, pixel for pixel; and where the markers go."""
    wide = box.width() * 0.6
    title = "As the camera sees it, pixel for pixel" + ("" if d.whole else ": a part of it")
    room = panel(p, QRectF(box.left(), box.top(), wide - 6, box.height()), title)
    plan = panel(p, QRectF(box.left() + wide + 6, box.top(), box.width() - wide - 6, box.height()), "Where they go")
    h, w = d.picture.shape[:2]
    zoom = max(1, int(min(room.width() / w, room.height() / h)))
    data = np.ascontiguousarray(d.picture)
    image = QImage(data.data, w, h, 3 * w, QImage.Format.Format_RGB888).copy()  # type: ignore[call-overload]
    p.save()
    p.setClipRect(room)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    p.drawImage(QRectF(room.center().x() - w * zoom / 2, room.center().y() - h * zoom / 2, w * zoom, h * zoom), image)
    p.restore()
    if zoom > 1:
        text(p, room.right(), room.bottom() - 6, f"enlarged {zoom} ×", 10, 400, INK2, "right")
    scale = min(plan.width() / d.wide, (plan.height() - 22) / d.high)
    r = QRectF(plan.center().x() - d.wide * scale / 2, plan.top(), d.wide * scale, d.high * scale)
    p.fillRect(r, QColor(WELL))
    mx, my = d.layout.margin[0] * r.width(), d.layout.margin[1] * r.height()
    pen = QPen(QColor(INK2), 1, Qt.PenStyle.DashLine)
    p.setPen(pen)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(r.adjusted(mx, my, -mx, -my))
    size = max(3.0, d.marker * scale)
    for x, y in d.layout.places:
        c = QPointF(r.left() + x * r.width(), r.top() + y * r.height())
        p.fillRect(QRectF(c.x() - size / 2, c.y() - size / 8, size, max(1.5, size / 4)), QColor(INK))
        p.fillRect(QRectF(c.x() - size / 8, c.y() - size / 2, max(1.5, size / 4), size), QColor(INK))
    text(p, plan.left(), plan.bottom() - 4, f"{d.wide:g} × {d.high:g} cm; inside the dashes", 11, 400, INK2, room=plan.width())


def draw_setups(p: QPainter, box: QRectF, d: SetupsDrawing) -> None:
    """Both cameras from the side, at full size, with what each sees; and both frames with their horizons."""
    wide = box.width() * 0.62
    side = panel(p, QRectF(box.left(), box.top(), wide - 6, box.height()), "From the side, the subject at the right")
    frames = panel(p, QRectF(box.left() + wide + 6, box.top(), box.width() - wide - 6, box.height()), "Both frames")
    away = max(d.first.distance, d.second.distance)
    high = max(d.first.height, d.second.height, 1.8)
    scale = min((side.width() - 60) / away, (side.height() - 40) / (high * 1.25))
    ground, x = side.bottom() - 18, side.right() - 30
    hline(p, side.left(), side.right(), ground, INK2)
    p.fillRect(QRectF(x - 5, ground - 1.7 * scale, 10, 1.7 * scale), QColor(BODY))
    for s, other, ink, dashed, words in ((d.first, d.second, INK, False, "first"), (d.second, d.first, BLUE, True, "second")):
        _set_up(p, s, QPointF(x - s.distance * scale, ground - s.height * scale), ink, side, dashed=dashed)
        above = s.height > other.height or (s.height == other.height and s is d.first)
        text(
            p,
            max(x - s.distance * scale, side.left()) - 8,
            ground - s.height * scale + (-17 if above else 17),
            words,
            11,
            600,
            ink,
        )
    text(p, side.left(), ground + 10, f"{d.first.distance:.2f} m and {d.second.distance:.2f} m away", 11, 400, INK2)
    h = min(frames.height() * 0.42, frames.width() * 9 / 16)
    for i, (at, ink, words) in enumerate(((d.horizons[0], INK, "first"), (d.horizons[1], BLUE, "second"))):
        f = QRectF(frames.left(), frames.top() + i * (h + 14), h * 16 / 9, h)
        p.fillRect(f, QColor(WHITE))
        inside = min(max(at, 0.0), 1.0)
        p.fillRect(QRectF(f.left(), f.top() + inside * h, f.width(), (1 - inside) * h), QColor(RULE2))
        p.setPen(QPen(QColor(ink), 1.5))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(f)
        hline(p, f.left(), f.right(), f.top() + inside * h, ink, 1.5)
        text(p, f.left() + 6, f.bottom() - 10, words, 11, 600, ink)


def _set_up(p: QPainter, s: Setup, at: QPointF, ink: str, room: QRectF, *, dashed: bool) -> None:
    p.save()
    p.setClipRect(room)
    half = math.degrees(math.atan(s.sensor * 9 / 16 / 2 / s.focal))
    pen = QPen(QColor(ink), 1, Qt.PenStyle.DashLine if dashed else Qt.PenStyle.SolidLine)
    p.setPen(pen)
    for a in (s.tilt - half, s.tilt + half):
        t = math.radians(a)
        p.drawLine(at, QPointF(at.x() + 2000 * math.cos(t), at.y() + 2000 * math.sin(t)))
    camera(p, max(at.x(), room.left() + 10), at.y(), ink)
    p.restore()
