"""Round spots set by hand in the viewer: Ctrl and press sets one, dragging moves it, dragging its rim sizes it, a right press
takes it away. Spots that were found are shown beside them and stay as they are."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPen

from transmixis.desk.theme import BLUE, VERMILION, WHITE

if TYPE_CHECKING:
    from transmixis.desk.viewer import Viewer

Spot = tuple[float, float, float]  # x, y, radius px of the frame
FIRST_RADIUS, LEAST_RADIUS = 8.0, 1.0  # px of the frame
RIM = 6.0  # px of the screen


class SpotEdit:
    """Edits `spots` in a viewer; `found` are shown only. The mouse methods tell whether they have used the event."""

    def __init__(self, spots: list[Spot], found: list[Spot]) -> None:
        self.spots, self.found = spots, found
        self._held: tuple[int, str] | None = None

    @property
    def busy(self) -> bool:
        """A spot is being dragged."""
        return self._held is not None

    def _at(self, viewer: Viewer, p: QPointF) -> tuple[int, str] | None:
        """The spot under a point of the screen, and whether it is its rim."""
        for i, (x, y, r) in enumerate(self.spots):
            c, s = viewer.to_screen(x + 0.5, y + 0.5), viewer.scale()
            away = float(np.hypot(p.x() - c.x(), p.y() - c.y()))
            if away < max(r * s + RIM, 10):
                return i, "rim" if away > r * s - RIM and r * s > 2 * RIM else "whole"
        return None

    def press(self, viewer: Viewer, event: QMouseEvent) -> bool:
        """Take hold of a spot, set a new one, or take one away."""
        hit = self._at(viewer, event.position())
        if event.button() == Qt.MouseButton.RightButton and hit:
            del self.spots[hit[0]]
            self._tell(viewer)
            return True
        if event.button() != Qt.MouseButton.LeftButton:
            return False
        if hit:
            self._held = hit
            return True
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier and viewer.shown:
            f = viewer.to_frame(event.position())
            self.spots.append((f.x() - 0.5, f.y() - 0.5, FIRST_RADIUS))
            self._held = (len(self.spots) - 1, "whole")
            return True
        return False

    def move(self, viewer: Viewer, event: QMouseEvent) -> bool:
        """Drag what is held."""
        if self._held is None:
            return False
        i, part = self._held
        x, y, r = self.spots[i]
        f = viewer.to_frame(event.position())
        u, v = f.x() - 0.5, f.y() - 0.5
        self.spots[i] = (u, v, r) if part == "whole" else (x, y, max(LEAST_RADIUS, float(np.hypot(u - x, v - y))))
        viewer.update()
        return True

    def release(self, viewer: Viewer) -> bool:
        """Let go, and tell the viewer's watchers."""
        if self._held is None:
            return False
        self._held = None
        self._tell(viewer)
        return True

    def _tell(self, viewer: Viewer) -> None:
        viewer.spots_edited.emit([(round(x, 1), round(y, 1), round(r, 1)) for x, y, r in self.spots])
        viewer.update()

    def paint(self, viewer: Viewer, p: QPainter) -> None:
        """Found spots in the ink of faults, those set by hand in that of a person's."""
        p.setBrush(Qt.BrushStyle.NoBrush)
        for spots, ink in ((self.found, VERMILION), (self.spots, BLUE)):
            for x, y, r in spots:
                c, radius = viewer.to_screen(x + 0.5, y + 0.5), max(r * viewer.scale(), 4.0)
                for colour, width in ((WHITE, 3.4), (ink, 1.6)):
                    p.setPen(QPen(QColor(colour), width))
                    p.drawEllipse(c, radius, radius)
