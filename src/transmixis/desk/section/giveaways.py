"""What would give the shot away: the worst reading of every built step, worst first; a press leads to its frame."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from transmixis.core.readings import Reading
from transmixis.desk.marks import RIGHT, hatch, mark, text, vline
from transmixis.desk.readingwords import value_words
from transmixis.desk.theme import EDGE, INK, INK2, RULE2, VERMILION, VERMILION_TEXT

ROW, HEAD = 21, 26
REACH = 1.6  # of the limit, at the gauge's end


@dataclass(frozen=True)
class Giveaway:
    """A reading of a step at its worst frame."""

    step: str
    name: str
    frame: int
    reading: Reading


class Giveaways(QWidget):
    """A row a reading. `pressed` gives the one that was pressed."""

    pressed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.rows: tuple[Giveaway, ...] = ()
        self.left = 0
        self.setFixedWidth(224)
        self.setMouseTracking(True)
        self.setAccessibleName("What would give it away, worst first")

    def sizeHint(self) -> QSize:
        return QSize(224, HEAD + 5 * ROW)

    def show_rows(self, rows: tuple[Giveaway, ...], left: int) -> None:
        """The worst readings, worst first, and how many are still to be taken."""
        self.rows, self.left = rows, left
        self.update()

    def fits(self) -> int:
        """How many rows have room."""
        return max(0, (self.height() - HEAD) // ROW)

    def at(self, y: float) -> Giveaway | None:
        k = int((y - HEAD) // ROW)
        return self.rows[k] if y >= HEAD and k < min(len(self.rows), self.fits()) else None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        vline(p, 0, 4, self.height() - 6, RULE2)
        text(p, 12, HEAD / 2 + 2, "What would give it away", 12, 600, INK, room=self.width() - 20)
        if not self.rows:
            words = "still being measured" if self.left else "nothing is built yet"
            text(p, 12, HEAD + ROW / 2, words, 12, 400, INK2)
        for k, row in enumerate(self.rows[: self.fits()]):
            self._row(p, row, HEAD + k * ROW)

    def _row(self, p: QPainter, row: Giveaway, top: float) -> None:
        r, width = row.reading, self.width() - 12
        state, fault = r.state, r.state == "fault"
        mark(p, state, 17, top + 7, 3.6)
        value = value_words(r)
        used = text(p, width, top + 7, value, 11, 600 if fault else 400, VERMILION_TEXT if fault else INK, RIGHT)
        text(p, 27, top + 7, f"{r.name}, {row.name}", 11, 400, INK, room=width - used - 34)
        left, whole, y = 27.0, width - 27.0, top + 15
        ratio = min(r.ratio or 0.0, REACH)
        p.fillRect(QRectF(left, y, whole, 3), QColor(RULE2))
        p.fillRect(QRectF(left, y, whole * min(ratio, 1.0) / REACH, 3), QColor(INK2))
        if ratio > 1:
            hatch(p, QRectF(left + whole / REACH, y, whole * (ratio - 1) / REACH, 3), VERMILION, 4, 1.0, "#FFFFFF")
        vline(p, left + whole / REACH, y - 2, y + 5, EDGE)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        row = self.at(event.position().y())
        self.setCursor(Qt.CursorShape.PointingHandCursor if row else Qt.CursorShape.ArrowCursor)
        self.setToolTip(
            f"{row.name}: {row.reading.name} {value_words(row.reading)} at frame {row.frame}. {row.reading.note}" if row else ""
        )

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.at(event.position().y()) if event is not None else None
        if row is not None:
            self.pressed.emit(row)
