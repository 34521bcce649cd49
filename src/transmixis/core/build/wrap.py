"""A background that goes all the way round: it comes in on one side as it leaves on the other, whole widths in a whole number of frames, smeared along its way."""

from __future__ import annotations

import math

import cv2
import numpy as np

from transmixis.core.build.place import placed
from transmixis.core.easing import cubic_bezier
from transmixis.core.types import Array


def way_at(t: float, frames: float, turns: float, width: float, eases: float) -> float:
    """Px gone `t` frames after its beginning: whole `turns` of `width` px in `frames`, `eases` 0..1 of it setting out and coming to rest."""
    share = min(max(t / max(frames, 1e-9), 0.0), 1.0)
    return turns * width * cubic_bezier(0.5 * eases, 0.0, 1 - 0.5 * eases, 1.0, share) if eases > 0 else turns * width * share


def wrapped(picture: Array, begin: float, end: float) -> Array:
    """A picture (h, w, c) that has gone from `begin` to `end` px to the right while the shutter was open, coming round at its sides."""
    h, w = picture.shape[:2]
    middle, length = (begin + end) / 2, abs(end - begin)
    whole = math.floor(middle)
    pad = min(math.ceil(length / 2) + 4, w)
    wide = np.concatenate([picture[:, w - pad :], picture, picture[:, :pad]], axis=1)
    wide = placed(
        np.ascontiguousarray(wide), np.array([[1, 0, middle - whole], [0, 1, 0], [0, 0, 1.0]]), (h, w + 2 * pad), "carry"
    )
    if length > 1e-3:
        wide = cv2.filter2D(wide, -1, _box(min(length, 2.0 * w)), borderType=cv2.BORDER_REPLICATE).reshape(wide.shape)
    return np.asarray(np.roll(wide[:, pad : pad + w], whole % w, axis=1))


def _box(length: float) -> Array:
    """(1, n) what a pixel is smeared over by a straight way of `length` px: a pixel's own width with it."""
    reach = math.ceil(length / 2 + 0.5)
    at = np.arange(-reach, reach + 1)
    cover = np.clip(np.minimum(at + 0.5, length / 2) - np.maximum(at - 0.5, -length / 2), 0, None)
    return np.asarray((cover / cover.sum())[None], np.float32)


def seam_of(picture: Array) -> float:
    """How far its two sides are from going on in each other: the step across over the median step between columns beside it."""
    columns = picture[..., :3].mean(axis=2)
    across = float(np.abs(columns[:, 0] - columns[:, -1]).mean())
    usual = float(np.median(np.abs(np.diff(columns, axis=1)).mean(axis=0)))
    return across / max(usual, 1e-6)
