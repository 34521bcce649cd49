"""Keeps the board's hours and dates in step with the document: laid out quickly at once, then searched for something better."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.desk.engine import AHEAD, LOOK, Engine
from transmixis.shot.model import Film
from transmixis.shot.planning.overview import Overview, overview

TAG = "schedule"


class Planner(QObject):
    """`now` is the last overview; `changed` tells of another. It works beside the window and the newest film wins."""

    changed = pyqtSignal()

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self._engine = engine
        self._film: Film | None = None
        self.now: Overview | None = None
        self.searched = False

    def follow(self, film: Film | None, *, search: bool = True) -> None:
        """Lay out this film, unless it is the one that was laid out last."""
        if film is self._film:
            return
        self._engine.drop(TAG)
        self._film, self.searched = film, False
        if film is None:
            self.now = None
            return
        self._engine.ask(LOOK, lambda: overview(film, search=False), self._take_quick, tag=TAG)
        if search:
            self._engine.ask(AHEAD, lambda: overview(film), self._take, tag=TAG)

    def _take_quick(self, found: Overview) -> None:
        self.now = found
        self.changed.emit()

    def _take(self, found: Overview) -> None:
        self.now, self.searched = found, True
        self.changed.emit()
