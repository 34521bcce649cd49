"""Measuring in the background: every step on every frame, a little at a time, so that a heavy shot is neither queued nor told piece by piece."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator

from transmixis.core.errors import UserError
from transmixis.core.readings import Reading
from transmixis.desk.engine import MEASURE, Engine, general_workers
from transmixis.shot.render import Renderer

AT_ONCE = 0.05  # s of work between two answers
Taken = tuple[str, int, list[Reading]]  # step, frame, readings


class Measuring:
    """Takes the readings of `pairs` (step id, frame) in order, and gives them to `take` in handfuls, on the interface's thread."""

    def __init__(
        self, engine: Engine, renderer: Renderer, pairs: Iterator[tuple[str, int]], take: Callable[[list[Taken]], None]
    ) -> None:
        self._engine, self._renderer, self._take = engine, renderer, take
        self._pairs, self._lock = pairs, threading.Lock()

    def start(self) -> None:
        """One chain of requests a worker; each asks for the next when it was heard."""
        for _ in range(general_workers()):
            self._ask()

    def _ask(self) -> None:
        self._engine.ask(MEASURE, self._some, self._heard, tag="measure")

    def _some(self) -> list[Taken]:
        out: list[Taken] = []
        began = time.monotonic()
        while time.monotonic() - began < AT_ONCE:
            with self._lock:
                pair = next(self._pairs, None)
            if pair is None:
                break
            out.append((*pair, self._read(*pair)))
        return out

    def _read(self, step_id: str, frame: int) -> list[Reading]:
        try:
            return self._renderer.measure(step_id, frame)
        except UserError as e:
            return [Reading("frame", None, "", 1.0, note=str(e))]

    def _heard(self, taken: list[Taken]) -> None:
        if taken:
            self._ask()
            self._take(taken)
