"""Edges of the finished picture: does a dark or bright line stand between subject and background?"""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.matte.measure import region_box
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte, Rgb

FRINGE_LIMIT = 8.0  # % of the outline


def lightness(rgb: Array) -> Array:
    """CIE L* of linear colours."""
    y = np.maximum(luminance(rgb), 0)
    return np.where(y > 0.008856, 116 * np.cbrt(y) - 16, 903.3 * y).astype(np.float32)


def fringe_reading(result: Rgb, background: Rgb, alpha: Matte) -> Reading:
    """Share (%) of the outline whose lightness leaves the range between subject and background beside it by over 6 L*.

    The subject's range is taken from its opaque pixels within 0.8 % of the width, the background's from the plate
    behind; 6 L* is about twice the smallest step seen at an edge (common practice).
    """
    reach = max(3, round(0.008 * alpha.shape[1]))
    kernel = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    here, behind = cv2.GaussianBlur(lightness(result), (0, 0), 0.7), cv2.GaussianBlur(lightness(background), (0, 0), 0.7)
    solid = alpha > 0.98
    top = cv2.dilate(np.where(solid, here, -1e3).astype(np.float32), kernel)
    low = cv2.erode(np.where(solid, here, 1e3).astype(np.float32), kernel)
    band = (alpha > 0.08) & (alpha < 0.92) & (top > -500)
    if band.sum() < 100:
        return Reading("fringe", None, "%", FRINGE_LIMIT, note="no edge between subject and background")
    high, deep = np.maximum(top, behind), np.minimum(low, behind)
    bad = band & ((here > high + 6) | (here < deep - 6))
    return Reading("fringe", 100 * float(bad.sum()) / float(band.sum()), "%", FRINGE_LIMIT, spot=region_box(bad))
