"""What a row of the board's table shows: the shot, its stages, its dates."""

from __future__ import annotations

from typing import Protocol

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QImage, QPainter

from transmixis.desk.marks import mark, text
from transmixis.desk.theme import INK, INK2, VERMILION_TEXT, hours_words
from transmixis.desk.topbar import paint_hours
from transmixis.shot.model import Shot
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.overview import ShotRow
from transmixis.shot.steps import kind_of

ROW, PICTURE = 45, 62
FIRST_STAGE, STAGE = 264, 74
GAUGE = 48
RISK_MARK = {"none": "done", "low": "sound", "some": "watch", "high": "fault"}


class Rows(Protocol):
    """The table as its rows see it."""

    pictures: dict[str, QImage]
    notes: dict[str, str]

    def drives(self, shot: Shot) -> bool: ...
    def state_of(self, shot: Shot, stage: str) -> tuple[str, int]: ...
    def right_x(self, name: str) -> float: ...
    def width(self) -> int: ...


def paint_shot(p: QPainter, t: Rows, shot: Shot, top: float) -> None:
    image = t.pictures.get(shot.code)
    if image is not None and not image.isNull():
        h = min(PICTURE * image.height() / max(1, image.width()), ROW - 8.0)
        p.drawImage(QRectF(16, top + (ROW - h) / 2, PICTURE, h), image)
    else:
        p.fillRect(QRectF(16, top + 5, PICTURE, 35), QColor("#C4C4C4"))
        if not shot.plates:
            text(p, 16 + PICTURE / 2, top + ROW / 2, "not filmed", 10, 400, INK2, "centre")
    x = 16 + PICTURE + 10
    room = FIRST_STAGE - x - 10
    w = text(p, x, top + 15, shot.code, 12, 600, room=room)
    if t.drives(shot):
        text(p, x + w + 8, top + 15, "drives the date", 10, 600, VERMILION_TEXT, room=room - w - 8)
    note = t.notes.get(shot.code, "")
    words = note or shot.title or f"{shot.length} frames, {shot.width} × {shot.height}"
    text(p, x, top + 31, words, 12, 400, VERMILION_TEXT if note else INK, room=room)


def paint_dates(p: QPainter, t: Rows, row: ShotRow, top: float) -> None:
    y = top + ROW / 2
    text(p, t.right_x("left"), y, hours_words(row.left), 12, 600 if row.left else 400, INK, "right")
    x = t.right_x("risk")
    if row.risk:
        mark(p, RISK_MARK[row.risk], x + 5, y)
        text(p, x + 16, y, row.risk, 12, 500, VERMILION_TEXT if row.risk == "high" else INK)
    words = short_day(row.due) if row.due else "no date"
    text(p, t.right_x("due"), y, words, 12, 500 if row.due else 400, INK if row.due else INK2)
    x = t.right_x("waits")
    if row.waits:
        mark(p, "wait", x + 5, y)
    text(p, x + 16, y, row.waits or "nothing", 12, 400, INK if row.waits else INK2, room=t.width() - x - 32)


def paint_stage(p: QPainter, t: Rows, shot: Shot, stage: str, x: float, top: float, row: ShotRow | None) -> None:
    state, faults = t.state_of(shot, stage)
    hours = row.stages.get(stage) if row else None
    y = top + 16
    if hours is not None:
        paint_hours(p, QRectF(x, y - 5, GAUGE, 10), hours.spent, hours.hours.mean)
        words = f"{hours_words(hours.spent)} of {hours_words(hours.hours.mean)}"
        if hours.done:
            mark(p, "done", x + 4, top + 33, 3.4)
            words = hours_words(hours.spent)
        over = hours.spent > hours.hours.mean * 1.001 and not hours.done
        text(p, x + (12 if hours.done else 0), top + 33, words, 11, 500, VERMILION_TEXT if over else INK, room=STAGE - 8)
        if faults:
            mark(p, "fault", x + GAUGE + 8, y)
            text(p, x + GAUGE + 15, y, str(faults), 11, 600, VERMILION_TEXT, room=14)
        return
    mark(p, "fault" if faults else state, x + 6, y)
    if faults:
        text(p, x + 16, y, str(faults), 12, 600, VERMILION_TEXT)
    named = {"none": "none", "open": "not begun", "unknown": "unknown", "sound": "sound", "watch": "watch", "done": "done"}
    steps = sum(1 for s in shot.steps if kind_of(s.kind).stage == stage)
    what = f"{steps} step{'s' if steps != 1 else ''}" if steps else named.get(state, "")
    text(p, x, top + 33, what, 11, 400, INK2)
