"""The strip at the foot of the window, and the bar that tells of trouble."""

from __future__ import annotations

import time
from functools import partial

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from transmixis.core.progress import words_for_seconds
from transmixis.desk.marks import hline, text
from transmixis.desk.state import State
from transmixis.desk.theme import INK2, PANEL, PAPER, RULE, VERMILION_TEXT, VERMILION_WASH

HINTS = {
    "plan": "Up and Down questions   U use proposal   B board   Ctrl Z undo   F1 keys",
    "bench": "S findings   F next fault   U use proposal   K keep mine   P pin here   V next view   F1 keys",
    "board": "Enter open shot   W what drives the date   U use proposal   K keep mine   L shelf   J log book   F1 keys",
    "deliver": "B board   J log book   F1 keys",
    "log": "B board   D hand over   F1 keys",
    "shelf": "1–8 back to a stage   B board   S findings   Ctrl Z undo   F1 keys",
    "findings": "1–8 back to a stage   B board   J log book   Ctrl Z undo   F1 keys",
    "start": "Ctrl N new   Ctrl O open   F1 keys",
}
GOES_TO = (("board", "Board", "B"), ("findings", "Findings", "S"), ("shelf", "Shelf", "L"), ("log", "Log book", "J"))


class FootStrip(QWidget):
    """What is under way, with its share and time left; what was last said; the page's keys; words that lead to the pages."""

    page_pressed = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.setFixedHeight(24)
        self.page = "start"
        self._done, self._total, self._what = 0, 0, ""
        self._said = ""
        self._began = 0.0
        self._left: float | None = None
        self._clock = QTimer(self)
        self._clock.setSingleShot(True)
        self._clock.timeout.connect(self._forget)
        row = QHBoxLayout(self)
        row.setContentsMargins(8, 0, 10, 0)
        row.setSpacing(2)
        self.stop = QPushButton("Stop")
        row.addWidget(self.stop)
        row.addStretch(1)
        self.words: dict[str, QPushButton] = {}
        for name, words, key in GOES_TO:
            button = QPushButton(words)
            button.setObjectName("word")
            button.setFixedHeight(22)
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setToolTip(f"Goes to the page ({key}).")
            button.clicked.connect(partial(self.page_pressed.emit, name))
            row.addWidget(button)
            self.words[name] = button
        self.stop.setObjectName("word")
        self.stop.setFixedHeight(22)
        self.stop.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.stop.setToolTip("Stops measuring; what was measured so far stays. Pressed again, it goes on.")
        self.stop.clicked.connect(self._stop_or_go_on)
        self.stop.hide()
        self._work: tuple[float, str, float | None] | None = None  # one long piece of work that is under way
        state.measuring.connect(self._measuring)
        state.working.connect(self._working)
        state.said.connect(self.say)

    def say(self, words: str, kind: str) -> None:
        """Show a note for a while; trouble has a bar of its own, which stays."""
        if kind == "trouble":
            return
        self._said = words
        self._clock.start(8_000)
        self.setToolTip(words)
        self.update()

    def _forget(self) -> None:
        self._said = ""
        self.update()

    def _stop_or_go_on(self) -> None:
        if self._state.work.stopped:
            self._state.work.go_on()
        else:
            self._state.work.stop()

    def _working(self, share: float, words: str, left: float | None) -> None:
        self._work = (share, words, left)
        self._show_stop()
        self.update()

    def _show_stop(self) -> None:
        unfinished = self._total > 0 and self._done < self._total
        self.stop.setText("Go on" if self._state.work.stopped else "Stop")
        self.stop.setVisible(unfinished)

    def _measuring(self, done: int, total: int, what: str) -> None:
        now = time.monotonic()
        self._work = None
        if done <= 1 or total != self._total:
            self._began = now
        self._done, self._total, self._what = done, total, what
        spent = now - self._began
        self._left = spent / done * (total - done) if done > 3 else None
        self._show_stop()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), QColor(PANEL))
        hline(p, 0, self.width(), 0, RULE)
        shown = [b for b in self.words.values() if b.isVisible()]
        right = min((b.x() for b in shown), default=self.width() - 8) - 12
        keys = text(p, right, 12, HINTS.get(self.page, ""), 11, 400, INK2, "right")
        room = right - keys - 32
        if self._said:
            text(
                p,
                16 if self.stop.isHidden() else self.stop.x() + self.stop.width() + 8,
                12,
                self._said,
                11,
                500,
                "#1E1E1E",
                room=room,
            )
            return
        if self._total > 0 and self._done < self._total:
            self._paint_work(p, room)
        elif self._total and self._done >= self._total:
            text(p, 16, 12, "Every step is measured on every frame", 11, 400, INK2, room=room)

    def _paint_work(self, p: QPainter, room: float) -> None:
        """What is being measured, how much of it is done, how long it still takes, and the way to stop it."""
        share, left = self._done / self._total, self._left
        words = f"Measuring {self._what}" if self._what else "Measuring"
        if self._state.work.stopped:
            words, left = f"Measuring stopped, {self._total - self._done} readings are still to be taken", None
        elif self._work:
            share, words, left = (
                self._work[0],
                f"{words}: {self._work[1]}" if self._what else self._work[1].capitalize(),
                self._work[2],
            )
        x = self.stop.x() + self.stop.width() + 8.0
        w = text(p, x, 12, words, 11, room=max(60, room - x - 200))
        p.fillRect(QRectF(x + w + 12, 8, 80, 8), QColor(PAPER))
        p.fillRect(QRectF(x + w + 12, 8, 80 * share, 8), QColor(INK2))
        text(p, x + w + 102, 12, words_for_seconds(left), 11, 400, INK2, room=max(10, room - w - 110))


class TroubleBar(QWidget):
    """What went wrong, under the top bar where it is seen; it stays until it is closed. The log book has it too."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.setObjectName("trouble")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setStyleSheet(f"QWidget#trouble {{ background: {VERMILION_WASH}; border-bottom: 1px solid {RULE}; }}")
        self.words = QLabel()
        self.words.setWordWrap(True)
        self.words.setStyleSheet(f"color: {VERMILION_TEXT}; font-weight: 500;")
        self.words.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.close_it = QPushButton("Close")
        self.close_it.setToolTip("Takes this line away.")
        self.close_it.clicked.connect(self.clear)
        row = QHBoxLayout(self)
        row.setContentsMargins(20, 5, 12, 5)
        row.addWidget(self.words, 1)
        row.addWidget(self.close_it, 0, Qt.AlignmentFlag.AlignTop)
        self.hide()
        state.said.connect(self.say)
        state.opened.connect(self._opened)

    def say(self, words: str, kind: str) -> None:
        """Show trouble; notes are not for here."""
        if kind != "trouble":
            return
        self.words.setText(words)
        self.show()
        session = self._state.session
        if session:
            session.document.log.add("trouble", words, self._state.code)

    def clear(self) -> None:
        self.words.clear()
        self.hide()

    def _opened(self) -> None:
        if self._state.session is not None:
            self.clear()
