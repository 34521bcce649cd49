"""A tool that holds something from a press until the mouse lets go."""

from __future__ import annotations

from typing import Any

from PyQt6.QtGui import QMouseEvent

from transmixis.desk.tools.tool import Canvas, Tool
from transmixis.shot.contract import Handle


class HeldTool(Tool):
    """`held` is what is dragged, None while nothing is; subclasses press and move it."""

    def __init__(self, handle: Handle) -> None:
        super().__init__(handle)
        self.held: Any = None

    def release(self, event: QMouseEvent, canvas: Canvas) -> bool:
        if self.held is None:
            return False
        self.held = None
        self.end(canvas)
        return True

    def call_off(self, canvas: Canvas) -> None:
        self.held = None
        super().call_off(canvas)

    def take_out(self, i: int, canvas: Canvas) -> None:
        """One of several, all at once: an entry of undo of its own."""
        self.begin()
        self.value = (*self.value[:i], *self.value[i + 1 :])
        self.end(canvas)
