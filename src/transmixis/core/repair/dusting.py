"""Taking dust out: where a spot only dims the picture its light is put back; where it hides it, it is filled from around."""

from __future__ import annotations

import cv2
import numpy as np
from skimage.restoration import inpaint_biharmonic

from transmixis.core.survey.dust import Spot
from transmixis.core.types import Array

HIDES = 0.5  # of the light: beyond it putting light back would lift the noise by more than a stop


def put_light_back(picture: Array, lack: Array, strength: float) -> Array:
    """`picture` (h, w, c) with the missing light (half-size natural log) put back."""
    h, w = picture.shape[:2]
    full = cv2.resize(lack, (w, h), interpolation=cv2.INTER_CUBIC)
    out = picture.copy()
    out[..., :3] = picture[..., :3] * np.exp(-strength * np.minimum(full, 0))[..., None]
    return out


def filled(picture: Array, spots: list[Spot], seed: int) -> Array:
    """The spots filled smoothly from their surroundings, with grain like that around, new on every frame."""
    out = picture.copy()
    h, w = picture.shape[:2]
    rng = np.random.default_rng(seed)
    for s in spots:
        r = 1.6 * s.radius + 2
        room = int(np.ceil(r)) + 6
        x0, x1, y0, y1 = (
            max(0, int(s.x) - room),
            min(w, int(s.x) + room + 1),
            max(0, int(s.y) - room),
            min(h, int(s.y) + room + 1),
        )
        part = out[y0:y1, x0:x1]
        yy, xx = np.mgrid[y0:y1, x0:x1]
        hole = np.hypot(xx - s.x, yy - s.y) <= r
        if hole.all() or not hole.any():
            continue
        calm = np.stack([cv2.GaussianBlur(np.ascontiguousarray(part[..., c]), (0, 0), 1.2) for c in range(part.shape[2])], -1)
        smooth = inpaint_biharmonic(calm.astype(np.float64), hole, channel_axis=-1)
        grain = (part - calm)[~hole]
        spread = 1.4826 * np.median(np.abs(grain), axis=0) * 1.15  # the blur kept a little of it
        new = smooth + rng.normal(0, 1, part.shape) * spread
        part[hole] = np.clip(new, part[~hole].min(axis=0), part[~hole].max(axis=0))[hole]
    return out
