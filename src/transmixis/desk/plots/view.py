"""The plot of the chosen step: asked for beside the interface, drawn, and its jaws dragged."""

from __future__ import annotations

from functools import partial

from PyQt6 import sip
from PyQt6.QtCore import QPointF, QRectF, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from transmixis.core.plot import Action, Frames, Panel, Patches, Plot, Solid, Spotted, Stills, Unrolled
from transmixis.desk.engine import PROPOSE
from transmixis.desk.marks import in_lines, text, wrapped
from transmixis.desk.plots import action, hills, panels
from transmixis.desk.plots.jaws import Jawed, Jaws, paint_jawed
from transmixis.desk.plots.readings import paint_readings
from transmixis.desk.plots.solid import FRONT, turned_by
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, INK, INK2, PAPER
from transmixis.shot.steps import kind_of

MEASURING, NOT_TOLD = "measuring", "cannot be measured here"
WHOLE_LATER = "Drawn when every frame has been looked at."
READINGS_SHARE = 0.46
ACTION_SHARE = 0.58  # of the width, where more is drawn beside it
SOON = 700  # ms between plots of what is still being made
COLUMN = 50.0  # px of a column of patches
HEAD = 18.0  # px of the title
WORDS_PX, WORDS_LINE, WORDS_MOST = 11, 14.0, 5


