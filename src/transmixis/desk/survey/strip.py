"""A row of pictures to choose from, each with its words below."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.desk.marks import text, wrapped
from transmixis.desk.theme import BLUE, EDGE, INK, INK2, PAPER, SURROUND, WELL

GAP, EDGES = 12, 8


@dataclass(frozen=True)
class Tile:
    """Pictures side by side, a heading, words, and bars (name, share 0..1)."""

    images: tuple[QImage, ...]
    heading: str
    words: str
    bars: tuple[tuple[str, float], ...] = ()


class Strip(QWidget):
    """Tiles of equal width. `chosen` tells which was pressed or reached with the arrow keys; `opened` a double press."""

    chosen = pyqtSignal(int)
    opened = pyqtSignal(int)

    def __init__(self, across: int, height: int) -> None:
        super().__init__()
        self.tiles: list[Tile] = []
        self.at = 0
        self._across = across
        self.setFixedHeight(height)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Pictures to choose from")

    def sizeHint(self) -> QSize:
        return QSize(1100, self.height())

    def show_tiles(self, tiles: list[Tile]) -> None:
        """Show these, the first chosen."""
        self.tiles, self.at = tiles, 0
        self.update()

    def choose(self, at: int) -> None:
        """Choose a tile and say so."""
        if 0 <= at < len(self.tiles):
            self.at = at
            self.update()
            self.chosen.emit(at)

    def box(self, i: int) -> QRectF:
        """Where a tile stands."""
        w = (self.width() - GAP * (self._across - 1)) / self._across
        return QRectF(i * (w + GAP), 0, w, self.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        for i, tile in enumerate(self.tiles):
            self._paint(p, self.box(i), tile, i == self.at)
        if self.hasFocus() and self.tiles:
            p.setPen(QPen(QColor(INK), 1, Qt.PenStyle.DotLine))
            p.drawRect(self.box(self.at).adjusted(3, 3, -3, -3))

    def _paint(self, p: QPainter, box: QRectF, tile: Tile, on: bool) -> None:
        p.fillRect(box, QColor(PAPER))
        p.setPen(QPen(QColor(BLUE if on else EDGE), 2 if on else 1))
        p.drawRect(box.adjusted(1, 1, -1, -1))
        inner = box.adjusted(EDGES, EDGES, -EDGES, -EDGES)
        each = (inner.width() - 4 * (len(tile.images) - 1)) / max(len(tile.images), 1)
        tall = 0.0
        for k, image in enumerate(tile.images):
            high = each * image.height() / max(image.width(), 1)
            tall = max(tall, min(high, 128.0))
            area = QRectF(inner.left() + k * (each + 4), inner.top(), each, min(high, 128.0))
            p.fillRect(area, QColor(SURROUND))
            p.drawImage(_fitted(image, area), image)
        y = inner.top() + tall + 13
        text(p, inner.left(), y, tile.heading, 13, 600, INK, room=inner.width())
        y += 17
        for name, share in tile.bars:
            text(p, inner.left(), y, name, 11, 400, INK2)
            track = QRectF(inner.left() + 76, y - 3, inner.width() - 76, 6)
            p.fillRect(track, QColor(WELL))
            p.fillRect(QRectF(track.left(), track.top(), track.width() * min(max(share, 0), 1), 6), QColor(INK2))
            y += 13
        if not tile.bars:
            wrapped(p, inner.left(), y, inner.width(), tile.words, 11, 14, 400, INK2, 4)

    def _tile_at(self, x: float) -> int:
        return next((i for i in range(len(self.tiles)) if self.box(i).left() <= x < self.box(i).right()), -1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self.choose(self._tile_at(event.position().x()))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        i = self._tile_at(event.position().x())
        if i >= 0:
            self.opened.emit(i)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        move = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if move is not None and self.tiles:
            self.choose((self.at + move) % len(self.tiles))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.tiles:
            self.opened.emit(self.at)
        else:
            super().keyPressEvent(event)


def _fitted(image: QImage, area: QRectF) -> QRectF:
    scale = min(area.width() / max(image.width(), 1), area.height() / max(image.height(), 1))
    w, h = image.width() * scale, image.height() * scale
    return QRectF(area.center().x() - w / 2, area.center().y() - h / 2, w, h)
