"""Direct alignment where the light differs from place to place, as under glare that moves: before the reference and what is seen are
compared, both have their mean over a neighbourhood taken out and the same contrast given.

Both are taken over the same pixels of the surface, those that may be trusted so far, so that neither what lies beside it nor what passes
in front enters the means. Where all pixels are used, neighbourhoods are summed over cells of some of them. See core.motion.surface and
core.motion.fit.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cache
from typing import TypeVar

import cv2
import numpy as np
from numba import njit

from transmixis.core.motion import fit, slopes
from transmixis.core.types import Array

WINDOW = 15  # px of the frame across: wider, and the bend of a small glare is left over; narrower, and the texture is evened away
CELLS = 13  # of a level at least
ACROSS = 5  # cells to a window where all pixels are used: as good as one for every pixel, a ninth of the sums
GRAIN = 2e-3  # linear: contrast below this is noise
MOST_GAIN = 5.0
LONGER = 3.0  # times a step may be
KNOWN = 0.05  # weight about a pixel below which its surroundings are not known
MANY = 30_000  # pixels that are worth two threads
FLOAT = np.float32
LITTLE = FLOAT(0.01)  # of its weight keeps what shows nothing
T = TypeVar("T")


def in_parts(n: int, work: Callable[[slice], T]) -> list[T]:
    """Work on pixels 0..n; of many, each half on a thread of its own, as compiled work does not keep others waiting."""
    if n < MANY:
        return [work(slice(0, n))]
    half = n // 2
    other = _threads().submit(work, slice(half, n))
    return [work(slice(0, half)), other.result()]


@cache
def _threads() -> ThreadPoolExecutor:
    return ThreadPoolExecutor(2)


class Grid:
    """Where the pixels (rows, columns) of a level lie, in cells, so that neighbourhoods can be summed."""

    def __init__(self, ys: Array, xs: Array, stride: int, scale: float) -> None:
        self._ys, self._xs = (ys - ys.min()) // stride, (xs - xs.min()) // stride
        self.stride = stride
        wanted = round(WINDOW / (scale * stride))
        fine = wanted > CELLS
        self.cell = max(1, wanted // ACROSS) if fine else 1
        cells = ACROSS if fine else max(CELLS, wanted)
        self.window = cells + 1 - cells % 2
        rows, columns = self._ys // self.cell, self._xs // self.cell
        self.shape = (int(rows.max()) + 1, int(columns.max()) + 1)
        self.place = np.ascontiguousarray(rows * self.shape[1] + columns, np.int32)

    def lent(self, weights: Array, other: Grid) -> Array:
        """Weights (n,) of this grid for the pixels of a finer one over the same place."""
        table = np.zeros((int(self._ys.max()) + 1, int(self._xs.max()) + 1), np.float32)
        table[self._ys, self._xs] = weights
        by = self.stride // other.stride
        ys, xs = np.minimum(other._ys // by, table.shape[0] - 1), np.minimum(other._xs // by, table.shape[1] - 1)
        return np.asarray(table[ys, xs])

    def summed(self, sums: Array) -> Array:
        """Means of sums (cells, k) over the window about every cell."""
        table = sums.reshape(*self.shape, sums.shape[1])
        window = (self.window, self.window)
        return cv2.boxFilter(table, -1, window, borderType=cv2.BORDER_ISOLATED | cv2.BORDER_CONSTANT).reshape(sums.shape)


@dataclass(frozen=True)
class Looks:
    """Pixels of a surface: their `points` (n, 2) px of the reference and `own` places (n, 2) in the surface's units, `values` and slopes
    to the `right` and `down` (n, channels), and these `squares` (see core.motion.slopes)."""

    points: Array
    own: Array
    values: Array
    right: Array
    down: Array
    squares: Array


@dataclass(frozen=True)
class Fitted:
    """The matrix a fit ended with, weights (n,) of the pixels, the share of them that agree, normal equations, and both pictures evened
    (n, channels) each."""

    matrix: Array
    weights: Array
    share: float
    normal: Array
    seen: Array
    reference: Array


def rounds(
    spline: Array, there: Array, to_level: Array, matrix: Array, looks: Looks, grid: Grid, free: int,
    corners: Array, frame: Array, unit: Array, most: int, begin: float, largest: float, done: float, least: float,
    white: float, trusted: Array | None = None,
) -> Fitted | None:  # fmt: skip
    """As fit.rounds, for the first `free` moves. None where too little of it is inside of the frame. `white`: what is brighter has lost
    its detail; `trusted` (n,): weights as a coarser look has left them, so near that the normal equations need not be made again."""
    points, values = looks.points, looks.values
    n, channels = values.shape
    seen, inside = np.empty_like(values), np.empty(n, np.bool_)
    weights = np.ones(n, np.float32) if trusted is None else trusted
    one, two, size = np.empty_like(values), np.empty_like(values), np.empty(n, np.float32)
    cells = grid.shape[0] * grid.shape[1]
    sums, places = np.empty((cells, 3 + 2 * channels), np.float32), np.empty((cells, 2), np.float32)
    normal: Array | None = None
    kind = (0,) * channels
    wider, longer, last, share = begin, 1.0, None, 0.0
    for _ in range(most):
        here = to_level @ matrix
        looked = in_parts(n, lambda p: fit.look(spline, there, here, points[p], seen[p], inside[p], kind))  # noqa: B023
        if sum(looked) < least:
            return None
        _spread(seen, values, inside, weights, white, grid.place, sums, kind)
        means = _ratios(grid.summed(sums), channels)
        in_parts(n, lambda p: _evened(seen[p], values[p], inside[p], white, means, grid.place[p], one[p], two[p], size[p], kind))  # noqa: B023
        fit.tukey(size, inside, max(1.0, wider), weights)
        _spread_squares(size, weights, grid.place, places, float(channels))
        share = _lessen(grid.summed(places), places, grid.place, weights, means)
        if normal is None or trusted is None:
            made = in_parts(n, lambda p: slopes.moments(looks.squares[p], weights[p], looks.own[p]))
            normal = slopes.normal(sum(made), float(weights.sum()), free)
        answers = in_parts(
            n, lambda p: slopes.pull(one[p], two[p], weights[p], looks.right[p], looks.down[p], looks.own[p], kind)
        )
        step = np.linalg.solve(normal, sum(answers)[:free])
        if trusted is not None:
            longer = 1.0 if last is None else _longer(step, last, longer, normal)
            last, step = step, longer * step
        new = fit.stepped(matrix, step, frame, unit)
        off = fit.apart(new, matrix, corners)
        if off > largest:
            new = fit.stepped(matrix, step * (largest / off), frame, unit)
        matrix = new
        if not np.isfinite(matrix).all() or (off < done and wider <= 1):
            break
        wider *= 0.5
    assert normal is not None
    return Fitted(matrix, weights, share, normal, one, two)


def _longer(step: Array, last: Array, longer: float, normal: Array) -> float:
    """How many times as long a step should be as the normal equations say, from what the last one has left to be done: evening takes some
    of what a move changes away again, so that they promise more than a move gives."""
    size = float(last @ normal @ last)
    given = (1 - float(step @ normal @ last) / size) / longer if size > 0 else 1.0
    return float(np.clip(1 / given, 1.0, LONGER)) if given > 0 else LONGER


@njit(cache=True, nogil=True, fastmath=True)
def _spread(seen, values, inside, weights, white, place, sums, kind):  # type: ignore[no-untyped-def]
    """Weights, both pictures by them, and the squares of both, summed in cells. `kind`: as long as there are channels."""
    channels = len(kind)
    sums[:] = 0
    for k in range(len(place)):
        w = weights[k] if inside[k] else FLOAT(0)
        for c in range(channels):
            if seen[k, c] > white:
                w = FLOAT(0)
        if w == 0:
            continue
        here = sums[place[k]]
        here[0] += w
        a, b = FLOAT(0), FLOAT(0)
        for c in range(channels):
            s, t = seen[k, c], values[k, c]
            here[3 + c] += w * s
            here[3 + channels + c] += w * t
            a += s * s
            b += t * t
        here[1] += w * a
        here[2] += w * b


@njit(cache=True, nogil=True)
def _ratios(means, channels):  # type: ignore[no-untyped-def]
    """Of every cell's surroundings the gain that gives both the same contrast, the reference's contrast, and the means of both, in place
    of the sums; a weight of 0 where they are not known."""
    floor = channels * GRAIN * GRAIN
    for k in range(len(means)):
        here = means[k]
        w = here[0]
        if w < KNOWN:
            here[0] = 0
            continue
        a, b = here[1] / w, here[2] / w
        for c in range(channels):
            here[3 + c] /= w
            here[3 + channels + c] /= w
            a -= here[3 + c] ** 2
            b -= here[3 + channels + c] ** 2
        here[2] = max(b, 0.0)
        gain = np.sqrt((max(b, 0.0) + floor) / (max(a, 0.0) + floor))
        here[1] = min(max(gain, 1 / MOST_GAIN), MOST_GAIN)
    return means


@njit(cache=True, nogil=True, fastmath=True)
def _evened(seen, values, inside, white, means, place, one, two, size, kind):  # type: ignore[no-untyped-def]
    """What is seen with the reference's contrast, and the reference, both without their means, and how far they are apart; pixels without
    surroundings, and white ones, are taken out of `inside`."""
    channels = len(kind)
    for k in range(len(place)):
        here = means[place[k]]
        good = inside[k] and here[0] > 0
        for c in range(channels):
            good = good and seen[k, c] <= white
        inside[k] = good
        if not good:
            size[k] = 0
            for c in range(channels):
                one[k, c] = two[k, c] = 0
            continue
        total = FLOAT(0)
        for c in range(channels):
            s = here[1] * (seen[k, c] - here[3 + c])
            t = values[k, c] - here[3 + channels + c]
            one[k, c], two[k, c] = s, t
            total += (s - t) * (s - t)
        size[k] = np.sqrt(total / channels)


@njit(cache=True, nogil=True, fastmath=True)
def _spread_squares(size, weights, place, places, channels):  # type: ignore[no-untyped-def]
    places[:] = 0
    for k in range(len(place)):
        w = weights[k]
        if w > 0:
            here = places[place[k]]
            here[0] += w
            here[1] += w * channels * size[k] * size[k]


@njit(cache=True, nogil=True)
def _lessen(means, own, place, weights, ratios):  # type: ignore[no-untyped-def]
    """Weights by how far off things are in a neighbourhood as a whole, since under glare, or beside somebody who passes, all of it is less
    sure; and by how far off they are against what there is to see, since where both show nothing, nothing tells that they are the same.
    Gives the share of the pixels that agree."""
    usual, total = FLOAT(0), FLOAT(0)
    for k in range(len(means)):
        usual += own[k, 0] * means[k, 1]
        total += own[k, 0] * means[k, 0]
    usual = usual / max(total, FLOAT(1e-6)) + FLOAT(1e-12)
    for k in range(len(means)):
        here = means[k, 1] / max(means[k, 0], FLOAT(1e-3))
        near = FLOAT(2) * usual / (FLOAT(1.2) * usual + here)
        means[k, 0] = near**3 * max(LITTLE, FLOAT(1) - here / (ratios[k, 2] + usual))
        means[k, 1] = min(FLOAT(1), near)
    agreed = 0.0
    for k in range(len(place)):
        agreed += weights[k] * means[place[k], 1]
        weights[k] *= means[place[k], 0]
    return agreed / len(place)


def told(fitted: Fitted, looks: Looks, blocks: Array, count: int, free: int) -> tuple[float, Array]:
    """Correlation with the reference, and how each of `count` blocks (n,) of the surface pulls at every move, (count, free)."""
    kind = (0,) * fitted.seen.shape[1]
    pulls = slopes.pulls(fitted.seen, fitted.reference, fitted.weights, looks.right, looks.down, looks.own, blocks, count, kind)
    total = max(float(fitted.weights.sum()), 1e-9)
    sums = np.stack([fitted.weights @ fitted.seen, fitted.weights @ fitted.reference], 1).astype(np.float64)
    return float(fit.correlation(fitted.seen, fitted.reference, fitted.weights, sums, total)), pulls[:, :free]
