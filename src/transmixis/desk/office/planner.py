"""Keeps the board's hours and dates in step with the document: laid out quickly at once, then searched for something better."""

from __future__ import annotations

import time
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.core.progress import Progress
from transmixis.desk.engine import AHEAD, LOOK, Engine
from transmixis.shot.model import Film
from transmixis.shot.planning.overview import Overview, overview
from transmixis.shot.planning.tasks import shots_without_files

TAG = "schedule"
REST, WORK = 0.001, 0.0015  # s: rests after so much work


class Resting(Progress):
    """Rests now and then: laying out is plain Python, and the interface must get the interpreter in between."""

    def __init__(self) -> None:
        super().__init__()
        self._rested = time.perf_counter()

    def at(self, done: float, total: float, text: str = "") -> None:
        super().at(done, total, text)
        if time.perf_counter() - self._rested > WORK:
            time.sleep(REST)
            self._rested = time.perf_counter()


class Planner(QObject):
    """`now` is the last overview; `changed` tells of another. It has a worker of its own, and the newest film wins."""

    changed = pyqtSignal()

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self._engine = engine.beside()
        self._film: Film | None = None
        self._progress = Resting()
        self.now: Overview | None = None
        self.searched = False

    def follow(self, film: Film | None, folder: Path | None = None) -> None:
        """Lay out this film, unless it is the one that was laid out last."""
        if film is self._film:
            return
        self._engine.drop(TAG)
        self._progress.cancel()
        self._film, self._progress, self.searched = film, Resting(), False
        if film is None:
            self.now = None
            return
        p = self._progress

        def laid(search: bool) -> Overview:
            gone = shots_without_files(film, folder) if folder else frozenset()
            return overview(film, search=search, progress=p, gone=gone)

        self._engine.ask(LOOK, lambda: laid(False), self._take_quick, tag=TAG)
        self._engine.ask(AHEAD, lambda: laid(True), self._take, tag=TAG)

    def stop(self) -> None:
        """Give up what is under way."""
        self._progress.cancel()

    def _take_quick(self, found: Overview) -> None:
        self.now = found
        self.changed.emit()

    def _take(self, found: Overview) -> None:
        self.now, self.searched = found, True
        self.changed.emit()
