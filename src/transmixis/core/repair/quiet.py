"""A picture without its grain, so that none is copied where it would stand still or be doubled."""

from __future__ import annotations

import cv2
import numpy as np
from skimage.restoration import denoise_nl_means

from transmixis.core.repair.fine import CELL
from transmixis.core.types import Array, Rgb

ALIKE = 0.7  # deviations of the noise: how unlike places may be that are averaged


def quietened(picture: Rgb, law: Array, far: int = 7) -> tuple[Rgb, Array]:
    """Means of places that look alike (Buades, Coll, Morel, 2005), looked for `far` px about each, where the noise is as strong everywhere: the picture, and the share (h, w) of
    its noise that is left: much where there is texture. `law` (3, 2) is its noise."""
    slope, base = np.maximum(law[:, 0], 1e-7), law[:, 1]
    even = (2 / slope * np.sqrt(np.maximum(picture * slope + base, 1e-9))).astype(np.float32)  # deviation 1 (Anscombe, 1948)
    quiet = denoise_nl_means(even, patch_size=5, patch_distance=far, h=ALIKE, sigma=1.0, fast_mode=True, channel_axis=2)
    taken = cv2.GaussianBlur(np.square(even - quiet).mean(axis=2), (0, 0), CELL)
    return ((np.square(quiet * slope / 2) - base) / slope).astype(np.float32), np.clip(1 - taken, 0, 1)
