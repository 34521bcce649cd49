"""Rulers: a number with its name, unit, a head to drag and the measured proposal under it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QLineEdit, QSizePolicy, QWidget

from transmixis.desk.marks import hline, jaws, notch, text, vline
from transmixis.desk.theme import BLUE, BLUE_TEXT, EDGE, INK, PURPLE, text_width
from transmixis.shot.steps.params import CLOCK, clock_words, hours_of


class Ruler(QWidget):
    """One number. `changed` comes while dragging, `settled` when the person lets go or types."""

    changed = pyqtSignal(float)
    settled = pyqtSignal(float)
    proposal_pressed = pyqtSignal()

    def __init__(self, facts: dict[str, Any], name: str) -> None:
        super().__init__()
        self.name = name
        self._words, self._unit = str(facts["words"]), str(facts["unit"])
        self._factor = 100.0 if facts.get("percent") else 1.0
        self._low, self._high = float(facts["low"]), float(facts["high"])
        self._step, self._default = float(facts["step"]), float(facts["default"])
        self._zero = str(facts.get("zero", ""))  # said instead of 0
        self.value = self._default
        self.proposed: float | None = None
        self.pins = 0
        self._dragging = False
        self.setToolTip(
            f"{facts['tip']}\nDrag the head, hold Shift for fine steps; press the figure to type; double press to go back to {self._shown(self._default)}."
        )
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(36)
        self.setAccessibleName(self._words)
        self._edit = QLineEdit(self)
        self._edit.hide()
        self._edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self._edit.editingFinished.connect(self._typed)

    def sizeHint(self) -> QSize:
        return QSize(200, 36)

    def show_value(self, value: float, proposed: float | None, pins: int) -> None:
        """Follow the document."""
        if not self._dragging:
            self.value, self.proposed, self.pins = value, proposed, pins
            self.update()

    # -- the line's range: wide ranges are shown around what is usual

    def _span(self) -> tuple[float, float]:
        if self._high - self._low <= 50:
            return self._low, self._high
        reach = max(50.0, 2 * abs(self.value - self._default))
        return max(self._low, self._default - reach), min(self._high, self._default + reach)

    def x_of(self, value: float) -> float:
        """Screen x of a value."""
        a, b = self._span()
        return 6 + (min(max(value, a), b) - a) / (b - a) * (self.width() - 12)

    def _value_at(self, x: float) -> float:
        a, b = self._span()
        return a + (min(max(x, 6), self.width() - 6) - 6) / (self.width() - 12) * (b - a)

    def _shown(self, value: float) -> str:
        if self._unit == CLOCK:
            return clock_words(value)
        v = value * self._factor
        digits = 0 if self._factor == 100 or self._step >= 1 else 1 if self._step >= 0.1 else 2
        if not v and self._zero:
            return self._zero
        if self._unit == "frame":  # which one, not how many; there is no frame 0
            return f"frame {v:.{digits}f}" if v else "not set"
        return f"{v:.{digits}f}".replace("-", "\u2212") + (
            "" if not self._unit else self._unit if self._unit == "°" else f" {self._unit}"
        )

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        text(p, 0, 8, self._words, 12)
        if self.pins:
            x = text_width(self._words, 12) + 10
            notch(p, x, 9)
            text(p, x + 11, 9, f"{self.pins} pin{'s' if self.pins > 1 else ''}", 11, 400, BLUE_TEXT)
        text(p, self.width(), 8, self._shown(self.value), 12, 600, align="right")
        y = 27.0
        hline(p, 6, self.width() - 6, y, EDGE)
        for i in range(11):
            vline(p, 6 + i * (self.width() - 12) / 10, y, y + (5 if i % 5 == 0 else 3), EDGE)
        origin, head = self.x_of(self._default), self.x_of(self.value)
        p.fillRect(QRectF(min(origin, head), y - 1, abs(head - origin), 3), QColor(BLUE))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(QColor(BLUE))
        p.drawPolygon(
            QPolygonF(
                [
                    QPointF(head - 4, y - 10),
                    QPointF(head + 4, y - 10),
                    QPointF(head + 4, y - 4),
                    QPointF(head, y),
                    QPointF(head - 4, y - 4),
                ]
            )
        )
        if self.proposed is not None and abs(self.proposed - self.value) > 1e-6:
            jaws(p, self.x_of(self.proposed), y + 5, 3.5, PURPLE)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(QRectF(self.rect()).adjusted(0, 0, -1, -1))

    # -- pointer and keys

    def _set(self, value: float, *, settled: bool) -> None:
        value = round(min(max(value, self._low), self._high) / self._step) * self._step if self._step else value
        value = round(min(max(value, self._low), self._high), 6)
        moved = value != self.value
        self.value = value
        self.update()
        if moved:
            self.changed.emit(value)
        if settled:
            self.settled.emit(value)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        pos = event.position()
        if pos.y() < 18 and pos.x() > self.width() - 70:
            self._type()
        elif self.proposed is not None and pos.y() > 27 and abs(pos.x() - self.x_of(self.proposed)) < 8:
            self.proposal_pressed.emit()
        elif pos.y() >= 14:
            self._dragging = True
            self._grab = (pos.x(), self.value)
            if abs(pos.x() - self.x_of(self.value)) > 8:
                self._set(self._value_at(pos.x()), settled=False)
                self._grab = (pos.x(), self.value)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._dragging:
            a, b = self._span()
            speed = 0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1.0
            self._set(
                self._grab[1] + (event.position().x() - self._grab[0]) * speed * (b - a) / (self.width() - 12), settled=False
            )

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._dragging:
            self._dragging = False
            self.settled.emit(self.value)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self._dragging = False
        self._edit.hide()
        self._set(self._default, settled=True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        size = self._step * (0.1 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
        if event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._set(self.value + (size if event.key() == Qt.Key.Key_Right else -size), settled=True)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._type()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        self.update()

    def _type(self) -> None:
        self._edit.setGeometry(self.width() - 70, 0, 70, 20)
        self._edit.setText(clock_words(self.value) if self._unit == CLOCK else f"{self.value * self._factor:g}")
        self._edit.show()
        self._edit.selectAll()
        self._edit.setFocus()

    def _typed(self) -> None:
        if not self._edit.isVisible():
            return
        self._edit.hide()
        words = self._edit.text().strip().replace(",", ".").replace("\u2212", "-").split()
        try:
            typed = hours_of(words[0]) if self._unit == CLOCK else words[0]
            self._set(float(typed) / self._factor, settled=True)
        except (ValueError, IndexError):
            self.update()  # not a number: the old value stands again
