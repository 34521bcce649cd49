"""A row of words of which one is chosen; it is heavier, with a bar under it."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from transmixis.desk.marks import hline, text
from transmixis.desk.theme import INK, INK2, text_width

GAP = 20


class Words(QWidget):
    """Emits `chosen` when a word is pressed or reached with the arrow keys."""

    chosen = pyqtSignal(str)

    def __init__(self, words: tuple[str, ...], now: str, tips: dict[str, str] | None = None) -> None:
        super().__init__()
        self.words, self.now = words, now
        self.setFixedHeight(28)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip("\n".join(f"{k}: {v}" for k, v in (tips or {}).items()))

    def sizeHint(self) -> QSize:
        return QSize(round(sum(text_width(w, 12, 600) for w in self.words) + GAP * (len(self.words) - 1) + 8), 28)

    def set_words(self, words: tuple[str, ...], now: str) -> None:
        """Other words."""
        self.words, self.now = words, now
        self.updateGeometry()
        self.update()

    def x_of(self, word: str) -> float:
        """Left of a word."""
        x = 4.0
        for w in self.words:
            if w == word:
                return x
            x += text_width(w, 12, 600) + GAP
        return x

    def choose(self, word: str) -> None:
        """Show a word as chosen, without saying so."""
        self.now = word
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        for w in self.words:
            on = w == self.now
            x = self.x_of(w)
            n = text(p, x, 13, w, 12, 600 if on else 400, INK if on else INK2)
            if on:
                hline(p, round(x), round(x + n), 24, INK, 2)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        for w in self.words:
            if self.x_of(w) - GAP / 2 <= event.position().x() < self.x_of(w) + text_width(w, 12, 600) + GAP / 2:
                self._pick(w)
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        move = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if move is None:
            super().keyPressEvent(event)
        else:
            self._pick(self.words[(self.words.index(self.now) + move) % len(self.words)])

    def _pick(self, word: str) -> None:
        self.choose(word)
        self.chosen.emit(word)
