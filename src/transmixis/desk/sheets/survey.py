"""The survey's plots: camera path, exposure trace, noise and detail, timing, dust and edges; readings beside them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from transmixis.core.survey.findings import EXPOSURE, SHARP, SHIFT, spots_words
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.types import Array
from transmixis.desk.engine import PROPOSE
from transmixis.desk.marks import hatch, hline, text, vline, wrapped
from transmixis.desk.sheets.readings import paint_readings
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, ORANGE_EDGE, PAPER, RULE2, VERMILION, WELL, figure
from transmixis.shot.contract import SurveyKind
from transmixis.shot.steps import kind_of

READINGS_SHARE = 0.46
Paint = Callable[[QPainter, QRectF, PlateSurvey, int], None]


class SurveyPlot(QWidget):
    """A drawing of the whole plate on the left, the readings at the playhead on the right."""

    def __init__(self, state: State, title: str, tip: str, paint: Paint) -> None:
        super().__init__()
        self._state, self._title, self._paint = state, title, paint
        self._survey: PlateSurvey | None = None
        self._asked_for: object = None
        self.setMinimumWidth(200)
        self.setToolTip(tip)
        state.frame_changed.connect(self._on_frame)
        state.shot_changed.connect(self._on_shot)
        state.readings_changed.connect(self._on_readings)
        self.refresh()

    def _on_frame(self, frame: int) -> None:
        self.update()

    def _on_shot(self) -> None:
        self._survey, self._asked_for = None, None
        self.refresh()

    def _on_readings(self, step_id: str) -> None:
        if step_id in ("", self._state.step_id):
            self.refresh()
            self.update()

    def refresh(self) -> None:
        """Ask for the survey, once all frames have been looked at."""
        renderer, step = self._state.renderer(), self._state.step
        if self._survey is not None or not renderer or not step or not isinstance(kind_of(step.kind), SurveyKind):
            return
        measured = len(self._state.known.readings.get(step.id, {}))
        if measured < renderer.shot.length or self._asked_for == (renderer, measured):
            return
        self._asked_for = (renderer, measured)
        ref = step.inputs.get("plate", "")
        self._state.engine.ask(
            PROPOSE, lambda: renderer.surveys.if_complete(renderer, ref), self._take, lambda e: None, tag="survey-plot"
        )

    def _take(self, survey: PlateSurvey | None) -> None:
        if sip.isdeleted(self):
            return
        self._survey = survey
        if survey is None:
            self._asked_for = None
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        left = self.width() * (1 - READINGS_SHARE) - 8
        text(p, 0, 9, self._title, 12, 500, room=left)
        box = QRectF(0, 18, left, self.height() - 18)
        p.fillRect(box, QColor(PAPER))
        p.setPen(QColor(EDGE))
        p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
        if self._survey is None:
            wrapped(p, 10, 40, left - 20, "Drawn when every frame of the plate has been looked at.", 12, 16, 400, INK2, 3)
        else:
            self._paint(p, box.adjusted(8, 8, -8, -8), self._survey, self._state.frame)
        readings = self._state.known.readings.get(self._state.step_id, {}).get(self._state.frame)
        right = QRectF(left + 8, 0, self.width() - left - 8, self.height())
        paint_readings(p, right, readings)


def _line(p: QPainter, xs: Array, ys: Array, ink: str, width: float = 1.4) -> None:
    """A line through the known points; gaps stay gaps."""
    p.setPen(QPen(QColor(ink), width))
    run: list[QPointF] = []
    for x, y in zip(xs, ys, strict=True):
        if np.isfinite(y):
            run.append(QPointF(float(x), float(y)))
        elif run:
            p.drawPolyline(QPolygonF(run))
            run = []
    if run:
        p.drawPolyline(QPolygonF(run))


def _across(box: QRectF, count: int) -> Array:
    return np.asarray(box.left() + (np.arange(count) + 0.5) * box.width() / max(count, 1))


def _trace(p: QPainter, box: QRectF, values: list[tuple[Array, str]], top: float, limit: float, unit: str, frame: int) -> None:
    """Traces about a middle line (or from the floor up), with the limit's lines and the playhead."""
    middle = box.center().y()
    scale = box.height() / 2 / top
    hline(p, box.left(), box.right(), middle, RULE2)
    for sign in (-1, 1):
        hline(p, box.left(), box.right(), middle - sign * limit * scale, INK2, 1)
    text(p, box.right(), middle - limit * scale - 7, f"limit {figure(limit, 2)} {unit}", 10, 400, INK2, "right")
    for v, ink in values:
        _line(p, _across(box, len(v)), np.clip(middle - v * scale, box.top(), box.bottom()), ink)
    n = len(values[0][0])
    vline(p, float(_across(box, n)[min(frame, n) - 1]), box.top(), box.bottom(), INK)


