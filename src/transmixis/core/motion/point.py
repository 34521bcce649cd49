"""Points, followed as small surfaces that only shift, or shift, turn and grow. Positions are (x, y) px, pixel centres at +0.5."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.follow import Way, follow
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

HALF_SIDE = 15  # px: a usual pattern
REACH = 40  # px from where it was expected


def about_point(picture: Array, at: Array, half: int, model: str = "position") -> Surface:
    """The square (2 half + 1) px about the point `at` (2,) of `picture` (h, w, channels), ready to be found in other frames. Raises UserError
    where there is too little to follow."""
    side = half + 0.5
    corners = np.asarray(at) + side * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    return Surface(picture, corners, fill_shape(corners, *picture.shape[:2]), model)


def follow_points(
    picture: Callable[[int], Array],
    points: Array,
    reference: int,
    frames: int,
    half: int = HALF_SIDE,
    reach: int = REACH,
    progress: Progress | None = None,
) -> Array:
    """Where `points` (k, 2) of frame `reference` are in the frames 0..frames - 1: (frames, k, 2), nan where lost or not to be read.

    `picture(i)` gives a linear frame. Raises UserError where the reference frame cannot be read, or shows too little at a point.
    """
    out = np.full((frames, len(points), 2), np.nan)
    out[reference] = points
    first = picture(reference)
    start = Way(np.eye(3), np.eye(3))
    # both ways for all points at once, so that a frame is read once
    patterns = [about_point(first, p, half) for p in points]
    done = 1
    for order in (range(reference + 1, frames), range(reference - 1, -1, -1)):
        ways = [start] * len(points)
        for i in order:
            if progress is not None:
                progress.at(done, frames, "following the points")
            done += 1
            for k, pattern in enumerate(patterns):
                (found,), ways[k] = follow(pattern, picture, (i,), ways[k], reach)
                if not found.lost:
                    out[i, k] = moved_points(found.matrix, points[k])[0]
    return out
