"""What of a thing is left beside what was drawn round it: its shadow or reflection, found as what differs from the clean plate and hangs together with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Mask, Matte, Rgb

LEFT = 2.5  # 8-bit levels off the clean plate over a wide place: as a seam's, and a little, since light varies (judgement)
WIDE = 6.0  # px over which it is averaged: grain and texture that stands a fraction aside are gone then
TOUCHES, LEAST = 14, 300  # px from what must go, and px of its area
PASSES = 25  # px across that what passes in front is widened by: its blur and its own shadow are not of what must go
STIRS = 0.3  # where things move more, what differs is wind
SOFT = 8  # px that it is drawn wider by, softly


@dataclass(frozen=True)
class Beside:
    """A frame (h, w, 3), the clean plate `behind` in its light, and what passes in `front` of both."""

    frame: Rgb
    behind: Rgb
    front: Matte | None = None


def left_beside(
    frame: Rgb, behind: Rgb, hidden: Mask, moving: Array, front: Matte | None = None, near: Sequence[Beside] = ()
) -> tuple[Matte, float]:
    """What differs beside what is `hidden` (h, w): a soft matte (h, w) of it, and its most in levels; `behind` is the clean plate in the frame's light, `moving` (h, w) 0..1 where wind is. With frames `near` in
    time: what stays over all of them, for coding makes patches that do not."""
    bare = ~hidden & (moving < STIRS)
    off, total = np.zeros(frame.shape, np.float32), np.zeros(hidden.shape, np.float32)
    for one in (Beside(frame, behind, front), *near):
        seen = bare & (one.behind.max(axis=2) > 0)
        if one.front is not None:
            seen &= cv2.dilate((one.front > 0.01).astype(np.uint8), np.ones((PASSES, PASSES), np.uint8)) == 0
        a, b = (linear_to_srgb(np.clip(x, 0, 1)) * 255 for x in (one.frame, one.behind))
        off += (a - b) * seen[..., None]
        total += seen
    seen = total > 0
    total = np.asarray(cv2.GaussianBlur(total, (0, 0), WIDE), np.float32)
    wide_off = cv2.GaussianBlur(off, (0, 0), WIDE) / np.maximum(total, 1e-3)[..., None]
    size = np.abs(wide_off).max(axis=2)
    labels, count = ndimage.label((size > LEFT) & seen & (total / (1 + len(near)) > 0.3))
    about = cv2.dilate(hidden.astype(np.uint8), np.ones((2 * TOUCHES + 1, 2 * TOUCHES + 1), np.uint8)) > 0
    kept = [k for k in range(1, count + 1) if (labels == k).sum() >= LEAST and (about & (labels == k)).any()]
    found = np.isin(labels, kept)
    if not found.any():
        return np.zeros(hidden.shape, np.float32), 0.0
    wide = cv2.dilate(found.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * SOFT + 1, 2 * SOFT + 1)))
    return np.asarray(cv2.GaussianBlur(wide.astype(np.float32), (0, 0), SOFT / 2), np.float32), float(size[found].max())


def left_reading(found: Matte, most: float) -> Reading:
    """How much of a shadow or reflection is left beside the mend, levels."""
    if not (found > 0.5).any():
        return Reading("left beside", 0.0, "levels", LEFT)
    ys, xs = np.nonzero(found > 0.5)
    spot = (int(xs.min()), int(ys.min()), int(np.ptp(xs)) + 1, int(np.ptp(ys)) + 1)
    return Reading(
        "left beside",
        most,
        "levels",
        LEFT,
        spot=spot,
        note="a shadow or reflection of it, off the clean plate; it can be taken in",
    )
