"""Flashes beyond what is safe for people with photosensitive epilepsy.

WCAG 2.3.1 (and ITU-R BT.1702): more than three general or red flashes within any second are unsafe, where a flash is a pair
of opposing changes of relative luminance by 10 % of the maximum or more with the darker below 0.80, over a quarter of any
10 degree field of view (taken as a block of a third of the frame's width and height). This is a warning, not a clearance.
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.types import Array

LIMIT = 3.0  # flashes in a second
CHANGE, DARKER = 0.1, 0.8
RED_SHARE, RED_CHANGE = 0.8, 20 / 320  # of saturated red: R/(R+G+B), and change of (R - G - B)
AREA = 0.25  # of the block
CELLS = (18, 12)


def flashes_per_second(thumbs: Sequence[Array | None], rate: float) -> Array:
    """Per frame, the flashes within the second that ends there, over the area that counts; (n,) float."""
    span = max(1, round(rate))
    light, red = _Counter(CHANGE), _Counter(RED_CHANGE)
    counts: list[Array] = []
    for t in thumbs:
        if t is None:
            counts.append(np.zeros((2, CELLS[1], CELLS[0])))
            continue
        cells = np.clip(cv2.resize(t[..., :3], CELLS, interpolation=cv2.INTER_AREA), 0, 1)
        y = luminance(cells)
        r = np.clip(cells[..., 0] - cells[..., 1] - cells[..., 2], 0, 1)
        saturated = cells[..., 0] / np.maximum(cells.sum(axis=2), 1e-4) >= RED_SHARE
        counts.append(np.stack([light.changes(y, y < DARKER), red.changes(r, saturated)]))
    total = np.cumsum(np.stack(counts), axis=0)
    out = np.zeros(len(thumbs))
    for i in range(len(thumbs)):
        within = total[i] - (total[i - span] if i >= span else 0)
        out[i] = max(_over_area(w) for w in within) / 2
    return out


class _Counter:
    """Counts opposing changes of at least `change` in every cell, where either end of the change counts (dark, or saturated)."""

    def __init__(self, change: float) -> None:
        self._change = change
        self._low: Array | None = None

    def changes(self, value: Array, counts: Array) -> Array:
        """1 where a rise or fall against the last extreme is completed in this frame."""
        if self._low is None:
            self._low, self._high = value.copy(), value.copy()
            self._rising = np.zeros(value.shape, np.int8)  # 0 not known yet
            self._low_ok, self._high_ok = counts.copy(), counts.copy()
            return np.zeros(value.shape)
        rise = (value - self._low >= self._change) & (self._low_ok | counts) & (self._rising <= 0)
        fall = (self._high - value >= self._change) & (counts | self._high_ok) & (self._rising >= 0) & ~rise
        self._rising = np.where(rise, 1, np.where(fall, -1, self._rising)).astype(np.int8)
        turn = rise | fall
        lower, higher = (value < self._low) | turn, (value > self._high) | turn
        self._low_ok, self._high_ok = np.where(lower, counts, self._low_ok), np.where(higher, counts, self._high_ok)
        self._low, self._high = np.where(lower, value, self._low), np.where(higher, value, self._high)
        return turn.astype(float)


def _over_area(count: Array) -> float:
    """The most changes that a quarter of some block of the frame shares."""
    h, w = CELLS[1] // 3, CELLS[0] // 3
    best = 0.0
    for y in range(0, CELLS[1] - h + 1, 2):
        for x in range(0, CELLS[0] - w + 1, 2):
            block = np.sort(count[y : y + h, x : x + w].ravel())[::-1]
            best = max(best, float(block[int(np.ceil(AREA * len(block))) - 1]))
    return best
