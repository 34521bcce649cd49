"""A solved place seen from the side: drawn by parallel lines of sight, gone round by dragging."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from transmixis.core.plot import Plot, Solid
from transmixis.core.types import Array
from transmixis.desk.marks import text
from transmixis.desk.theme import BLUE, INK, INK2, VERMILION, WELL, figure

EACH = 0.4  # degrees for a px dragged
STEEPEST = 89.0
NEARER = 1.15  # a notch of the wheel
LEAST_ZOOM, MOST_ZOOM = 0.1, 40.0
USUAL = 0.9  # of the points that the drawing is made to hold
LINES = 5  # of the ground's grid to either side
DOT = 1.7  # px
FAINT = 90  # of 255: the ground's lines stay behind the points
FRUSTUM = np.array([[0, 0, 0], [-0.8, -0.45, 1], [0.8, -0.45, 1], [0.8, 0.45, 1], [-0.8, 0.45, 1]])
EDGES = ((0, 1), (0, 2), (0, 3), (0, 4), (1, 2), (2, 3), (3, 4), (4, 1))
CAMERA = 0.09  # of the drawing's reach, as large the camera is drawn
NICE = (1.0, 2.0, 5.0)


@dataclass(frozen=True)
class Sight:
    """From where it is looked at: degrees round and above, times as near."""

    yaw: float = Solid.yaw
    pitch: float = Solid.pitch
    zoom: float = Solid.zoom

    def of(self, panel: Solid) -> Solid:
        return replace(panel, yaw=self.yaw, pitch=self.pitch, zoom=self.zoom)

    def on(self, plot: Plot) -> Plot:
        """A plot whose solved places are looked at from here."""
        return replace(plot, panels=tuple(self.of(c) if isinstance(c, Solid) else c for c in plot.panels))

    def nearer(self, notches: float) -> Sight:
        return replace(self, zoom=float(np.clip(self.zoom * NEARER**notches, LEAST_ZOOM, MOST_ZOOM)))


FRONT = Sight()


def turned_by(sight: Sight, right: float, down: float) -> Sight:
    """Gone round by a drag of so many px."""
    pitch = float(np.clip(sight.pitch + EACH * down, -STEEPEST, STEEPEST))
    return replace(sight, yaw=(sight.yaw - EACH * right) % 360, pitch=pitch)


def looking(panel: Solid) -> Array:
    """(3, 3) rows right, down and away of the drawing."""
    a, b = np.radians(panel.yaw), np.radians(panel.pitch)
    round_ = np.array([[np.cos(a), 0, -np.sin(a)], [0, 1, 0], [np.sin(a), 0, np.cos(a)]])
    # from above, what lies further away comes higher up
    above = np.array([[1, 0, 0], [0, np.cos(b), -np.sin(b)], [0, np.sin(b), np.cos(b)]])
    return np.asarray(above @ round_)


def held(panel: Solid) -> tuple[Array, float]:
    """The middle of what is drawn, and how far it reaches."""
    way = panel.way[np.isfinite(panel.way[:, 0])]
    every = np.vstack([panel.points, way]) if len(panel.points) + len(way) else np.zeros((1, 3))
    middle = np.median(panel.points, axis=0) if len(panel.points) else every.mean(axis=0)
    if len(way):
        middle = (middle + way.mean(axis=0)) / 2
    away = np.linalg.norm(every - middle, axis=1)
    reach = float(np.quantile(away, USUAL))
    if len(way):
        reach = max(reach, float(np.linalg.norm(way - middle, axis=1).max()))
    return middle, max(reach, 1e-6)


def paint_solid(p: QPainter, box: QRectF, panel: Solid, frame: int) -> None:
    """Ground, points, way and the camera of this frame; a scale below."""
    p.fillRect(box, QColor(WELL))
    if not len(panel.points) and not np.isfinite(panel.way[:, 0]).any():
        text(p, box.left() + 6, box.center().y(), panel.why or "nothing is solved", 11, 400, INK2, room=box.width() - 12)
        return
    middle, reach = held(panel)
    scale = panel.zoom * min(box.width(), box.height()) / 2 / reach
    look = looking(panel)

    def there(points: Array) -> Array:
        flat = (np.asarray(points, np.float64).reshape(-1, 3) - middle) @ look[:2].T * scale
        return np.asarray(flat + np.array([box.center().x(), box.center().y()]))

    p.save()
    p.setClipRect(box)
    if panel.levelled:
        _paint_ground(p, there, middle, reach)
    _paint_points(p, there(panel.points), panel)
    _paint_way(p, there, panel, frame, CAMERA * reach)
    p.restore()
    _paint_scale(p, box, scale, panel.unit)


def _paint_ground(p: QPainter, there, middle: Array, reach: float) -> None:  # type: ignore[no-untyped-def]
    step = _nice(reach / LINES)
    x, z = (round(float(middle[i]) / step) * step for i in (0, 2))
    ink = QColor(INK2)
    ink.setAlpha(FAINT)
    p.setPen(QPen(ink, 1))
    for k in range(-LINES, LINES + 1):
        for a, b in (
            ((x + k * step, 0, z - LINES * step), (x + k * step, 0, z + LINES * step)),
            ((x - LINES * step, 0, z + k * step), (x + LINES * step, 0, z + k * step)),
        ):
            (ax, ay), (bx, by) = there(np.array([a, b]))
            p.drawLine(QPointF(ax, ay), QPointF(bx, by))


def _paint_points(p: QPainter, at: Array, panel: Solid) -> None:
    p.setPen(Qt.PenStyle.NoPen)
    for bad in (False, True):
        p.setBrush(QColor(VERMILION if bad else INK2))
        for (x, y), e in zip(at, panel.errors, strict=True):
            if bool(e > panel.limit) == bad:
                p.drawEllipse(QPointF(x, y), DOT, DOT)
    p.setBrush(Qt.BrushStyle.NoBrush)


def _paint_way(p: QPainter, there, panel: Solid, frame: int, size: float) -> None:  # type: ignore[no-untyped-def]
    at = there(panel.way)
    run: list[QPointF] = []
    p.setPen(QPen(QColor(BLUE), 1.6))
    for x, y in [*at, (np.nan, np.nan)]:
        if np.isfinite(x):
            run.append(QPointF(x, y))
            continue
        if len(run) > 1:
            p.drawPolyline(QPolygonF(run))
        run = []
    i = min(frame, len(panel.way)) - 1
    if np.isfinite(panel.way[i, 0]):
        corners = there(panel.way[i] + size * FRUSTUM @ panel.turns[i])
        p.setPen(QPen(QColor(INK), 1.4))
        for a, b in EDGES:
            p.drawLine(QPointF(*corners[a]), QPointF(*corners[b]))


def _paint_scale(p: QPainter, box: QRectF, scale: float, unit: str) -> None:
    length = _nice(box.width() / 4 / scale)
    x, y = box.right() - 8, box.bottom() - 8
    p.setPen(QPen(QColor(INK), 1.4))
    p.drawLine(QPointF(x - length * scale, y), QPointF(x, y))
    words = f"{figure(length, 2)} {unit}" if unit else f"{figure(length, 2)} × its way"
    text(p, x, y - 11, words, 10, 400, INK2, "right")


def _nice(value: float) -> float:
    """The largest of 1, 2, 5 times a power of ten that is no more than a value."""
    ten = 10.0 ** np.floor(np.log10(max(value, 1e-12)))
    return float(max(n for n in NICE if n * ten <= value * 1.0001) * ten)
