"""Where points hold well: how surely a pattern about each place tells its own position, from the picture alone.

What a pattern tells is its structure tensor's smaller eigenvalue, summed over its pixels (Shi & Tomasi, 1994); with the grain's standard
deviation it foretells the error of its place along its weakest direction. Positions are (x, y) px, pixel centres at +0.5.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.types import Array

# px of foretold error: holds well, and hardly. It is what the grain alone makes; what changes from frame to frame makes the error of
# following several times as large (0.037 px beside 0.0043 foretold, 19 frames on, on the demo's station)
GOOD, POOR = 0.015, 0.08
APART = 1.5  # halves of a pattern between places that are offered
MOST = 40  # places that are offered
LEAST_GRAIN = 1e-3  # linear: what an 8-bit step leaves at middle grey (0.0033 over the root of 12)
SOFT = 0.7  # px: slopes are taken of the softened picture, as they are when it is followed
EDGE = 2  # px at the frame's border that slopes do not count in


@dataclass(frozen=True)
class Holds:
    """`error` (h // by, w // by) px foretold of a pattern about each place, `by` px of the frame for one of the map's; `best` (k, 3) x, y
    and error of places far enough from each other, the surest first."""

    error: Array
    by: int
    best: Array

    @property
    def nbytes(self) -> int:
        """Bytes held, for the cache."""
        return int(self.error.nbytes + self.best.nbytes) + 64


def grain_of(grey: Array) -> float:
    """Standard deviation of the grain of a linear picture (h, w): of what the neighbours do not foretell (Immerkaer, 1996), its median, so
    that edges do not count."""
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
    left = np.abs(cv2.filter2D(grey, -1, kernel)[1:-1, 1:-1])
    return max(float(np.median(left)) / 0.6745 / 6.0, LEAST_GRAIN) if left.size else LEAST_GRAIN


def holds(picture: Array, half: int, by: int = 4, barred: Array | None = None) -> Holds:
    """Of a picture (h, w, 3 or 4) linear, for square patterns of (2 half + 1) px; `barred` (h, w) is held out."""
    grey = np.ascontiguousarray(picture[..., :3].mean(axis=2), np.float32)
    error = foretold(grey, half)
    if barred is not None:
        error = np.where(barred > 0.1, np.inf, error)
    return Holds(error[by // 2 :: by, by // 2 :: by].astype(np.float32), by, _best(error, half))


def foretold(grey: Array, half: int) -> Array:
    """(h, w) px: standard deviation of the place of a pattern about each pixel along its weakest direction."""
    soft = cv2.GaussianBlur(grey, (0, 0), SOFT)
    right, down = cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8)
    for slope in (right, down):
        slope[:EDGE], slope[-EDGE:], slope[:, :EDGE], slope[:, -EDGE:] = 0, 0, 0, 0
    side = (2 * half + 1,) * 2
    xx, yy, xy = (
        cv2.boxFilter(a * b, cv2.CV_32F, side, normalize=False, borderType=cv2.BORDER_CONSTANT)
        for a, b in ((right, right), (down, down), (right, down))
    )
    least = (xx + yy) / 2 - np.sqrt(((xx - yy) / 2) ** 2 + xy**2)
    with np.errstate(divide="ignore"):
        return np.asarray(grain_of(grey) / np.sqrt(np.maximum(least, 1e-12)))


def _best(error: Array, half: int) -> Array:
    """Places that are surer than all about them, and whose pattern lies in the frame."""
    h, w = error.shape
    reach = max(3, int(APART * half)) | 1
    least = -cv2.dilate(-error.astype(np.float32), np.ones((reach, reach), np.uint8))
    ys, xs = np.nonzero((error <= least) & (error < POOR))
    inside = (xs >= half) & (ys >= half) & (xs < w - half) & (ys < h - half)
    ys, xs = ys[inside], xs[inside]
    order = np.argsort(error[ys, xs], kind="stable")[:MOST]
    return np.stack([xs[order] + 0.5, ys[order] + 0.5, error[ys[order], xs[order]]], 1).reshape(-1, 3)


def held_near(picture: Array, at: Sequence[float], half: int, within: float) -> tuple[Holds, float]:
    """As `holds`, of the part of a picture within so many px of a place alone, and the error px foretold at the place itself."""
    h, w = picture.shape[:2]
    room = within + 2 * half + EDGE
    (x0, y0), (x1, y1) = (np.clip(np.array(at) + d * room, 0, [w, h]).astype(int) for d in (-1, 1))
    if x1 - x0 < 2 * half + 1 or y1 - y0 < 2 * half + 1:
        return Holds(np.zeros((0, 0), np.float32), 1, np.zeros((0, 3))), float("inf")
    grey = np.ascontiguousarray(picture[y0:y1, x0:x1, :3].mean(axis=2), np.float32)
    error = foretold(grey, half)
    x, y = (int(np.clip(v, 0, n - 1)) for v, n in zip((at[0] - x0, at[1] - y0), (x1 - x0, y1 - y0), strict=True))
    return Holds(error, 1, _best(error, half) + np.array([x0, y0, 0.0])), float(error[y, x])


def neighbours(best: Array, at: Sequence[float], within: float, beside: float) -> Array:
    """(k, 3) of the places offered that lie within so many px of `at`, but not `beside` it; the surest first."""
    away = np.hypot(best[:, 0] - at[0], best[:, 1] - at[1])
    return np.asarray(best[(away <= within) & (away > beside)])
