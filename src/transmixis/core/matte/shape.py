"""A garbage matte: a closed shape, filled with soft edges."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numba import njit

from transmixis.core.types import Array, Matte

SUB = 8  # lines of a pixel on which its cover is counted
Point = tuple[float, float]


def fill_shape(points: Sequence[Point] | Array, height: int, width: int, feather: float = 0.0) -> Matte:
    """Fill a closed polygon of (x, y) px with pixel centres at +0.5; antialiased, then feathered by a gaussian, px."""
    matte: Matte = np.zeros((height, width), np.float32)
    p = np.asarray(points, np.float64).reshape(-1, 2)
    if len(p) >= 3:
        x0, y0 = (int(np.clip(v, 0, m)) for v, m in zip(np.floor(p.min(axis=0)), (width, height), strict=True))
        x1, y1 = (int(np.clip(v, 0, m)) for v, m in zip(np.ceil(p.max(axis=0)), (width, height), strict=True))
        if x1 > x0 and y1 > y0:
            part = np.zeros((y1 - y0, x1 - x0))
            _fill(p - (x0, y0), part)
            matte[y0:y1, x0:x1] = np.minimum(part, 1)
    return np.asarray(cv2.GaussianBlur(matte, (0, 0), feather)) if feather > 0 else matte


@njit(cache=True, nogil=True)
def _fill(points, out):  # type: ignore[no-untyped-def]
    """Add to `out` (h, w) how much of each pixel a closed polygon covers, even and odd parts in turn: exact along a line, on SUB lines
    a pixel. A filler that takes in every sample which its border runs through would make the shape an eighth of a pixel larger."""
    h, w = out.shape
    n = len(points)
    at = np.empty(n)
    for row in range(h * SUB):
        y = (row + 0.5) / SUB
        count = 0
        for k in range(n):
            x0, y0 = points[k]
            x1, y1 = points[(k + 1) % n]
            if (y0 <= y) != (y1 <= y):
                at[count] = x0 + (y - y0) * (x1 - x0) / (y1 - y0)
                count += 1
        at[:count].sort()
        for k in range(0, count - 1, 2):
            a, b = max(at[k], 0.0), min(at[k + 1], float(w))
            if b <= a:
                continue
            i, j = int(a), min(int(b), w - 1)
            line = out[row // SUB]
            if i == j:
                line[i] += (b - a) / SUB
                continue
            line[i] += (i + 1 - a) / SUB
            for x in range(i + 1, j):
                line[x] += 1.0 / SUB
            line[j] += (b - j) / SUB


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
