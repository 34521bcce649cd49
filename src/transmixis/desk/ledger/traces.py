"""What the ledger paints below its heads: grounds, film edge, traces, pins, playhead, values."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPen

from transmixis.core.readings import FAULT
from transmixis.desk.ledger.columns import Column, has_readings, is_measured, stale_at, worst_at
from transmixis.desk.ledger.layout import FILM, LIMIT_AT, MOST_RATIO, Layout, Placed
from transmixis.desk.ledger.words import fitting
from transmixis.desk.marks import CENTRE, RIGHT, flag, hatch, notch, text, vline
from transmixis.desk.readingwords import value_words
from transmixis.desk.theme import (
    BLUE,
    BLUE_TEXT,
    EDGE,
    INK,
    INK2,
    PANEL,
    PAPER,
    PURPLE,
    RAISED,
    RULE,
    RULE2,
    TRACE_FILL,
    VERMILION,
    VERMILION_TEXT,
    VERMILION_WASH,
    WHITE,
    figure,
    text_width,
)

Rows = list[tuple[int, float]]


def paint_ground(p: QPainter, v: Layout, column: Column, left: float, width: float) -> None:
    top, bottom = v.body()
    chosen = any(s.id == v.state.step_id for s in column.steps)
    ground = PAPER if chosen else RAISED
    limit = float(round(left + LIMIT_AT * width))
    p.fillRect(QRectF(left, top, limit - left, bottom - top), QColor(ground))
    hatch(p, QRectF(limit, top, left + width - limit, bottom - top), RULE, 6, 0.45, ground)
    vline(p, limit, top, bottom, EDGE)
    vline(p, left, 0, bottom, RULE)


def paint_wash(p: QPainter, v: Layout, rows: Rows) -> None:
    f = v.state.known.current_finding
    if not f:
        return
    ys = [y for n, y in rows if f.first <= n <= f.last]
    if ys:
        h = v.row_height() / 2
        p.save()
        p.setCompositionMode(QPainter.CompositionMode.CompositionMode_Multiply)
        p.fillRect(QRectF(0, ys[0] - h, v.width, ys[-1] - ys[0] + 2 * h), QColor(VERMILION_WASH))
        p.restore()


def paint_film(p: QPainter, v: Layout, rows: Rows, thumbs: Mapping[int, QImage]) -> None:
    shot = v.state.shot
    assert shot is not None
    step = v.row_height()
    every = 1 if step >= 6 else 6
    last_label, last_thumb = -1e9, -1e9
    cues = {c.frame: c.name for c in shot.cues}
    for n, y in rows:
        if (n - 1) % every == 0:
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(QColor(WHITE))
            p.drawRoundedRect(QRectF(5, y - 2, 4, min(4.0, max(2.0, step * 0.5))), 1, 1)
        if n in thumbs and y - last_thumb >= 72:
            image = thumbs[n]
            h = 38 * image.height() / max(1, image.width())
            p.drawImage(QRectF(FILM - 40, y - step / 2, 38, h), image)
            last_thumb = y
        if n in cues:
            flag(p, 14, y)
            if y - last_label >= 12:
                text(p, 22, y, cues[n], 10, 400, INK, room=FILM - 24)
                last_label = y
        elif y - last_label >= 40 and (n == 1 or n % 6 == 1):
            text(p, 28, y, str(n), 10, 400, INK2, RIGHT)
            last_label = y


def paint_trace(p: QPainter, v: Layout, column: Column, left: float, width: float, rows: Rows) -> None:
    limit = LIMIT_AT * width
    chosen = any(s.id == v.state.step_id for s in column.steps)
    runs: list[list[tuple[float, float]]] = [[]]
    unknown, stale = [], list[tuple[float, float]]()
    for n, y in rows:
        if not is_measured(v.state, column, n):
            runs.append([])
            old = stale_at(v.state, column, n)
            if old is not None and old.ratio is not None:
                stale.append((left + 2 + min(old.ratio, MOST_RATIO) * (limit - 2), y))
            continue
        w = worst_at(v.state, column, n)
        if w is None or w.ratio is None:
            runs.append([])
            if has_readings(v.state, column, n):
                unknown.append(y)
            continue
        runs[-1].append((left + 2 + min(w.ratio, MOST_RATIO) * (limit - 2), y))
    for run in runs:
        if run:
            paint_run(p, v, run, left, limit, chosen)
    pen = QPen(QColor(INK2), 1)
    pen.setDashPattern([1, 3])
    p.setPen(pen)
    for (x0, y0), (x1, y1) in pairwise(stale):  # out of date, being measured again: dotted, no filling
        if y1 - y0 < 2 * v.row_height() + 1:
            p.drawLine(QPointF(x0, y0), QPointF(x1, y1))
    for y in unknown:
        p.drawLine(QPointF(left + 4, y), QPointF(left + limit - 4, y))


def paint_run(p: QPainter, v: Layout, run: list[tuple[float, float]], left: float, limit: float, chosen: bool) -> None:
    h = v.row_height() / 2
    line = QPainterPath(QPointF(run[0][0], run[0][1] - h))
    for x, y in run:
        line.lineTo(x, y)
    line.lineTo(run[-1][0], run[-1][1] + h)
    area = QPainterPath(line)
    area.lineTo(left + 1, run[-1][1] + h)
    area.lineTo(left + 1, run[0][1] - h)
    area.closeSubpath()
    p.fillPath(area, QColor(TRACE_FILL if chosen else "#D5D5D5"))
    if max(x for x, _ in run) > left + limit:
        p.save()
        p.setClipRect(QRectF(left + limit, 0, 1000, v.height))
        hatch(p, area, VERMILION, 4, ground=WHITE)
        p.restore()
    p.setPen(QPen(QColor(BLUE if chosen else INK), 1.3))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPath(line)


def paint_pins(p: QPainter, v: Layout, column: Column, left: float, rows: Rows) -> None:
    frames = {pin.frame for s in column.steps for pins in s.pins.values() for pin in pins}
    for n, y in rows:
        if n in frames:
            notch(p, left + 1, y)
    made = [m for s in column.steps if (m := v.state.answers.made.get(s.id)) and s.id not in v.state.answers.folded]
    asks = [n for m in made for n in m.asks]
    for n, y in rows:
        if n in asks:
            notch(p, left + 1, y, PURPLE if any(n == m.asks[0] for m in made if m.asks) else INK, filled=False)
    if any(not m.asks for m in made) and rows:
        notch(p, left + 1, rows[0][1], PURPLE, filled=False)


def paint_playhead(p: QPainter, v: Layout) -> None:
    y = v.y_of(v.state.frame)
    if y is None:
        return
    p.fillRect(QRectF(0, y - 1, v.width, 2), QColor(BLUE))
    p.fillRect(QRectF(0, y - 9, 30, 18), QColor(BLUE))
    text(p, 15, y, str(v.state.frame), 12, 600, WHITE, CENTRE)
    p.fillRect(
        QRectF(30, y - 9, FILM - 31, 18), QColor(PANEL)
    )  # what stands at the line is of this frame; the heads have the worst
    text(p, 35, y, "here", 11, 600, BLUE_TEXT)


def paint_values(p: QPainter, v: Layout, columns: list[Placed]) -> None:
    """Each column's value at the playhead."""
    y = v.y_of(v.state.frame)
    for column, left, width in columns if y is not None else ():
        assert y is not None
        w = worst_at(v.state, column, v.state.frame)
        if not w or w.value is None:
            continue
        words, px = fitting((value_words(w), figure(w.value)), width - 8, (11, 10, 9))
        over = w.state == FAULT
        ty = y - 10 if y - 20 > v.body()[0] else y + 12
        wide = min(text_width(words, px, 500) + 8, width - 2)
        box = QRectF(left + width - wide - 1, ty - 8, wide, 16)
        p.setPen(QPen(QColor(VERMILION if over else EDGE), 1))
        p.setBrush(QColor(PAPER))
        p.drawRect(box)
        text(p, box.center().x(), box.center().y(), words, px, 500, VERMILION_TEXT if over else INK, CENTRE, room=wide - 2)


def paint_hover(p: QPainter, v: Layout, frame: int) -> None:
    y = v.y_of(frame)
    if y is not None:
        p.fillRect(QRectF(FILM, y, v.width - FILM, 1), QColor(RULE2 if frame == v.state.frame else EDGE))
