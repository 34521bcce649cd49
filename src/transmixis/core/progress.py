"""Progress of long work: how much is done, how long it will take, and whether it shall stop."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

from transmixis.core.errors import Cancelled


class Progress:
    """Handed to long work, which calls `at` between frames. `told` is called with (share 0..1, text, seconds left)."""

    def __init__(self, told: Callable[[float, str, float | None], None] | None = None) -> None:
        self._told = told
        self._stop = threading.Event()
        self._began = time.monotonic()

    def cancel(self) -> None:
        """Ask the work to stop at the next frame."""
        self._stop.set()

    @property
    def cancelled(self) -> bool:
        return self._stop.is_set()

    def check(self) -> None:
        """Raise Cancelled if the person wants it to stop: in the middle of what takes longer than a frame does."""
        if self._stop.is_set():
            raise Cancelled("cancelled")

    def at(self, done: float, total: float, text: str = "") -> None:
        """Report, and raise Cancelled if the person wants it to stop."""
        self.check()
        if self._told and total > 0:
            spent = time.monotonic() - self._began
            left = spent / done * (total - done) if done > 0 else None
            self._told(done / total, text, left)


def words_for_seconds(seconds: float | None) -> str:
    """'6 s left', '3 min left'."""
    if seconds is None:
        return ""
    if seconds < 90:
        return f"{max(1, round(seconds))} s left"
    return f"{round(seconds / 60)} min left" if seconds < 5400 else f"{seconds / 3600:.1f} h left"
