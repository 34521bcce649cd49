"""The marks: shape first, colour second. And small painting helpers shared by the painted widgets."""

from __future__ import annotations

from functools import lru_cache

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetricsF, QImage, QPainter, QPainterPath, QPen, QPolygonF

from transmixis.desk.theme import BLUE, EDGE, INK, INK2, ORANGE, ORANGE_EDGE, PURPLE, VERMILION, colour, font

LEFT, RIGHT, CENTRE = "left", "right", "centre"


@lru_cache(maxsize=64)
def _metrics(px: int, weight: int) -> QFontMetricsF:
    return QFontMetricsF(font(px, weight))


def text(
    p: QPainter,
    x: float,
    y: float,
    words: str,
    px: int = 12,
    weight: int = 400,
    ink: str = INK,
    align: str = LEFT,
    room: float | None = None,
) -> float:
    """Text whose capitals' middle lies on y; x is its left, right or centre. Cut to `room`. Gives its width."""
    if not words:
        return 0.0
    f, m = font(px, weight), _metrics(px, weight)
    w = m.horizontalAdvance(words)
    if room is not None and w > room + 0.5:
        words = m.elidedText(words, Qt.TextElideMode.ElideRight, room)
        w = m.horizontalAdvance(words)
    left = x if align == LEFT else x - w if align == RIGHT else x - w / 2
    p.setFont(f)
    p.setPen(QColor(ink))
    p.drawText(QPointF(left, round(y + m.capHeight() / 2)), words)
    return w


def wrapped(
    p: QPainter,
    x: float,
    y: float,
    width: float,
    words: str,
    px: int = 12,
    line: float = 16,
    weight: int = 400,
    ink: str = INK,
    most: int = 9,
) -> float:
    """Text broken into lines, the first centred on y; gives the y of the next line. The last allowed line is cut."""
    lines = in_lines(words, width, px, weight)
    for i, row in enumerate(lines[:most]):
        last = i == most - 1 and len(lines) > most
        text(p, x, y, f"{row} …" if last else row, px, weight, ink, room=width)
        y += line
    return y


def in_lines(words: str, width: float, px: int = 12, weight: int = 400) -> list[str]:
    """Text as it is broken into lines of a width."""
    m = _metrics(px, weight)
    lines: list[str] = []
    for word in _broken(words, m, width):
        if lines and m.horizontalAdvance(f"{lines[-1]} {word}") <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines


def _broken(words: str, m: QFontMetricsF, width: float) -> list[str]:
    """Words, those that are wider than a line parted with hyphens."""
    out: list[str] = []
    for word in words.split():
        while m.horizontalAdvance(word) > width:
            fits = [i for i in syllables(word) if m.horizontalAdvance(f"{word[:i]}-") <= width]
            if not fits:
                break
            out.append(f"{word[: fits[-1]]}-")
            word = word[fits[-1] :]
        out.append(word)
    return out


def syllables(word: str) -> list[int]:
    """Where a word may be parted: before a consonant that a vowel follows, two letters at least before and three after it."""
    low, vowels = word.lower(), "aeiouyäöü"
    return [i for i in range(2, len(word) - 2) if low[i].isalpha() and low[i] not in vowels and low[i + 1] in vowels]


def vline(p: QPainter, x: float, y0: float, y1: float, ink: str, w: float = 1) -> None:
    p.fillRect(QRectF(x, y0, w, y1 - y0), QColor(ink))


def hline(p: QPainter, x0: float, x1: float, y: float, ink: str, w: float = 1) -> None:
    p.fillRect(QRectF(x0, y, x1 - x0, w), QColor(ink))


def hatch(
    p: QPainter, path: QPainterPath | QRectF, ink: str = VERMILION, step: int = 4, alpha: float = 1.0, ground: str = ""
) -> None:
    """Diagonal hatching inside a path or rectangle, on a `ground` of its own or on what is there."""
    brush = QBrush(_hatch_tile(ink, step, alpha, ground))
    if isinstance(path, QRectF):
        p.fillRect(path, brush)
    else:
        p.fillPath(path, brush)