def paint_path(p: QPainter, box: QRectF, s: PlateSurvey, frame: int) -> None:
    """Where the picture goes, px; the ring is the limit, the dot the playhead."""
    words = 34.0
    room = box.adjusted(0, 0, 0, -words)
    wrapped(p, box.left(), box.bottom() - words + 9, box.width(), s.steadiness.words, 11, 13, 400, INK, 3)
    if not s.path.known.any():
        return
    span = max(float(np.nanmax(np.hypot(s.path.x, s.path.y))), SHIFT) * 1.15
    scale = min(room.width(), room.height()) / 2 / span
    c = room.center()
    p.setPen(QPen(QColor(INK2), 1))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawEllipse(c, SHIFT * scale, SHIFT * scale)
    hline(p, c.x() - 5, c.x() + 5, c.y(), RULE2)
    vline(p, c.x(), c.y() - 5, c.y() + 5, RULE2)
    known = s.path.known
    pts = QPolygonF(
        [QPointF(c.x() + x * scale, c.y() + y * scale) for x, y in zip(s.path.x[known], s.path.y[known], strict=True)]
    )
    p.setPen(QPen(QColor(BLUE), 1.3))
    p.drawPolyline(pts)
    i = min(frame, s.count) - 1
    if known[i]:
        p.setPen(QPen(QColor(INK), 1.5))
        p.drawEllipse(QPointF(c.x() + s.path.x[i] * scale, c.y() + s.path.y[i] * scale), 4, 4)
    text(p, box.right(), box.top() + 5, f"± {figure(span, 2)} px", 10, 400, INK2, "right")


def paint_exposure(p: QPainter, box: QRectF, s: PlateSurvey, frame: int) -> None:
    """Exposure against the first frame above, flicker off the slow trend below; stops."""
    half = box.height() / 2 - 8
    drift, flicker = s.gains.against(1).mean(axis=1), s.flicker.mean(axis=1)
    for k, (v, name) in enumerate(((drift, "exposure"), (flicker, "flicker"))):
        part = QRectF(box.left(), box.top() + k * (half + 16) + 10, box.width(), half - 8)
        text(p, box.left() + 6, part.top() - 4, f"{name}, stops", 10, 400, INK2)
        if not np.isfinite(v).any():
            text(p, box.left(), part.center().y(), s.gains.reason or "not measured", 11, 400, INK2, room=box.width())
            continue
        limit = EXPOSURE if k == 0 else 0.02
        top = max(float(np.nanmax(np.abs(v))) * 1.2, 1.6 * limit)
        _trace(p, part, [(v, BLUE)], top, limit, "", frame)


def paint_detail(p: QPainter, box: QRectF, s: PlateSurvey, frame: int) -> None:
    """Detail of every frame above; noise against brightness below, with the fitted law."""
    half = box.height() / 2 - 6
    upper = QRectF(box.left(), box.top() + 12, box.width(), half - 14)
    text(p, box.left(), box.top() + 4, "detail, % of the best frames", 10, 400, INK2)
    values = np.nan_to_num(s.sharpness)
    y = upper.bottom() - np.clip(s.sharpness, 0, 1.1) / 1.1 * upper.height()
    hline(p, box.left(), box.right(), upper.bottom() - SHARP / 1.1 * upper.height(), INK2)
    _line(p, _across(upper, s.count), y, BLUE)
    vline(p, float(_across(upper, len(values))[min(frame, s.count) - 1]), upper.top(), upper.bottom(), INK)
    lower = QRectF(box.left(), box.bottom() - half + 14, box.width(), half - 16)
    text(p, box.left(), lower.top() - 6, "noise (deviation) against brightness", 10, 400, INK2)
    if s.noise is None or len(s.noise.levels) < 2:
        text(p, box.left(), lower.center().y(), "not measured: nothing stands still", 11, 400, INK2, room=box.width())
        return
    sigma = np.sqrt(np.maximum(s.noise.variance, 0))
    top, right = float(sigma.max()) * 1.2 or 1.0, float(s.noise.levels.max()) * 1.05
    xs = np.linspace(0, right, 60)
    law = np.sqrt(np.maximum(s.noise.law[1, 0] * xs + s.noise.law[1, 1], 0))
    _line(p, lower.left() + xs / right * lower.width(), lower.bottom() - np.minimum(law / top, 1) * lower.height(), BLUE)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(INK))
    for x, v in zip(s.noise.levels, sigma, strict=True):
        p.drawEllipse(QPointF(lower.left() + x / right * lower.width(), lower.bottom() - v / top * lower.height()), 2, 2)
    p.setBrush(Qt.BrushStyle.NoBrush)


