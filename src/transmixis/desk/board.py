"""The board: every shot of the production with its stages, hours and open findings."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, worst
from transmixis.desk.engine import AHEAD, Engine
from transmixis.desk.marks import hline, mark, text
from transmixis.desk.office.schedulepanel import SchedulePanel
from transmixis.desk.platespanel import PlatesPanel
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PANEL, RAISED, RULE, VERMILION_TEXT, VERMILION_WASH, hours_words
from transmixis.desk.topbar import paint_hours
from transmixis.desk.viewimage import picture_image
from transmixis.shot.model import STAGES, Film, Shot
from transmixis.shot.planning import plan_state
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.overview import ShotRow
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.steps import kind_of

ROW, HEAD = 45, 28
PICTURE = 62
FIRST_STAGE, STAGE = 264, 74
GAUGE = 48
LOWER, BELOW = 300, 100  # px of the lower part at least, and of what stands under the schedule
RISK_MARK = {"none": "done", "low": "sound", "some": "watch", "high": "fault"}


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
                self._notes[shot.code] = str(e)
                continue
            self._engine.ask(AHEAD, partial(_row_facts, renderer, film), self._take, partial(self._fail, shot.code), tag="board")
        self.update()

    def look_again(self) -> None:
        """Ask anew for every row: readings come without their shot being changed."""
        self._shown.clear()

    def _take(self, facts: tuple[str, QImage, dict[str, tuple[str, int]], str]) -> None:
        code, image, stages, note = facts
        self._pictures[code], self._stages[code], self._notes[code] = image, stages, note
        self.update()

    def _fail(self, code: str, why: str) -> None:
        self._notes[code] = why
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
        if self._drives(shot):
            p.fillRect(QRectF(0, top, self.width(), ROW), QColor(VERMILION_WASH))
        if shot.code == self.chosen:
            p.fillRect(QRectF(0, top, 4, ROW), QColor(BLUE))
            if not self._drives(shot):
                p.fillRect(QRectF(4, top, self.width(), ROW), QColor(RAISED))
            if self.hasFocus():
                p.setPen(QPen(QColor(INK), 2))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(QRectF(8, top + 2, self.width() - 16, ROW - 4))
        self._paint_shot(p, shot, top)
        row = self._row(shot)
        for stage in STAGES:
            self._paint_stage(p, shot, stage, self.stage_x(stage), top, row)
        if row is not None:
            self._paint_dates(p, row, top)
        hline(p, 16, self.width() - 16, top + ROW - 1, RULE)

    def _row(self, shot: Shot) -> ShotRow | None:
        now = self._state.planner.now
        return now.rows.get(shot.code) if now else None

    def _drives(self, shot: Shot) -> bool:
        """True if this shot is the one that makes the film late."""
        now = self._state.planner.now
        return bool(now and now.table and now.table.schedule.drives == shot.code and shot.code in now.table.missed)

    def _paint_shot(self, p: QPainter, shot: Shot, top: float) -> None:
        image = self._pictures.get(shot.code)
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
        if self._drives(shot):
            text(p, x + w + 8, top + 15, "drives the date", 10, 600, VERMILION_TEXT, room=room - w - 8)
        note = self._notes.get(shot.code, "")
        words = note or shot.title or f"{shot.length} frames, {shot.width} × {shot.height}"
        text(p, x, top + 31, words, 12, 400, VERMILION_TEXT if note else INK, room=room)

    def _paint_dates(self, p: QPainter, row: ShotRow, top: float) -> None:
        y = top + ROW / 2
        text(p, self.right_x("left"), y, hours_words(row.left), 12, 600 if row.left else 400, INK, "right")
        x = self.right_x("risk")
        if row.risk:
            mark(p, RISK_MARK[row.risk], x + 5, y)
            text(p, x + 16, y, row.risk, 12, 500, VERMILION_TEXT if row.risk == "high" else INK)
        words = short_day(row.due) if row.due else "no date"
        text(p, self.right_x("due"), y, words, 12, 500 if row.due else 400, INK if row.due else INK2)
        x = self.right_x("waits")
        if row.waits:
            mark(p, "wait", x + 5, y)
        text(p, x + 16, y, row.waits or "nothing", 12, 400, INK if row.waits else INK2, room=self.width() - x - 32)

    def _paint_stage(self, p: QPainter, shot: Shot, stage: str, x: float, top: float, row: ShotRow | None) -> None:
        state, faults = self._state_of(shot, stage)
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

    def _state_of(self, shot: Shot, stage: str) -> tuple[str, int]:
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


def _row_facts(renderer: Renderer, film: Film) -> tuple[str, QImage, dict[str, tuple[str, int]], str]:
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


class Board(QWidget):
    """The board's page: the table, and what can be done with it."""

    def __init__(self, state: State, engine: Engine, add_plates: Callable[[str], None], add_shot: Callable[[], None]) -> None:
        super().__init__()
        self.setObjectName("page")
        self._state, self._ask_shot, self._ask_plates = state, add_shot, add_plates
        self.table = ShotTable(state, engine)
        self._note = self._empty(add_plates)
        scroll = QScrollArea()
        scroll.setWidget(self.table)
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        box.addWidget(self._note)
        box.addWidget(scroll, 1)
        self.plates = PlatesPanel(state, lambda: self.table.chosen, lambda: add_plates(self.table.chosen))
        self.schedule = SchedulePanel(state)
        self.parts = QStackedWidget()
        self.parts.addWidget(self.schedule)
        self.parts.addWidget(self.plates)
        box.addLayout(self._switch())
        box.addWidget(self.parts)
        self.schedule.view.chosen.connect(self.choose)
        state.planner.changed.connect(self._fit)
        self._fit()
        self.table.row_chosen.connect(self.plates.refresh)
        state.shot_changed.connect(self.refresh)
        state.opened.connect(self.refresh)
        state.readings_changed.connect(lambda _: self.table.update() if self.isVisible() else None)

    def resizeEvent(self, event: object) -> None:
        self._fit()

    def _fit(self) -> None:
        """The lower part takes what its people need, up to half of the page."""
        wanted = self.schedule.view.sizeHint().height() + BELOW
        self.parts.setFixedHeight(max(LOWER, min(wanted, self.height() // 2)))

    def _empty(self, add_plates: Callable[[str], None]) -> QWidget:
        """What to do first, where there is no shot yet."""
        note = QWidget()
        words = QLabel("No shots yet. Drop movies or pictures on this window, or choose them: each take becomes a shot.")
        words.setWordWrap(True)
        self.first = QPushButton("Add plates …")
        self.first.setObjectName("act")
        self.first.setToolTip("Choose movies or pictures; a green or blue screen becomes a shot with a first work order.")
        self.first.clicked.connect(lambda: add_plates(""))
        box = QHBoxLayout(note)
        box.setContentsMargins(16, 20, 16, 12)
        box.addWidget(self.first)
        box.addSpacing(12)
        box.addWidget(words, 1)
        return note

    def _switch(self) -> QHBoxLayout:
        """The words that choose what stands below the shots."""
        row = QHBoxLayout()
        row.setContentsMargins(16, 6, 0, 2)
        self.words: dict[str, QPushButton] = {}
        for name, tip in (
            ("Schedule", "Who does what when."),
            ("Plates", "The plates of the chosen shot, and how each is read."),
        ):
            b = QPushButton(name)
            b.setObjectName("word")
            b.setCheckable(True)
            b.setToolTip(tip)
            b.clicked.connect(partial(self.show_part, name))
            self.words[name] = b
            row.addWidget(b)
        self.more = QPushButton("Add a shot …")
        self.more.setToolTip(
            "Makes a shot that is still to be filmed, to be planned. Shots that are filmed come with their plates."
        )
        self.more.clicked.connect(self._add_shot)
        self.film = QPushButton("Add plates …")
        self.film.setToolTip(
            "Movies or pictures for the chosen shot, or for new ones: takes become shots of their own. Files can be dropped as well."
        )
        self.film.clicked.connect(lambda: self._ask_plates(self.table.chosen))
        row.addWidget(self.film)
        row.addSpacing(8)
        row.addWidget(self.more)
        row.addSpacing(12)
        self.office = QWidget()
        self.office.setLayout(self.schedule.head)
        row.addWidget(self.office, 1)
        self.show_part("Schedule")
        return row

    def show_part(self, name: str, _: bool = False) -> None:
        """Show the schedule or the plates below the shots."""
        self.parts.setCurrentWidget(self.schedule if name == "Schedule" else self.plates)
        self.office.setEnabled(name == "Schedule")
        for n, b in self.words.items():
            b.setChecked(n == name)
            b.setStyleSheet(
                f"QPushButton {{ border: none; border-bottom: 2px solid {INK if n == name else 'transparent'}; background: transparent;"
                f" font-weight: {600 if n == name else 400}; padding: 4px 6px; }}"
            )

    def _add_shot(self) -> None:
        self._ask_shot()

    def choose(self, code: str) -> None:
        """Choose a shot in the table, as when its block is pressed."""
        self.table.chosen = code
        self.table.update()
        self.plates.refresh()

    def refresh(self) -> None:
        shots = self.table.shots()
        self._note.setVisible(not shots)
        self.film.setVisible(bool(shots))
        if self.isVisible():
            self.table.refresh()
            self.plates.refresh()

    def showEvent(self, event: object) -> None:
        self.table.look_again()
        self.refresh()
        self.schedule.refresh()  # otherwise it follows the planner

    def show_what_drives(self) -> None:
        """Show the schedule and choose the shot that drives the date."""
        now = self._state.planner.now
        if now is None:
            return
        self.show_part("Schedule")
        if now.table is None or not now.table.schedule.drives:
            self._state.said.emit(now.trouble or "Nothing is left to do.", "note")
            return
        self.choose(now.table.schedule.drives)
        self._state.said.emit(now.why, "note")
