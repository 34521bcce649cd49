"""Which of two backgrounds fits better at each place, told by how each lies beside what is hidden."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.types import Array, Mask, Matte, Rgb

ABOUT = 14.0  # px over which a background is judged
SURE = 2  # power: how decidedly the better one is taken
EVEN = 0.5  # 8-bit levels that both may be off before it matters which is taken
PASSES = 25  # px across that what passes in front is widened by


def better_by(frame: Rgb, one: Rgb, other: Rgb, hidden: Mask, front: Matte | None = None) -> Array:
    """(h, w) 0..1: how much of the `other` background (h, w, 3) is taken instead of `one`, in a `frame`, both in its light; told beside what is `hidden`, what is nearest to each place first."""
    seen = ~cv2.dilate(hidden.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(bool)
    if front is not None:
        seen &= cv2.dilate((front > 0.01).astype(np.uint8), np.ones((PASSES, PASSES), np.uint8)) == 0
    seen &= (one.max(axis=2) > 0) & (other.max(axis=2) > 0)
    weight = seen.astype(np.float32)
    shown = linear_to_srgb(np.clip(frame, 0, 1)) * 255
    off = []
    for p in (one, other):
        miss = cv2.GaussianBlur(
            np.square(shown - linear_to_srgb(np.clip(p, 0, 1)) * 255).mean(axis=2).astype(np.float32), (0, 0), 2
        )
        off.append(_nearest(miss, weight) + EVEN**2)
    a, b = (o**SURE for o in off)
    return np.asarray(a / (a + b), np.float32)


def _nearest(values: Array, weight: Array) -> Array:
    """The mean of what is seen about each place; where nothing is, of what is seen farther away."""
    total, part = np.zeros_like(values), np.zeros_like(values)
    for sigma, share in ((ABOUT, 1.0), (4 * ABOUT, 1e-3)):
        part += share * cv2.GaussianBlur(weight, (0, 0), sigma)
        total += share * cv2.GaussianBlur(values * weight, (0, 0), sigma)
    return np.asarray(total / np.maximum(part, 1e-9))
