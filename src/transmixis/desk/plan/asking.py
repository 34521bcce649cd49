"""Answers to the plan's questions as they are needed: quick ones at once, those that simulate beside the window."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.core.errors import UserError
from transmixis.desk.engine import LOOK
from transmixis.desk.state import State
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning import question_of
from transmixis.shot.planning.contract import Answer

TAG = "plan"
Known = tuple[Answer | None, str]  # an answer, or what is wrong with the inputs; neither: it is being worked out


def answer_of(shot: Shot, kind: str, film: Film | None) -> Known:
    """The answer to a question of a shot, or what is wrong with its inputs."""
    try:
        return question_of(kind).of_shot(shot, film), ""
    except UserError as e:
        return None, str(e)


class Asking(QObject):
    """Keeps the answers of the shot as it is; `came` tells that one arrived."""

    came = pyqtSignal(str)

    def __init__(self, state: State) -> None:
        super().__init__()
        self._state = state
        self._film: Film | None = None
        self._shot: Shot | None = None
        self._known: dict[str, Known] = {}
        self._asked: set[str] = set()

    def of(self, shot: Shot, kind: str) -> Known:
        """The answer if it is known; a slow one that is not is asked for, and the last one shown meanwhile."""
        film = self._state.session.document.film if self._state.session else None
        if shot is not self._shot or film is not self._film:
            if self._shot is None or shot.code != self._shot.code:
                self._known = {}
            else:  # what was slow stands until the new answer comes
                self._known = {k: v for k, v in self._known.items() if question_of(k).slow}
            self._shot, self._film, self._asked = shot, film, set()
            self._state.engine.drop(TAG)
        if kind not in self._asked:
            self._asked.add(kind)
            if question_of(kind).slow:
                self._ask(shot, kind, film)
            else:
                self._known[kind] = answer_of(shot, kind, film)
        return self._known.get(kind, (None, ""))

    def try_out(self, shot: Shot, kind: str) -> Known | None:
        """The answer for inputs that are only tried; None: it will come."""
        film = self._film
        if not question_of(kind).slow:
            return answer_of(shot, kind, film)
        self._state.engine.drop(TAG)
        self._asked.clear()
        self._ask(shot, kind, film)
        return None

    def _ask(self, shot: Shot, kind: str, film: Film | None) -> None:
        def take(known: Known) -> None:
            self._known[kind] = known
            self.came.emit(kind)

        self._state.engine.ask(LOOK, lambda: answer_of(shot, kind, film), take, tag=TAG)

    def known(self, kind: str) -> Known:
        """What is known now, without asking."""
        return self._known.get(kind, (None, ""))
