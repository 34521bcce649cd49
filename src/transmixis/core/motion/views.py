"""A pattern beside itself in another frame: as it looked in its reference, as it looks here laid back onto that, and what is left."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.types import Array

LEFT_TIMES = 3.0  # as strong as it is what is left is shown


@dataclass(frozen=True)
class Views:
    """`reference` and `found` (n, n, 3) linear, the latter with the light of the former; `left` (n, n, 3) their difference, LEFT_TIMES as
    strong, about a middle grey that is as bright as the pattern. `found` is None where it is not known."""

    reference: Array
    found: Array | None = None
    left: Array | None = None


def pattern_views(
    reference: Array, at: Array, half: int, picture: Array | None = None, matrix: Array | None = None
) -> Views | None:
    """Of the (2 half + 1) px about `at` (2,) of `reference` (h, w, 3), and of where `matrix` lays them in `picture`; None where most of
    the pattern lies outside of its reference."""
    n = 2 * half + 1
    steps = np.arange(n) - half
    xs, ys = np.meshgrid(float(at[0]) + steps, float(at[1]) + steps)
    places = np.stack([xs.ravel(), ys.ravel()], 1)
    own, there = _sampled(reference, places)
    if there.mean() < 0.5:
        return None
    pattern = own.reshape(n, n, -1)
    if picture is None or matrix is None:
        return Views(pattern)
    seen, inside = _sampled(picture, moved_points(matrix, places))
    both = there & inside
    if both.sum() < len(both) / 4:
        return Views(pattern)
    lit = np.empty_like(seen)
    for c in range(seen.shape[1]):  # its light as in the reference: gain and offset, as it is followed
        gain, offset = _line(seen[both, c], own[both, c])
        lit[:, c] = gain * seen[:, c] + offset
    grey = float(own[both].mean())
    left = np.where(both[:, None], grey + LEFT_TIMES * (lit - own), grey)
    return Views(pattern, _clipped(lit, n), _clipped(left, n))


def places_about(at: Array, half: int) -> Array:
    """(k, 2) the whole px about one place (2,), or those of a grid inside three and more (m, 2), as many."""
    at = np.asarray(at, np.float64).reshape(-1, 2)
    steps = np.arange(-half, half + 1)
    if len(at) < 3:
        xs, ys = np.meshgrid(*(at.mean(axis=0)[:, None] + steps))
        return np.stack([xs.ravel(), ys.ravel()], 1)
    low, high = at.min(axis=0), at.max(axis=0)
    xs, ys = np.meshgrid(*(low[:, None] + (high - low)[:, None] * (steps + half) / (2 * half)))
    places = np.stack([xs.ravel(), ys.ravel()], 1)
    hull = cv2.convexHull(at.astype(np.float32))
    return places[[cv2.pointPolygonTest(hull, (float(x), float(y)), False) >= 0 for x, y in places]]


def likeness(reference: Array, picture: Array, matrix: Array, places: Array) -> float | None:
    """Correlation of `places` (k, 2) of `reference` with where `matrix` lays them in `picture`, each channel's light taken out; None where
    less than half of them is seen, or they show nothing."""
    own, there = _sampled(reference, places)
    seen, inside = _sampled(picture, moved_points(matrix, places))
    both = there & inside
    if not len(both) or both.mean() < 0.5:
        return None
    a, b = own[both] - own[both].mean(axis=0), seen[both] - seen[both].mean(axis=0)
    size = float(np.sqrt((a**2).sum() * (b**2).sum()))
    return float((a * b).sum()) / size if size > 1e-9 else None


def _sampled(picture: Array, places: Array) -> tuple[Array, Array]:
    """Values (k, 3) at places of a picture, and which of them lie in it; only the part about them is made ready."""
    h, w = picture.shape[:2]
    low, high = np.floor(places.min(axis=0)).astype(int) - 8, np.ceil(places.max(axis=0)).astype(int) + 8
    (x0, y0), (x1, y1) = np.clip(low, 0, [w, h]), np.clip(high, 0, [w, h])
    if x1 - x0 < 8 or y1 - y0 < 8:
        return np.zeros((len(places), 3), np.float32), np.zeros(len(places), np.bool_)
    part = np.ascontiguousarray(picture[y0:y1, x0:x1, :3], np.float32)
    values, inside = Splined(part).at(places - [x0, y0])
    return np.asarray(values), np.asarray(inside, np.bool_)


def _line(x: Array, y: Array) -> tuple[float, float]:
    """Gain and offset that lead from x to y best; a gain that is no light's is not used."""
    spread = float(np.var(x))
    gain = float(np.cov(x, y, bias=True)[0, 1]) / spread if spread > 1e-12 else 1.0
    gain = gain if 0.2 < gain < 5 else 1.0
    return gain, float(y.mean() - gain * x.mean())


def _clipped(values: Array, n: int) -> Array:
    return np.asarray(np.maximum(values, 0).reshape(n, n, -1), np.float32)
