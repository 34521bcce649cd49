"""The shadow of a matte on flat ground: cast by the light's direction, softer the farther it lies from what casts it, in the colour of the plate's own shadows; and the darkening where things touch.

The matte stands upright over its foot line; a place `h` px above it throws its shadow `h` times `length` px along the light's way on the ground, seen from the camera's height.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.build.place import sampled_at
from transmixis.core.types import Array, Mask, Matte, Rgb

SUN = 0.533  # degrees across (common practice; the Sun's mean diameter, from memory)
STEPS = 10  # heights between whose softness a shadow is blended
LEAST = 0.3  # px of spread that shows
FLAT = 0.01  # of its height: ground that is seen from its edge
LEAST_PIXELS = 60
ROUNDISH = 2.0  # times as much one way as the other: less lies along nothing


@dataclass(frozen=True)
class Cast:
    """How a shadow falls. `foot` (x, y) px where it stands; `right` and `down`: px that its shadow goes in the picture for each px of its height (down below zero: away from the camera);
    `disc` (2, 2): from a disc of radius 1 to the ellipse px over which the light's own width spreads it, for each px of height."""

    foot: tuple[float, float]
    right: float
    down: float
    disc: tuple[tuple[float, float], tuple[float, float]] = ((0.005, 0.0), (0.0, 0.005))


def cast_of(foot: tuple[float, float], azimuth: float, elevation: float, tilt: float, width: float = SUN) -> Cast:
    """The shadow of a light at `elevation` degrees above the ground that comes from `azimuth` degrees (0 from the right, 90 from behind what stands there, 270 from the camera's side; anticlockwise as seen from
    above), seen by a camera that looks down on the ground by `tilt` degrees; `width`: degrees that the light is across."""
    up, a, t = math.radians(min(max(elevation, 1.0), 89.9)), math.radians(azimuth), math.radians(min(max(tilt, 0.5), 89.0))
    away = np.array([-math.cos(a), -math.sin(a)])  # on the ground: to the right, and away from the camera
    aside = np.array([away[1], -away[0]])
    seen = np.array([[1, 0], [0, -math.sin(t)]])  # ground to picture, y down
    tall = 1 / math.cos(t)  # an upright px of height is that much on the ground
    right, down = seen @ away * tall / math.tan(up)
    reach = tall / math.sin(up) * math.radians(width) / 2  # of the light's edge, across its way
    disc = seen @ np.stack([away * reach / math.sin(up), aside * reach], 1)
    return Cast(foot, float(right), float(down), ((float(disc[0, 0]), float(disc[0, 1])), (float(disc[1, 0]), float(disc[1, 1]))))


def drawn_cast(foot: tuple[float, float], tip: tuple[float, float], top: tuple[float, float], soft: float) -> Cast:
    """The shadow that leads from the `foot` to the `tip`, which is that of the matte's `top`, all px; `soft`: px of its edge for each px of height, on the ground as in the picture."""
    tall = max(foot[1] - top[1], 1.0)
    return Cast(foot, (tip[0] - top[0]) / tall, (tip[1] - foot[1]) / tall, ((soft / 2, 0.0), (0.0, soft / 2)))


def top_of(matte: Matte) -> tuple[float, float] | None:
    """Where a matte's highest place lies, px; None if it is empty."""
    rows = np.flatnonzero((matte > 0.5).any(axis=1))
    if not len(rows):
        return None
    return float(np.flatnonzero(matte[rows[0]] > 0.5).mean()) + 0.5, float(rows[0])


def foot_of(matte: Matte) -> tuple[float, float] | None:
    """Where a matte stands: the middle of its lowest rows, px; None if it is empty."""
    rows = np.flatnonzero((matte > 0.5).any(axis=1))
    if not len(rows):
        return None
    return float(np.nonzero(matte[max(rows[-1] - 2, 0) : rows[-1] + 1] > 0.5)[1].mean()) + 0.5, float(rows[-1]) + 1


def lies_along(shadow: Matte) -> float | None:
    """Degrees 0..180 (as seen, 0 across, 90 upright) along which a shadow lies: of its longest extent; None if it is round or too small."""
    ys, xs = np.nonzero(shadow > 0.5)
    if len(xs) < LEAST_PIXELS:
        return None
    sizes, ways = np.linalg.eigh(np.cov(np.stack([xs, -ys])))
    if sizes[1] < ROUNDISH * sizes[0]:
        return None
    return float(np.degrees(np.arctan2(ways[1, 1], ways[0, 1])) % 180)


