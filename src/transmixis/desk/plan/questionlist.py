"""The questions before the shoot with their marks and short answers."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from transmixis.desk.marks import hline, mark, text
from transmixis.desk.theme import BLUE, INK, INK2, PAPER, RULE
from transmixis.shot.planning import QUESTIONS
from transmixis.shot.planning.contract import Answer

ROW, WIDE = 38, 288


def mark_of(answer: Answer | None, answered: bool) -> str:
    """The mark of a question: not begun, sound, watch or fault."""
    if answer is None or not answered:
        return "open"
    return answer.state


class QuestionList(QWidget):
    """One row a question; press it, or go with Up and Down."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.now = next(iter(QUESTIONS))
        self.answers: dict[str, tuple[Answer | None, bool]] = {}
        self.setFixedSize(WIDE, ROW * len(QUESTIONS) + 4)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Questions before the shoot")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for i, (kind, q) in enumerate(QUESTIONS.items()):
            y = i * ROW
            if kind == self.now:
                p.fillRect(QRectF(0, y, WIDE, ROW), QColor(PAPER))
                p.fillRect(QRectF(0, y, 3, ROW), QColor(BLUE))
            answer, answered = self.answers.get(kind, (None, False))
            mark(p, mark_of(answer, answered), 22, y + 13)
            text(p, 36, y + 12, q.title, 12, 600 if kind == self.now else 500, INK, room=WIDE - 48)
            words = answer.words if answer and answered else "Not answered yet."
            text(p, 36, y + 27, words, 11, 400, INK2, room=WIDE - 48)
            hline(p, 16, WIDE - 16, y + ROW, RULE)
        if self.hasFocus():
            p.setPen(QPen(QColor(INK), 2))
            p.drawRect(QRectF(1, list(QUESTIONS).index(self.now) * ROW + 1, WIDE - 2, ROW - 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        i = int(event.position().y() // ROW)
        if 0 <= i < len(QUESTIONS):
            self.choose(list(QUESTIONS)[i])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        move = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        kinds = list(QUESTIONS)
        if move is None:
            super().keyPressEvent(event)
        else:
            self.choose(kinds[(kinds.index(self.now) + move) % len(kinds)])

    def choose(self, kind: str) -> None:
        """Choose a question and say so."""
        self.now = kind
        self.update()
        self.chosen.emit(kind)
