"""Following on: the playhead goes with the track, frame after frame as each is measured, and stops at the first that asks for a hand."""

from __future__ import annotations

from functools import partial

from transmixis.core.readings import FAULT, Reading
from transmixis.desk.engine import PLAY
from transmixis.desk.readingwords import value_words
from transmixis.desk.state import State

TAG = "follow on"


class FollowOn:
    """Of the chosen step. It ends when it is asked again, when a person goes elsewhere or changes something, and at the shot's end."""

    def __init__(self, state: State) -> None:
        self._s = state
        self._way = 0  # frames a step; 0: it rests

    @property
    def goes(self) -> bool:
        return self._way != 0

    def start(self, way: int) -> None:
        """On (1) or back (-1) from the playhead; while it goes, stop."""
        if self.goes:
            self.stop()
            return
        if self._s.step is None:
            self._s.said.emit("Choose a step first; its frames are gone through up to the next that asks.", "note")
            return
        self._way = way
        self._ask(self._s.frame)

    def stop(self) -> None:
        self._way = 0
        self._s.engine.drop(TAG)

    def _ask(self, from_frame: int) -> None:
        s, n = self._s, from_frame + self._way
        renderer, shot = s.renderer(), s.shot
        if renderer is None or shot is None:
            self.stop()
            return
        if not 1 <= n <= shot.length:
            self._end("No frame asks for a hand up to the " + ("end." if self._way > 0 else "beginning."))
            return
        step_id = s.step_id
        take = partial(self._heard, shot, step_id, from_frame, n)
        s.engine.ask(PLAY, lambda: renderer.measure(step_id, n), take, self._end, tag=TAG)

    def _heard(self, shot: object, step_id: str, from_frame: int, n: int, readings: list[Reading]) -> None:
        s = self._s
        if s.shot is not shot or s.step_id != step_id or s.frame != from_frame:
            self.stop()  # somebody went elsewhere meanwhile
            return
        s.set_frame(n)
        over = max((r for r in readings if r.state == FAULT), key=lambda r: r.ratio or 0.0, default=None)
        if over is not None:
            self._end(f"Frame {n} asks for a hand: {over.name} {value_words(over)}.")
        else:
            self._ask(n)

    def _end(self, words: str) -> None:
        self.stop()
        self._s.said.emit(words, "note")
