"""The top bar: which shot, the path of stages with their open findings, frame and time code, hours."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.core.timecode import timecode
from transmixis.desk.marks import CENTRE, RIGHT, hatch, hline, jaws, mark, text, vline
from transmixis.desk.state import State
from transmixis.desk.theme import INK, INK2, PAPER, RAISED, RULE, VERMILION_TEXT, WHITE, hours_words
from transmixis.shot.model import STAGES
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.overview import Overview
from transmixis.shot.steps import kind_of


class TopBar(QWidget):
    """Pressing the name opens the board, pressing a stage goes there."""

    board_pressed = pyqtSignal()
    stage_pressed = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.page = ""
        self.setFixedHeight(48)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("Production, stages and frame")
        self.setToolTip("Press the production's name for the board, a stage to go there.")
        for signal in (state.readings_changed, state.frame_changed, state.step_changed):
            signal.connect(lambda _: self.update())
        state.shot_changed.connect(self.update)
        state.opened.connect(self.update)
        state.planner.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(1280, 48)

    def stage_x(self, stage: str) -> float:
        """Middle of a stage's word."""
        x0, x1 = 264.0, max(700.0, self.width() - 376.0)
        return x0 + (x1 - x0) * (STAGES.index(stage) + 0.5) / len(STAGES)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), QColor(RAISED))
        hline(p, 0, self.width(), 47, RULE)
        jaws(p, 20, 25, 7, INK)
        session = self._state.session
        if not session:
            text(p, 40, 24, "Transmixis", 13, 600)
            return
        shot = self._state.shot
        head = "Production board" if self.page == "board" or not shot else f"{shot.code}  {shot.title}"
        text(p, 40, 15, session.document.film.production.name, 11, 400, INK2, room=216)
        text(p, 40, 32, head, 13, 600, room=216)
        if shot and self.page != "board":
            self._paint_path(p)
            self._paint_right(p)
        elif self.page == "board":
            self._paint_board(p)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _paint_board(self, p: QPainter) -> None:
        """Shots, findings and hours of the whole production."""
        session = self._state.session
        assert session is not None
        shots = session.document.film.shots
        done = sum(1 for s in shots if s.delivered)
        now = self._state.planner.now
        facts: list[tuple[str, str, str]] = [("Shots", f"{len(shots)}, of them {done} delivered", INK)]
        if now is not None:
            facts.insert(0, ("Today", short_day(now.today), INK))
            if now.deadline:
                facts.append((f"Deadline, {now.scenario}", short_day(now.deadline), INK))
            facts += _as_it_stands(now)
        x = 264.0
        for name, value, ink in facts:
            a = text(p, x, 15, name, 11, 400, INK2)
            b = text(p, x, 32, value, 13, 600, ink)
            x += max(90.0, max(a, b) + 24)
            vline(p, x - 12, 8, 40, RULE)
        left, right = self.width() - 160.0, self.width() - 16.0
        text(p, left, 15, "Hours", 11, 400, INK2)
        if shots and now is not None:
            text(p, right, 15, f"{hours_words(now.spent)} of {hours_words(now.hours)}", 12, 600, align=RIGHT)
            paint_hours(p, QRectF(left, 28, right - left, 8), now.spent, now.hours)

    def _chosen_stage(self) -> str:
        if self.page in ("deliver", "plan"):
            return "Hand over" if self.page == "deliver" else "Plan"
        step = self._state.step
        return kind_of(step.kind).stage if step and self.page == "bench" else ""

    def _paint_path(self, p: QPainter) -> None:
        hline(p, self.stage_x("Plan"), self.stage_x("Hand over"), 35, RULE)
        chosen = self._chosen_stage()
        for stage in STAGES:
            x = self.stage_x(stage)
            state, faults = self._state.known.stage_state(stage)
            if stage == "Hand over":
                shot = self._state.shot
                state = "done" if shot and shot.delivered else "open"
            text(
                p, x, 17, stage, 12, 600 if stage == chosen else 400, INK if stage == chosen or state != "none" else INK2, CENTRE
            )
            half = 15 if faults else 9
            p.fillRect(QRectF(x - half, 28, 2 * half, 14), QColor(RAISED))
            if faults:
                mark(p, "fault", x - 6, 35)
                text(p, x + 6, 35, str(faults), 11, 600, VERMILION_TEXT, CENTRE)
            else:
                mark(p, state, x, 35)
            if stage == chosen:
                hline(p, x - 32, x + 32, 45, INK, 2)

    def _paint_right(self, p: QPainter) -> None:
        shot = self._state.shot
        assert shot is not None
        x = self.width() - 360.0
        vline(p, x, 8, 40, RULE)
        text(p, x + 16, 15, "Frame", 11, 400, INK2)
        w = text(p, x + 16, 32, str(self._state.frame), 13, 600)
        text(p, x + 20 + w, 32, f"of {shot.length}", 11, 400, INK2)
        text(p, x + 90, 15, "Time code", 11, 400, INK2)
        text(p, x + 90, 32, timecode(self._state.frame - 1, shot.fps), 13, 600)
        vline(p, x + 184, 8, 40, RULE)
        left, right = x + 200, self.width() - 16.0
        text(p, left, 15, "Hours", 11, 400, INK2)
        now = self._state.planner.now
        row = now.rows.get(shot.code) if now else None
        if row is not None:
            spent, estimate = row.whole.spent, row.whole.hours.mean
            text(p, right, 15, f"{hours_words(spent)} of {hours_words(estimate)}", 12, 600, align=RIGHT)
            paint_hours(p, QRectF(left, 28, right - left, 8), spent, estimate)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x = event.position().x()
        if x < 250:
            self.board_pressed.emit()
        elif self._state.shot and self.page != "board":
            near = min(STAGES, key=lambda s: abs(self.stage_x(s) - x))
            if abs(self.stage_x(near) - x) < 38:
                self.stage_pressed.emit(near)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.board_pressed.emit()
        else:
            super().keyPressEvent(event)


def _as_it_stands(now: Overview) -> list[tuple[str, str, str]]:
    """How the film stands against its dates."""
    t = now.table
    if t is None or not t.schedule.blocks:
        return []
    code = t.schedule.drives
    if code in t.missed:
        n = t.working_days_late(code)
        return [("As it stands", f"{n} working day{'s' if n != 1 else ''} late", VERMILION_TEXT)]
    if code in t.deadlines:
        return [("As it stands", "in time", INK)]
    return [("As it stands", f"done {short_day(t.day(t.schedule.end))}", INK)]


def paint_hours(p: QPainter, box: QRectF, spent: float, estimate: float) -> None:
    """Hours done over the estimate, whose tick stands at 70 %; what is overspent is hatched."""
    p.fillRect(box, QColor(PAPER))
    limit = box.left() + 0.7 * box.width()
    full = box.left() + min(0.7 * spent / max(estimate, 1e-6), 1.0) * box.width()
    p.fillRect(QRectF(box.left(), box.top(), min(full, limit) - box.left(), box.height()), QColor("#555555"))
    if full > limit:
        over = QRectF(limit, box.top(), full - limit, box.height())
        p.fillRect(over, QColor(WHITE))
        hatch(p, over)
    p.setPen(QPen(QColor("#8C8C8C"), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(box)
    vline(p, limit, box.top() - 2, box.bottom() + 2, INK)