def paint_timing(p: QPainter, box: QRectF, s: PlateSurvey, frame: int) -> None:
    """A strip of the frames: full where all is well, hatched where a frame repeats, a gap where one is missing."""
    t = s.timing
    strip = QRectF(box.left(), box.top() + 24, box.width(), 40)
    text(p, box.left(), box.top() + 6, f"frames 1 to {s.count}", 10, 400, INK2)
    w = strip.width() / s.count
    for n in range(1, s.count + 1):
        cell = QRectF(strip.left() + (n - 1) * w, strip.top(), max(w - (1 if w > 3 else 0), 0.8), strip.height())
        if n in t.missing:
            continue
        p.fillRect(cell, QColor(WELL))
        if n in t.doubled:
            hatch(p, cell, VERMILION)
        elif n in t.combed:
            hatch(p, cell, ORANGE_EDGE, 3)
        if n in t.dropped:
            vline(p, cell.left() - 1, strip.top() - 6, strip.bottom() + 6, VERMILION, 2)
    x = strip.left() + (min(frame, s.count) - 0.5) * w
    vline(p, x, strip.top() - 4, strip.bottom() + 4, INK)
    words = t.cadence or (
        f"{len(t.doubled)} doubled, {len(t.dropped)} places where a frame is missing, {len(t.missing)} without a file, "
        f"{len(t.combed)} combed."
    )
    if not t.told_drops:
        words += " Too little moves evenly to see every dropped frame."
    wrapped(p, box.left(), strip.bottom() + 22, box.width(), words, 11, 14, 400, INK, 5)


def paint_marks(p: QPainter, box: QRectF, s: PlateSurvey, frame: int) -> None:
    """The frame with dust as rings and what reaches in hatched."""
    h, w = s.path.size
    words = 70.0
    scale = min(box.width() / w, (box.height() - words) / h)
    area = QRectF(box.left(), box.top(), w * scale, h * scale)
    p.fillRect(area, QColor(WELL))
    for i in s.intruders:
        x, y, bw, bh = i.box
        rect = QRectF(area.left() + x * area.width(), area.top() + y * area.height(), bw * area.width(), bh * area.height())
        hatch(p, rect, VERMILION if i.first <= frame <= i.last else INK2)
    p.setPen(QPen(QColor(VERMILION), 1.5))
    p.setBrush(Qt.BrushStyle.NoBrush)
    for d in s.dust.spots:
        r = max(3.0, d.radius * scale)
        p.drawEllipse(QPointF(area.left() + d.x * scale, area.top() + d.y * scale), r, r)
    said = s.dust.reason or (f"{spots_words(len(s.dust.spots))} of dust" if s.dust.spots else "no dust found")
    said = f"{said}; {s.dust.seen}" if s.dust.seen and not s.dust.reason else said
    edge = (
        ("nothing reaches in", "one thing reaches in", "several things reach in")[min(len(s.intruders), 2)]
        if s.intruders_told
        else "edges are not compared: the camera moves"
    )
    wrapped(p, box.left(), area.bottom() + 12, box.width(), f"{said[0].upper()}{said[1:]}; {edge}.", 11, 13, 400, INK, 5)


def steadiness_plot(state: State) -> QWidget:
    tip = "The path of the picture over all frames, enlarged. Inside the ring a still clean plate serves."
    return SurveyPlot(state, "Path of the camera", tip, paint_path)


def exposure_plot(state: State) -> QWidget:
    tip = "Brightness of every frame against the first, and how far it is off its own slow trend. Passers-by do not count."
    return SurveyPlot(state, "Exposure over the plate", tip, paint_exposure)


def sharpness_plot(state: State) -> QWidget:
    tip = "How much fine detail each frame keeps, and how the noise grows with brightness."
    return SurveyPlot(state, "Detail and noise", tip, paint_detail)


def timing_plot(state: State) -> QWidget:
    tip = (
        "Hatched: a frame that repeats the one before. A red line: the picture jumps as if a frame were missing. A gap: no file."
    )
    return SurveyPlot(state, "Frames in time", tip, paint_timing)


def marks_plot(state: State) -> QWidget:
    tip = "Where dust lies on the sensor, and where something reaches into the frame."
    return SurveyPlot(state, "Dust and edges", tip, paint_marks)


PLOTS: dict[str, Callable[[State], QWidget]] = {
    "survey": exposure_plot, "steadiness": steadiness_plot, "exposure": exposure_plot, "sharpness": sharpness_plot,
    "timing": timing_plot, "marks": marks_plot,
}  # fmt: skip
