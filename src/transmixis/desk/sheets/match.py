"""Match: black, middle and white of what is placed beside those of the plate, and the readings between them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from transmixis.core.build.match import Look, measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.colour.curves import linear_to_srgb
from transmixis.desk.engine import PROPOSE
from transmixis.desk.marks import text
from transmixis.desk.sheets.readings import paint_readings
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, INK2, PAPER
from transmixis.shot.render import Renderer

ROWS = ("white", "middle", "black")


class LookPlot(QWidget):
    """Two columns of patches, subject and plate, then the readings at the playhead."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self._looks: tuple[Look | None, Look | None] | None = None
        self.setMinimumWidth(200)
        self.setToolTip(
            "The darkest 2 %, the middle and the brightest 2 % of what is placed and of the plate, with the grain and softness of both."
        )
        state.frame_changed.connect(self._on_frame)
        state.shot_changed.connect(self.refresh)
        state.readings_changed.connect(self._on_readings)
        self.refresh()

    def _on_readings(self, step_id: str) -> None:
        if step_id in ("", self._state.step_id):
            self.update()

    def _on_frame(self, frame: int) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Measure both looks at the playhead."""
        renderer, step = self._state.renderer(), self._state.step
        if not renderer or not step or step.kind != "match":
            return
        frame, step_id = self._state.frame, step.id
        self._state.engine.drop("plot")
        self._state.engine.ask(PROPOSE, lambda: both_looks(renderer, step_id, frame), self._take, lambda e: None, tag="plot")

    def _take(self, looks: tuple[Look | None, Look | None]) -> None:
        if sip.isdeleted(self):
            return
        self._looks = looks
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        text(p, 0, 9, "Subject", 11, 500)
        text(p, 50, 9, "Plate", 11, 500)
        if self._looks is None:
            text(p, 0, 30, "measuring", 12, 400, INK2)
        else:
            for column, look in enumerate(self._looks):
                self._paint_look(p, 50.0 * column, look)
        readings = self._state.known.readings.get(self._state.step_id, {}).get(self._state.frame)
        paint_readings(p, QRectF(102, 0, self.width() - 102, self.height()), readings)

    def _paint_look(self, p: QPainter, x: float, look: Look | None) -> None:
        h = min(44.0, (self.height() - 70) / 3)
        if look is None:
            text(p, x, 34, "too small", 11, 400, INK2)
            return
        for i, name in enumerate(ROWS):
            rgb = np.clip(linear_to_srgb(np.clip(getattr(look, name), 0, 1)) * 255, 0, 255).astype(int)
            box = QRectF(x, 20 + i * (h + 2), 42, h)
            p.fillRect(box, QColor(int(rgb[0]), int(rgb[1]), int(rgb[2])))
            p.setPen(QColor(EDGE))
            p.drawRect(box)
            light = int(rgb.sum()) > 380
            text(p, box.left() + 4, box.bottom() - 9, name, 10, 400, "#1E1E1E" if light else PAPER)
        y = 20 + 3 * (h + 2) + 9
        text(p, x, y, f"grain {look.grain:.1f}", 10, 400, INK2)
        soft = "soft not read" if look.softness is None else f"soft {look.softness:.1f}"
        text(p, x, y + 14, soft, 10, 400, INK2)


def both_looks(renderer: Renderer, step_id: str, frame: int) -> tuple[Look | None, Look | None]:
    """Looks of the step's product and of its plate."""
    step = renderer.shot.step(step_id)
    subject = renderer.product(f"step:{step_id}", frame).picture
    plate = renderer.product(step.inputs["plate"], frame).picture
    if subject is None or plate is None:
        return None, None
    front = with_alpha(subject)
    return measure_look(front[..., :3], front[..., 3] > 0.98), measure_look(plate[..., :3], np.ones(plate.shape[:2], bool))


PLOTS: dict[str, Callable[[State], QWidget]] = {"match": LookPlot}
