"""A surface straightened by its track, as the test of it: what is followed well stands still."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.build.place import placed
from transmixis.core.motion.features import coded8
from transmixis.core.types import Array

BORDER = 0.06  # of the box that is shown about it
SEEN = 0.02  # of phase correlation's answer below which nothing is told


def straightened(picture: Array, matrix: Array, corners: Array, width: int) -> tuple[Array, float]:
    """The surface with `corners` (k, 2) px of the reference as it lies there, out of a frame in which `matrix` lays it: a picture
    `width` px wide, and how many px of it are one of the reference."""
    low, high = corners.min(axis=0), corners.max(axis=0)
    edge = BORDER * (high - low)
    low, high = low - edge, high + edge
    scale = width / max(float(high[0] - low[0]), 1.0)
    height = max(1, round(scale * float(high[1] - low[1])))
    onto = np.array([[scale, 0, -scale * low[0]], [0, scale, -scale * low[1]], [0, 0, 1.0]])
    return placed(np.ascontiguousarray(picture[..., :3], np.float32), onto @ np.linalg.inv(matrix), (height, width)), scale


def slid(one: Array, two: Array) -> float | None:
    """px that a straightened picture lies beside another, by phase correlation (Kuglin & Hines, 1975); None where it cannot be told."""
    greys = [cv2.cvtColor(coded8(p), cv2.COLOR_RGB2GRAY).astype(np.float32) for p in (one, two)]
    if min(g.std() for g in greys) < 1.0:
        return None
    window = cv2.createHanningWindow((greys[0].shape[1], greys[0].shape[0]), cv2.CV_32F)
    (x, y), answer = cv2.phaseCorrelate(greys[0], greys[1], window)
    return float(np.hypot(x, y)) if answer > SEEN else None
