"""An outline that was drawn, laid on the border of a matte: its points keep their identities and, as far as the border lets them, their order
along it and the distances between them; where its curve would leave the border, points are added."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.linalg import lstsq
from scipy.linalg import solve
from scipy.spatial import cKDTree

from transmixis.core.matte.outline import Mark, at_places, with_point, xy
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.fitted import MOST, STEPS, is_hole
from transmixis.core.types import Array

EVERY = 0.5  # px between the border's places
ROUNDS = 12
CLOSEST = 40
SWING = 0.2  # of its size, or radians, in one round
EVEN = 0.5  # how much the distances along count beside being near: between 0.2 and 2 little changes (seen on turned ellipses)
FAR = 0.25  # of the outline's own length: a border that lies further off in the mean is not its


@dataclass(frozen=True)
class Laid:
    """The outline's `marks` on the border, and how far the border is off its curve: `mean` and `worst` px."""

    marks: tuple[Mark, ...]
    mean: float
    worst: float


def nearest_ring(marks: Sequence[Mark], rings: Sequence[Array], hole: bool) -> int | None:
    """The ring that an outline is nearest to, of those round holes or round what is there; None if all are too far away."""
    line = xy(marks)
    size = float(np.hypot(*(np.roll(line, -1, axis=0) - line).T).sum())
    told = []
    for k, ring in enumerate(rings):
        if is_hole(ring) == hole:
            there, back = cKDTree(ring).query(line)[0].mean(), cKDTree(line).query(ring)[0].mean()
            told.append((float(there + back) / 2, k))
    best = min(told, default=(np.inf, -1))
    return best[1] if best[0] < FAR * size else None


def laid(marks: Sequence[Mark], corner: Array, ring: Array, error: float = 0.75, taken: Sequence[int] = ()) -> Laid:
    """A closed outline laid on a border `ring` (m, 2) px. Points are added, round ones, until its worst place is `error` px off, or there are MOST; none gets
    an identity of `taken`."""
    points = xy(marks)
    ring = _evenly(ring if _turning(points) * _turning(ring) > 0 else ring[::-1])
    at = _along(_over(points, np.asarray(corner, bool), ring), ring)
    out, sharp = at_places(marks, _read(ring, at)), np.asarray(corner, bool)
    off = _off(out, sharp, ring)
    while off.max() > error and len(out) < MOST:
        k = int(off.argmax())
        before = int(
            np.where(at <= k, at, at - len(ring)).argmax()
        )  # the last one behind which the place lies, round the ring's beginning
        out = with_point(out, before, float(ring[k, 0]), float(ring[k, 1]), taken)
        at, sharp = np.insert(at, before + 1, k), np.insert(sharp, before + 1, False)
        off = _off(out, sharp, ring)
    return Laid(out, float(off.mean()), float(off.max()))


def _turning(line: Array) -> float:
    """Twice the area, signed by the way round."""
    x, y = line.T
    return float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def _over(points: Array, corner: Array, ring: Array) -> Array:
    """The points moved, turned and sized so that their curve comes to lie over the ring as well as that can be: iterated closest points, each drawn to the
    ring's tangent (Chen & Medioni, 1992), so that the outline may slide along it."""
    line, first = drawn(points, corner, steps=4)[0], points
    tree = cKDTree(ring)
    before = float(tree.query(line)[0].mean())
    ahead = np.roll(ring, -3, axis=0) - np.roll(ring, 3, axis=0)
    normal = np.stack([ahead[:, 1], -ahead[:, 0]], 1) / np.maximum(np.hypot(*ahead.T), 1e-9)[:, None]
    for _ in range(CLOSEST):
        k = tree.query(line)[1]
        n, middle = normal[k], line.mean(axis=0)
        d = line - middle
        rows = np.stack([n[:, 0], n[:, 1], (n * d).sum(axis=1), n[:, 1] * d[:, 0] - n[:, 0] * d[:, 1]], 1)
        dx, dy, grows, turns = lstsq(rows, (n * (ring[k] - line)).sum(axis=1), rcond=None)[0]
        grows, turns = np.clip((grows, turns), -SWING, SWING)
        turned = np.array([[1 + grows, -turns], [turns, 1 + grows]])
        line, points = d @ turned.T + middle + (dx, dy), (points - middle) @ turned.T + middle + (dx, dy)
        if abs(dx) + abs(dy) + (abs(grows) + abs(turns)) * np.ptp(line) < 0.05:
            break
    return points if float(tree.query(line)[0].mean()) < before else first


def _evenly(ring: Array) -> Array:
    """The ring's places EVERY px apart."""
    closed = np.vstack([ring, ring[:1]])
    way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, way[-1], max(8, round(way[-1] / EVERY)), endpoint=False)
    return np.stack([np.interp(at, way, closed[:, c]) for c in range(2)], 1)


def _read(ring: Array, at: Array) -> Array:
    """Places (n, 2) of the ring at indices that need not be whole."""
    m = len(ring)
    k = np.floor(at).astype(int)
    t = (at - k)[:, None]
    return np.asarray((1 - t) * ring[k % m] + t * ring[(k + 1) % m])


def _along(points: Array, ring: Array) -> Array:
    """(n) where on the ring each point comes to lie, as an index 0..m: near to it, in their order, about as far apart along it as they are."""
    m, n = len(ring), len(points)
    closed = np.vstack([points, points[:1]])
    steps = np.hypot(*np.diff(closed, axis=0).T)
    steps *= m / max(float(steps.sum()), 1e-9)  # places of the ring from each point to the next
    own = np.concatenate([[0.0], np.cumsum(steps)[:-1]])
    starts = np.arange(0, m, max(1, m // 200))
    far = [float(np.square(_read(ring, own + o) - points).sum()) for o in starts]
    at = own + float(starts[int(np.argmin(far))])
    window = np.arange(-(m // 8), m // 8 + 1)
    stiff = EVEN * (np.eye(n) * 2 - np.roll(np.eye(n), 1, 0) - np.roll(np.eye(n), -1, 0))
    pull = EVEN * (np.roll(steps, 1) - steps)
    pull[0] -= EVEN * m  # the ring closes: from the last point on to the first it is m less
    pull[-1] += EVEN * m
    for _ in range(ROUNDS):
        near = at[:, None] + window
        places = _read(ring, near.ravel()).reshape(n, len(window), 2)
        wanted = near[np.arange(n), np.hypot(*(places - points[:, None]).transpose(2, 0, 1)).argmin(axis=1)]
        new = solve(np.eye(n) + stiff, wanted + pull, assume_a="pos")
        if float(np.abs(new - at).max()) < 0.2:
            break
        at = new
    return np.asarray(np.maximum.accumulate(at) % m)


def _off(marks: Sequence[Mark], corner: Array, ring: Array) -> Array:
    """(m) px that the ring's places lie off the curve through the points."""
    return np.asarray(cKDTree(drawn(xy(marks), corner, steps=STEPS)[0]).query(ring)[0])
