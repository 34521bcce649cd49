"""The jaws of a plot while they are dragged: of populations, or of what an element does."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF
from PyQt6.QtGui import QPainter

from transmixis.core.plot import Action, Hills, Limit
from transmixis.desk.plots import action, hills

Jawed = Hills | Action


def held_of(panel: Jawed | None) -> list[Limit]:
    """What can be dragged of a panel."""
    if panel is None:
        return []
    return list(panel.jaws) if isinstance(panel, Hills) else [*panel.jaws, *([panel.slides] if panel.slides else [])]


class Jaws:
    """The values of a panel's jaws, those that are being dragged included. `box` is where the panel stands."""

    def __init__(self) -> None:
        self._values: dict[str, float] = {}
        self._gripped: tuple[str, ...] = ()
        self._pressed, self._begin = QPointF(), self._values

    def forget(self) -> None:
        self._values = {}

    def values(self, panel: Jawed | None) -> dict[str, float]:
        return {j.param: self._values.get(j.param, j.value) for j in held_of(panel)}

    def press(self, panel: Jawed | None, box: QRectF, at: QPointF) -> None:
        """Take hold of what lies under a place."""
        now = self.values(panel)
        if isinstance(panel, Hills):
            self._gripped = hills.gripped(box, at, now)
        elif panel is not None:
            self._gripped = action.gripped(box, at, panel, now)
        self._pressed, self._begin = at, now

    def drag(self, panel: Jawed | None, box: QRectF, at: QPointF) -> bool:
        """Take along what is held; False if nothing is."""
        if not self._gripped or panel is None:
            return False
        gone = at - self._pressed
        if isinstance(panel, Action):
            by = action.frames_of(action.area_of(box), panel, gone.y())
            self._values |= action.dragged(panel, self._begin, self._gripped, by)
            return True
        by = gone.x() / hills.area_of(box).width()
        for j in panel.jaws:
            if j.param in self._gripped:
                self._values[j.param] = float(np.clip(self._begin[j.param] + by, j.low, j.high))
        return True

    def release(self) -> dict[str, float]:
        """Let go: the values that were changed."""
        names, self._gripped = self._gripped, ()
        return {n: round(self._values[n], 3) for n in names if n in self._values}


def paint_jawed(p: QPainter, box: QRectF, panel: Jawed, values: dict[str, float], proposed: dict[str, float], frame: int) -> None:
    """The panel with its jaws at `values`, dashed where they are `proposed`."""
    if isinstance(panel, Hills):
        hills.paint_hills(p, box, panel, values, proposed)
    else:
        action.paint_action(p, box, panel, values, proposed, frame)
