"""Where things move in a view that stands still as a whole: told by whether carrying a picture along its flow brings it nearer to another than leaving it does."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from transmixis.core.types import Array

MOVES = 0.08  # px: what flow makes of grain alone is about a third of it
SMOOTH = 6.0  # px: over which flow is looked at
WINDOW = 3.0  # px: over which pictures are compared
GAIN = (1.2, 1.6)  # times the error that carrying takes away: sampling alone takes up to 1.13 times of grain's
HARM = (1.1, 1.3)  # times the error that it brings
EDGE, RIM = 11, 0.05  # px across from which a border is kept away, and what it still counts
NEAR, SAYS = 8.0, 0.3  # px about a place that tells where it does not itself, and how much that counts beside its own word


def where_moves(off: Sequence[tuple[Array, Array]], flows: Sequence[Array], seen: Array) -> Array:
    """(h, w) 0..1 where things move. `off`: for some frames the squared error (h, w) left as it stands and carried along; `flows` (2, h, w) px by which; `seen` (h, w)
    0..1 what counts."""
    size = np.sqrt(_over(np.mean([(u * u).sum(axis=0) for u in flows], axis=0), seen, SMOOTH))
    stands, carried = (_over(np.mean([o[k] for o in off], axis=0), seen, WINDOW) + 1e-12 for k in (0, 1))
    by_size = np.clip(size / MOVES - 1, 0, 1)
    moves = _ramp(stands / carried, GAIN) * by_size * seen
    rests = np.maximum(_ramp(carried / stands, HARM), 1 - by_size) * seen
    about = [cv2.GaussianBlur(np.asarray(v, np.float32), (0, 0), NEAR) for v in (moves, rests)]
    for_, against = (v + SAYS * a for v, a in zip((moves, rests), about, strict=True))
    return np.asarray(for_ / np.maximum(for_ + against, 1e-6), np.float32)


def _ramp(x: Array, between: tuple[float, float]) -> Array:
    return np.asarray(np.clip((x - between[0]) / (between[1] - between[0]), 0, 1), np.float32)


def _over(x: Array, seen: Array, sigma: float) -> Array:
    part = cv2.GaussianBlur(np.asarray(seen, np.float32), (0, 0), sigma)
    return np.asarray(cv2.GaussianBlur(np.asarray(x * seen, np.float32), (0, 0), sigma) / np.maximum(part, 1e-3))


def inner(moving: Array) -> Array:
    """What of it tells how it moves: less at its border, where something that stands begins, as long as there is anything within."""
    within = cv2.erode(np.asarray(moving, np.float32), np.ones((EDGE, EDGE), np.uint8))
    return np.asarray(RIM * moving + (1 - RIM) * within, np.float32)
