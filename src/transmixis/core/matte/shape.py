"""A garbage matte: a closed shape, filled with soft edges."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from transmixis.core.types import Array, Matte

SUB = 4  # samples across a pixel
Point = tuple[float, float]


def fill_shape(points: Sequence[Point], height: int, width: int, feather: float = 0.0) -> Matte:
    """Fill a closed polygon of (x, y) px with pixel centres at +0.5; antialiased, then feathered by a gaussian, px."""
    matte: Matte = np.zeros((height, width), np.float32)
    p = np.asarray(points, np.float64).reshape(-1, 2)
    if len(p) >= 3:
        x0, y0 = (int(np.clip(v, 0, m)) for v, m in zip(np.floor(p.min(axis=0)), (width, height), strict=True))
        x1, y1 = (int(np.clip(v, 0, m)) for v, m in zip(np.ceil(p.max(axis=0)), (width, height), strict=True))
        if x1 > x0 and y1 > y0:
            matte[y0:y1, x0:x1] = _covered(p - (x0, y0), y1 - y0, x1 - x0)
    return np.asarray(cv2.GaussianBlur(matte, (0, 0), feather)) if feather > 0 else matte


def _covered(points: Array, height: int, width: int) -> Matte:
    """How much of each pixel a polygon covers, from SUB x SUB samples."""
    fine = np.zeros((height * SUB, width * SUB), np.uint8)
    # the filler counts the first sample's centre as 0, and takes in the samples that its border runs through
    cv2.fillPoly(fine, [np.round((points * SUB - 0.5) * 16).astype(np.int32)], 255, cv2.LINE_8, 4)
    return np.asarray(cv2.resize(fine, (width, height), interpolation=cv2.INTER_AREA) / np.float32(255), np.float32)


def hull_around(matte: Matte, margin: float, most: int = 12) -> list[Point]:
    """A simple closed shape around what is in `matte`, `margin` px away; at most about `most` points. Empty if nothing is."""
    mask: Array = (matte > 0.1).astype(np.uint8)
    mask = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    points = cv2.findNonZero(mask)
    if points is None:
        return []
    hull = cv2.convexHull(points).reshape(-1, 2).astype(np.float64) + 0.5
    centre = hull.mean(axis=0)
    out = hull + margin * (hull - centre) / np.maximum(np.linalg.norm(hull - centre, axis=1, keepdims=True), 1e-6)
    eps = 1.0
    while len(out) > most and eps < 200:
        out = cv2.approxPolyDP(np.float32(out).reshape(-1, 1, 2), eps, True).reshape(-1, 2).astype(np.float64)
        eps *= 1.5
    return [(round(float(x), 1), round(float(y), 1)) for x, y in out]
