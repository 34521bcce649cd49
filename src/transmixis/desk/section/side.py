"""The section: the camera on the left, a card for each layer, the nearest first, thick as it is opaque and high as it stands in the frame; a foot on the ground line that is slid to change the order; ties and the reach of lights, which are dragged too."""

from __future__ import annotations

import math
from itertools import pairwise

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QToolTip, QWidget

from transmixis.core.readings import Reading
from transmixis.desk.marks import text
from transmixis.desk.section.sidepaint import (
    GROUND,
    LEFT,
    MARGIN,
    TOP,
    paint_card,
    paint_lamp,
    paint_pool,
    paint_short,
    paint_stage,
    paint_tie,
)
from transmixis.desk.theme import INK2
from transmixis.shot.section import Card

ORDER, DEPTH = "Order", "Depth"
THICK, THIN, LEAST = 34.0, 4.0, 22.0  # px: a whole card, the thinnest, the lowest
SIDE, RIM = 4.0, 6.0  # px from a card's side, from the rim of a light
FOOT_GRIP, SIDE_GRIP, RIM_GRIP, BODY_GRIP = "foot", "side", "rim", "body"
EMPTY = "Nothing lies on anything yet: add Place, or another step that lays something over a picture."


class Side(QWidget):
    """Paints the cards. `chosen` gives the step of a card that was pressed, `slid` a card's step and whether it was slid to the front, `tie` the steps of two cards of which the first was dragged to the second, `thinned` a card's step with its opacity,
    `reached` a light's step with how far it comes, in shares of the frame's width (0: as far as it goes)."""

    chosen = pyqtSignal(str)
    slid = pyqtSignal(str, bool)
    tie = pyqtSignal(str, str)
    thinned = pyqtSignal(str, float)
    reached = pyqtSignal(str, float)
    moved = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.cards: tuple[Card, ...] = ()
        self.step, self.by, self.advised = "", ORDER, ""
        self.frame_width = 1920
        self.short: dict[str, Reading] = {}  # of lights, by their steps
        self._held: int | None = None
        self._grip = ""
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
        if self._held == k and self._grip == FOOT_GRIP:
            x = self._x
        if c.over_all:
            return QRectF(x - 4, TOP, 8, GROUND - TOP)
        wide = max(THIN, THICK * (c.opacity or 0.0))
        if self._held == k and self._grip == SIDE_GRIP:
            wide = min(max(THIN, 2 * abs(self._x - x)), THICK)
        top, bottom = (TOP + v * (GROUND - TOP) for v in c.rows)
        if bottom - top < LEAST:
            top = max(TOP, (top + bottom) / 2 - LEAST / 2)
            bottom = top + LEAST
        return QRectF(x - wide / 2, top, wide, bottom - top)

    def at(self, x: float, y: float) -> int | None:
        """The card under a place: its own width, and as much beside it as a finger needs."""
        near = [(abs(self.box(k).center().x() - x), k) for k in range(len(self.cards))]
        near = [(d, k) for d, k in near if d <= max(self.box(k).width() / 2, 10) and y >= TOP - 24]
        return min(near)[1] if near else None

    def index_of(self, step: str) -> int | None:
        """The card of a layer by its top step."""
        return next((k for k, c in enumerate(self.cards) if step and c.step == step), None)

    def rim_of(self, k: int) -> float | None:
        """Where the light of a card ends, px; None where it gives none."""
        light = self.cards[k].light
        source = self.index_of(light.source) if light else None
        if light is None or source is None:
            return None
        if self._held == k and self._grip == RIM_GRIP:
            return self._x
        right = self.width() - MARGIN / 2
        if light.reach <= 0:
            return right
        return min(self.box(source).center().x() + light.reach / self.frame_width * self.stage_width(), right)

    def stage_width(self) -> float:
        return self.width() - MARGIN / 2 - LEFT

    # -- painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.cards:
            text(p, 16, self.height() / 2, EMPTY, 12, 400, INK2, room=self.width() - 32)
            return
        paint_stage(p, self.width())
        self._pools(p)
        room = self._room()
        for k in reversed(range(len(self.cards))):
            c = self.cards[k]
            advised = bool(self.advised) and self.advised in c.steps
            paint_card(p, c, self.box(k), k + 1, room, mine=self.step in c.steps, advised=advised)
        for k in range(len(self.cards)):
            self._ties(p, k, room)
        if self._held is not None and self._grip == BODY_GRIP and abs(self._x - self.box(self._held).center().x()) > THICK:
            box = self.box(self._held)
            paint_tie(p, box, box.center().y(), QRectF(self._x, box.top(), 1, box.height()), "hangs on …", room)

    def _room(self) -> float:
        xs = sorted(self.places())
        gaps = [b - a for a, b in pairwise(xs)]
        return max(34.0, min(gaps, default=120.0) - 6)

    def _pools(self, p: QPainter) -> None:
        """The lights: their pools, the chosen one's last so that its rim is seen."""
        lit = [k for k in range(len(self.cards)) if self.rim_of(k) is not None and self.cards[k].on]
        for k in sorted(lit, key=lambda k: self.step in self.cards[k].steps):
            rim, light = self.rim_of(k), self.cards[k].light
            assert rim is not None
            assert light is not None
            source = self.index_of(light.source)
            assert source is not None
            mine = self.step in self.cards[k].steps
            paint_pool(p, self.width(), self.box(source).center(), rim, mine=mine)

    def _ties(self, p: QPainter, k: int, room: float) -> None:
        c, r = self.cards[k], self.box(k)
        if c.glows:
            paint_lamp(p, r.left() - 10, r.center().y())
        if c.hangs_on:
            on = self.index_of(c.carrier)
            y = r.top() - 5 if r.top() > TOP + 16 else r.top() + 8
            if on is not None and on != k:
                box = self.box(on)
                y = min(max(r.center().y(), box.top() + 4), box.bottom() - 4)
                paint_tie(p, r, y, box, c.hangs_on, room)
            else:
                paint_tie(p, r, y, None, c.hangs_on, room)
        light = c.light
        reading = self.short.get(light.step) if light else None
        lit = self.index_of(light.lit) if light else None
        if lit is not None and reading is not None and reading.value is not None:
            box = self.box(lit)
            if reading.value >= 1:
                paint_short(p, box.left() - 4, box.bottom() - 12, f"{reading.value:.0f} %", reading.state)

    # -- the mouse

    def grip_at(self, x: float, y: float) -> tuple[int | None, str]:
        """What a press takes hold of: a light's rim, a card's foot or side, or the card itself."""
        for k, c in enumerate(self.cards):
            rim = self.rim_of(k)
            if rim is not None and self.step in c.steps and abs(x - rim) <= RIM and TOP < y < GROUND - 2:
                return k, RIM_GRIP
        found = self.at(x, y)
        if found is None:
            return None, ""
        if y >= GROUND - 4:
            return found, FOOT_GRIP
        box = self.box(found)
        card = self.cards[found]
        on_side = abs(x - box.right()) <= SIDE and box.top() <= y <= box.bottom()
        if on_side and card.opacity is not None and not card.over_all and found < len(self.cards) - 1:
            return found, SIDE_GRIP
        return found, BODY_GRIP

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        at = event.position()
        self._held, self._grip = self.grip_at(at.x(), at.y())
        if self._held is not None:
            self._x = at.x()
            if self._grip != RIM_GRIP:
                self.chosen.emit(self.cards[self._held].step)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        if self._held is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._x = min(max(at.x(), LEFT), self.width() - MARGIN / 2)
            self.moved.emit()
            self.update()
            return
        k, grip = self.grip_at(at.x(), at.y())
        sized = grip in (FOOT_GRIP, SIDE_GRIP, RIM_GRIP)
        self.setCursor(Qt.CursorShape.SizeHorCursor if sized else Qt.CursorShape.ArrowCursor)
        if k is not None:
            QToolTip.showText(event.globalPosition().toPoint(), told(self.cards[k], k), self)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        held, grip = self._held, self._grip
        wide = self.box(held).width() if held is not None else 0.0
        self._held, self._grip = None, ""
        self.update()
        if event is None or held is None or held >= len(self.cards):
            return
        if grip == FOOT_GRIP:
            self._slide(held)
        elif grip == SIDE_GRIP and abs(wide - self.box(held).width()) > 0.5:
            self.thinned.emit(self.cards[held].step, round(wide / THICK, 2))
        elif grip == RIM_GRIP:
            self._reach(held)
        elif grip == BODY_GRIP:
            on = self.at(self._x, TOP + 1)
            if on is not None and on != held:
                self.tie.emit(self.cards[held].step, self.cards[on].step)

    def _slide(self, held: int) -> None:
        xs = self.places()
        before = held > 0 and self._x < xs[held - 1]
        behind = held < len(xs) - 1 and self._x > xs[held + 1]
        if before or behind:
            self.slid.emit(self.cards[held].step, before)

    def _reach(self, held: int) -> None:
        light, rim = self.cards[held].light, self.rim_of(held)
        source = self.index_of(light.source) if light else None
        if light is None or source is None or rim is None or abs(rim - self._x) < 1:
            return
        share = max((self._x - self.box(source).center().x()) / self.stage_width(), 0.01)
        whole = self._x >= self.width() - MARGIN / 2 - 2
        self.reached.emit(light.step, 0.0 if whole else share)


def told_reach(side: Side) -> str:
    """How far the light of the chosen card comes, in words; '' where it gives none."""
    k = next((k for k, c in enumerate(side.cards) if c.light and side.step in c.steps), None)
    rim, light = (side.rim_of(k), side.cards[k].light) if k is not None else (None, None)
    source = side.index_of(light.source) if light else None
    if rim is None or source is None:
        return ""
    if rim >= side.width() - MARGIN / 2 - 1:
        return "its light has no end; drag the rim"
    px = (rim - side.box(source).center().x()) / side.stage_width() * side.frame_width
    return f"its light ends after {max(px, 0):.0f} px; drag the rim"


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
        lines.append(
            f"It gives the light of {c.lit_by}; the figure before what is lit says how much of it is missing there; drag the dashed rim to set how far it comes."
        )
    if k >= 0:
        lines.append(
            "Slide its foot past another card, or press [ or ], to change places; drag it to another card to hang it on a track there."
        )
    return "\n".join(lines)
