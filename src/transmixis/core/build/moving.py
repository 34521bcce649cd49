"""Motion blur of what is placed: the mean over the time that the shutter is open, along the way that it really goes.

The way is cut into looks within which every corner moves alike to a fraction of a pixel; each look is smeared by the way of its middle, exactly as
a moving pixel would be, so that a straight move takes one look however fast it is.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from itertools import pairwise

import cv2
import numpy as np

from transmixis.core.build.place import Edge, placed
from transmixis.core.motion.motion import moved_points, through
from transmixis.core.types import Array

UNLIKE = 2.0  # px that corners may move apart of each other within a look: its rms is under a level against 256 moments
FINEST = 64  # steps by which that is told
MOST = 96  # looks
FINE = 8  # looks at the way a pixel of it, for the smear within a look
SMALL = 1e-3  # of a pixel: no way at all
LONGEST = 4096  # px of way in one look that is still smeared

Way = Callable[[float], Array]  # time in frames from now, to the matrix (3 x 3) from picture to frame px


def between(before: Array, now: Array, after: Array, about: Array, t: float) -> Array:
    """The matrix at `t` frames from now (-1..1), by the places `about` (4, 2) on their way through where they are in the three frames: curved, but
    never back before a start from rest or beyond a stop."""
    here = moved_points(now, about)
    came, goes = here - moved_points(before, about), moved_points(after, about) - here
    speed = (came + goes) / 2
    size = np.hypot(*speed.T)
    most = 2 * np.minimum(np.hypot(*came.T), np.hypot(*goes.T))
    speed = speed * np.where(size > most, most / np.maximum(size, 1e-12), 1.0)[:, None]
    step = goes if t >= 0 else -came
    return through(about, here + t * speed + t * t * (step - math.copysign(1.0, t) * speed))


def placed_moving(
    picture: Array, before: Array, now: Array, after: Array, size: tuple[int, int], shutter: float, edge: Edge = "clear"
) -> Array:
    """`picture` (h, w, c) laid by `now` into a frame of `size` (h, w), smeared by its way from `before` to `after` while a shutter of
    `shutter` degrees, centred on the frame, is open."""
    if all(np.allclose(m, now, atol=1e-9) for m in (before, after)):
        return placed(picture, now, size, edge)
    corners = corners_of(picture)
    return smeared(picture, lambda t: now if t == 0 else between(before, now, after, corners, t), size, shutter, edge)


def corners_of(picture: Array) -> Array:
    """(4, 2) px of its corners, clockwise."""
    h, w = picture.shape[:2]
    return np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)


def smeared(picture: Array, way: Way, size: tuple[int, int], shutter: float, edge: Edge = "clear") -> Array:
    """`picture` (h, w, c) in a frame of `size` (h, w), smeared along its `way` while a shutter of `shutter` degrees, centred on the frame, is open."""
    share = shutter / 360
    if share <= 0:
        return placed(picture, way(0.0), size, edge)
    corners = corners_of(picture)
    looks = looks_needed(corners, way, share)
    if looks == 1 and _length(way, corners, -share / 2, share / 2) < SMALL:
        return placed(picture, way(0.0), size, edge)
    total: Array = np.zeros((*size, picture.shape[2]), np.float32)
    for k in range(looks):
        begin, end = share * (k / looks - 0.5), share * ((k + 1) / looks - 0.5)
        _add_look(total, picture, way, begin, end, edge)
    return np.asarray(total / np.float32(looks))


def looks_needed(corners: Array, way: Way, share: float) -> int:
    """How many looks there must be so that within each all corners move alike."""
    at = [moved_points(way(float(t)), corners) for t in np.linspace(-share / 2, share / 2, FINEST + 1)]
    apart = np.zeros(len(corners))
    for a, b in pairwise(at):
        step = b - a
        apart += np.hypot(*(step - step.mean(axis=0)).T)
    most = float(apart.max())
    return int(np.clip(np.ceil(most / UNLIKE), 1, MOST)) if np.isfinite(most) else MOST


def _length(way: Way, corners: Array, begin: float, end: float) -> float:
    return float(np.hypot(*(moved_points(way(end), corners) - moved_points(way(begin), corners)).T).max())


def _add_look(total: Array, picture: Array, way: Way, begin: float, end: float, edge: Edge) -> None:
    """One look: the picture as it lies in the middle of it, smeared by the way of its own middle; only where it can come."""
    middle = (begin + end) / 2
    corners = corners_of(picture)
    centre = corners.mean(axis=0)
    kernel, reach = _trail(way, centre, begin, end)
    h, w = total.shape[:2]
    here = moved_points(way(middle), corners)
    x0, y0, x1, y1 = 0, 0, w, h
    if edge == "clear" and _before_the_eye(way(middle), corners):
        pad = reach + 3
        x0, y0 = (max(0, math.floor(v) - pad) for v in here.min(axis=0))
        x1, y1 = min(w, math.ceil(here[:, 0].max()) + pad), min(h, math.ceil(here[:, 1].max()) + pad)
        if x1 <= x0 or y1 <= y0:
            return
    # what comes from beside the frame within the look is drawn too
    shift = np.array([[1, 0, reach - x0], [0, 1, reach - y0], [0, 0, 1.0]])
    made = placed(picture, shift @ way(middle), (y1 - y0 + 2 * reach, x1 - x0 + 2 * reach), edge)
    if reach:
        made = cv2.filter2D(made, -1, kernel, borderType=cv2.BORDER_REPLICATE).reshape(made.shape)
        made = made[reach:-reach, reach:-reach]
    total[y0:y1, x0:x1] += made


def _before_the_eye(matrix: Array, corners: Array) -> bool:
    depth = corners @ matrix[2, :2] + matrix[2, 2]
    return bool((depth > 1e-6).all() or (depth < -1e-6).all())


def _trail(way: Way, centre: Array, begin: float, end: float) -> tuple[Array, int]:
    """The kernel of the way of a place about where it is in the middle, and its half width px."""
    here = moved_points(way((begin + end) / 2), centre)[0]
    rough = np.array([moved_points(way(float(t)), centre)[0] for t in np.linspace(begin, end, 9)])
    length = float(np.hypot(*np.diff(rough, axis=0).T).sum())
    if not np.isfinite(length) or length < SMALL or length > LONGEST:
        return np.ones((1, 1), np.float32), 0
    count = max(9, math.ceil(length * FINE))
    times = begin + (end - begin) * (np.arange(count) + 0.5) / count
    exact = np.array([moved_points(way(float(t)), centre)[0] for t in _few(times)])
    few = _few(times)
    off = np.stack([np.interp(times, few, exact[:, c]) for c in (0, 1)], 1) - here
    reach = math.ceil(float(np.abs(off).max())) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1))
    # filter2D correlates: what comes from the left is looked for on the left
    x, y = reach - off[:, 0], reach - off[:, 1]
    i, j = np.floor(x).astype(int), np.floor(y).astype(int)
    u, v = x - i, y - j
    for dx, dy, share in ((0, 0, (1 - u) * (1 - v)), (1, 0, u * (1 - v)), (0, 1, (1 - u) * v), (1, 1, u * v)):
        np.add.at(kernel, (j + dy, i + dx), share)
    return (kernel / kernel.sum()).astype(np.float32), reach


def _few(times: Array) -> Array:
    """So many of the times that a curved way is met to a thousandth of a pixel between them."""
    return times if len(times) <= 65 else np.linspace(times[0], times[-1], 65)


def asked_blur(way: Way, about: Array, shutter: float) -> float:
    """Px of the way of the places `about` (k, 2), in the mean, while a shutter of `shutter` degrees is open: what its speed asks for."""
    share = shutter / 360
    at: Sequence[Array] = [moved_points(way(float(t)), about) for t in np.linspace(-share / 2, share / 2, 17)]
    return float(sum(np.hypot(*(b - a).T).mean() for a, b in pairwise(at)))
