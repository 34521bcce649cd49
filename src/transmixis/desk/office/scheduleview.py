"""The schedule painted: a row a person, their work in their days, the deadline and what runs past it, hours to spare."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from string import ascii_letters

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.core.plan.schedule import Block
from transmixis.desk.marks import hatch, hline, mark, text, vline
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PAPER, RAISED, RULE, VERMILION, VERMILION_TEXT, WELL, WHITE, text_width
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.overview import Overview
from transmixis.shot.planning.timetable import Timetable

LEFT, HEAD, ROW, SPARE, FOOT = 128, 22, 44, 50, 40
LEAST, MOST = 20.0, 36.0  # px a day


@dataclass(frozen=True)
class Placed:
    """A block on the screen, with the tasks that it is made of."""

    block: Block
    tasks: tuple[str, ...]
    rect: QRectF


class ScheduleView(QWidget):
    """Blocks can be dragged to another person or day; `moved` tells (shot, tasks, person, days later)."""

    moved = pyqtSignal(str, object, str, int)
    chosen = pyqtSignal(str)  # shot

    def __init__(self) -> None:
        super().__init__()
        self._overview: Overview | None = None
        self._drag: tuple[Placed, QPointF] | None = None
        self._at = QPointF()
        self.shot = ""
        self.day_px = MOST
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.MinimumExpanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Schedule")
        self.setToolTip(
            "Drag a block to another person or another day; the end answers when it is let go. Press one to choose its shot."
        )

    # -- measures

    def show_overview(self, overview: Overview | None) -> None:
        """Show this."""
        self._overview = overview
        self.setFixedHeight(self.sizeHint().height())
        self.setMinimumWidth(round(LEFT + self.days * LEAST + 16))
        self._measure()
        self.update()

    @property
    def table(self) -> Timetable | None:
        return self._overview.table if self._overview else None

    @property
    def days(self) -> int:
        """Days shown."""
        return self._overview.days if self._overview else 14

    def sizeHint(self) -> QSize:
        people = len(self.table.people) if self.table else 1
        return QSize(round(LEFT + self.days * LEAST + 16), HEAD + ROW * people + SPARE + FOOT)

    def resizeEvent(self, event: object) -> None:
        self._measure()

    def _measure(self) -> None:
        """Days take the width there is; asked for at every painted day, so it is kept."""
        self.day_px = min(MOST, max(LEAST, (max(self.width(), self.minimumWidth()) - LEFT - 16) / self.days))

    def x_of(self, day: float) -> float:
        return LEFT + day * self.day_px

    def row_y(self, person: str) -> float:
        """Top of a person's row."""
        assert self.table is not None
        return HEAD + ROW * [p.name for p in self.table.people].index(person)

    def placed(self) -> list[Placed]:
        """All blocks where they are painted."""
        t, px = self.table, self.day_px
        if t is None or self._overview is None:
            return []
        rows = {p.name: HEAD + ROW * i + 7.0 for i, p in enumerate(t.people)}
        return [
            Placed(b, tasks, QRectF(LEFT + b.start * px, rows[b.person], max((b.end - b.start) * px, 3.0), ROW - 14))
            for b, tasks in self._overview.blocks
        ]

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(RAISED))
        t = self.table
        if t is None or event is None:
            return
        px = self.day_px
        shown = event.rect()  # a long film is painted where it is seen
        span = range(max(int((shown.left() - LEFT) / px) - 1, 0), min(int((shown.right() - LEFT) / px) + 2, self.days))
        self._calendar(p, t, span)
        for i, person in enumerate(t.people):
            y = HEAD + ROW * i
            text(p, 16, y + 16, person.name, 12, 600, room=LEFT - 24)
            text(p, 16, y + 31, _week(person.week, t.start), 10, 400, INK2, room=LEFT - 22)
            hline(p, LEFT, self.x_of(self.days), y + ROW, RULE)
        self._waiting(p, t)
        for placed in self.placed():
            if placed.rect.right() >= shown.left() and placed.rect.left() <= shown.right():
                self._block(p, t, placed)
        self._dates(p, t)
        self._spare(p, t, span)
        if self._drag:
            r = self._drag[0].rect.translated(self._at - self._drag[1])
            p.setPen(QPen(QColor(BLUE), 2))
            p.setBrush(QColor(255, 255, 255, 160))
            p.drawRect(r)

    def _calendar(self, p: QPainter, t: Timetable, span: range) -> None:
        bottom = HEAD + ROW * len(t.people) + SPARE
        p.fillRect(QRectF(LEFT, HEAD, self.days * self.day_px, bottom - HEAD), QColor(PAPER))
        for d in span:
            x = self.x_of(d)
            for i, person in enumerate(t.people):
                if person.hours(d) <= 0:
                    p.fillRect(QRectF(x, HEAD + ROW * i, self.day_px, ROW), QColor(WELL))
            day = t.start + timedelta(days=d)
            first = day.weekday() == 0 or d == 0
            vline(p, x, 4 if first else HEAD, bottom, EDGE if first else "#E0E0E0")
            if d == 0 or (day.weekday() == 0 and d >= 3):
                text(p, x + 4, 11, short_day(day), 11, 500, INK2)

    def _block(self, p: QPainter, t: Timetable, placed: Placed) -> None:
        b, r = placed.block, placed.rect
        late = b.task.shot in t.missed
        p.setPen(QPen(QColor(VERMILION if late else "#555555"), 2 if b.task.shot in (self.shot, t.schedule.drives) else 1))
        p.setBrush(QColor(WHITE))
        p.drawRect(r)
        limit = t.deadlines.get(b.task.shot)
        if late and limit is not None and b.end > limit:
            x = max(self.x_of(limit), r.left())
            hatch(p, QRectF(x, r.top(), r.right() - x, r.height()), VERMILION)
        for code in (b.task.shot, b.task.shot.lstrip(ascii_letters)):
            if code and text_width(code, 11, 600) <= r.width() - 6:
                text(p, r.left() + 4, r.center().y(), code, 11, 600, VERMILION_TEXT if late else INK)
                return

    def _waiting(self, p: QPainter, t: Timetable) -> None:
        """A dashed line to the first block of a shot that waits for its plates."""
        for code, row in (self._overview.rows if self._overview else {}).items():
            first = next((b for b in t.schedule.blocks if b.task.shot == code), None) if row.waits else None
            if first is None or first.task.first_day <= 0:
                continue
            y = self.row_y(first.person) + ROW / 2
            start = max((b.end for b in t.schedule.blocks if b.person == first.person and b.end <= first.start), default=0.0)
            if self.x_of(first.start) - self.x_of(start) < 60:
                continue
            pen = QPen(QColor(INK2), 1.4, Qt.PenStyle.DashLine)
            p.setPen(pen)
            p.drawLine(QPointF(self.x_of(start) + 4, y), QPointF(self.x_of(first.start) - 2, y))
            what = row.waits.split(", due")[0]  # where the line ends is the day
            middle = (self.x_of(start) + self.x_of(first.start)) / 2
            room = self.x_of(first.start) - self.x_of(start) - 50
            words = f"{code}: {what}" if text_width(f"{code}: {what}", 11, 500) <= room else what
            mark(p, "wait", self.x_of(start) + 16, y)
            p.fillRect(QRectF(middle - room / 2, y - 8, room, 16), QColor(PAPER))
            text(p, middle, y, words, 11, 500, INK2, "centre", room=room)

    def _spare(self, p: QPainter, t: Timetable, span: range) -> None:
        top = HEAD + ROW * len(t.people)
        text(p, 16, top + 18, "Hours to spare", 12, 600)
        text(p, 16, top + 33, "of all together", 10, 400, INK2)
        whole = max((sum(q.hours(d) for q in t.people) for d in range(7)), default=1.0) or 1.0
        assert self._overview is not None
        for d in span:
            spare = self._overview.spare[d]
            if spare > 0.05:
                h = spare / whole * (SPARE - 16)
                x = self.x_of(d)
                p.fillRect(QRectF(x + 2, top + SPARE - h, self.day_px - 4, h), QColor("#B4B4B4"))
                if self.day_px >= 20:
                    said, mid = f"{spare:.1f}".removesuffix(".0"), x + self.day_px / 2
                    w = text_width(said, 10, 400)
                    p.fillRect(QRectF(mid - w / 2 - 1, top + SPARE - h - 12, w + 2, 12), QColor(PAPER))  # over the lines of dates
                    text(p, mid, top + SPARE - h - 6, said, 10, 400, INK2, "centre")
        hline(p, LEFT, self.x_of(self.days), top + SPARE, RULE)

    def _dates(self, p: QPainter, t: Timetable) -> None:
        """Today, the deadline of the shot that drives, and its end, with the beam between them."""
        bottom = HEAD + ROW * len(t.people) + SPARE
        p.fillRect(QRectF(LEFT, bottom + 1, 44, 15), QColor(BLUE))
        text(p, LEFT + 22, bottom + 8, "today", 10, 600, WHITE, "centre")
        vline(p, LEFT - 1, HEAD - 6, bottom + 16, BLUE, 2)
        code = t.schedule.drives
        limit, done = t.deadlines.get(code), t.schedule.done.get(code)
        if limit is None or done is None:
            return
        x0, x1 = max(self.x_of(limit), float(LEFT)), self.x_of(done)  # a date that is past already stands at today
        late = code in t.missed
        vline(p, x0 - 1, HEAD - 6, bottom + 24, INK, 2)
        vline(p, x1 - 1, HEAD + 4, bottom + 24, VERMILION if late else INK2, 1.5)
        hline(p, min(x0, x1), max(x0, x1), bottom + 22, VERMILION if late else INK, 3)
        last, end = t.day(limit), t.day(done)
        words = f"Deadline {short_day(last)}"
        away = "right" if x0 > LEFT + 190 and (late or x1 > x0) else "left"
        if not late:
            text(p, x0 + 6, bottom + 8, words, 11, 600)
            text(
                p,
                min(x1, x0 - 4),
                bottom + 33,
                f"{code} done {short_day(end)}",
                11,
                500,
                INK2,
                "right" if x1 > LEFT + 160 else "left",
            )
            return
        text(p, x0 - 6 if away == "right" else x0 + 6, bottom + 8, words, 11, 600, INK, away)
        n = t.working_days_late(code)
        text(p, x1 + 6, bottom + 8, f"{code} done {short_day(end)}", 11, 600, VERMILION_TEXT)
        text(
            p,
            x0 - 6 if away == "right" else x0 + 6,
            bottom + 33,
            f"{n} working day{'s' if n != 1 else ''} late",
            11,
            600,
            VERMILION_TEXT,
            away,
        )

    # -- pointer

    def _hit(self, at: QPointF) -> Placed | None:
        return next((q for q in self.placed() if q.rect.adjusted(-2, -2, 2, 2).contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        found = self._hit(event.position())
        if found:
            self._drag, self._at = (found, event.position()), event.position()
            self.shot = found.block.task.shot
            self.chosen.emit(self.shot)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._at = event.position()
        if self._drag:
            self.update()
            return
        found = self._hit(event.position())
        if found and self.table:
            b = found.block
            self.setToolTip(
                f"{b.task.shot}: {', '.join(found.tasks).replace('_', ' ')}; {b.person}, {short_day(self.table.day(b.start + 1e-3))} to {short_day(self.table.day(b.end))}.\n"
                "Drag it to another person or another day."
            )

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self._drag or not self.table:
            return
        placed, start = self._drag
        self._drag = None
        self.update()
        row = int((placed.rect.center().y() + event.position().y() - start.y() - HEAD) // ROW)
        people = self.table.people
        person = people[min(max(row, 0), len(people) - 1)].name
        later = round((event.position().x() - start.x()) / self.day_px)
        if person != placed.block.person or later:
            self.moved.emit(placed.block.task.shot, placed.tasks, person, later)


def _week(week: tuple[float, ...], start: date) -> str:
    """Hours a day and on which days, from a week that begins at `start`."""
    turn = (7 - start.weekday()) % 7
    monday = (*week[turn:], *week[:turn])
    worked = [i for i, h in enumerate(monday) if h > 0]
    if not worked:
        return "no hours"
    names = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
    hours = sorted({monday[i] for i in worked})
    many = f"{hours[0]:g} h" if len(hours) == 1 else f"{hours[0]:g}–{hours[-1]:g} h"
    row = worked == list(range(worked[0], worked[-1] + 1)) and len(worked) > 2
    return f"{many}, {names[worked[0]]} to {names[worked[-1]]}" if row else f"{many}, {' '.join(names[i] for i in worked)}"
