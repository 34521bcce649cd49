"""An outline of few points through a matte's border: as many as it takes to stay within a stated error."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree
from skimage.measure import find_contours

from transmixis.core.errors import UserError
from transmixis.core.roto.curve import drawn
from transmixis.core.types import Array, Matte

BEGIN, MOST = 6, 80  # points
LONG = 12.0  # px round: what is shorter is a speck
EVERY = 2  # of the border's places, which lie 0.7 px apart, are looked at
STEPS = 40  # places between two points at which the curve is compared
ROUNDS = 3


@dataclass(frozen=True)
class Fitted:
    """An outline's `points` (n, 2) px, whether it goes round a `hole`, and how far the border is off it: `mean` and `worst` px."""

    points: Array
    hole: bool
    mean: float
    worst: float


def fitted(matte: Matte, error: float = 0.75) -> tuple[Fitted, ...]:
    """The outlines round a matte (h, w), the longest first, each through so few points that its worst place is `error` px off, or MOST points. Raises
    UserError where nothing stands out."""
    return tuple(_through(r, error) for r in rings_of(matte))


def rings_of(matte: Matte) -> list[Array]:
    """The lines (m, 2) px round what stands out of a matte (h, w) by more than a half, and round its holes, the longest first. Raises UserError where
    nothing does."""
    padded = np.pad(np.asarray(matte, np.float64), 1)
    lines = find_contours(padded, 0.5)  # type: ignore[no-untyped-call]
    rings = [line[:-1, ::-1] - 0.5 for line in lines if len(line) > LONG]  # to px whose corner is 0; the padding is one pixel
    if not rings:
        raise UserError("There is nothing in the matte to draw an outline round.")
    return sorted(rings, key=len, reverse=True)


def is_hole(ring: Array) -> bool:
    """Whether a ring of `rings_of` goes round a hole: contours run the other way round what is darker."""
    x, y = ring.T
    return bool(x @ np.roll(y, -1) < y @ np.roll(x, -1))


def _through(ring: Array, error: float) -> Fitted:
    ring = ring[::EVERY]
    at = list(np.unique(np.linspace(0, len(ring), BEGIN, endpoint=False).astype(int)))
    off = _off(ring, at)
    while off.max() > error and len(at) < min(MOST, len(ring)):
        at = sorted({*at, int(off.argmax())})
        off = _off(ring, at)
    for _ in range(ROUNDS):
        fewer = _thinned(ring, at, error)
        if len(fewer) == len(at):
            break
        at = fewer
    off = _off(ring, at)
    return Fitted(ring[at], is_hole(ring), float(off.mean()), float(off.max()))


def _off(ring: Array, at: list[int]) -> Array:
    points = ring[at]
    line = drawn(points, np.zeros(len(points), bool), steps=STEPS)[0]
    return np.asarray(cKDTree(line).query(ring)[0])


def _thinned(ring: Array, at: list[int], error: float) -> list[int]:
    """Without those points that the curve stays within the error without."""
    out = list(at)
    for k in list(at):
        if len(out) <= 4:
            break
        rest = [i for i in out if i != k]
        if _off(ring, rest).max() <= error:
            out = rest
    return out
