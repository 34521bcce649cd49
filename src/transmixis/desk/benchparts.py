"""Small pieces of the bench: the count of faults, the ledger's legend, plain buttons, small pictures."""

from __future__ import annotations

from typing import Any

from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QPushButton, QWidget

from transmixis.desk.marks import flag, jaws, mark, notch, text, vline
from transmixis.desk.state import State
from transmixis.desk.theme import BLUE, EDGE, INK2, PURPLE, VERMILION_TEXT
from transmixis.desk.viewimage import picture_image
from transmixis.shot.render import Renderer


class FaultCount(QWidget):
    """'3 open faults in 8 steps' beside the ledger's title."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self.setMinimumWidth(60)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        shot = self._state.shot
        if not shot:
            return
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        n, y, left = len(self._state.known.findings()), self.height() / 2, self._state.known.remeasuring
        mark(p, "fault" if n else "open" if left else "sound", 12, y)
        words = f"{n} open fault{'s' if n != 1 else ''}{' so far' if left else ''}"
        text(p, 22, y, words, 12, 500, VERMILION_TEXT if n else INK2, room=self.width() - 24)


class Legend(QWidget):
    """The marks of the ledger."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        y, x = self.height() / 2, 10.0
        items = (("limit", "limit"), ("pin", "set by a person"), ("prop", "proposed"), ("cue", "cue"))
        for kind, words in items:
            if x + 24 > self.width():
                break
            if kind == "limit":
                vline(p, x + 4, y - 7, y + 7, EDGE)
            elif kind == "pin":
                notch(p, x, y, BLUE)
            elif kind == "prop":
                jaws(p, x + 4, y, 4, PURPLE)
            else:
                flag(p, x + 1, y)
            room = self.width() - x - 12
            x += 12 + text(p, x + 12, y, words, 11, 400, INK2, room=max(0, room)) + 12


def word(words: str, tip: str) -> QPushButton:
    b = QPushButton(words)
    b.setObjectName("word")
    b.setToolTip(tip)
    return b


def _thumb(renderer: Renderer, plate: str, n: int) -> Any:
    picture = renderer.product(plate, n).picture
    assert picture is not None
    step = max(1, picture.shape[1] // 76)
    return picture_image(picture[::step, ::step])


def numbered_thumb(renderer: Renderer, plate: str, n: int) -> tuple[int, Any]:
    return n, _thumb(renderer, plate, n)
