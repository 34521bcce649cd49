"""Outlines of points with identities: drawn point by point, dragged, added to, taken from."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter

from transmixis.core.matte.outline import Mark, marks_of, xy
from transmixis.core.types import Array
from transmixis.desk.tools.outlineparts import (
    Outlines,
    added,
    paint_drawing,
    paint_others,
    paint_point,
    point_at,
    sets_alone,
    side_of,
)
from transmixis.desk.tools.tool import Canvas, Tool, double_line, near


class OutlineTool(Tool):
    """One outline, or several where the handle says so. `drawing` are the places of one that is not closed yet."""

    drawing: list[tuple[float, float]]

    def __init__(self, handle: Any) -> None:
        super().__init__(handle)
        self.drawing = []
        self.chosen: tuple[int, int] | None = None  # outline and index of its point
        self._grip: QPointF | None = None
        self._pointer: QPointF | None = None
        self.closed = bool(handle.facts.get("closed", True))
        self._alone = False  # a single point is dragged, not its outline

    def follow_on(self, before: Tool) -> None:
        if isinstance(before, OutlineTool) and before.chosen is not None:
            k, i = before.chosen
            if k < len(before.value) and i < len(before.value[k]) and k < len(self.value):
                wanted = before.value[k][i][0]
                at = next((j for j, m in enumerate(self.value[k]) if m[0] == wanted), None)
                self.chosen = None if at is None else (k, at)

    @property
    def many(self) -> bool:
        return bool(self.handle.tool == "outlines")

    def taken(self, value: Any) -> Outlines:
        if self.handle.tool == "outlines":
            return tuple(marks_of(o) for o in value)
        return (marks_of(value),) if len(value) else ()

    def given(self) -> Any:
        if self._alone and self.value:
            was = {m[0]: m for m in marks_of(self.handle.value)}
            return tuple(m for m in self.value[0] if m != was.get(m[0]))
        return self.value if self.many else (self.value[0] if self.value else ())

    @property
    def busy(self) -> bool:
        return super().busy or bool(self.drawing)

    @property
    def words(self) -> str:
        if self.drawing:
            end = "Press the first one again or Enter to close" if self.closed else "Enter ends it"
            return f"{len(self.drawing)} points. {end}, Backspace takes one back, Escape gives up."
        return super().words

    # -- mouse

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        if self.drawing or not self.value:
            return Qt.CursorShape.CrossCursor
        if point_at(self.value, p, canvas):
            return Qt.CursorShape.SizeAllCursor
        return Qt.CursorShape.PointingHandCursor if side_of(self.value, p, canvas, self.closed) else None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        p = event.position()
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        if event.button() == Qt.MouseButton.RightButton:
            return self._take_out(point_at(self.value, p, canvas), canvas)
        if event.button() != Qt.MouseButton.LeftButton:
            return False
        if self.drawing:
            return self._draw_on(p, canvas)
        hit = point_at(self.value, p, canvas)
        if hit is None and (side := side_of(self.value, p, canvas, self.closed)) is not None:
            self.begin()
            self.value, hit = added(self.value, side, canvas.to_frame(p), self.handle.facts.get("taken", ()))
        if hit is not None:
            if not super().busy:
                self._alone = sets_alone(self.handle, event)
                if "some" in self.handle.facts:
                    self.handle = replace(self.handle, param=self.handle.facts["some" if self._alone else "whole"])
                self.begin()
            self.chosen, self._grip = hit, p
            return True
        return self._draw_on(p, canvas) if self.many or not self.value else False

    def _draw_on(self, p: QPointF, canvas: Canvas) -> bool:
        f = canvas.to_frame(p)
        if self.closed and len(self.drawing) >= 3 and near(p, canvas.to_screen(*self.drawing[0])):
            self._close(canvas)
        else:
            self.drawing.append((f.x(), f.y()))
        canvas.update()
        return True

    def _close(self, canvas: Canvas) -> None:
        new = marks_of(self.drawing)
        self.begin()
        self.drawing = []
        self.value = (*self.value, new) if self.many else (new,)
        self.end(canvas)

    def _take_out(self, hit: tuple[int, int] | None, canvas: Canvas) -> bool:
        """Take a point out; an outline of fewer than three is none."""
        if hit is None:
            return False
        k, i = hit
        rest = (*self.value[k][:i], *self.value[k][i + 1 :])
        if len(rest) < (3 if self.closed else 2) and not self.many:
            return True
        self.begin()
        self.value = (*self.value[:k], *((rest,) if len(rest) >= 3 else ()), *self.value[k + 1 :])
        self.chosen = None
        self.end(canvas)
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        self._pointer = event.position()
        if self.drawing:
            canvas.update()
            return False
        if self._grip is None or self.chosen is None:
            return False
        f, g = canvas.to_frame(self._pointer), canvas.to_frame(self._grip)
        self._grip = self._pointer
        whole = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.nudge(f.x() - g.x(), f.y() - g.y(), whole)
        self.dragged(canvas)
        return True

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._grip is None:
            return bool(self.drawing)
        self._grip = None
        self.end(canvas)
        return True

    def call_off(self, canvas: Canvas) -> None:
        self.drawing, self._grip = [], None
        if super().busy:
            super().call_off(canvas)
        canvas.update()

    # -- keys

    def key(self, event: QKeyEvent, canvas: Canvas) -> bool:
        if super().key(event, canvas):
            return True
        key = event.key()
        if self.drawing and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if len(self.drawing) >= (3 if self.closed else 2):
                self._close(canvas)
            return True
        if self.drawing and key == Qt.Key.Key_Backspace:
            self.drawing.pop()
            canvas.update()
            return True
        if key == Qt.Key.Key_Backspace and self.chosen is not None:
            return self._take_out(self.chosen, canvas)
        return False

    @property
    def can_nudge(self) -> bool:
        return self.chosen is not None and not self.drawing

    def nudge(self, dx: float, dy: float, whole: bool = False) -> None:
        """Move the chosen point, or its whole outline."""
        assert self.chosen is not None
        k, i = self.chosen
        moved = tuple((m[0], m[1] + dx, m[2] + dy) if whole or j == i else m for j, m in enumerate(self.value[k]))
        self.value = (*self.value[:k], moved, *self.value[k + 1 :])

    # -- painting

    def line(self, outline: tuple[Mark, ...]) -> Array:
        """(m, 2) px: how an outline runs through its points."""
        return xy(outline)

    def paint(self, p: QPainter, canvas: Canvas) -> None:
        paint_others(p, self.handle.facts.get("others", ()), canvas)
        for outline in self.value:
            dashed = bool(self.handle.facts.get("dashed"))
            double_line(p, [canvas.to_screen(x, y) for x, y in self.line(outline)], dashed=dashed, closed=self.closed)
        for k, outline in enumerate(self.value):
            middle = xy(outline).mean(axis=0)
            for i, (_, x, y) in enumerate(outline):
                paint_point(
                    p,
                    canvas.to_screen(x, y),
                    canvas.to_screen(*middle),
                    here=self.handle.here or outline[i][0] in self.handle.facts.get("here", ()),
                    chosen=self.chosen == (k, i),
                )
        if self.drawing:
            paint_drawing(p, [canvas.to_screen(x, y) for x, y in self.drawing], self._pointer)
