"""Readings of the chosen step at the playhead, each a bar against its limit."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from transmixis.core.readings import FAULT, Reading
from transmixis.desk.marks import hatch, text, vline, wrapped
from transmixis.desk.readingwords import value_words
from transmixis.desk.state import State
from transmixis.desk.theme import EDGE, INK, INK2, PAPER, VERMILION_TEXT, WELL, WHITE, text_width

LIMIT_AT = 0.70


def paint_bar(p: QPainter, x: float, y: float, width: float, ratio: float, ink: str = "#555555") -> None:
    """A bar of a reading over its limit, the limit's tick at 70 %; past it hatched."""
    p.fillRect(QRectF(x, y - 4, width, 8), QColor(WELL))
    full = min(ratio * LIMIT_AT, 1.0) * width
    p.fillRect(QRectF(x, y - 4, min(full, LIMIT_AT * width), 8), QColor(ink))
    if ratio > 1:
        over = QRectF(x + LIMIT_AT * width, y - 4, full - LIMIT_AT * width, 8)
        p.fillRect(over, QColor(WHITE))
        hatch(p, over)
    vline(p, x + LIMIT_AT * width, y - 6, y + 6, INK)


UNKNOWN = ("not measured", "unknown", "?")  # the longest that has room


class ReadingsPlot(QWidget):
    """One row a reading."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.setMinimumWidth(200)
        self.setToolTip("Every reading of this step at the playhead. The tick is its limit.")
        state.frame_changed.connect(self._on_frame)
        state.readings_changed.connect(self._on_readings)

    def _on_frame(self, frame: int) -> None:
        self.update()

    def _on_readings(self, step_id: str) -> None:
        if step_id in ("", self._state.step_id):
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        text(p, 0, 9, f"Readings at frame {self._state.frame}", 12, 500)
        readings = self._state.known.readings.get(self._state.step_id, {}).get(self._state.frame)
        paint_readings(p, QRectF(0, 18, self.width(), self.height() - 18), readings)


def paint_readings(p: QPainter, box: QRectF, readings: list[Reading] | None) -> None:
    """A frame with one row a reading."""
    p.fillRect(box, QColor(PAPER))
    p.setPen(QColor(EDGE))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5))
    if readings is None:
        wrapped(p, box.left() + 8, box.top() + 18, box.width() - 14, "not measured yet", 11, 14, 400, INK2, 2)
        return
    row = min(34.0, (box.height() - 8) / max(1, len(readings)))
    for i, r in enumerate(readings):
        _paint_row(p, QRectF(box.left() + 8, box.top() + 6 + i * row, box.width() - 16, row), r)


def _paint_row(p: QPainter, box: QRectF, r: Reading) -> None:
    y = box.top() + 7
    px = 11 if box.width() > 120 else 10
    if r.value is None or r.ratio is None:
        said = next((w for w in UNKNOWN if text_width(r.name + w, px, 400) + 6 < box.width()), UNKNOWN[-1])
        text(p, box.left(), y, r.name, px, 400, INK2)
        text(p, box.right(), y, said, px, 400, INK2, "right")
        if box.height() > 26 and r.note:
            text(p, box.left(), y + 14, r.note, 10, 400, INK2, room=box.width())
        return
    said = value_words(r)
    while px > 8 and text_width(r.name, px, 400) + text_width(said, px, 600) + 6 > box.width():
        px -= 1
    text(p, box.left(), y, r.name, px)
    text(p, box.right(), y, said, px, 600, VERMILION_TEXT if r.state == FAULT else INK, "right")
    if box.height() >= 22:
        paint_bar(p, box.left(), y + 13, box.width(), r.ratio)
