"""The board: every shot of the production with its stages, hours and open findings."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QVBoxLayout, QWidget

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, worst
from transmixis.desk.engine import AHEAD, Engine
from transmixis.desk.marks import hline, mark, text
from transmixis.desk.platespanel import PlatesPanel
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, INK, INK2, PANEL, RAISED, RULE, VERMILION_TEXT, figure
from transmixis.desk.topbar import paint_hours
from transmixis.desk.viewimage import picture_image
from transmixis.shot.model import STAGES, Shot
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.steps import kind_of

ROW, HEAD = 62, 32
PICTURE = 78
FIRST_STAGE = 300


class ShotTable(QWidget):
    """One row a shot. Press a row to choose, press again (or Enter) to open; press a stage to open it there."""

    open_shot = pyqtSignal(str, str)  # code, stage or ''
    row_chosen = pyqtSignal()

    def __init__(self, state: State, engine: Engine) -> None:
        super().__init__()
        self._state, self._engine = state, engine
        self._pictures: dict[str, QImage] = {}
        self._notes: dict[str, str] = {}
        self._stages: dict[str, dict[str, tuple[str, int]]] = {}
        self.chosen = ""
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
        for shot in self.shots():
            try:
                renderer = session.renderer_for(shot)
            except UserError as e:
                self._notes[shot.code] = str(e)
                continue
            self._engine.ask(AHEAD, partial(_row_facts, renderer), self._take, partial(self._fail, shot.code), tag="board")
        self.update()

    def _take(self, facts: tuple[str, QImage, dict[str, tuple[str, int]], str]) -> None:
        code, image, stages, note = facts
        self._pictures[code], self._stages[code], self._notes[code] = image, stages, note
        self.update()

    def _fail(self, code: str, why: str) -> None:
        self._notes[code] = why
        self.update()

    def stage_x(self, stage: str) -> float:
        width = max(64.0, min(92.0, (self.width() - FIRST_STAGE - 190) / len(STAGES)))
        return FIRST_STAGE + width * STAGES.index(stage)

    def row_y(self, code: str) -> float:
        """Top of a shot's row."""
        return HEAD + ROW * [s.code for s in self.shots()].index(code)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.fillRect(self.rect(), QColor(PANEL))
        y = HEAD / 2
        text(p, 16 + PICTURE + 12, y, "Shot", 12, 600)
        for stage in STAGES:
            text(p, self.stage_x(stage), y, stage, 12, 600)
        text(p, self.width() - 156, y, "Hours", 12, 600)
        hline(p, 16, self.width() - 16, HEAD - 1, EDGE)
        for i, shot in enumerate(self.shots()):
            self._paint_row(p, shot, HEAD + i * ROW)

    def _paint_row(self, p: QPainter, shot: Shot, top: float) -> None:
        if shot.code == self.chosen:
            p.fillRect(QRectF(0, top, self.width(), ROW), QColor(RAISED))
            if self.hasFocus():
                p.setPen(QPen(QColor(INK), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(QRectF(8, top + 2, self.width() - 16, ROW - 4))
        image = self._pictures.get(shot.code)
        box = QRectF(16, top + 6, PICTURE, 44)
        if image is not None:
            h = PICTURE * image.height() / max(1, image.width())
            p.drawImage(QRectF(16, top + (ROW - h) / 2, PICTURE, h), image)
        else:
            p.fillRect(box, QColor("#C4C4C4"))
        x = 16 + PICTURE + 12
        room = FIRST_STAGE - x - 12
        text(p, x, top + 15, shot.code, 12, 600, room=room)
        text(p, x, top + 31, shot.title or "no title yet", 12, 400, INK if shot.title else INK2, room=room)
        note = self._notes.get(shot.code, "")
        facts = f"{shot.length} frames at {float(shot.fps):.4g}, {shot.width} × {shot.height}"
        text(p, x, top + 46, note or facts, 10, 400, VERMILION_TEXT if note else INK2, room=room)
        for stage in STAGES:
            self._paint_stage(p, shot, stage, self.stage_x(stage), top)
        right = self.width() - 16.0
        text(p, right - 140, top + 20, f"{figure(shot.hours_spent, 2)} of {figure(shot.hours_estimate, 2)} h", 12, 500)
        paint_hours(p, QRectF(right - 140, top + 32, 124, 9), shot.hours_spent, shot.hours_estimate)
        hline(p, 16, self.width() - 16, top + ROW - 1, RULE)

    def _paint_stage(self, p: QPainter, shot: Shot, stage: str, x: float, top: float) -> None:
        state, faults = self._state_of(shot, stage)
        y = top + 20
        mark(p, "fault" if faults else state, x + 6, y)
        if faults:
            text(p, x + 16, y, str(faults), 12, 600, VERMILION_TEXT)
        words = {"none": "none", "open": "not begun", "unknown": "unknown", "sound": "sound", "watch": "watch", "done": "done"}
        steps = sum(1 for s in shot.steps if kind_of(s.kind).stage == stage)
        what = f"{steps} step{'s' if steps != 1 else ''}" if steps else words.get(state, "")
        text(p, x, top + 37, what, 11, 400, INK2)

    def _state_of(self, shot: Shot, stage: str) -> tuple[str, int]:
        if stage == "Deliver":
            return ("done" if shot.delivered else "open"), 0
        if shot.code == self._state.code and any(self._state.readings.values()):
            return self._state.stage_state(stage)
        default = ("open", 0) if any(kind_of(s.kind).stage == stage for s in shot.steps) else ("none", 0)
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


def _row_facts(renderer: Renderer) -> tuple[str, QImage, dict[str, tuple[str, int]], str]:
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
    return shot.code, image, _stored_stages(renderer), note


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


class Board(QWidget):
    """The board's page: the table, and what can be done with it."""

    def __init__(self, state: State, engine: Engine, add_plates: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("page")
        self._state = state
        self.table = ShotTable(state, engine)
        title = QLabel("Shots")
        title.setObjectName("title")
        self._note = QLabel()
        self._note.setObjectName("note")
        head = QHBoxLayout()
        head.setContentsMargins(16, 8, 16, 4)
        head.addWidget(title)
        head.addSpacing(10)
        head.addWidget(self._note)
        head.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidget(self.table)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addLayout(head)
        box.addWidget(scroll, 3)
        self.plates = PlatesPanel(state, lambda: self.table.chosen, add_plates)
        box.addWidget(self.plates, 2)
        self.table.row_chosen.connect(self.plates.refresh)
        state.shot_changed.connect(self.refresh)
        state.opened.connect(self.refresh)
        state.readings_changed.connect(lambda _: self.table.update() if self.isVisible() else None)

    def refresh(self) -> None:
        shots = self.table.shots()
        delivered = sum(1 for s in shots if s.delivered)
        self._note.setText(
            f"{len(shots)} shots, {delivered} delivered"
            if shots
            else "No shots yet: add plates, or drop movies and pictures here."
        )
        if self.isVisible():
            self.table.refresh()
            self.plates.refresh()

    def showEvent(self, event: object) -> None:
        self.refresh()
