"""A lens told from edges that are straight in truth: they are seen bent, and the bend that makes all of them straight is the lens's.

Plumb lines (Brown, 1971). What is left over is measured in the frame as it was recorded, px: a straight line is laid through the straightened
edge and bent again, so that no bend seems good by merely shrinking the picture.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage, optimize

from transmixis.core.errors import UserError
from transmixis.core.motion.fit import MEDIAN
from transmixis.core.motion.lens import Lens
from transmixis.core.motion.sampling import Splined
from transmixis.core.types import Array

EVERY = 4.0  # px between the places of an edge
ASIDE, FINE = 7.0, 0.25  # px to either side of a stroke that an edge is looked for, and steps
SMOOTH = 4.0  # places along a stroke, of gaussian: a hand trembles
SOFT = 1.2  # px of gaussian before slopes are taken
CLEAR = 0.25  # of the stroke's clearest place that an edge must be
FEWEST = 12  # places of an edge
LONG = 0.25  # of the frame's width that all edges together must be long at least
MOST = 0.9  # of k1 and k2 that is tried
SURE = 0.3  # px: what is left over is weighed so that single places off do not pull (soft L1)
SECOND = 3  # edges from which the second term is told too


@dataclass(frozen=True)
class Straight:
    """The lens, and how far the edges were off straight without it and are with it, px rms in the frame as recorded; `edges` used."""

    lens: Lens
    before: float
    after: float
    edges: int


def edges_along(picture: Array, strokes: Sequence[Array]) -> list[Array]:
    """(n, 2) px places of the clearest edge beside each stroke (k, 2) in a linear picture, of those that have one."""
    grey = cv2.GaussianBlur(np.ascontiguousarray(picture[..., :3].mean(axis=2), np.float32), (0, 0), SOFT)
    spline = Splined(np.sqrt(np.maximum(grey, 0)))  # as it is seen: dark edges count as bright ones do
    return [e for e in (_edge(spline, s) for s in strokes) if len(e)]


def off_all(lens: Lens, edges: Sequence[Array]) -> float | None:
    """px rms that edges are off straight under a lens; None where there are none."""
    return float(np.sqrt(np.mean(np.concatenate([off_straight(lens, e) for e in edges]) ** 2))) if len(edges) else None


def _edge(spline: Splined, stroke: Array) -> Array:
    at, aside = _even(stroke)
    if len(at) < 2:
        return np.zeros((0, 2))
    steps = np.arange(-ASIDE, ASIDE + FINE / 2, FINE)
    looks = at[:, None] + steps[None, :, None] * aside[:, None]
    values, inside = spline.at(looks.reshape(-1, 2))
    slope = np.abs(np.gradient(values[:, 0].reshape(len(at), -1), axis=1))
    slope[~inside.reshape(len(at), -1)] = 0
    k = np.argmax(slope[:, 1:-1], axis=1) + 1
    rows = np.arange(len(at))
    a, b, c = slope[rows, k - 1], slope[rows, k], slope[rows, k + 1]
    bend = a - 2 * b + c
    part = np.where(bend < 0, 0.5 * (a - c) / np.where(bend < 0, bend, 1), 0.0)
    good = (b > CLEAR * b.max(initial=0.0)) & (b > 0) & (k > 1) & (k < len(steps) - 2)
    off = (steps[k] + part * FINE)[good]
    return _without_strays(at[good], aside[good], off)


def _even(stroke: Array) -> tuple[Array, Array]:
    """Places EVERY px along a stroke, and the way aside at each."""
    p = np.asarray(stroke, np.float64).reshape(-1, 2)
    far = np.r_[0, np.cumsum(np.hypot(*np.diff(p, axis=0).T))]
    if len(p) < 2 or far[-1] < 2 * EVERY:
        return np.zeros((0, 2)), np.zeros((0, 2))
    t = np.arange(0, far[-1], EVERY)
    at = np.stack([np.interp(t, far, p[:, i]) for i in (0, 1)], 1)
    along = np.gradient(ndimage.gaussian_filter1d(at, SMOOTH, axis=0, mode="nearest"), axis=0)
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    return at, np.stack([-along[:, 1], along[:, 0]], 1)


def _without_strays(at: Array, aside: Array, off: Array) -> Array:
    """Places of the edge, without those that lie beside the smooth curve of the others."""
    places = at + off[:, None] * aside
    for _ in range(3):
        if len(places) < FEWEST:
            return np.zeros((0, 2))
        middle = places.mean(axis=0)
        way = np.linalg.svd(places - middle, full_matrices=False)[2]
        u, v = ((places - middle) @ w for w in way)
        left = v - np.polyval(np.polyfit(u, v, 3), u)
        keep = np.abs(left) <= max(3 * MEDIAN * float(np.median(np.abs(left))), 0.15)
        if keep.all():
            break
        places = places[keep]
    return places if len(places) >= FEWEST else np.zeros((0, 2))


def off_straight(lens: Lens, edge: Array) -> Array:
    """(n,) px that places of an edge lie beside a line that is straight in truth, as the lens sees it."""
    if len(edge) == 0:
        return np.zeros(0)
    flat = lens.straightened(edge)
    middle = flat.mean(axis=0)
    along = np.linalg.svd(flat - middle, full_matrices=False)[2][0]
    line = middle + ((flat - middle) @ along)[:, None] * along
    beside = np.array([-along[1], along[0]])
    seen = lens.seen(line)
    return np.asarray(np.hypot(*(edge - seen).T) * np.sign((flat - line) @ beside))


def lens_of_edges(edges: Sequence[Array], focal: float, size: tuple[int, int]) -> Straight:
    """The bend, for a focal length px and a frame of `size` (h, w), that makes edges (n, 2) px straight. Raises UserError where they do
    not tell it."""
    used = [np.asarray(e, np.float64) for e in edges if len(e) >= FEWEST]
    length = sum(float(np.ptp(e, axis=0).max()) for e in used)
    if not used or length < LONG * size[1]:
        raise UserError(
            "The edges drawn are too few or too short to tell how the lens bends; draw along long straight edges near the frame's border."
        )
    middle = (size[1] / 2, size[0] / 2)

    def lens(terms: Array) -> Lens:
        return Lens(focal, middle, float(terms[0]), float(terms[1]) if len(terms) > 1 else 0.0)

    def left(terms: Array) -> Array:
        out = np.concatenate([off_straight(lens(terms), e) for e in used])
        return np.where(np.isfinite(out), out, 1e3)

    terms = 2 if len(used) >= SECOND else 1
    made = optimize.least_squares(left, np.zeros(terms), loss="soft_l1", f_scale=SURE, bounds=(-MOST, MOST), x_scale=0.1)
    found = lens(made.x)
    found.checked(size)
    before, after = (float(np.sqrt((left(t) ** 2).mean())) for t in (np.zeros(terms), made.x))
    return Straight(found, before, after, len(used))
