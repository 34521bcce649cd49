"""How what surrounds a thing moves from one frame to another: where the thing is to be looked for if its own path does not tell.

Corners about it are followed there and back (Lucas and Kanade, 1981, in a pyramid), and the similarity that most of them share is taken
(Fischler and Bolles, 1981). It only says where to begin; nothing of it is measured on.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.coding import coded_luma
from transmixis.core.motion.similarity import HALF
from transmixis.core.types import Array

NEAR, WIDE = 60, 150  # px about it: the thing that it is on, or the place that it is in
CORNERS, APART = 120, 5  # at most, px apart
SHARED, SHARE = 8, 0.4  # corners that must agree, and of all of them
RETURNS = 0.7  # px that there and back may be off
AGREE = 2.0  # px beside the motion that most share
ROOM = 60  # px beside the surroundings that they may move into
SIDE = 21  # px of a corner's window
WINDOW = {"winSize": (SIDE, SIDE), "flags": cv2.OPTFLOW_USE_INITIAL_FLOW}
FROM_REST, BEGUN = 4, 1  # times that the pictures are halved: what is begun with would be lost in the smallest
REST = np.zeros(2)
OWN, OFF = 0.2, 2.0  # of a move, and px, that the surroundings may move otherwise and still be of the same thing
SEED = 11


def moved_around(one: Array, two: Array, at: Array, radius: int, guess: Array = REST) -> Array | None:
    """(3, 3) how what lies within `radius` px of the place `at` moves from the linear picture `one` to `two`; None where too few agree.
    `guess`: the move in px that is begun with; what repeats itself is else followed to its neighbour."""
    box = _box(one, at, radius)
    wide = _box(one, at, radius + ROOM)
    if box is None or wide is None:
        return None
    left, top, right, bottom = wide
    a, b = (_grey(p[top:bottom, left:right]) for p in (one, two))
    mask = np.zeros(a.shape, np.uint8)
    mask[box[1] - top : box[3] - top, box[0] - left : box[2] - left] = 255
    corners = cv2.goodFeaturesToTrack(a, CORNERS, 0.01, APART, mask=mask)
    if corners is None or len(corners) < SHARED:
        return None
    move, halved = np.asarray(guess, np.float32), BEGUN if np.any(guess) else FROM_REST
    there, ok1, _ = cv2.calcOpticalFlowPyrLK(a, b, corners, corners + move, maxLevel=halved, **WINDOW)  # type: ignore[call-overload]
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(b, a, there, there - move, maxLevel=halved, **WINDOW)  # type: ignore[call-overload]
    good = (ok1 & ok2).ravel().astype(bool) & (np.hypot(*(back - corners).reshape(-1, 2).T) < RETURNS)
    if good.sum() < SHARED:
        return None
    cv2.setRNGSeed(SEED)
    m, near = cv2.estimateAffinePartial2D(corners[good], there[good], method=cv2.RANSAC, ransacReprojThreshold=AGREE)
    if m is None or near.sum() < max(SHARED, SHARE * good.sum()):
        return None
    shift = np.array([[1, 0, left], [0, 1, top], [0, 0, 1.0]]) @ HALF
    return np.asarray(shift @ np.vstack([m, [0, 0, 1]]) @ np.linalg.inv(shift))


class Around:
    """The surroundings' motion between frames of a take, each looked at once."""

    def __init__(self, picture: Callable[[int], Array]) -> None:
        self._picture = picture
        self._known: dict[tuple[int, int, int, bytes], Array | None] = {}

    def moved(self, a: int, b: int, at: Array, radius: int, guess: Array = REST) -> Array | None:
        """(3, 3) from frame a to frame b about the place `at` px of frame a; None where it is not told, or one cannot be read."""
        key = (a, b, radius, np.round([*at, *guess]).tobytes())
        if key not in self._known:
            try:
                self._known[key] = moved_around(self._picture(a), self._picture(b), at, radius, guess)
            except UserError:
                self._known[key] = None
        return self._known[key]

    def shared(self, a: int, b: int, before: Array, after: Array) -> int:
        """px within which the surroundings move as the thing itself did, from the place `before` in frame a to the one `after` in b; 0
        where they do not."""
        for radius in (NEAR, WIDE):
            m = self.moved(a, b, before, radius, after - before)
            if m is not None:
                off = float(np.hypot(*(m[:2, :2] @ before + m[:2, 2] - after)))
                if off < OFF + OWN * float(np.hypot(*(after - before))):
                    return radius
        return 0


def _box(picture: Array, at: Array, radius: int) -> tuple[int, int, int, int] | None:
    h, w = picture.shape[:2]
    x, y = (float(v) for v in at)
    if not (np.isfinite(x) and np.isfinite(y)):
        return None
    left, top = (int(max(v - radius, 0)) for v in (x, y))
    right, bottom = int(min(x + radius, w)), int(min(y + radius, h))
    return (left, top, right, bottom) if min(right - left, bottom - top) > SIDE else None


def _grey(picture: Array) -> Array:
    p = np.asarray(picture[..., :3], np.float32)
    luma = coded_luma(np.repeat(p, 3, axis=2) if p.shape[2] == 1 else p)
    return np.asarray((luma * 255 + 0.5).astype(np.uint8))
