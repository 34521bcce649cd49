"""The engine: worker threads that do what the window asks for, the most urgent first, and answer by signals. One of them does only what
is looked at, so that a picture never waits for an analysis, a delivery or a measurement; the others share the rest.

A request is a pure callable; its answer comes back on the interface's thread. A generation number drops what nobody
wants any more. The heavy work releases the interpreter lock, so the window stays free.
"""

from __future__ import annotations

import contextlib
import heapq
import itertools
import os
import threading
import traceback
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from transmixis.core.errors import Cancelled, UserError

LOOK, PLAY, PROPOSE, MEASURE, AHEAD = 0, 1, 2, 3, 4  # urgency; low first
WORKER_NICENESS = 5
MOST_WORKERS = 3  # beside the one for looking: their kernels use all cores by themselves


@dataclass(order=True)
class _Request:
    urgency: int
    number: int
    work: Callable[[], Any] = field(compare=False)
    done: Callable[[Any], None] | None = field(compare=False)
    failed: Callable[[str], None] | None = field(compare=False)
    tag: str = field(compare=False)
    generation: int = field(compare=False)


def general_workers() -> int:
    """Threads beside the one for looking: one less than there are processors, for the window."""
    return max(1, min(MOST_WORKERS, (os.cpu_count() or 2) - 1))


class Engine(QObject):
    """Runs requests on its threads. `trouble` carries faults of ours; user errors go to `failed`."""

    _answer = pyqtSignal(object, object, str)  # request, result, error
    trouble = pyqtSignal(str)
    idle = pyqtSignal()

    def __init__(self, parent: QObject | None = None, *, alone: bool = False) -> None:
        """`alone`: one thread for everything, which then is done one after the other."""
        super().__init__(parent)
        self._heap: list[_Request] = []
        self._count = itertools.count()
        self._generation: dict[str, int] = {}
        self._wake = threading.Condition()
        self._stop = False
        self._busy = 0
        self._others: list[Engine] = []
        self._answers = 0  # sent to the interface's thread, not taken there yet
        self._answer.connect(self._deliver)
        self._threads = [self._started(AHEAD) for _ in range(1 if alone else general_workers())]
        self._threads += [] if alone else [self._started(LOOK)]

    def _started(self, least: int) -> threading.Thread:
        """A worker that does what is at least so urgent."""
        thread = threading.Thread(target=self._run, args=(least,), name="transmixis-engine", daemon=True)
        thread.start()
        return thread

    @property
    def running(self) -> bool:
        """True while a thread of it lives."""
        return any(t.is_alive() for t in self._threads)

    def ask(
        self, urgency: int, work: Callable[[], Any], done: Callable[[Any], None] | None = None,
        failed: Callable[[str], None] | None = None, tag: str = "",
    ) -> None:  # fmt: skip
        """Queue a request. `drop(tag)` later takes back all of this tag that have not been answered."""
        with self._wake:
            generation = self._generation.get(tag, 0)
            heapq.heappush(self._heap, _Request(urgency, next(self._count), work, done, failed, tag, generation))
            self._wake.notify_all()

    def drop(self, tag: str) -> None:
        """Forget all requests of a tag, the one under way included (its answer is thrown away)."""
        with self._wake:
            self._generation[tag] = self._generation.get(tag, 0) + 1
            self._heap = [r for r in self._heap if r.tag != tag]
            heapq.heapify(self._heap)

    @property
    def waiting(self) -> int:
        """Requests that are queued, under way, or answered but not yet heard by whoever asked."""
        with self._wake:
            own = len(self._heap) + self._busy + self._answers
        return own + sum(e.waiting for e in self._others)

    def beside(self) -> Engine:
        """Another worker, for long work that must not hold up what this one does; it counts and ends with this one."""
        other = Engine(self, alone=True)
        other.trouble.connect(self.trouble)
        self._others.append(other)
        return other

    def _run(self, least: int) -> None:
        with contextlib.suppress(OSError):  # so that the interface's thread gets a processor as soon as it wants one
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), WORKER_NICENESS)
        while True:
            with self._wake:
                while not self._stop and not (self._heap and self._heap[0].urgency <= least):
                    self._wake.wait()
                if self._stop:
                    return
                request = heapq.heappop(self._heap)
                self._busy += 1
            result, error = self._do(request)
            with self._wake:
                self._busy -= 1
                self._answers += 1
                empty = not self._heap and not self._busy
            if self._stop:
                return
            try:
                self._answer.emit(request, result, error)
                if empty:
                    self.idle.emit()
            except RuntimeError:
                return  # the window is gone

    def _do(self, request: _Request) -> tuple[Any, str]:
        try:
            return request.work(), ""
        except UserError as e:
            return None, str(e)
        except Cancelled:
            return None, "cancelled"
        except Exception:  # one handler for faults of ours: report, and go on
            text = traceback.format_exc()
            with contextlib.suppress(RuntimeError):  # the window may be gone
                self.trouble.emit(text)
            return None, "Something went wrong inside the program; it was written to the log book."

    def _deliver(self, request: _Request, result: Any, error: str) -> None:
        try:
            self._tell(request, result, error)
        finally:  # what the answer made somebody ask for is queued by now, so `waiting` never dips to 0 in between
            with self._wake:
                self._answers -= 1

    def _tell(self, request: _Request, result: Any, error: str) -> None:
        if self._generation.get(request.tag, 0) != request.generation:
            return
        if error and request.failed:
            request.failed(error)
        elif not error and request.done:
            request.done(result)

    def stop(self) -> None:
        """End the thread after what is under way."""
        for other in self._others:
            other.stop()
        with self._wake:
            self._stop = True
            self._heap.clear()
            self._wake.notify_all()
        for thread in self._threads:
            thread.join(timeout=20)
