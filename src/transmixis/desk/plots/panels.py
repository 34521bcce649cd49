"""How each kind of panel is drawn into a box. A panel is core.plot's; colours and marks are theme's and marks'."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from transmixis.core import plot
from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.types import Array
from transmixis.desk.marks import hatch, hline, notch, text, vline, wrapped
from transmixis.desk.plots.solid import paint_solid
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, ORANGE_EDGE, PAPER, RULE2, VERMILION, WELL, WHITE, figure

GAP = 6.0  # px between pictures
WORDS = 12.0  # px for a panel's own words above it


def paint(p: QPainter, box: QRectF, panel: plot.Panel, frame: int) -> None:
    """Draw a panel; `frame` is at the playhead."""
    PAINTERS[type(panel)](p, box, panel, frame)


def line(p: QPainter, xs: Array, ys: Array, ink: str = BLUE, width: float = 1.4) -> None:
    """A line through the known points; gaps stay gaps, a point alone is a dot."""
    run: list[QPointF] = []
    for x, y in [*zip(xs, ys, strict=True), (0.0, np.nan)]:
        if np.isfinite(y):
            run.append(QPointF(float(x), float(y)))
            continue
        p.setPen(QPen(QColor(ink), width if len(run) > 1 else 2 * width))
        if len(run) > 1:
            p.drawPolyline(QPolygonF(run))
        elif run:
            p.drawPoint(run[0])
        run = []


def across(box: QRectF, count: int) -> Array:
    """x of the middle of every frame."""
    return np.asarray(box.left() + (np.arange(count) + 0.5) * box.width() / max(count, 1))


def paint_trace(p: QPainter, box: QRectF, t: plot.Trace, frame: int) -> None:
    """Values over the frames about a middle line, or from the floor up, with the limit's lines and the playhead."""
    text(p, box.left(), box.top() + 4, t.words, 10, 400, INK2, room=box.width())
    area = box.adjusted(0, WORDS, 0, -2)
    if not np.isfinite(t.values).any():
        text(p, box.left(), area.center().y(), t.why, 11, 400, INK2, room=box.width())
        return
    middle, height = (area.bottom(), area.height()) if t.floor else (area.center().y(), area.height() / 2)
    scale = height / t.reach
    hline(p, area.left(), area.right(), middle, RULE2)
    if t.limit is not None:
        for sign in (1,) if t.floor else (-1, 1):
            hline(p, area.left(), area.right(), middle - sign * t.limit * scale, INK2, 1)
        text(p, area.right(), middle - t.limit * scale - 7, f"limit {figure(t.limit)} {t.unit}".strip(), 10, 400, INK2, "right")
    n = len(t.values)
    line(p, across(area, n), np.clip(middle - t.values * scale, area.top(), area.bottom()))
    vline(p, float(across(area, n)[min(frame, n) - 1]), area.top(), area.bottom(), INK)


def paint_curve(p: QPainter, box: QRectF, c: plot.Curve, frame: int) -> None:
    """A line and the dots that it should meet."""
    text(p, box.left(), box.top() + 4, c.words, 10, 400, INK2, room=box.width())
    area = box.adjusted(0, WORDS, 0, -2)
    if c.why:
        text(p, box.left(), area.center().y(), c.why, 11, 400, INK2, room=box.width())
        return
    top = 1.2 * float(max(c.dots[:, 1].max(initial=0.0), 0.0 if len(c.dots) else c.ys.max(initial=0.0))) or 1.0
    right = float(max(c.xs.max(initial=0.0), c.dots[:, 0].max(initial=0.0))) or 1.0
    xs, ys = (area.left() + c.xs / right * area.width(), area.bottom() - np.minimum(c.ys / top, 1) * area.height())
    line(p, xs, ys)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(INK))
    for x, v in c.dots:
        p.drawEllipse(QPointF(area.left() + x / right * area.width(), area.bottom() - v / top * area.height()), 2, 2)
    p.setBrush(Qt.BrushStyle.NoBrush)


