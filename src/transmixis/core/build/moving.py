"""Motion blur of what is placed: the mean over the time that the shutter is open."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.place import Edge, placed
from transmixis.core.motion.motion import moved_points, through
from transmixis.core.types import Array

STEP = 0.5  # px that it moves between two looks
MOST = 24  # looks


def between(before: Array, now: Array, after: Array, about: Array, t: float) -> Array:
    """The matrix at `t` frames from now (-0.5..0.5), by the places `about` (4, 2) on their way from frame to frame."""
    here, other = moved_points(now, about), moved_points(before if t < 0 else after, about)
    return through(about, here + abs(t) * (other - here))


def placed_moving(
    picture: Array, before: Array, now: Array, after: Array, size: tuple[int, int], shutter: float, edge: Edge = "clear"
) -> Array:
    """`picture` (h, w, c) laid by `now` into a frame of `size` (h, w), smeared by its way from `before` to `after` while a shutter of
    `shutter` degrees, centred on the frame, is open."""
    h, w = picture.shape[:2]
    corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
    share = shutter / 360
    looks = looks_needed(corners, before, now, after, share)
    if looks < 2:
        return placed(picture, now, size, edge)
    total: Array = np.zeros((*size, picture.shape[2]), np.float32)
    for k in range(looks):
        t = share * ((k + 0.5) / looks - 0.5)
        total += placed(picture, between(before, now, after, corners, t), size, edge)
    return np.asarray(total / np.float32(looks))


def looks_needed(corners: Array, before: Array, now: Array, after: Array, share: float) -> int:
    """How many looks there must be so that no corner moves more than STEP px from one to the next."""
    if share <= 0:
        return 1
    here = moved_points(now, corners)
    way = max(float(np.hypot(*(moved_points(m, corners) - here).T).max()) for m in (before, after))
    return int(np.clip(np.ceil(way * share / STEP), 1, MOST))
