"""The answer to a question: its words, readings and figures, and the drawing below them."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.core.readings import FAULT
from transmixis.desk.marks import text, wrapped
from transmixis.desk.plan.painted import DRAWINGS
from transmixis.desk.plots.readings import paint_bar
from transmixis.desk.readingwords import limit_words, value_words
from transmixis.desk.theme import INK, INK2, VERMILION_TEXT
from transmixis.shot.planning.contract import Answer

LEAST_DRAWING = 100


def _space(unit: str) -> str:
    """A unit after its number: degrees close up, others after a space."""
    return unit if unit == "°" else f" {unit}" if unit else ""


class AnswerView(QWidget):
    """Readings and figures, and the drawing below them."""

    def __init__(self) -> None:
        super().__init__()
        self.kind = ""
        self.answer: Answer | None = None
        self.trouble = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(260)

    def sizeHint(self) -> QSize:
        return QSize(680, 420)

    def show_answer(self, kind: str, answer: Answer | None, trouble: str) -> None:
        """Show this answer, or what is wrong with the inputs."""
        self.kind, self.answer, self.trouble = kind, answer, trouble
        note = [f"{r.name}: {r.note}" for r in answer.readings if r.note] if answer else []
        self.setToolTip("\n".join(note))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.answer is None:
            wrapped(
                p,
                4,
                16,
                self.width() - 8,
                self.trouble or "Being worked out …",
                13,
                18,
                500,
                VERMILION_TEXT if self.trouble else INK2,
                4,
            )
            return
        a = self.answer
        below = wrapped(p, 4, 12, self.width() - 8, a.words, 13, 17, 600, INK, 2) + 8
        below = max(self._readings(p, a, below), self._rows(p, a, below)) + 6
        draw = DRAWINGS.get(self.kind)
        if draw and a.drawing is not None and self.height() - below > LEAST_DRAWING:
            draw(p, QRectF(0, below, self.width(), self.height() - below - 8), a.drawing)

    def _readings(self, p: QPainter, a: Answer, top: float) -> float:
        half = self.width() / 2 - 12
        for i, r in enumerate(a.readings):
            y = top + 26 * i
            text(p, 4, y, r.name, 12)
            value = f"{value_words(r)}, {limit_words(r)}" if r.value is not None else "not measured"
            ink = VERMILION_TEXT if r.state == FAULT else INK
            text(p, half, y, value, 12, 600, ink, "right")
            if r.ratio is not None:
                paint_bar(p, 4, y + 12, half - 4, r.ratio)
        return top + 26 * len(a.readings)

    def _rows(self, p: QPainter, a: Answer, top: float) -> float:
        half = self.width() / 2 + 12
        for i, (name, value) in enumerate(a.rows):
            y = top + 17 * i
            taken = text(p, half, y, name, 12, 400, INK2)
            text(p, self.width() - 4, y, value, 12, 600, INK, "right", room=self.width() - half - taken - 20)
        return top + 17 * len(a.rows)
