"""The Dust step's readings, and how spots are set by hand in the picture."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from transmixis.desk.marks import text, wrapped
from transmixis.desk.sheets.readings import ReadingsPlot, paint_readings
from transmixis.desk.state import State
from transmixis.desk.theme import INK2

HINT = (
    "By hand: hold Ctrl and press the picture to set a spot; drag it to its place, drag its rim to size it; "
    "a right press on it takes it away. Such spots are filled from around."
)


class DustPlot(ReadingsPlot):
    """Readings above, the hint below."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        text(p, 0, 9, f"Readings at frame {self._state.frame}", 12, 500)
        readings = self._state.known.readings.get(self._state.step_id, {}).get(self._state.frame)
        paint_readings(p, QRectF(0, 18, self.width(), min(60, self.height() - 18)), readings)
        count = len(self._state.edits.param("by_hand") or ()) if self._state.step else 0
        y = wrapped(p, 0, 94, self.width(), HINT, 11, 15, 400, INK2, 6)
        if count:
            text(p, 0, y + 6, f"{count} set by hand", 11, 600)


PLOTS: dict[str, Callable[[State], QWidget]] = {"dust": DustPlot}