def paint_path(p: QPainter, box: QRectF, path: plot.Path, frame: int) -> None:
    """Where it goes, px; the ring is the limit, the dot the playhead."""
    known: Array = np.isfinite(path.points[:, 0])
    if not known.any():
        text(p, box.left(), box.center().y(), "not known", 11, 400, INK2, room=box.width())
        return
    span = max(float(np.hypot(*path.points[known].T).max()), path.ring, 0.1) * 1.15
    scale, c = min(box.width(), box.height()) / 2 / span, box.center()
    p.setPen(QPen(QColor(INK2), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    if path.ring > 0:
        p.drawEllipse(c, path.ring * scale, path.ring * scale)
    hline(p, c.x() - 5, c.x() + 5, c.y(), RULE2)
    vline(p, c.x(), c.y() - 5, c.y() + 5, RULE2)
    line(p, c.x() + path.points[:, 0] * scale, np.where(known, c.y() + path.points[:, 1] * scale, np.nan), BLUE, 1.3)
    i = min(frame, len(known)) - 1
    if known[i]:
        p.setPen(QPen(QColor(INK), 1.5))
        p.drawEllipse(QPointF(c.x() + path.points[i, 0] * scale, c.y() + path.points[i, 1] * scale), 4, 4)
    text(p, box.right(), box.top() + 5, f"± {figure(span, 2)} px", 10, 400, INK2, "right")


def paint_frames(p: QPainter, box: QRectF, f: plot.Frames, frame: int) -> None:
    """A strip of the frames: full where all is well, hatched where a frame repeats, a gap where one is missing."""
    text(p, box.left(), box.top() + 6, f"frames 1 to {f.count}", 10, 400, INK2)
    strip = QRectF(box.left(), box.top() + 24, box.width(), 40)
    w = strip.width() / max(f.count, 1)
    marks: dict[int, set[str]] = {}
    for n, mark in f.marks:
        marks.setdefault(n, set()).add(mark)
    for n in range(1, f.count + 1):
        here = marks.get(n, set())
        cell = QRectF(strip.left() + (n - 1) * w, strip.top(), max(w - (1 if w > 3 else 0), 0.8), strip.height())
        if plot.MISSING in here:
            continue
        p.fillRect(cell, QColor(WELL))
        if plot.DOUBLED in here:
            hatch(p, cell, VERMILION)
        elif plot.COMBED in here:
            hatch(p, cell, ORANGE_EDGE, 3)
        if plot.JUMP in here:
            vline(p, cell.left() - 1, strip.top() - 6, strip.bottom() + 6, VERMILION, 2)
    vline(p, strip.left() + (min(frame, f.count) - 0.5) * w, strip.top() - 4, strip.bottom() + 4, INK)


def paint_spotted(p: QPainter, box: QRectF, s: plot.Spotted, frame: int) -> None:
    """The frame with rings and hatched boxes; those that are there at this frame in the colour of faults."""
    h, w = s.size
    scale = min(box.width() / w, box.height() / h)
    area = QRectF(box.left(), box.top(), w * scale, h * scale)
    p.fillRect(area, QColor(WELL))
    for x, y, bw, bh, first, last in s.boxes:
        rect = QRectF(area.left() + x * area.width(), area.top() + y * area.height(), bw * area.width(), bh * area.height())
        hatch(p, rect, VERMILION if first <= frame <= last else INK2)
    p.setPen(QPen(QColor(VERMILION), 1.5))
    p.setBrush(Qt.BrushStyle.NoBrush)
    for x, y, radius in s.rings:
        r = max(3.0, radius * scale)
        p.drawEllipse(QPointF(area.left() + x * scale, area.top() + y * scale), r, r)


def paint_patches(p: QPainter, box: QRectF, column: plot.Patches, frame: int) -> None:
    """Patches below each other, their names in them, notes below."""
    text(p, box.left(), box.top() + 9, column.words, 11, 500)
    if not column.patches:
        text(p, box.left(), box.top() + 34, column.why, 11, 400, INK2)
        return
    h = min(44.0, (box.height() - 26 - 14 * len(column.notes)) / len(column.patches) - 2)
    y = box.top() + 20
    for name, rgb in column.patches:
        coded = np.clip(np.round(linear_to_srgb(np.clip(np.array(rgb), 0, 1)) * 255), 0, 255).astype(int)
        cell = QRectF(box.left(), y, 42, h)
        p.fillRect(cell, QColor(*(int(v) for v in coded)))
        p.setPen(QColor(EDGE))
        p.drawRect(cell)
        text(p, cell.left() + 4, cell.bottom() - 9, name, 10, 400, INK if int(coded.sum()) > 380 else PAPER)
        y += h + 2
    for note in column.notes:
        text(p, box.left(), y + 9, note, 10, 400, INK2)
        y += 14


def paint_unrolled(p: QPainter, box: QRectF, u: plot.Unrolled, frame: int) -> None:
    """Frames down, the outline across; what is over the limit has a line of vermilion at its right, pins and asked frames are notches at its left."""
    text(p, box.left(), box.top() + 4, u.words, 10, 400, INK2, room=box.width())
    area = box.adjusted(10, WORDS, -6, -2)
    n = len(u.rows)
    if not n or not u.known.any():
        text(p, box.left(), area.center().y(), u.why, 11, 400, INK2, room=box.width())
        return
    picture = np.ascontiguousarray(np.where(u.known[:, None, None], u.rows, 207).astype(np.uint8))
    image = QImage(picture.tobytes(), picture.shape[1], n, 3 * picture.shape[1], QImage.Format.Format_RGB888)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    p.drawImage(area, image)
    tall = area.height() / n
    for k in range(n):
        y = area.top() + (k + 0.5) * tall
        if u.over[k]:
            p.fillRect(QRectF(area.right() + 1, area.top() + k * tall, 4, max(tall, 1)), QColor(VERMILION))
        if k + 1 in u.pins:
            notch(p, box.left(), y)
        elif k + 1 in u.asks:
            notch(p, box.left(), y, INK, filled=False)
    y = area.top() + (frame - 0.5) * tall
    for ink, wide in ((WHITE, 3.0), (BLUE, 1.4)):
        p.setPen(QPen(QColor(ink), wide))
        p.drawLine(QPointF(area.left(), y), QPointF(area.right(), y))


def paint_stills(p: QPainter, box: QRectF, s: plot.Stills, frame: int) -> None:
    """Pictures in a row, as large as the room allows, two lines across all of them by which a move is seen."""
    text(p, box.left(), box.top() + 4, s.words, 10, 400, INK2, room=box.width())
    area = box.adjusted(0, WORDS, 0, 0)
    if not s.pictures:
        text(p, box.left(), area.center().y(), s.why, 11, 400, INK2, room=box.width())
        return
    n = len(s.pictures)
    h, w = s.pictures[0].shape[:2]
    columns = max(range(1, n + 1), key=lambda c: _still_width(area, c, n, h / w))
    wide = _still_width(area, columns, n, h / w)
    tall = wide * h / w
    for i, (picture, below, bad) in enumerate(zip(s.pictures, s.below, s.bad or [False] * n, strict=True)):
        row, column = divmod(i, columns)
        cell = QRectF(area.left() + column * (wide + GAP), area.top() + row * (tall + WORDS + 2), wide, tall)
        p.drawImage(cell, _image(picture))
        for share in (1 / 3, 2 / 3) if s.lines else ():
            hline(p, cell.left(), cell.right(), cell.top() + share * tall, PAPER, 1)
        text(p, cell.left(), cell.bottom() + 7, below, 10, 400, VERMILION if bad else INK2, room=wide + GAP)


def _still_width(area: QRectF, columns: int, n: int, shape: float) -> float:
    """px that each of n pictures, so many times as high as wide, can be wide in so many columns."""
    rows = -(-n // columns)
    return min((area.width() - GAP * (columns - 1)) / columns, (area.height() - rows * (WORDS + 2)) / rows / shape)


def _image(linear: Array) -> QImage:
    coded = np.ascontiguousarray(np.clip(np.round(linear_to_srgb(np.clip(linear, 0, 1)) * 255), 0, 255).astype(np.uint8))
    h, w = coded.shape[:2]
    return QImage(coded.tobytes(), w, h, 3 * w, QImage.Format.Format_RGB888).copy()


def nothing(p: QPainter, box: QRectF, words: str) -> None:
    """What is said while there is nothing to draw."""
    wrapped(p, box.left(), box.top() + 14, box.width(), words, 12, 16, 400, INK2, 3)


PAINTERS: dict[type, Callable[[QPainter, QRectF, Any, int], None]] = {
    plot.Trace: paint_trace, plot.Curve: paint_curve, plot.Path: paint_path, plot.Frames: paint_frames,
    plot.Spotted: paint_spotted, plot.Patches: paint_patches, plot.Solid: paint_solid, plot.Stills: paint_stills, plot.Unrolled: paint_unrolled,
}  # fmt: skip
