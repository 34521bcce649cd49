"""A tool that is taken hold of with the left button, dragged, and let go of; and what boxes and lines have in common."""

from __future__ import annotations

from abc import abstractmethod

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent

from transmixis.desk.tools.tool import Canvas, Place, Tool, near
from transmixis.shot.contract import Handle

WHOLE = -1  # all of it is held


class GrippedTool(Tool):
    """The value is places, drawn by one drag; then one of them is held, or with Shift all."""

    value: tuple[Place, ...]

    def __init__(self, handle: Handle) -> None:
        super().__init__(handle)
        self._grip: QPointF | None = None
        self._held: int | None = None
        self.chosen: int | None = None

    def follow_on(self, before: Tool) -> None:
        self.chosen = before.chosen if isinstance(before, GrippedTool) else None

    def taken(self, value: object) -> tuple[Place, ...]:
        return tuple((float(x), float(y)) for x, y in value)  # type: ignore[attr-defined]

    @abstractmethod
    def grips(self) -> list[Place]:
        """The places that can be held."""

    @abstractmethod
    def drawn(self, start: Place, end: Place) -> tuple[Place, ...]:
        """The value of a drag from one place to another."""

    @abstractmethod
    def pulled(self, held: int, dx: float, dy: float) -> tuple[Place, ...]:
        """The value with one of the grips moved."""

    def at(self, p: QPointF, canvas: Canvas) -> int | None:
        """The grip under a place of the screen."""
        return next((i for i, (x, y) in enumerate(self.grips()) if near(p, canvas.to_screen(x, y), 12)), None)

    def cursor(self, p: QPointF, canvas: Canvas) -> Qt.CursorShape | None:
        if not self.value:
            return Qt.CursorShape.CrossCursor
        return Qt.CursorShape.SizeAllCursor if self.at(p, canvas) is not None else None

    def press(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if event.button() != Qt.MouseButton.LeftButton or event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        held = self.at(event.position(), canvas) if self.value else None
        if held is None and self.value:
            if not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                return False
            held = WHOLE
        self.begin()
        self._held, self._grip = held, event.position()
        self.chosen = held if held is not None and held >= 0 else None
        return True

    def move(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._grip is None:
            return False
        f, g = canvas.to_frame(event.position()), canvas.to_frame(self._grip)
        if self._held is None:
            self.value = self.drawn((g.x(), g.y()), (f.x(), f.y()))
        else:
            self._pull(self._held, f.x() - g.x(), f.y() - g.y())
            self._grip = event.position()
        self.dragged(canvas)
        return True

    def _pull(self, held: int, dx: float, dy: float) -> None:
        self.value = tuple((x + dx, y + dy) for x, y in self.value) if held == WHOLE else self.pulled(held, dx, dy)

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self._grip is None:
            return False
        small = self._held is None and not self.is_something()
        self._grip = self._held = None
        if small:
            self.call_off(canvas)
        else:
            self.end(canvas)
        return True

    def is_something(self) -> bool:
        """Whether what was drawn is more than a press."""
        if len(self.value) < 2:
            return False
        (x0, y0), (x1, y1) = self.value[0], self.value[-1]
        return (x1 - x0) ** 2 + (y1 - y0) ** 2 >= 4

    def call_off(self, canvas: Canvas) -> None:
        self._grip = self._held = None
        super().call_off(canvas)

    @property
    def can_nudge(self) -> bool:
        return self.chosen is not None

    def nudge(self, dx: float, dy: float) -> None:
        if self.chosen is not None:
            self._pull(self.chosen, dx, dy)
