"""Mattes joined, grown and softened; and the colour of a thing at its soft edge, for mattes that did not come from a screen."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from scipy.spatial import cKDTree
from skimage.measure import find_contours

from transmixis.core.matte.convolve import fill_unknown
from transmixis.core.matte.edges import shrink_matte
from transmixis.core.roto.joined import meet, union, without
from transmixis.core.types import Array, Matte, Rgb

NEAR, WIDE = (2.0, 6.0, 18.0, 54.0), (1.5, 4.5)  # px: over what a colour is carried to the edge, at first and then
FAR = 1e6  # px: where there is no border
SOLID = 0.98  # alpha from which a pixel's colour is the thing's own


@dataclass(frozen=True)
class Joined:
    """What is joined to a first matte, all (h, w): `adds` come to it, it is kept `within`, `takes` are taken away; of `core`s it is solid, `inset` px
    inside their border so that their own edge does not show."""

    adds: Sequence[Matte] = field(default=())
    within: Sequence[Matte] = field(default=())
    takes: Sequence[Matte] = field(default=())
    cores: Sequence[Matte] = field(default=())
    inset: float = 0.0


def joined_mattes(first: Matte, more: Joined) -> Matte:
    """The first matte with all that is joined to it, in this order: cores, what comes to it, what it is kept within, what is taken away."""
    out = first
    for m in more.cores:
        out = np.maximum(out, shrink_matte(m, more.inset) if more.inset else m)  # the same thing: what both cover counts once
    for m in more.adds:
        out = union(out, m)
    for m in more.within:
        out = meet(out, m)
    for m in more.takes:
        out = without(out, m)
    return np.asarray(out, np.float32)


def border_distance(alpha: Matte, reach: float = np.inf) -> Array:
    """Distance (h, w) px of every pixel's middle from where the matte passes a half: above 0 inside, below outside; up to `reach`, beyond it that.

    The border is the half's contour through the pixels' middles (Lorensen & Cline, 1987, in the plane), so it lies where the pixels' own values say.
    """
    inside = alpha >= 0.5
    lines = find_contours(np.asarray(alpha, np.float64), 0.5)  # type: ignore[no-untyped-call]
    if not lines:
        return np.where(inside, min(float(reach), FAR), -min(float(reach), FAR))
    near = cKDTree(np.concatenate([_filled(line) for line in lines]))
    out = np.full(alpha.shape, min(float(reach), FAR))
    about = np.ones_like(inside) if np.isinf(reach) else _within(inside, reach)
    out[about] = np.minimum(near.query(np.argwhere(about), distance_upper_bound=reach)[0], min(reach, FAR))
    return np.where(inside, out, -out)


def _filled(line: Array) -> Array:
    """A contour's places with one between each two, so that they lie half a pixel apart at most."""
    return np.concatenate([line, (line[1:] + line[:-1]) / 2])


def _within(inside: Array, reach: float) -> Array:
    k = int(np.ceil(reach)) + 1
    solid = inside.astype(np.uint8)
    near_in = cv2.distanceTransform(solid, cv2.DIST_L2, 5) <= k
    return np.asarray(near_in & (cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) <= k))


def feathered(alpha: Matte, inward: float, outward: float) -> Matte:
    """A border (h, w) that goes from 1 at `inward` px inside to 0 at `outward` px outside, smoothly, by true distance; it takes the place of the matte's own
    edge. Both 0: the matte as it is."""
    if inward + outward <= 0:
        return alpha
    t = np.clip((border_distance(alpha, inward + outward + 1) + outward) / (inward + outward), 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def edge_cleaned(frame: Rgb, alpha: Matte, rounds: int = 2) -> Rgb:
    """The premultiplied colour (h, w, 3) of the thing alone. Colours of thing and background are carried into the soft edge from either side, then
    brought to explain each pixel (Forte: Approximate Fast Foreground Colour Estimation, 2021)."""
    soft = (alpha > 0) & (alpha < SOLID)
    if not soft.any():
        return (frame * alpha[..., None]).astype(np.float32)
    a = alpha[..., None]
    inside, outside = (alpha > SOLID).astype(np.float32), (alpha < 1 - SOLID).astype(np.float32)
    front, back = (fill_unknown(frame, m + 1e-4 * w, NEAR) for m, w in ((inside, alpha), (outside, 1 - alpha)))
    for _ in range(rounds):
        rest = frame - a * front - (1 - a) * back
        share = a**2 + (1 - a) ** 2
        front, back = front + rest * a / share, back + rest * (1 - a) / share
        front = np.clip(_settled(front, alpha), 0, None)
        back = np.clip(_settled(back, 1 - alpha), 0, None)
    rest = frame - a * front - (1 - a) * back
    front = np.clip(front + rest * a / (a**2 + (1 - a) ** 2), 0, None)
    return np.where(soft[..., None], a * front, a * frame).astype(np.float32)


def _settled(colour: Array, weight: Array) -> Array:
    return fill_unknown(colour.astype(np.float32), np.maximum(weight, 1e-3).astype(np.float32), WIDE)
