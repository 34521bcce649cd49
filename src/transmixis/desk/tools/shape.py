"""An outline of a Shapes step: as any outline, and each of its points a corner or round, with a softness of its own or a strand's width;
about it the pins before and after, and how far each point may be off."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QWheelEvent

from transmixis.core.matte.outline import Mark, xy
from transmixis.core.types import Array
from transmixis.desk.tools.outline import OutlineTool
from transmixis.desk.tools.outlineparts import point_at
from transmixis.desk.tools.shapeparts import (
    IN,
    OUT,
    WIDE,
    Limit,
    limit_at,
    limits,
    outwards,
    paint_beside,
    paint_limit,
    paint_whiskers,
    run,
)
from transmixis.desk.tools.tool import Canvas

STEP = 0.5  # px of softness for a turn of the wheel or a key
MOST = {IN: 500.0, OUT: 500.0, WIDE: 2000.0}
SOFT_KEYS = {Qt.Key.Key_Up: STEP, Qt.Key.Key_Down: -STEP}  # with Ctrl: outwards; with Shift too: inwards


class ShapeTool(OutlineTool):
    """`styles` are the points' settings by their identities, as they would be if what is under way were settled."""

    def __init__(self, handle: Any) -> None:
        super().__init__(handle)
        self._styled: dict[int, dict[str, Any]] = {}  # those that are being changed
        self._pulled: tuple[Limit, int] | None = None

    def given(self) -> Any:
        return dict(self._styled) if self._styled else super().given()

    @property
    def styles(self) -> dict[int, dict[str, Any]]:
        return {**self.handle.facts.get("styles", {}), **self._styled}

    @property
    def marks(self) -> tuple[Mark, ...]:
        return self.value[0] if self.value else ()

    @property
    def busy(self) -> bool:
        return super().busy or self._pulled is not None

    @property
    def words(self) -> str:
        if self._styled:
            own = next(iter(self._styled.values()))
            return (
                f"{own[WIDE]:.1f} px wide here"
                if not self.closed
                else f"softer here by {own[IN]:.1f} px in, {own[OUT]:.1f} px out"
            )
        return super().words

    # -- the points' own settings

    def _set(self, at: int, **new: Any) -> None:
        """The setting of the point of this index, not settled yet."""
        i = self.marks[at][0]
        base = self.styles.get(i, {"corner": not self.handle.facts.get("smooth"), IN: 0.0, OUT: 0.0, WIDE: 4.0})
        self._styled = {i: {**base, **new}}
        self.handle = replace(self.handle, param=self.handle.facts["style"])

    def _settle_style(self, canvas: Canvas) -> None:
        was = self.handle.facts.get("styles", {})
        if any(was.get(i) != own for i, own in self._styled.items()):
            self.settled(self.given())
        else:
            self.tried(None)
        facts = {**self.handle.facts, "styles": self.styles}  # until the step's own come
        self.handle = replace(self.handle, param=facts["whole"], facts=facts)
        self._styled, self._pulled = {}, None
        canvas.update()

    def _change(self, at: int, canvas: Canvas, side: str = "", by: float = 0.0) -> bool:
        """Softer by so many px to a side; without one the other of corner and round."""
        own = self.styles.get(self.marks[at][0], {})
        corner = not own.get("corner", not self.handle.facts.get("smooth"))
        self._set(at, **({side: float(np.clip(own.get(side, 0.0) + by, 0, MOST[side]))} if side else {"corner": corner}))
        self._settle_style(canvas)
        return True

    # -- mouse

    def _limit(self, p: QPointF, canvas: Canvas) -> tuple[Limit, int] | None:
        if self.drawing or point_at(self.value, p, canvas):
            return None
        found = limits(self.handle, self.marks, self.styles, self.closed)
        return limit_at(found, p, canvas)

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        return Qt.CursorShape.SizeFDiagCursor if self._limit(p, canvas) else super().cursor(p, canvas)

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        plain = event.button() == Qt.MouseButton.LeftButton and event.modifiers() == Qt.KeyboardModifier.NoModifier
        if plain and (found := self._limit(event.position(), canvas)) is not None:
            self._pulled, self.chosen = found, (0, found[1])
            return True
        return super().press(event, canvas)

    def double(self, event: QMouseEvent, canvas: Canvas) -> bool:
        hit = None if self.drawing else point_at(self.value, event.position(), canvas)
        if hit is not None and event.button() == Qt.MouseButton.LeftButton:
            self.chosen = hit
            return self._change(hit[1], canvas)
        return super().double(event, canvas)

    def wheel(self, event: QWheelEvent, canvas: Canvas) -> bool:
        turned = event.angleDelta().y() or event.angleDelta().x()
        side = {Qt.KeyboardModifier.ShiftModifier: OUT, Qt.KeyboardModifier.ControlModifier: IN}.get(event.modifiers())
        hit = None if self.busy else point_at(self.value, event.position(), canvas)
        if side is None or hit is None or not turned:
            return False
        self.chosen = hit
        return self._change(hit[1], canvas, side if self.closed else WIDE, STEP * turned / 120)

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._pulled is None:
            return super().move(event, canvas)
        limit, at = self._pulled
        f = canvas.to_frame(event.position())
        place, i = np.array([f.x(), f.y()]), len(limit.own) * at // (len(self.marks) - (0 if self.closed else 1))
        k = min(i, len(limit.own) - 1)  # where the outline goes through that point
        across = float((place - limit.own[k]) @ limit.way[k])
        if limit.side == WIDE:
            value = 2 * across
        else:
            value = across - self.handle.facts.get("feather", 0.0) - self.handle.facts.get(limit.side, 0.0)
        self._set(at, **{limit.side: float(np.clip(round(value, 1), 0, MOST[limit.side]))})
        self.dragged(canvas)
        return True

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._pulled is None:
            return super().release(event, canvas)
        if self._styled:
            self._settle_style(canvas)
        self._pulled = None
        return True

    def call_off(self, canvas: Canvas) -> None:
        if self._pulled is None:
            super().call_off(canvas)
            return
        self._styled, self._pulled = {}, None
        self.handle = replace(self.handle, param=self.handle.facts["whole"])
        self.tried(None)
        canvas.update()

    # -- keys

    def key(self, event: QKeyEvent, canvas: Canvas) -> bool:
        if super().key(event, canvas):
            return True
        if self.drawing or not self.marks:
            return False
        if event.key() in (Qt.Key.Key_Period, Qt.Key.Key_Comma):
            way = 1 if event.key() == Qt.Key.Key_Period else -1
            self.chosen = (0, 0 if self.chosen is None else (self.chosen[1] + way) % len(self.marks))
            canvas.update()
            return True
        if self.chosen is None or self.chosen[1] >= len(self.marks):
            return False
        if event.key() == Qt.Key.Key_X:
            return self._change(self.chosen[1], canvas)
        keys = event.modifiers()
        if event.key() in SOFT_KEYS and keys & Qt.KeyboardModifier.ControlModifier:
            side = WIDE if not self.closed else IN if keys & Qt.KeyboardModifier.ShiftModifier else OUT
            return self._change(self.chosen[1], canvas, side, SOFT_KEYS[Qt.Key(event.key())])
        return False

    # -- painting

    def line(self, outline: tuple[Mark, ...]) -> Array:
        return run(self.handle, outline, self.styles, self.closed)[0]

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        facts = self.handle.facts
        if canvas.show_panel:
            paint_beside(p, facts.get("beside", ()), facts.get("frame", 0), canvas)
            for limit in limits(self.handle, self.marks, self.styles, self.closed):
                paint_limit(p, limit, canvas, self.closed)
        super().paint(p, canvas)
        off = facts.get("off", ())
        if canvas.show_panel and len(off) == len(self.marks) > 2 and not super().busy:
            paint_whiskers(p, xy(self.marks), outwards(xy(self.marks), self.closed), off, canvas)
