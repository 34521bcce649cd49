"""A piece of background in the place and light of one frame, its anchor, and how it is laid into others."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.repair.parallax import aside
from transmixis.core.repair.wind import grid_of, read_grid
from transmixis.core.survey.clean_fit import light_over
from transmixis.core.types import Array, Mask, Rgb

ON_PIXEL = 1e-6  # px
FEW, SOFT = 60, 1.5  # pixels from which light is told at least; px over which their grain is taken down


@dataclass(frozen=True)
class Backing:
    """`picture` (h, w, 3) linear, what it shows; `count` (h, w) as how many frames each place counts, 0 where it is not known; `left`, `top` px of the anchor at
    which it begins; `law` (3, 2) the noise of one frame."""

    picture: Rgb
    count: Array
    left: int
    top: int
    law: Array

    @property
    def known(self) -> Mask:
        return np.asarray(self.count > 0)

    @cached_property
    def _inner(self) -> Mask:
        """What is known with its neighbours, so that nothing that is not has a part in it."""
        return np.asarray(cv2.erode(self.known.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=1) > 0)

    @cached_property
    def _spline(self) -> Splined:
        """What is not known carries on from what is, so that its border is no edge."""
        return Splined(np.ascontiguousarray(carried_on(self.picture, self.known)))

    def at(self, points: Array) -> tuple[Array, Array]:
        """What it shows (n, 3) at points (n, 2) px of the anchor, and as how many frames it counts there (n,), 0 where it is not known."""
        p = np.asarray(points, np.float64) - (self.left, self.top)
        values, inside = self._spline.at(p)
        whole = bool(np.abs(p - np.floor(p) - 0.5).max(initial=0.0) < ON_PIXEL)  # nothing is sampled between pixels
        there = inside & looked_up(self.known if whole else self._inner, p, False)
        count = looked_up(self.count, p, np.float32(0))
        return values, np.where(there, count, 0).astype(np.float32)


def looked_up(picture: Array, points: Array, beyond: Any) -> Array:
    """The px of a picture (h, w) that points (n, 2) lie in; `beyond` outside of it."""
    h, w = picture.shape
    x, y = (np.floor(points[:, k]).astype(np.int64) for k in (0, 1))
    inside = (x >= 0) & (y >= 0) & (x < w) & (y < h)
    out = np.full(len(points), beyond, picture.dtype)
    out[inside] = picture[y[inside], x[inside]]
    return out


def carried_on(picture: Rgb, known: Mask) -> Rgb:
    """The picture with what is not known as the nearest that is."""
    if known.all() or not known.any():
        return picture
    _, nearest = cv2.distanceTransformWithLabels((~known).astype(np.uint8), cv2.DIST_L2, 3, labelType=cv2.DIST_LABEL_PIXEL)
    values = np.zeros((int(nearest.max()) + 1, picture.shape[2]), np.float32)
    values[nearest[known]] = picture[known]
    return np.asarray(np.where(known[..., None], picture, values[nearest]))


def brought_in(
    backing: Backing, matrix: Array, frame: Rgb, hidden: Mask, where: Mask, depths: bool = False, told: Array | None = None
) -> tuple[Rgb, Array]:
    """The backing as it lies in a frame (h, w, 3) by `matrix` (anchor px to its px), in its light as told from what is not `hidden`: (h, w, 3) and as how many frames
    it counts (h, w), both 0 but `where` it is looked at. `depths`: what is nearer and farther is laid
    aside by flow, as it is seen in this frame alone; `told` (2, gh, gw): as it was told on the anchor's grid, from all of them."""
    behind, many = _laid(backing, matrix, where, None)
    seen = (many > 0) & ~hidden
    gain = light_of(behind, frame, seen)
    model = None if told is None else _in_frame(backing, matrix, hidden.shape, told)
    u = aside(behind * gain, frame, seen, model) if depths else None
    if u is not None:
        behind, many = _laid(backing, matrix, where, u)
        gain = light_of(behind, frame, (many > 0) & ~hidden)
    return behind * gain, many


def _in_frame(backing: Backing, matrix: Array, shape: tuple[int, ...], told: Array) -> Array:
    """What is `told` (2, gh, gw) on the anchor's grid, on a frame's own."""
    x, y = grid_of((shape[0], shape[1]))
    at = np.stack([x.ravel() + 0.5, y.ravel() + 0.5], 1)
    places = moved_points(np.linalg.inv(matrix), at)
    lies = moved_points(matrix, places + read_grid(told, places - (backing.left, backing.top)))
    return np.asarray((lies - at).T.reshape(2, *x.shape))


def _laid(backing: Backing, matrix: Array, where: Mask, u: Array | None) -> tuple[Rgb, Array]:
    """The backing in a frame, each px from `u` (2, h, w) px aside."""
    y, x = np.nonzero(where)
    at = np.stack([x + 0.5, y + 0.5], 1)
    if u is not None:
        at = at + u[:, y, x].T
    places = moved_points(np.linalg.inv(matrix), at)
    values, count = backing.at(places)
    behind, many = np.zeros((*where.shape, 3), np.float32), np.zeros(where.shape, np.float32)
    behind[y, x], many[y, x] = values, count
    return behind, many


def light_of(behind: Rgb, frame: Rgb, seen: Mask) -> Array:
    """(3,) the light of a frame over what is laid behind it, told where both are `seen`; 1 where it cannot be told."""
    seen = seen & (behind.min(axis=2) > 0)
    found = light_over(behind, frame, seen)
    if found is not None:
        return np.exp2(found[0]).astype(np.float32)
    inner = cv2.erode(seen.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=0) > 0
    if inner.sum() < FEW:
        return np.ones(3, np.float32)
    weight = seen.astype(np.float32)  # too narrow for cells: pixel by pixel, the grain taken down by their neighbours
    soft = [cv2.GaussianBlur(np.ascontiguousarray(p * weight[..., None]), (0, 0), SOFT) for p in (behind, frame)]
    a, b = (s[inner] for s in soft)
    lit = (np.minimum(a, b).min(axis=1) > 1e-3) & (frame[inner].max(axis=1) < 0.95)
    return np.asarray(np.median(b[lit] / a[lit], axis=0), np.float32) if lit.sum() >= FEW else np.ones(3, np.float32)
