"""Screen key: the two populations over the raw matte, with a calliper for black and white point."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from transmixis.core.matte.keyer import key_frame
from transmixis.core.matte.points import VISIBLE, Populations, populations
from transmixis.desk.engine import PROPOSE
from transmixis.desk.marks import hatch, jaws, mark, text, vline
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, BLUE_TEXT, EDGE, INK, INK2, PAPER, PURPLE, RULE, VERMILION_TEXT
from transmixis.shot.pins import params_at
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.learning import model_from_arrays
from transmixis.shot.steps.screen_key import settings_of

TOP, BOTTOM, SIDE = 46, 34, 6

MEASURING, NOT_TOLD = "measuring the two populations", "cannot be measured here"


class PopulationPlot(QWidget):
    """How many pixels of plain screen and of plain subject have each raw matte value; counts on a log scale."""

    shows_readings = False

    dragged = pyqtSignal(str, float)

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self._found: Populations | None = None
        self._colour: tuple[float, float, float] | None = None
        self._drag = ""
        self._points: dict[str, float] = {}
        self.waiting = MEASURING  # what stands where the hills will be
        self.setMinimumWidth(200)
        self.setMouseTracking(True)
        self.setToolTip(
            "Left hill: plain screen. Right hill: plain subject. Drag the calliper's jaws: left of black becomes empty, right of white solid."
        )
        state.frame_changed.connect(self._on_frame)
        state.shot_changed.connect(self.refresh)
        self.refresh()

    def _on_frame(self, frame: int) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Measure the populations of the frame at the playhead."""
        renderer, step = self._state.renderer(), self._state.step
        if not renderer or not step or step.kind != "screen_key":
            return
        frame = self._state.frame
        self._points = {n: float(self._state.edits.param(n)) for n in ("black", "white")}
        self.waiting = MEASURING
        self._state.engine.drop("plot")
        self._state.engine.ask(
            PROPOSE, lambda: measure_populations(renderer, step.id, frame), self._take, self._not_told, tag="plot"
        )
        self.update()

    def _take(self, found: tuple[Populations, tuple[float, float, float]]) -> None:
        if sip.isdeleted(self):
            return
        self._found, self._colour = found
        self.update()

    def _not_told(self, words: str) -> None:
        """The hills of another frame must not stand for this one; why, the sheet's head says."""
        if sip.isdeleted(self):
            return
        self._found, self.waiting = None, NOT_TOLD
        self.update()

    def area(self) -> QRectF:
        return QRectF(SIDE, TOP, self.width() - 2 * SIDE, max(20, self.height() - TOP - BOTTOM))

    def x_of(self, value: float) -> float:
        a = self.area()
        return a.left() + value * a.width()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        text(p, 0, 9, "Matte before the points", 12, 500)
        a = self.area()
        p.fillRect(a, QColor(PAPER))
        if self._found is None:
            text(p, a.left() + 10, a.top() + 18, self.waiting, 12, 400, INK2)
        else:
            self._paint_hills(p, a, self._found)
        p.setPen(QPen(QColor(EDGE), 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(a)
        for v in (0, 0.25, 0.5, 0.75, 1.0):
            text(p, self.x_of(v), a.bottom() + 9, f"{v:g}", 10, 400, INK2, "centre")
        self._paint_calliper(p, a)
        self._paint_legend(p, a)

    def _paint_hills(self, p: QPainter, a: QRectF, found: Populations) -> None:
        top = np.log10(max(found.screen.max(), found.subject.max(), 10))
        black = self._points.get("black", 0.0)
        screen = self._hill(a, found.screen, top)
        p.fillPath(screen, QColor("#D2D2D2"))
        hatch(p, screen, "#9A9A9A", 4, 0.8)
        p.fillPath(self._hill(a, found.subject, top), QColor(0x90, 0x90, 0x90, 200))
        p.save()
        p.setClipRect(QRectF(self.x_of(max(black, VISIBLE)), a.top(), a.right(), a.height()))
        hatch(p, screen)
        p.restore()

    def _hill(self, a: QRectF, counts: np.ndarray, top: float) -> QPainterPath:
        path = QPainterPath(QPointF(a.left(), a.bottom()))
        width = a.width() / len(counts)
        for i, n in enumerate(counts):
            y = a.bottom() - (np.log10(n + 1) / top) * (a.height() - 4)
            path.lineTo(a.left() + i * width, y)
            path.lineTo(a.left() + (i + 1) * width, y)
        path.lineTo(a.right(), a.bottom())
        path.closeSubpath()
        return path

    def _paint_calliper(self, p: QPainter, a: QRectF) -> None:
        b, w = self.x_of(self._points.get("black", 0)), self.x_of(self._points.get("white", 1))
        y = TOP - 12
        p.fillRect(QRectF(b, y, w - b, 4), QColor(BLUE))
        for x in (b, w):
            vline(p, x - 1, y, a.bottom(), BLUE, 2)
        p.setPen(QPen(QColor(INK), 1.2))
        p.drawLine(QPointF(b, a.bottom()), QPointF(w, a.top()))
        text(p, max(b, 2), TOP - 22, f"black {self._points.get('black', 0):.2f}", 11, 500, BLUE_TEXT)
        text(p, min(w, self.width() - 2), TOP - 22, f"white {self._points.get('white', 1):.2f}", 11, 500, BLUE_TEXT, "right")
        proposal = self._state.answers.made.get(self._state.step_id)
        if proposal and "black" in proposal.values:
            for name in ("black", "white"):
                x = self.x_of(float(proposal.values[name]))
                pen = QPen(QColor(PURPLE), 1.4)
                pen.setDashPattern([3, 2])
                p.setPen(pen)
                p.drawLine(QPointF(x, a.top()), QPointF(x, a.bottom()))
                jaws(p, x, a.top() + 8, 4)

    def _paint_legend(self, p: QPainter, a: QRectF) -> None:
        y = self.height() - 9.0
        if self._found is not None:
            total = max(int(self._found.screen.sum()), 1)
            first = int(np.ceil(max(self._points.get("black", 0), VISIBLE) * len(self._found.screen)))
            leak = 100 * float(self._found.screen[first:].sum()) / total
            mark(p, "fault" if leak >= 1 else "sound", 6, y, 3.5)
            text(p, 15, y, f"screen that shows {leak:.2f} %", 11, 400, VERMILION_TEXT if leak >= 1 else INK2)
        if self._colour:
            box = QRectF(self.width() - 26, y - 6, 24, 12)
            coded = [max(0, min(255, round(255 * (1.055 * max(c, 0) ** (1 / 2.4) - 0.055)))) for c in self._colour]
            p.fillRect(box, QColor(*coded))
            p.setPen(QPen(QColor(RULE), 1))
            p.drawRect(box)

    # -- pointer

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        x, y = event.position().x(), event.position().y()
        near = {n: abs(x - self.x_of(v)) for n, v in self._points.items()}
        name = min(near, key=lambda n: near[n]) if near else ""
        if name and near[name] < 10:
            self._drag = name
        elif near and TOP - 18 <= y <= TOP and self.x_of(self._points["black"]) < x < self.x_of(self._points["white"]):
            self._drag = "both"
        self._last = x

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self._drag:
            return
        x = event.position().x()
        by = (x - self._last) / self.area().width()
        self._last = x
        for name in ("black", "white") if self._drag == "both" else (self._drag,):
            low, high = (0.0, 0.5) if name == "black" else (0.5, 1.0)
            self._points[name] = float(np.clip(self._points[name] + by, low, high))
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        names = ("black", "white") if self._drag == "both" else (self._drag,) if self._drag else ()
        self._drag = ""
        for name in names:
            self._state.edits.set_param(name, round(self._points[name], 3))


def measure_populations(renderer: Renderer, step_id: str, frame: int) -> tuple[Populations, tuple[float, float, float]]:
    """The populations of one frame, and the screen's colour."""
    model = model_from_arrays(renderer.analysis(step_id))
    step = renderer.shot.step(step_id)
    plate = renderer.product(step.inputs["plate"], frame).picture
    assert plate is not None
    params = kind_of(step.kind).Params.model_validate(params_at(step, frame))
    found, _, _ = populations([key_frame(plate[..., :3], model, settings_of(params))])
    r, g, b = (float(v) for v in model.screen_colour)
    return found, (r, g, b)


PLOTS: dict[str, Callable[[State], QWidget]] = {"screen_key": PopulationPlot}