class PlotView(QWidget):
    """What a kind plots, with the readings at the playhead; of a kind that plots nothing the readings alone."""

    elsewhere = pyqtSignal(bool)  # whether the readings have no room here

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.shown: Plot | None = None
        self.note = MEASURING  # what stands where the drawing will be
        self._asked, self._again = False, False
        self._jaws = Jaws()
        self.sight = FRONT  # from where a solved place is looked at
        self._going_round: QPointF | None = None
        step = state.step
        self.kind = kind_of(step.kind) if step else None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._ask)
        self.setMinimumWidth(200)
        self.setToolTip("Every reading of this step at the playhead. The tick is its limit.")
        state.frame_changed.connect(self._on_frame)
        state.shot_changed.connect(self.refresh)
        state.readings_changed.connect(self._on_readings)
        self.refresh()

    # -- what is shown

    def _on_frame(self, frame: int) -> None:
        if self.kind is not None and self.kind.plots == "frame":
            self.refresh()
        self.update()

    def _on_readings(self, step_id: str) -> None:
        if step_id not in ("", self._state.step_id):
            return
        if self.kind is not None and self.kind.plots == "whole":
            if all_measured(self._state):
                self._ask()
            elif self.kind.pieced and not self._soon.isActive():  # as it comes, but not with every frame
                self._soon.start(SOON)
        self.update()

    def refresh(self) -> None:
        """Ask for the plot anew: the step was changed, or the frame."""
        if self.kind is None or not self.kind.plots:
            return
        self._jaws.forget()
        self.note = WHOLE_LATER if self.kind.surveys else MEASURING
        self._ask()
        self.update()

    def _ask(self) -> None:
        """One question at a time; what changes meanwhile asks once more."""
        renderer, step, frame = self._state.renderer(), self._state.step, self._state.frame
        if renderer is None or step is None or self.kind is None or step.kind != self.kind.kind:
            return
        if self._asked:
            self._again = True
            return
        self._asked, self._again = True, False
        self._state.engine.ask(PROPOSE, partial(renderer.plot, step.id, frame), self._take, self._not_told)

    def _take(self, plot: Plot | None) -> None:
        if sip.isdeleted(self):
            return
        self._asked, self.shown = False, plot  # of a survey that is not whole yet there is none, and no older one stands for it
        if plot is not None and plot.tip:
            self.setToolTip(plot.tip)
        self._settled()

    def _not_told(self, words: str) -> None:
        """The drawing of another frame must not stand for this one; why, the sheet's head says."""
        if sip.isdeleted(self):
            return
        self._asked, self.shown, self.note = False, None, NOT_TOLD
        self._settled()

    def _settled(self) -> None:
        if self._again:
            self._ask()
        self.elsewhere.emit(self._jawed() is not None or has(self.shown, Solid, Stills, Unrolled))
        self.update()

    # -- drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        state = self._state
        readings = state.known.readings.get(state.step_id, {}).get(state.frame)
        whole = QRectF(self.rect())
        if self.kind is None or not self.kind.plots:
            text(p, 0, 9, f"Readings at frame {state.frame}", 12, 500)
            paint_readings(p, whole.adjusted(0, HEAD, 0, 0), readings)
            return
        plot = self.shown
        if plot is not None and plot.readings == "above":
            text(p, 0, 9, f"Readings at frame {state.frame}", 12, 500)
            paint_readings(p, QRectF(0, HEAD, whole.width(), min(60, whole.height() - HEAD)), readings)
            wrapped(p, 0, 94, whole.width(), plot.words, 11, 15, 400, INK2, 7)
            return
        jawed = self._jawed()
        if plot is not None and jawed is not None:
            self._paint_jaws(p, whole, plot, jawed)
            return
        if plot is not None and has(plot, Solid, Stills, Unrolled):
            paint_plot(p, whole, self.sight.on(plot), state.frame, self.note)
            return
        left = drawn_in(plot, whole)
        paint_plot(p, left, plot, state.frame, self.note)
        paint_readings(p, QRectF(left.right() + 8, 0, whole.width() - left.right() - 8, whole.height()), readings)

    # -- a solved place, gone round with the mouse

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not has(self.shown, Solid):
            event.ignore()
            return
        self.sight = self.sight.nearer(event.angleDelta().y() / 120)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if has(self.shown, Solid):
            self.sight = FRONT
            self.update()

    # -- jaws

    def _jawed(self) -> Jawed | None:
        found = [c for c in (self.shown.panels if self.shown else ()) if isinstance(c, Jawed)]
        return found[0] if found else None

    def values(self) -> dict[str, float]:
        """Where the jaws stand, those that are being dragged included."""
        return self._jaws.values(self._jawed())

    def x_of(self, value: float) -> float:
        """Where a value of 0..1 stands, px of the widget."""
        return hills.x_of(hills.area_of(QRectF(self.rect())), value)

    def y_of(self, frame: float) -> float:
        """Where a frame of an action stands, px of the widget."""
        panel = self._jawed()
        return action.y_of(action.area_of(self._jaws_box()), panel, frame) if isinstance(panel, Action) else 0.0

    def _jaws_box(self) -> QRectF:
        """Where they stand: an action beside what else is drawn, populations over the whole."""
        whole = QRectF(self.rect())
        if not isinstance(self._jawed(), Action):
            return whole
        some = len(self.shown.panels) if self.shown else 0
        return QRectF(0, HEAD, whole.width() * (ACTION_SHARE if some > 1 else 1), whole.height() - HEAD)

    def _paint_jaws(self, p: QPainter, box: QRectF, plot: Plot, panel: Jawed) -> None:
        values = self.values()
        proposal = self._state.answers.made.get(self._state.step_id)
        proposed = {n: float(proposal.values[n]) for n in values if n in proposal.values} if proposal else {}
        text(p, 0, 9, plot.title, 12, 500)
        mine = self._jaws_box()
        paint_jawed(p, mine, panel, values, proposed, self._state.frame)
        rest = tuple(c for c in plot.panels if c is not panel)
        if rest:
            beside = QRectF(mine.right() + 10, mine.top(), box.width() - mine.right() - 12, mine.height() - action.BOTTOM)
            _paint_panels(p, beside, rest, self._state.frame)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if has(self.shown, Solid):
            self._going_round = event.position()
            return
        self._jaws.press(self._jawed(), self._jaws_box(), QPointF(event.position()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._going_round is not None:
            pulled, self._going_round = event.position() - self._going_round, event.position()
            self.sight = turned_by(self.sight, pulled.x(), pulled.y())
            self.update()
        elif self._jaws.drag(self._jawed(), self._jaws_box(), QPointF(event.position())):
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._going_round = None
        moved = self._jaws.release()
        if moved:
            self._state.edits.set_params(moved)


def all_measured(state: State) -> bool:
    """Whether every frame of the chosen step has been read."""
    shot = state.shot
    return shot is not None and len(state.known.readings.get(state.step_id, {})) >= shot.length


def drawn_in(plot: Plot | None, whole: QRectF) -> QRectF:
    """Where the drawing stands beside the readings."""
    columns = [c for c in (plot.panels if plot else ()) if isinstance(c, Patches)]
    if columns:
        return QRectF(0, 0, COLUMN * len(columns) - 6, whole.height())
    return QRectF(0, 0, whole.width() * (1 - READINGS_SHARE) - 8, whole.height())


def has(plot: Plot | None, *kinds: type) -> bool:
    """Whether a plot has a panel of one of these kinds."""
    return any(isinstance(c, kinds) for c in (plot.panels if plot else ()))


def paint_plot(p: QPainter, box: QRectF, plot: Plot | None, frame: int, note: str = "", *, titled: bool = True) -> None:
    """A plot into a box: its title, its panels on paper, and its words below them; `note` where there is none."""
    if plot is not None and plot.panels and isinstance(plot.panels[0], Patches):
        for i, column in enumerate(plot.panels):
            panels.paint(p, QRectF(box.left() + COLUMN * i, box.top(), COLUMN, box.height()), column, frame)
        return
    if titled:
        text(p, box.left(), box.top() + 9, plot.title if plot else "", 12, 500, room=box.width())
    paper = box.adjusted(0, HEAD if titled else 0, 0, 0)
    p.fillRect(paper, QColor(PAPER))
    p.setPen(QColor(EDGE))
    p.drawRect(paper.adjusted(0.5, 0.5, -0.5, -0.5))
    inner = paper.adjusted(8, 8, -8, -8)
    if plot is None:
        panels.nothing(p, inner, note)
        return
    said = in_lines(plot.words, inner.width(), WORDS_PX)[:WORDS_MOST]
    room = inner.adjusted(0, 0, 0, -WORDS_LINE * len(said) - (6 if said else 0))
    bottom = _paint_panels(p, room, plot.panels, frame)
    if said:
        wrapped(p, inner.left(), bottom + 13, inner.width(), plot.words, WORDS_PX, WORDS_LINE, 400, INK, WORDS_MOST)


def _paint_panels(p: QPainter, room: QRectF, some: tuple[Panel, ...], frame: int) -> float:
    """Panels below each other in equal parts; gives where the last one ends."""
    each = (room.height() - 6 * (len(some) - 1)) / max(len(some), 1)
    for i, panel in enumerate(some):
        box = QRectF(room.left(), room.top() + i * (each + 6), room.width(), each)
        panels.paint(p, box, panel, frame)
    last = some[-1] if some else None
    if isinstance(last, Frames):  # a strip needs no more height than it has
        return room.top() + 68
    if isinstance(last, Spotted):
        h, w = last.size
        return room.top() + h * min(room.width() / w, room.height() / h)
    return room.bottom()
