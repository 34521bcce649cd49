"""Drawings of the questions about hours and agreement."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from transmixis.desk.marks import hline, mark, text, vline, wrapped
from transmixis.desk.plan.drawings import BODY, panel
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, RULE2, VERMILION_TEXT, WELL, figure
from transmixis.shot.planning.agree import AgreeDrawing
from transmixis.shot.planning.estimate import Bar, EstimateDrawing
from transmixis.shot.planning.fix import FixDrawing

GREY = "#8A8A8A"


def draw_fix(p: QPainter, box: QRectF, d: FixDrawing) -> None:
    """Hours there beside hours after, with what they may turn out to be."""
    room = panel(p, box, "Hours of people")
    most = max(d.there, d.twice, d.later + d.deviation, 0.1)
    rows = (("there", d.there, 0.0, BLUE), ("after", d.later, d.deviation, BODY), ("after, done twice", d.twice, 0.0, GREY))
    left, right = room.left() + 120, room.right() - 70
    high = min(room.height() / len(rows), 54.0)
    for i, (name, hours, spread, ink) in enumerate(rows):
        y = room.top() + i * high + high / 2
        text(p, room.left(), y, name, 12, 500)
        w = hours / most * (right - left)
        p.fillRect(QRectF(left, y - high * 0.28, max(w, 2.0), high * 0.56), QColor(ink))
        if spread:
            a, b = ((hours + s * spread) / most * (right - left) for s in (-1, 1))
            hline(p, left + max(a, 0), left + b, y, INK, 1.5)
            for at in (max(a, 0), b):
                vline(p, left + at, y - 6, y + 6, INK, 1.5)
        text(p, left + w + 10 + (spread / most * (right - left)), y, f"{figure(hours, 2)} h", 12, 600)


def draw_estimate(p: QPainter, box: QRectF, d: EstimateDrawing) -> None:
    """The tasks' hours; and how the error of estimates falls as finished tasks are set."""
    wide = box.width() * 0.6
    tasks = panel(
        p, QRectF(box.left(), box.top(), wide - 6, box.height()), "Hours of each task; dark is spent, the line is what it may be"
    )
    learning = panel(p, QRectF(box.left() + wide + 6, box.top(), box.width() - wide - 6, box.height()), "Error of the estimate")
    _bars(p, tasks, d.bars)
    _learning(p, learning, d)


def _bars(p: QPainter, room: QRectF, bars: tuple[Bar, ...]) -> None:
    most = max((b.hours.mean + b.hours.deviation for b in bars), default=1.0)
    high = min(room.height() / max(len(bars), 1), 30.0)
    left, right = room.left() + 168, room.right() - 54
    for i, b in enumerate(bars):
        y = room.top() + i * high + high / 2
        text(p, room.left(), y, b.stage, 11, 400, INK2)
        text(p, room.left() + 52, y, b.name, 12, 500, room=112)
        scale = (right - left) / most
        p.fillRect(QRectF(left, y - 6, b.hours.mean * scale, 12), QColor(WELL))
        p.setPen(QPen(QColor(EDGE), 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(QRectF(left, y - 6, b.hours.mean * scale, 12))
        p.fillRect(QRectF(left, y - 6, min(b.spent, most) * scale, 12), QColor("#555555"))
        hline(
            p, left + max(b.hours.mean - b.hours.deviation, 0) * scale, left + (b.hours.mean + b.hours.deviation) * scale, y, INK
        )
        if b.done:
            mark(p, "done", room.right() - 46, y)
        text(p, room.right(), y, f"{figure(b.hours.mean, 2)} h", 12, 600, INK, "right")


def _learning(p: QPainter, room: QRectF, d: EstimateDrawing) -> None:
    """The simulated production's error as a line, this film's own as dots: open by the rates, filled having learnt."""
    left, right, top, bottom = room.left() + 34, room.right() - 4, room.top() + 4, room.bottom() - 50
    n = max(len(d.simulated), len(d.record), 2)
    most = max(0.8, *(abs(r[2] - r[1]) / r[1] for r in d.record)) if d.record else 0.8
    most = min(most, 1.5)

    def at(i: float, v: float) -> QPointF:
        return QPointF(left + i / (n - 1) * (right - left), bottom - min(v, most) / most * (bottom - top))

    for v in (0.0, most / 2, most):
        hline(p, left, right, at(0, v).y(), RULE2)
        text(p, left - 6, at(0, v).y(), f"{100 * v:.0f} %", 10, 400, INK2, "right")
    p.setPen(QPen(QColor(INK2), 1.5))
    p.drawPolyline(QPolygonF([at(i, float(v)) for i, v in enumerate(d.simulated)]))
    for i, (_, took, plain, taught) in enumerate(d.record):
        p.setPen(QPen(QColor(BODY), 1.3))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(at(i, abs(plain - took) / took), 3.5, 3.5)
        p.setBrush(QColor(BLUE))
        p.setPen(Qt.PenStyle.NoPen)
        p.drawEllipse(at(i, abs(taught - took) / took), 3.0, 3.0)
    text(p, left, room.bottom() - 36, "finished tasks of a kind, 1 to 40", 10, 400, INK2, room=right - left)
    words = "Line: a simulated film." + (
        " Rings: this film by the rates; dots: having learnt." if d.record else " This film has none yet."
    )
    wrapped(p, room.left(), room.bottom() - 19, room.width(), words, 10, 13, 400, INK2, 2)


def draw_agree(p: QPainter, box: QRectF, d: AgreeDrawing) -> None:
    """The three who are asked, and everything that was said."""
    third = (box.width() - 24) / 3
    for i, (who, why, last) in enumerate(d.asked):
        room = panel(p, QRectF(box.left() + i * (third + 12), box.top(), third, 92), who.capitalize())
        text(p, room.left(), room.top() + 4, why, 11, 400, INK2, room=room.width())
        state = "open" if last is None else {"agreed": "done", "agreed if": "watch", "against": "fault"}[last.answer]
        mark(p, state, room.left() + 5, room.top() + 28)
        words = "not asked yet" if last is None else f"{last.answer}, {last.when}"
        text(
            p,
            room.left() + 18,
            room.top() + 28,
            words,
            12,
            600,
            VERMILION_TEXT if state == "fault" else INK,
            room=room.width() - 18,
        )
        if last is not None:
            text(p, room.left() + 18, room.top() + 46, last.said, 11, 400, INK2, room=room.width() - 18)
    if box.height() < 150:
        return
    room = panel(p, QRectF(box.left(), box.top() + 104, box.width(), box.height() - 104), "What was shown and said")
    y = room.top() + 6
    for a in d.said:
        text(p, room.left(), y, a.when, 11, 400, INK2)
        text(p, room.left() + 84, y, a.who, 12, 500)
        text(p, room.left() + 190, y, a.answer, 12, 600)
        y = (
            wrapped(
                p,
                room.left() + 262,
                y,
                room.width() - 262,
                f"{a.said or 'nothing written down'} (shown: {a.shown or 'nothing'})",
                12,
                15,
                400,
                INK,
                2,
            )
            + 6
        )
        if y > room.bottom() - 8:
            break
    if not d.said:
        text(
            p,
            room.left(),
            y,
            "Nothing yet: choose who was asked below, write what they saw and said, and keep it.",
            12,
            400,
            INK2,
        )
