"""The section: the camera on the left, a card for each layer, the nearest first, thick as it is opaque and high as it stands in the frame; a foot on the ground line that is slid to change the order."""

from __future__ import annotations

import math
from itertools import pairwise

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QToolTip, QWidget

from transmixis.desk.marks import CENTRE, hline, jaws, text
from transmixis.desk.theme import BLUE, BLUE_TEXT, EDGE, INK, INK2, ORANGE, ORANGE_EDGE, PAPER, PURPLE, RULE, WHITE, colour
from transmixis.shot.section import Card

ORDER, DEPTH = "Order", "Depth"
TOP, GROUND = 30.0, 110.0  # px: the frame's upper edge, and the ground line
LEFT, MARGIN = 84.0, 34.0  # px: where the lens's cone is as wide as the frame
THICK, THIN, LEAST = 34.0, 4.0, 22.0  # px: a whole card, the thinnest, the lowest
FOOT = 11.0
EMPTY = "Nothing lies on anything yet: add Place, or another step that lays something over a picture."


class Side(QWidget):
    """Paints the cards. `chosen` gives the step of a card that was pressed, `slid` a card's step and whether it was slid to the front."""

    chosen = pyqtSignal(str)
    slid = pyqtSignal(str, bool)

    def __init__(self) -> None:
        super().__init__()
        self.cards: tuple[Card, ...] = ()
        self.step, self.by, self.advised = "", ORDER, ""
        self._held: int | None = None
        self._x = 0.0
        self.setMouseTracking(True)
        self.setMinimumHeight(int(GROUND) + 22)
        self.setAccessibleName("The shot from the side")

    def sizeHint(self) -> QSize:
        return QSize(560, int(GROUND) + 22)

    def show_cards(self, cards: tuple[Card, ...], step: str, advised: str) -> None:
        """What lies before what, the step that is chosen, and the one that should come to the front ('' for none)."""
        self.cards, self.step, self.advised = cards, step, advised
        self.update()

    # -- where they stand

    def places(self) -> list[float]:
        """The middle of each card, px; by metres on a log scale where they are known and asked for, else evenly."""
        room = max(self.width() - LEFT - MARGIN - 20, 60.0)
        n = len(self.cards)
        even = [LEFT + 34 + (room - 34) * k / max(n - 1, 1) for k in range(n)]
        if self.by == ORDER or not self.measured:
            return even
        known = [c.depth for c in self.cards if c.depth]
        low, high = math.log(min(known)), math.log(max(known))
        if high - low < 1e-6:
            return even
        by_depth = {
            k: LEFT + 60 + (room - 90) * (math.log(c.depth) - low) / (high - low) for k, c in enumerate(self.cards) if c.depth
        }
        return [by_depth.get(k, x) for k, x in enumerate(even)]

    @property
    def measured(self) -> bool:
        """Whether two cards at least have a depth."""
        return sum(c.depth is not None and c.depth > 0 for c in self.cards) >= 2

    def box(self, k: int) -> QRectF:
        """A card's rectangle."""
        c, x = self.cards[k], self.places()[k]
        if self._held == k:
            x = self._x
        if c.over_all:
            return QRectF(x - 4, TOP, 8, GROUND - TOP)
        wide = max(THIN, THICK * (c.opacity or 0.0))
        top, bottom = (TOP + v * (GROUND - TOP) for v in c.rows)
        if bottom - top < LEAST:
            top = max(TOP, (top + bottom) / 2 - LEAST / 2)
            bottom = top + LEAST
        return QRectF(x - wide / 2, top, wide, bottom - top)

    def _foot(self, k: int) -> QRectF:
        return QRectF(self.box(k).center().x() - FOOT / 2, GROUND, FOOT, 7)

    def at(self, x: float, y: float) -> int | None:
        """The card under a place: its own width, and as much beside it as a finger needs."""
        near = [(abs(self.box(k).center().x() - x), k) for k in range(len(self.cards))]
        near = [(d, k) for d, k in near if d <= max(self.box(k).width() / 2, 10) and y >= TOP - 24]
        return min(near)[1] if near else None

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.cards:
            text(p, 16, self.height() / 2, EMPTY, 12, 400, INK2, room=self.width() - 32)
            return
        self._stage(p)
        room = self._room()
        for k in reversed(range(len(self.cards))):
            self._card(p, k, room)

    def _room(self) -> float:
        xs = sorted(self.places())
        gaps = [b - a for a, b in pairwise(xs)]
        return max(34.0, min(gaps, default=120.0) - 6)

    def _stage(self, p: QPainter) -> None:
        """The camera, what it sees, and the ground."""
        right, middle = self.width() - MARGIN / 2, (TOP + GROUND) / 2
        p.fillRect(QRectF(LEFT, TOP, right - LEFT, GROUND - TOP), colour(PAPER))
        p.setPen(QPen(QColor(RULE), 1))
        for y in (TOP, GROUND):
            p.drawLine(QPointF(36, middle), QPointF(LEFT, y))
        hline(p, LEFT, right, TOP, RULE)
        hline(p, LEFT, right, GROUND, EDGE)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(INK))
        p.drawRoundedRect(QRectF(16, middle - 6, 14, 12), 2, 2)
        p.drawPolygon(
            QPolygonF([QPointF(30, middle - 2), QPointF(36, middle - 6), QPointF(36, middle + 6), QPointF(30, middle + 2)])
        )
        text(p, 16, GROUND + 14, "camera", 11, 400, INK2)

    def _card(self, p: QPainter, k: int, room: float) -> None:
        c, r = self.cards[k], self.box(k)
        mine = self.step in c.steps
        ink = BLUE if mine else INK if c.on else EDGE
        if c.over_all:
            pen = QPen(QColor(ink), 1.2)
            pen.setDashPattern([3, 3])
            p.setPen(pen)
            p.setBrush(Qt.BrushStyle.NoBrush)
        else:
            p.setPen(QPen(QColor(ink), 2 if mine else 1))
            p.setBrush(colour(WHITE if c.on else PAPER))
        p.drawRect(r)
        if not c.over_all and c.on:
            p.fillRect(r.adjusted(2, 2, -2, -2), colour(EDGE if not mine else BLUE, 0.25 + 0.5 * (c.opacity or 0.0)))
        if c.glows:
            self._lamp(p, r.left() - 9, r.center().y())
        x = r.center().x()
        p.setPen(QPen(QColor(ink), 1))
        p.drawLine(QPointF(x, r.bottom()), QPointF(x, GROUND))
        p.fillRect(self._foot(k), QColor(BLUE if mine else EDGE))
        text(p, x, 16, c.name, 12, 600 if mine else 500, BLUE_TEXT if mine else INK if c.on else INK2, CENTRE, room=room)
        below = f"{c.depth:.3g}" if c.depth is not None else "on all" if c.over_all else "off" if not c.on else str(k + 1)
        text(p, x, GROUND + 14, below, 11, 400, INK2, CENTRE, room=room)
        if c.hangs_on:
            self._tie(p, x, r.top() - 5 if r.top() > TOP + 16 else r.top() + 8, c.hangs_on, room)
        if self.advised and self.advised in c.steps:
            jaws(p, x, GROUND - 8, 5, PURPLE)

    def _tie(self, p: QPainter, x: float, y: float, words: str, room: float) -> None:
        """The bar at the rider, the ring at what carries it."""
        p.setPen(QPen(QColor(BLUE), 1.4))
        p.drawLine(QPointF(x, y), QPointF(x + 12, y))
        p.setBrush(QColor(WHITE))
        p.drawEllipse(QPointF(x + 15, y), 3, 3)
        text(p, x + 21, y, words, 11, 400, BLUE_TEXT, room=max(0.0, room - 24))

    def _lamp(self, p: QPainter, x: float, y: float) -> None:
        """A small rayed ring: it glows."""
        p.setPen(QPen(QColor(ORANGE_EDGE), 1))
        p.setBrush(QColor(ORANGE))
        p.drawEllipse(QPointF(x, y), 3, 3)
        for i in range(8):
            a = math.radians(45 * i)
            p.drawLine(QPointF(x + 4.5 * math.cos(a), y + 4.5 * math.sin(a)), QPointF(x + 7 * math.cos(a), y + 7 * math.sin(a)))

    # -- the mouse

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        self._held = self.at(at.x(), at.y())
        if self._held is not None:
            self._x = at.x()
            self.chosen.emit(self.cards[self._held].step)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._held is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._x = min(max(at.x(), LEFT), self.width() - MARGIN)
            self.update()
            return
        k = self.at(at.x(), at.y())
        self.setCursor(Qt.CursorShape.SizeHorCursor if k is not None and at.y() >= GROUND - 4 else Qt.CursorShape.ArrowCursor)
        if k is not None:
            QToolTip.showText(event.globalPosition().toPoint(), told(self.cards[k], k), self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, self._held = self._held, None
        self.update()
        if event is None or held is None:
            return
        xs = self.places()
        before = held > 0 and self._x < xs[held - 1]
        behind = held < len(xs) - 1 and self._x > xs[held + 1]
        if before or behind:
            self.slid.emit(self.cards[held].step, before)


def told(c: Card, k: int) -> str:
    """What is said of a card."""
    if c.over_all:
        return f"{c.name} lies on all that is behind it."
    opaque = (
        "it gives no matte that tells how opaque it is"
        if c.opacity is None
        else f"{100 * c.opacity:.0f} % opaque where it covers"
    )
    lines = [f"{c.name}: {opaque}." if c.on else f"{c.name} is off."]
    if c.glows:
        lines.append("It glows: it adds more light than it covers.")
    if c.hangs_on:
        lines.append(f"It hangs on {c.hangs_on}.")
    if c.lit_by:
        lines.append(f"It gives the light of {c.lit_by}.")
    if k >= 0:
        lines.append("Slide its foot past another card, or press [ or ], to change places.")
    return "\n".join(lines)