@lru_cache(maxsize=16)
def _hatch_tile(ink: str, step: int, alpha: float, ground: str) -> QImage:
    """A tile of the hatching; to lay tiles is many times quicker than to draw clipped lines at every repaint."""
    side = 8 * step
    tile = QImage(side, side, QImage.Format.Format_RGB32 if ground else QImage.Format.Format_ARGB32_Premultiplied)
    tile.fill(QColor(ground) if ground else QColor(0, 0, 0, 0))
    p = QPainter(tile)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(colour(ink, alpha), 1.0))
    for x in range(-side, side + 1, step):
        p.drawLine(QPointF(x + side + 1, -1), QPointF(x - 1, side + 1))
    p.end()
    return tile


def jaws(p: QPainter, x: float, y: float, r: float, ink: str = PURPLE) -> None:
    """The calliper: sign of a measured proposal, and of the program."""
    w = max(1.4, r * 0.3)
    top = y - r * 0.72
    p.setPen(QPen(QColor(ink), w, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap, Qt.PenJoinStyle.MiterJoin))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawPolyline(
        QPolygonF([QPointF(x - r, y + r * 0.9), QPointF(x - r, top), QPointF(x + r, top), QPointF(x + r, y + r * 0.9)])
    )
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(ink))
    p.drawEllipse(QPointF(x, y + r * 0.34), max(1.3, r * 0.3), max(1.3, r * 0.3))


def notch(p: QPainter, x: float, y: float, ink: str = BLUE, filled: bool = True) -> None:
    """A value set by a person; outlined when it would be set."""
    shape = QPolygonF([QPointF(x, y - 3), QPointF(x + 4, y - 3), QPointF(x + 7, y), QPointF(x + 4, y + 3), QPointF(x, y + 3)])
    p.setPen(QPen(QColor(ink), 1) if not filled else Qt.PenStyle.NoPen)
    p.setBrush(QColor(ink) if filled else Qt.BrushStyle.NoBrush)
    p.drawPolygon(shape)


def flag(p: QPainter, x: float, y: float, ink: str = INK) -> None:
    """A cue."""
    vline(p, x, y - 4, y + 5, ink)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(ink))
    p.drawPolygon(QPolygonF([QPointF(x + 1, y - 4), QPointF(x + 6, y - 1.5), QPointF(x + 1, y + 1)]))


def mark(p: QPainter, state: str, x: float, y: float, r: float = 4.0) -> None:
    """The mark of a state: sound, watch, fault, unknown, done, open, none, wait."""
    p.setBrush(Qt.BrushStyle.NoBrush)
    if state == "sound":
        p.setPen(QPen(QColor(INK2), 1.3))
        p.drawEllipse(QPointF(x, y), r - 0.8, r - 0.8)
    elif state == "done":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(INK2))
        p.drawEllipse(QPointF(x, y), r - 0.4, r - 0.4)
    elif state == "watch":
        p.setPen(QPen(QColor(ORANGE_EDGE), 1))
        p.setBrush(QColor(ORANGE))
        p.drawRect(QRectF(x - r + 0.5, y - r + 0.5, 2 * r - 1, 2 * r - 1))
    elif state == "fault":
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(VERMILION))
        p.drawPolygon(QPolygonF([QPointF(x - r + 0.4, y - r - 0.2), QPointF(x + r + 0.6, y), QPointF(x - r + 0.4, y + r + 0.2)]))
    elif state in ("open", "unknown"):
        pen = QPen(QColor(INK2), 1.2)
        pen.setDashPattern([1.5, 1.5])
        p.setPen(pen)
        p.drawEllipse(QPointF(x, y), r - 0.8, r - 0.8)
    elif state == "none":
        hline(p, x - r + 1, x + r - 1, y, EDGE)
    elif state == "wait":
        p.setPen(QPen(QColor(INK2), 1.2))
        a, b = r - 0.6, r
        p.drawPolygon(QPolygonF([QPointF(x - a, y - b), QPointF(x + a, y - b), QPointF(x - a, y + b), QPointF(x + a, y + b)]))
