"""The ledger's heads: stages, parts, and of each column its name, its worst reading and its limit."""

from __future__ import annotations

from itertools import groupby

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter

from transmixis.core.readings import FAULT
from transmixis.desk.ledger.columns import Column, worst_of
from transmixis.desk.ledger.layout import BAND, FILM, HEADS, NARROW, STAGES, Layout, Placed
from transmixis.desk.ledger.words import fitting, on_lines
from transmixis.desk.marks import hline, mark, text, vline, wrapped
from transmixis.desk.readingwords import bound, plain
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PANEL, RULE, VERMILION_TEXT, WHITE, figure, text_width


def paint_head(p: QPainter, v: Layout, column: Column, left: float, width: float) -> None:
    """A column's name and worst reading."""
    top = STAGES + v.band
    chosen = any(s.id == v.state.step_id for s in column.steps)
    p.fillRect(QRectF(left, top, width, HEADS + 2), QColor(WHITE if chosen else PANEL))
    if chosen:
        p.fillRect(QRectF(left, top, width, 3), QColor(BLUE))
    vline(p, left, 0, v.head, RULE)
    hline(p, left, left + width, v.head + 2, RULE)
    p.save()
    p.setClipRect(QRectF(left + 1, top, width - 2, HEADS))
    narrow = width < NARROW
    inset = (3, 4, 10) if narrow else (6, 8, 11)
    wrapped(p, left + inset[0], top + 16, width - inset[1], column.name, inset[2], 13, 600, INK if column.on else INK2, most=3)
    _paint_worst(p, v, column, left, width)
    p.restore()


def _paint_worst(p: QPainter, v: Layout, column: Column, left: float, width: float) -> None:
    y = STAGES + v.band + 72.0
    if not column.on:
        text(p, left + 6, y, "switched off", 10, 400, INK2, room=width - 8)
        return
    found = worst_of(v.state, column)
    if not found:
        waiting = not any(v.state.known.readings.get(s.id) for s in column.steps)
        mark(p, "open" if waiting else "unknown", left + 11, y)
        still = ("not measured", "not yet") if v.state.work.stopped else ("measuring",)
        words, px = fitting(still if waiting else ("unknown",), width - 4, (10, 9, 8))
        text(p, left + 3, y + 14, words, px, 400, INK2, room=width - 3)
        return
    step, _, reading = found
    mark(p, reading.state, left + 11, y)
    x, room = left + (3 if width < NARROW else 6), width - (4 if width < NARROW else 8)
    named = f"worst {reading.name}" if not column.folded else f"{step.name}: {reading.name}"
    short = reading.name if column.folded else "worst"
    text(p, x, y - 13, named if text_width(named, 10, 400) <= room else short, 10, 400, INK2, room=room)
    ink = VERMILION_TEXT if reading.state == FAULT else INK
    value, px = fitting((figure(reading.value or 0),), width - 21)
    text(p, left + 20, y, value, px, 600, ink, room=width - 20)
    # where a column is too narrow for both, the limit stands over its unit
    for line in on_lines((f"{bound(reading)} {plain(reading.limit)}", reading.unit), room):
        y += 13
        text(p, x, y, line, 10, 400, INK2, room=room)


def paint_stage_names(p: QPainter, v: Layout) -> None:
    """The stages over their columns."""
    p.fillRect(QRectF(0, 0, v.width, STAGES), QColor(PANEL))
    hline(p, 0, v.width, STAGES - 1, RULE)
    columns = v.columns()
    for stage, group in groupby(columns, key=lambda c: c[0].stage):
        run = list(group)
        left, right = run[0][1], run[-1][1] + run[-1][2]
        vline(p, left, 0, STAGES, RULE)
        at = max(left, FILM) + 6  # a stage that begins beyond the film edge keeps its name in sight
        text(p, at, 11, stage, 11, 400, INK2, room=max(right - at - 2, 0.0))
    last = columns[-1]
    vline(p, last[1] + last[2], 0, v.height, RULE)


def band_runs(v: Layout) -> list[tuple[str, float, float]]:
    """The parts' pieces of the band: a part's id, left and right."""
    out = []
    for part, group in groupby(v.columns(), key=lambda c: c[0].part.id if c[0].part else ""):
        run: list[Placed] = list(group)
        if part:
            out.append((part, run[0][1], run[-1][1] + run[-1][2]))
    return out


def paint_parts(p: QPainter, v: Layout) -> None:
    """The parts over their columns: a bar with the name, and whether it stands for all of its steps."""
    if not v.band:
        return
    shot = v.state.shot
    assert shot is not None
    p.fillRect(QRectF(0, STAGES, v.width, BAND), QColor(PANEL))
    parts = {part.id: part for part in shot.parts}
    for part_id, left, right in band_runs(v):
        part = parts[part_id]
        box = QRectF(left + 2, STAGES + 1, right - left - 4, BAND - 3)
        p.setPen(QColor(EDGE))
        p.setBrush(QColor(WHITE))
        p.drawRect(box)
        at = max(left, FILM) + 7
        # folded, the head below has the name
        count = f"{len(part.steps)} step{'' if len(part.steps) == 1 else 's'}"
        words, px = fitting((count, str(len(part.steps))) if part.folded else (part.name,), right - at - 14, (10, 9))
        text(p, at, STAGES + 8, words, px, 500, INK if part.asleep is None else INK2, room=max(right - at - 16, 0.0))
        _fold_mark(p, right - 10, STAGES + 8, closed=part.folded)


def _fold_mark(p: QPainter, x: float, y: float, *, closed: bool) -> None:
    """Two strokes apart where the columns are spread out, close together where they are folded."""
    apart = 1.5 if closed else 4.0
    vline(p, round(x - apart), y - 4, y + 4, INK)
    vline(p, round(x + apart), y - 4, y + 4, INK)


def paint_film_head(p: QPainter, v: Layout) -> None:
    """The film edge's own head: rate and length."""
    shot = v.state.shot
    assert shot is not None
    top = STAGES + v.band
    p.fillRect(QRectF(0, 0, FILM, STAGES), QColor(PANEL))
    hline(p, 0, FILM, STAGES - 1, RULE)
    p.fillRect(QRectF(0, STAGES, FILM, v.band + HEADS + 2), QColor(PANEL))
    text(p, 6, top + 16, "Film edge", 11, 600)
    text(p, 6, top + 72, f"{float(shot.fps):.4g} / s", 11, 400)
    text(p, 6, top + 85, f"{shot.length / float(shot.fps):.1f} s in all", 10, 400, INK2)
    if v.band:
        text(p, 6, STAGES + 8, "Parts", 10, 400, INK2)
    hline(p, 0, FILM, v.head + 2, RULE)
