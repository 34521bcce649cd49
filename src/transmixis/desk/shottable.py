"""The board's table: every shot of the production with its stages, hours and open findings."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, worst
from transmixis.desk import shotrow
from transmixis.desk.engine import AHEAD, Engine
from transmixis.desk.marks import hline, text
from transmixis.desk.shotrow import FIRST_STAGE, PICTURE, ROW, STAGE
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PANEL, RAISED, RULE, VERMILION_WASH
from transmixis.desk.viewimage import picture_image
from transmixis.shot.model import STAGES, Film, Shot
from transmixis.shot.planning import plan_state
from transmixis.shot.planning.overview import ShotRow
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.steps import kind_of

HEAD = 28


class ShotTable(QWidget):
    """One row a shot. Press a row to choose, press again (or Enter) to open; press a stage to open it there."""

    open_shot = pyqtSignal(str, str)  # code, stage or ''
    row_chosen = pyqtSignal()

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__()
        self._state, self._engine = state, engine
        self.pictures: dict[str, QImage] = {}
        self.notes: dict[str, str] = {}
        self._stages: dict[str, dict[str, tuple[str, int]]] = {}
        self._shown: dict[str, Shot] = {}
        self.chosen = ""
        state.opened.connect(self._shown.clear)
        state.planner.changed.connect(self.update)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Shots")
        self.setToolTip("Press a shot twice, or Enter, to open it; press a stage to open the shot there.")

    def shots(self) -> tuple[Shot, ...]:
        return self._state.session.document.film.shots if self._state.session else ()

    def sizeHint(self) -> QSize:
        return QSize(1000, HEAD + ROW * max(1, len(self.shots())))

    def refresh(self) -> None:
        """Ask for pictures and for what the stored readings say."""
        self.setMinimumHeight(self.sizeHint().height())
        codes = [s.code for s in self.shots()]
        self.chosen = self.chosen if self.chosen in codes else self._state.code
        session = self._state.session
        if not session:
            return
        film = session.document.film
        for shot in film.shots:
            if self._shown.get(shot.code) is shot:
                continue  # nothing of it has changed since
            self._shown[shot.code] = shot
            try:
                renderer = session.renderer_for(shot)
            except UserError as e:
                self.notes[shot.code] = str(e)
                continue
            self._engine.ask(AHEAD, partial(row_facts, renderer, film), self._take, partial(self._fail, shot.code), tag="board")
        self.update()

    def look_again(self) -> None:
        """Ask anew for every row: readings come without their shot being changed."""
        self._shown.clear()

    def _take(self, facts: tuple[str, QImage, dict[str, tuple[str, int]], str]) -> None:
        code, image, stages, note = facts
        self.pictures[code], self._stages[code], self.notes[code] = image, stages, note
        self.update()

    def _fail(self, code: str, why: str) -> None:
        self.notes[code] = why
        self.update()

    def stage_x(self, stage: str) -> float:
        return FIRST_STAGE + STAGE * STAGES.index(stage)

    def right_x(self, name: str) -> float:
        """Where a column right of the stages begins; they take the width that is left."""
        left = FIRST_STAGE + STAGE * len(STAGES)
        spare = max(self.width() - left - 416, 0.0)
        at = {"left": 44.0, "risk": 62.0, "due": 128.0 + 0.15 * spare, "waits": 214.0 + 0.3 * spare}
        return left + at[name]

    def row_y(self, code: str) -> float:
        """Top of a shot's row."""
        return HEAD + ROW * [s.code for s in self.shots()].index(code)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), QColor(PANEL))
        y = HEAD / 2
        text(p, 16 + PICTURE + 10, y, "Shot", 12, 600)
        for stage in STAGES:
            text(p, self.stage_x(stage), y, stage, 12, 600)
        text(p, self.right_x("left"), y, "Left, h", 11, 400, INK2, "right")
        for name, words in (("risk", "Risk"), ("due", "Due"), ("waits", "Waiting for")):
            text(p, self.right_x(name), y, words, 11, 400, INK2)
        hline(p, 16, self.width() - 16, HEAD - 1, EDGE)
        seen = event.rect() if event else self.rect()
        first = max((seen.top() - HEAD) // ROW, 0)
        for i, shot in enumerate(self.shots()[first : (seen.bottom() - HEAD) // ROW + 1], first):
            self._paint_row(p, shot, HEAD + i * ROW)

    def _paint_row(self, p: QPainter, shot: Shot, top: float) -> None:
        if self.drives(shot):
            p.fillRect(QRectF(0, top, self.width(), ROW), QColor(VERMILION_WASH))
        if shot.code == self.chosen:
            p.fillRect(QRectF(0, top, 4, ROW), QColor(BLUE))
            if not self.drives(shot):
                p.fillRect(QRectF(4, top, self.width(), ROW), QColor(RAISED))
            if self.hasFocus():
                p.setPen(QPen(QColor(INK), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(QRectF(8, top + 2, self.width() - 16, ROW - 4))
        shotrow.paint_shot(p, self, shot, top)
        row = self._row(shot)
        for stage in STAGES:
            shotrow.paint_stage(p, self, shot, stage, self.stage_x(stage), top, row)
        if row is not None:
            shotrow.paint_dates(p, self, row, top)
        hline(p, 16, self.width() - 16, top + ROW - 1, RULE)

    def _row(self, shot: Shot) -> ShotRow | None:
        now = self._state.planner.now
        return now.rows.get(shot.code) if now else None

    def drives(self, shot: Shot) -> bool:
        """True if this shot is the one that makes the film late."""
        now = self._state.planner.now
        return bool(now and now.table and now.table.schedule.drives == shot.code and shot.code in now.table.missed)

    def state_of(self, shot: Shot, stage: str) -> tuple[str, int]:
        if stage == "Hand over":
            return ("done" if shot.delivered else "open"), 0
        if shot.code == self._state.code and any(self._state.known.readings.values()):
            return self._state.known.stage_state(stage)
        begun = any(kind_of(s.kind).stage == stage for s in shot.steps) or stage == "Plan"
        default = ("open", 0) if begun else ("none", 0)
        return self._stages.get(shot.code, {}).get(stage, default)

    # -- pointer and keys

    def _code_at(self, y: float) -> str:
        i = int((y - HEAD) // ROW)
        shots = self.shots()
        return shots[i].code if 0 <= i < len(shots) and y >= HEAD else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        code = self._code_at(event.position().y())
        if not code:
            return
        self.chosen = code
        self.row_chosen.emit()
        x = event.position().x()
        stage = next((s for s in STAGES if self.stage_x(s) - 4 <= x < self.stage_x(s) + 56), "")
        self.update()
        if stage:
            self.open_shot.emit(code, stage)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        code = self._code_at(event.position().y())
        if code:
            self.open_shot.emit(code, "")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        codes = [s.code for s in self.shots()]
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down) and codes:
            at = codes.index(self.chosen) if self.chosen in codes else 0
            self.chosen = codes[max(0, min(len(codes) - 1, at + (1 if event.key() == Qt.Key.Key_Down else -1)))]
            self.row_chosen.emit()
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen:
            self.open_shot.emit(self.chosen, "")
        else:
            super().keyPressEvent(event)


def row_facts(renderer: Renderer, film: Film) -> tuple[str, QImage, dict[str, tuple[str, int]], str]:
    """A small picture of the shot's middle frame, and what stored readings say of each stage."""
    shot = renderer.shot
    frame = (shot.length + 1) // 2
    ref = output_ref(shot)
    hero = shot.plate_of_role("hero") or (shot.plates[0] if shot.plates else None)
    if ref and not renderer.is_cached(ref, frame) and hero:
        ref = f"plate:{hero.id}"
    image, note = QImage(), ""
    if ref:
        picture = renderer.product(ref, frame).picture
        if picture is not None:
            step = max(1, picture.shape[1] // (2 * PICTURE))
            image = picture_image(picture[::step, ::step])
    return shot.code, image, {**_stored_stages(renderer), "Plan": plan_state(shot, film)}, note


def _stored_stages(renderer: Renderer) -> dict[str, tuple[str, int]]:
    """State and number of steps over their limit for each stage, from readings that are stored."""
    out: dict[str, tuple[str, int]] = {}
    order = (FAULT, "watch", "unknown", "open", "sound")
    for step in renderer.shot.steps:
        stage = kind_of(step.kind).stage
        states: set[str] = set()
        if renderer.has_analysis(step.id):
            for n in range(1, renderer.shot.length + 1):
                known = renderer.known_readings(step.id, n)
                w = worst(known) if known else None
                states.add("open" if known is None else w.state if w else "unknown")
        state = next((s for s in order if s in states), "open")
        before, faults = out.get(stage, ("sound", 0))
        out[stage] = (next(s for s in order if s in (state, before)), faults + (state == FAULT))
    return out