def shadow_of(matte: Matte, cast: Cast) -> Matte:
    """(h, w) 0..1 how much of the light the matte takes from the ground, seen in the picture."""
    h, w = matte.shape
    back = np.linalg.inv(ground_matrix(cast))
    yy, xx = np.mgrid[0:h, 0:w] + 0.5
    u = back[0, 0] * xx + back[0, 1] * yy + back[0, 2]
    v = back[1, 0] * xx + back[1, 1] * yy + back[1, 2]
    height = cast.foot[1] - v  # px above the foot of what casts the shadow there
    laid = sampled_at(np.ascontiguousarray(matte[..., None]), np.stack([u, v], 2))[..., 0]
    laid = np.where(height > 0, np.clip(laid, 0, 1), 0).astype(np.float32)
    tall = max(float(cast.foot[1] - _top(matte)), 1.0)
    place = np.clip(height / tall * STEPS, 0, STEPS)
    out: Matte = np.zeros((h, w), np.float32)
    for k in range(STEPS + 1):
        share = np.clip(1 - np.abs(place - k), 0, 1).astype(np.float32)
        if share.any():
            out += share * _spread(laid, np.asarray(cast.disc) * tall * k / STEPS)
    return np.clip(out, 0, 1)


def ground_matrix(cast: Cast) -> Array:
    """(3, 3) from a place of the upright matte to where its shadow lies in the picture."""
    y0 = cast.foot[1]
    down = cast.down if abs(cast.down) > FLAT else math.copysign(FLAT, cast.down)  # ground seen from its edge
    return np.array([[1, -cast.right, cast.right * y0], [0, -down, y0 + down * y0], [0, 0, 1.0]])


def _spread(x: Array, disc: Array) -> Array:
    """Spread over the ellipse to which a disc of light leads."""
    reach = np.sqrt((disc**2).sum(axis=1))  # of the ellipse along x and y
    if reach.max() < LEAST:
        return x
    rx, ry = (math.ceil(float(r)) + 1 for r in reach)
    fine = 5
    offs = (np.arange(fine) + 0.5) / fine - 0.5
    yy, xx = np.mgrid[-ry : ry + 1, -rx : rx + 1].astype(np.float64)
    floor = disc @ disc.T + np.eye(2) * 0.25**2  # a thin one is a quarter of a pixel wide at least
    inverse = np.linalg.inv(floor)
    kernel = np.zeros(xx.shape)
    for dy in offs:
        for dx in offs:
            p, q = xx + dx, yy + dy
            kernel += (inverse[0, 0] * p * p + 2 * inverse[0, 1] * p * q + inverse[1, 1] * q * q) <= 1
    if kernel.sum() <= 0:
        return x
    return np.asarray(cv2.filter2D(x, -1, (kernel / kernel.sum()).astype(np.float32), borderType=cv2.BORDER_CONSTANT))


def _top(matte: Matte) -> float:
    rows = np.flatnonzero((matte > 0.02).any(axis=1))
    return float(rows[0]) if len(rows) else 0.0


def contact(matte: Matte, reach: float) -> Matte:
    """(h, w) 0..1 how dark it is close under a matte: falls to nothing `reach` px below and beside its lower border."""
    if reach <= 0:
        return np.zeros(matte.shape, np.float32)
    solid = (matte > 0.5).astype(np.uint8)
    below = np.zeros_like(solid)
    below[1:] = solid[:-1] & (1 - solid[1:])  # the first pixel under it
    if not below.any():
        return np.zeros(matte.shape, np.float32)
    away = cv2.distanceTransform(1 - below, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(np.clip(1 - away / reach, 0, 1) ** 2, np.float32)


def shadow_colour(plate: Rgb, shaded: Mask, lit: Mask) -> Array | None:
    """(3,) what is left of each colour in the plate's own shadows: the median in `shaded` over that in `lit`, of the same ground; None if either is too small."""
    if shaded.sum() < LEAST_PIXELS or lit.sum() < LEAST_PIXELS:
        return None
    dark, light = (np.median(np.maximum(plate[m], 1e-5), axis=0) for m in (shaded, lit))
    return np.asarray(np.clip(dark / np.maximum(light, 1e-5), 0, 1))


def shaded(picture: Array, shadow: Matte, colour: Array) -> Array:
    """The picture with a shadow laid on it: where it is whole, `colour` (3,) of the light is left."""
    out = np.array(picture, np.float32)
    out[..., :3] *= 1 - shadow[..., None] * (1 - np.asarray(colour, np.float32))
    return out
