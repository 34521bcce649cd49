"""What the viewer paints over its picture: words, the other half of Beside, a fault's ring, the loupe; and what it shows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter, QPen

from transmixis.core.types import Array
from transmixis.desk.marks import CENTRE, mark, text
from transmixis.desk.theme import INK, INK2, PAPER, RAISED, VERMILION, VERMILION_TEXT, WHITE, in_lines, text_width

LOUPE_PIXELS, LOUPE_SCALE = 11, 8


@dataclass(frozen=True)
class Shown:
    """What is on screen: the picture, a second one for Beside, and the pixels behind them for the figures."""

    image: QImage
    other: QImage | None
    plate: Array | None
    alpha: Array | None
    title: str
    by: int = 1  # px of the frame across one of the picture: 1 at full size
    grounded: bool = False  # a cut-out before a ground that can be chosen

    def values(self, x: int, y: int) -> tuple[Array | None, float | None]:
        """The plate's values and the matte's at a px of the frame, where they are known."""
        u, v = x // self.by, y // self.by
        plate = None if self.plate is None or v >= self.plate.shape[0] or u >= self.plate.shape[1] else self.plate[v, u, :3]
        alpha = None if self.alpha is None or v >= self.alpha.shape[0] or u >= self.alpha.shape[1] else float(self.alpha[v, u])
        return plate, alpha


@dataclass(frozen=True)
class Ring:
    """A fault to ring: its box in px of the frame, and its words."""

    box: tuple[int, int, int, int]
    words: str


class Canvas(Protocol):
    """The viewer as it is painted on."""

    shown: Shown | None
    message: str
    divide: float
    pointer: QPointF | None

    def width(self) -> int: ...
    def height(self) -> int: ...
    def to_screen(self, x: float, y: float) -> QPointF: ...
    def pixel(self) -> tuple[int, int] | None: ...


def picture_rect(to_screen: Callable[[float, float], QPointF], size: tuple[int, int]) -> QRectF:
    """Where the frame lies on the screen."""
    return QRectF(to_screen(0, 0), to_screen(*size))


def paint_message(v: Canvas, p: QPainter) -> None:
    lines = in_lines(v.message or "Rendering this frame", 13, 500, v.width() - 64).split("\n")
    top = v.height() / 2 - 10 * (len(lines) - 1)
    for i, line in enumerate(lines):
        text(p, v.width() / 2, top + 20 * i, line, 13, 500, WHITE, CENTRE, room=v.width() - 32)


def paint_size(v: Canvas, p: QPainter, by: int) -> None:
    """What is on screen, where it is not the full size."""
    words = f"{'half' if by == 2 else 'quarter'} size; readings and delivery are full size"
    wide = text_width(words, 11, 500) + 16
    p.fillRect(QRectF(v.width() - wide - 8, 8, wide, 20), QColor(PAPER))
    text(p, v.width() - wide, 18, words, 11, 500, INK)


def paint_note(v: Canvas, p: QPainter) -> None:
    lines = in_lines(v.message, 12, 500, v.width() - 52).split("\n")
    w = min(max(text_width(line, 12, 500) for line in lines) + 20, v.width() - 32)
    high = 18 * len(lines) + 6
    box = QRectF(16, v.height() - 16 - high, w, high)
    p.fillRect(box, QColor(PAPER))
    for i, line in enumerate(lines):
        text(p, box.left() + 10, box.top() + 12 + 18 * i, line, 12, 500, VERMILION_TEXT, room=v.width() - 42)


def paint_beside(v: Canvas, p: QPainter, rect: QRectF) -> None:
    assert v.shown is not None and v.shown.other is not None
    x = rect.left() + v.divide * rect.width()
    p.save()
    p.setClipRect(QRectF(x, rect.top(), rect.right() - x, rect.height()))
    p.drawImage(rect, v.shown.other)
    p.restore()
    p.fillRect(QRectF(x - 1, rect.top(), 2, rect.height()), QColor(WHITE))
    p.fillRect(QRectF(x - 2, rect.top(), 1, rect.height()), QColor(INK))
    text(p, rect.left() + 8, rect.bottom() - 12, "Plate", 11, 500, WHITE)
    text(p, rect.right() - 8, rect.bottom() - 12, "Result", 11, 500, WHITE, "right")


def paint_ring(v: Canvas, p: QPainter, ring: Ring) -> None:
    x, y, w, h = ring.box
    a, b = v.to_screen(x, y), v.to_screen(x + w, y + h)
    box = QRectF(a, b).adjusted(-10, -10, 10, 10)
    least = 28.0
    if box.width() < least or box.height() < least:
        c = box.center()
        bw, bh = max(box.width(), least), max(box.height(), least)
        box = QRectF(c.x() - bw / 2, c.y() - bh / 2, bw, bh)
    p.setBrush(Qt.BrushStyle.NoBrush)
    for ink, width in ((WHITE, 4.0), (VERMILION, 2.0)):
        p.setPen(QPen(QColor(ink), width))
        p.drawEllipse(box)
    width = text_width(ring.words, 12, 600) + 30
    left = float(np.clip(box.center().x() - width / 2, 8, max(8, v.width() - width - 8)))
    top = box.bottom() + 8 if box.bottom() + 40 < v.height() else box.top() - 34
    label = QRectF(left, top, width, 26)
    p.setPen(QPen(QColor(VERMILION), 1))
    p.setBrush(QColor(PAPER))
    p.drawRect(label)
    mark(p, "fault", label.left() + 13, label.center().y())
    text(p, label.left() + 22, label.center().y(), ring.words, 12, 600)


def paint_loupe(v: Canvas, p: QPainter) -> None:
    assert v.shown is not None and v.pointer is not None
    at = v.pixel()
    assert at is not None
    side = LOUPE_PIXELS * LOUPE_SCALE
    width = side + 104
    left = 16.0 if v.pointer.x() > v.width() / 2 else v.width() - width - 16.0
    top = 16.0 if v.pointer.y() > v.height() / 2 else v.height() - side - 20.0
    half = LOUPE_PIXELS // 2
    p.fillRect(QRectF(left, top, width, side + 4), QColor(RAISED))
    part = v.shown.image.copy(at[0] // v.shown.by - half, at[1] // v.shown.by - half, LOUPE_PIXELS, LOUPE_PIXELS)
    p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
    p.drawImage(QRectF(left + 2, top + 2, side, side), part)
    c = QRectF(left + 2 + half * LOUPE_SCALE, top + 2 + half * LOUPE_SCALE, LOUPE_SCALE, LOUPE_SCALE)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QPen(QColor(INK), 3))
    p.drawRect(c)
    p.setPen(QPen(QColor(WHITE), 1.2))
    p.drawRect(c)
    x = left + side + 10
    text(p, x, top + 12, f"x {at[0]}  y {at[1]}", 11, 400, INK2)
    for i, (name, value) in enumerate(zip("RGB", _stops(v.shown, at), strict=True)):
        y = top + 31 + 16 * i
        text(p, x, y, name, 12)
        text(p, x + 62, y, value, 12, 500, align="right")
        text(p, x + 66, y, "stop", 11, 400, INK2)
    alpha = v.shown.values(*at)[1]
    if alpha is not None:
        text(p, x, top + 82, "Matte", 11, 400, INK2)
        text(p, x + 86, top + 82, f"{alpha:.2f}", 12, 600, align="right")


def _stops(shown: Shown | None, at: tuple[int, int]) -> list[str]:
    """Stops under white of the plate's pixel, by channel."""
    values = shown.values(*at)[0] if shown is not None else None
    if values is None:
        return ["–"] * 3
    return [f"{np.log2(v):+.2f}".replace("-", "\u2212") if v > 1e-6 else "black" for v in values]
