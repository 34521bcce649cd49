"""Moving and softening the edge of a matte by fractions of a pixel."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.types import Matte


def edge_adjust(alpha: Matte, shrink: float, soften: float) -> Matte:
    """Shrink (px, negative grows) and soften (px, sigma) a matte; the input is unchanged."""
    out = alpha if shrink == 0 else shrink_matte(alpha, shrink)
    if soften > 0:
        out = np.asarray(cv2.GaussianBlur(out, (0, 0), soften))
    return out


def shrink_matte(alpha: Matte, px: float) -> Matte:
    """Move the edge inwards by `px` (may be a fraction; negative moves it out).

    Whole pixels are the lowest value in a disc's reach (grey erosion); the fraction mixes the two whole steps beside
    it, so a straight ramp moves by exactly the fraction.
    """
    whole, rest = int(abs(px)), abs(px) - int(abs(px))
    step = cv2.erode if px > 0 else cv2.dilate
    near = alpha if whole == 0 else np.asarray(step(alpha, _disc(whole)))
    if rest == 0:
        return near.astype(np.float32)
    far = step(alpha, _disc(whole + 1))
    return ((1 - rest) * near + rest * far).astype(np.float32)


def _disc(r: int) -> np.ndarray:
    yy, xx = np.mgrid[-r : r + 1, -r : r + 1]
    return np.asarray(xx**2 + yy**2 <= (r + 0.3) ** 2, np.uint8)
