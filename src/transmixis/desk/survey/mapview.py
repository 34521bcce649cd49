"""A picture with something measured laid over it: a wash of colour by cells, rings, boxes, numbers; and a legend."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.core.types import Array
from transmixis.desk.marks import text
from transmixis.desk.theme import INK, SURROUND, VERMILION, WHITE, text_width

LEGEND = 22  # px below the picture
Inks = tuple[tuple[str, float], ...]


@dataclass(frozen=True)
class Ringed:
    """Centre and radius in px of the frame, with a word or two."""

    x: float
    y: float
    radius: float
    words: str = ""


@dataclass(frozen=True)
class Laid:
    """A picture, the size (w, h) of the frame it shows, and what is laid over it. `numbers` (rows, columns): one a cell."""

    image: QImage
    size: tuple[int, int]
    wash: QImage | None = None
    rings: tuple[Ringed, ...] = ()
    boxes: tuple[tuple[float, float, float, float], ...] = ()
    numbers: Array | None = None
    legend: tuple[tuple[str, str], ...] = field(default=())  # ink or '', words


class MapView(QWidget):
    """Paints `Laid`, fitted; a message where there is nothing."""

    def __init__(self, empty: str) -> None:
        super().__init__()
        self.laid: Laid | None = None
        self.empty = empty
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 150)

    def sizeHint(self) -> QSize:
        return QSize(640, 380)

    def lay(self, laid: Laid | None, empty: str = "") -> None:
        """Show this."""
        self.laid = laid
        self.empty = empty or self.empty
        self.update()

    def picture_rect(self) -> QRectF:
        """Where the picture stands."""
        if not self.laid or self.laid.image.isNull():
            return QRectF()
        room = QRectF(8, 8, self.width() - 16, self.height() - 16 - (LEGEND if self.laid.legend else 0))
        w, h = self.laid.size
        scale = min(room.width() / w, room.height() / h)
        return QRectF(room.center().x() - w * scale / 2, room.top() + (room.height() - h * scale) / 2, w * scale, h * scale)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(SURROUND))
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if not self.laid or self.laid.image.isNull():
            text(p, self.width() / 2, self.height() / 2, self.empty, 12, 500, WHITE, "centre", room=self.width() - 24)
            return
        area = self.picture_rect()
        p.drawImage(area, self.laid.image)
        if self.laid.wash is not None:
            p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
            p.drawImage(area, self.laid.wash)
        self._paint_numbers(p, area)
        self._paint_marks(p, area)
        self._paint_legend(p)

    def _paint_numbers(self, p: QPainter, area: QRectF) -> None:
        assert self.laid is not None
        if self.laid.numbers is None:
            return
        rows, columns = self.laid.numbers.shape
        w, h = area.width() / columns, area.height() / rows
        if w < 24:
            return
        for y, x in np.argwhere(np.isfinite(self.laid.numbers)):
            v = float(self.laid.numbers[y, x])
            words = f"{v:+.1f}".replace("-", "\u2212") if abs(v) >= 0.05 else "0"
            at = area.left() + (x + 0.5) * w, area.top() + (y + 0.5) * h
            text(p, *at, words, 10, 500, INK, "centre")

    def _paint_marks(self, p: QPainter, area: QRectF) -> None:
        assert self.laid is not None
        scale = area.width() / self.laid.size[0]
        p.setBrush(Qt.BrushStyle.NoBrush)
        for ink, width in ((WHITE, 3.4), (VERMILION, 1.6)):
            p.setPen(QPen(QColor(ink), width))
            for r in self.laid.rings:
                radius = max(6.0, 1.8 * r.radius * scale)
                p.drawEllipse(QPointF(area.left() + r.x * scale, area.top() + r.y * scale), radius, radius)
            for x, y, w, h in self.laid.boxes:
                p.drawRect(QRectF(area.left() + x * scale, area.top() + y * scale, w * scale, h * scale))
        for r in self.laid.rings:
            if r.words:
                radius = max(6.0, 1.8 * r.radius * scale)
                text(p, area.left() + r.x * scale + radius + 4, area.top() + r.y * scale, r.words, 11, 600, WHITE)

    def _paint_legend(self, p: QPainter) -> None:
        assert self.laid is not None
        x, y = 10.0, self.height() - LEGEND / 2 - 4
        for ink, words in self.laid.legend:
            if ink:
                p.fillRect(QRectF(x, y - 5, 11, 11), QColor(ink))
                p.setPen(QPen(QColor(INK), 1))
                p.drawRect(QRectF(x, y - 5, 11, 11))
                x += 17
            text(p, x, y, words, 11, 500, WHITE)
            x += text_width(words, 11, 500) + 18


def wash_of(kinds: Array, inks: Inks) -> QImage:
    """Cells (h, w) of small integers as a see-through picture; inks: (colour, opacity 0..1) by integer."""
    table = np.zeros((len(inks), 4), np.float64)
    for k, (ink, opacity) in enumerate(inks):
        c = QColor(ink)
        table[k] = (c.blue() * opacity, c.green() * opacity, c.red() * opacity, 255 * opacity)  # premultiplied
    return _argb(np.round(table[kinds]).astype(np.uint8))


def diverging(values: Array, most: float, below: str, above: str) -> QImage:
    """Cells (h, w) as a see-through picture: `below` ink where under 0, `above` where over, fuller towards ±`most`; nan clear."""
    share = np.clip(np.abs(np.nan_to_num(values)) / most, 0, 1) * 0.75
    low, high = (np.array([QColor(c).blue(), QColor(c).green(), QColor(c).red()], float) for c in (below, above))
    ink = np.where((np.nan_to_num(values) < 0)[..., None], low, high)
    out = np.concatenate([ink * share[..., None], 255 * share[..., None]], axis=2)
    return _argb(np.round(out).astype(np.uint8))


def _argb(bgra: Array) -> QImage:
    h, w = bgra.shape[:2]
    data = np.ascontiguousarray(bgra)
    return QImage(data.tobytes(), w, h, 4 * w, QImage.Format.Format_ARGB32_Premultiplied).copy()
