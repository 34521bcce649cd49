"""A moving patch: what other moments of the take show of a place, so that leaves and water go on moving in it. By one shift in time for all frames where there is one, else as a
stretch that is looped, its end going over into its beginning."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array, Mask

CELL = 8  # px: masks are compared in cells
SHORTEST = 6  # frames of a stretch that is looped: less is seen to repeat
OVER = 4  # frames over which its end goes over into its beginning


@dataclass(frozen=True)
class Plan:
    """Where each frame is taken from: `first` and `second` (n,) 1-based frames, 0 where nothing is hidden, and `share` (n,) of the second. `words`: how, said shortly."""

    first: Array
    second: Array
    share: Array
    words: str


def cells_of(hidden: Mask) -> Array:
    """Which cells a mask touches, and their neighbours (flat, bool)."""
    h, w = hidden.shape
    small = cv2.resize(hidden.astype(np.float32), (max(1, w // CELL), max(1, h // CELL)), interpolation=cv2.INTER_AREA) > 0
    return np.asarray(cv2.dilate(small.astype(np.uint8), np.ones((3, 3), np.uint8)).ravel() > 0)


def planned(cells: Array, usable: Mask | None = None) -> Plan:
    """From the cells (n, k) that are hidden in each frame; only frames that are `usable` (n,) are taken. Raises UserError where no moment shows all of the place."""
    n = len(cells)
    hidden = np.flatnonzero(cells.any(axis=1))
    if not len(hidden):
        return Plan(np.zeros(n, int), np.zeros(n, int), np.zeros(n), "nothing has to go")
    free = (cells[hidden].astype(np.float32) @ cells.astype(np.float32).T) == 0  # (hidden, n): frames that show the place of each
    if usable is not None:
        free &= usable
    shift = _shift(free, hidden, n)
    if shift is not None:
        first = np.zeros(n, int)
        first[hidden] = hidden + shift + 1
        return Plan(first, np.zeros(n, int), np.zeros(n), f"{abs(shift)} frames {'later' if shift > 0 else 'earlier'}")
    return _looped(free.all(axis=0), hidden, n)


def _shift(free: Array, hidden: Array, n: int) -> int | None:
    """The shortest shift by which every hidden frame meets one that shows its place."""
    for far in range(1, n):
        for shift in (far, -far):
            to = hidden + shift
            if to[0] >= 0 and to[-1] < n and free[np.arange(len(hidden)), to].all():
                return shift
    return None


def _looped(clear: Mask, hidden: Array, n: int) -> Plan:
    """The longest stretch that shows the place of all, run again and again."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], clear.astype(int), [0]])))
    runs = [(a, b) for a, b in zip(edges[::2], edges[1::2], strict=True) if b - a >= SHORTEST]
    if not runs:
        raise UserError(
            f"No stretch of {SHORTEST} frames shows all of the place, so nothing can move in it; use other frames averaged, a neighbour, or a clean take."
        )
    a, b = max(runs, key=lambda r: r[1] - r[0])
    over = min(OVER, (b - a) // 3)
    period = b - a - over
    first, second, share = np.zeros(n, int), np.zeros(n, int), np.zeros(n)
    for frame in hidden:
        k = (frame - int(hidden[0])) % period
        first[frame] = a + k + 1
        if k < over:  # what came before the beginning goes on for a while
            second[frame], share[frame] = a + period + k + 1, 1 - (k + 1) / (over + 1)
    return Plan(first, second, share, f"frames {a + 1} to {b} looped, {over} of them going over")
