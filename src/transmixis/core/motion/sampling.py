"""Values of a picture at any positions, by cubic B-splines (Unser, 1999), with slopes that are exact for the spline.

Positions are (x, y) px, pixel centres at +0.5. Beyond the border there is nothing: such samples say so.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from scipy import ndimage

from transmixis.core.types import Array


class Splined:
    """A picture (h, w, c) ready to be sampled."""

    def __init__(self, picture: Array) -> None:
        p = np.asarray(picture, np.float32)
        p = p[..., None] if p.ndim == 2 else p
        self.height, self.width = p.shape[:2]
        planes = [ndimage.spline_filter(p[..., c], order=3, output=np.float32, mode="mirror") for c in range(p.shape[2])]
        self._spline = np.ascontiguousarray(np.stack(planes, -1))

    def at(self, points: Array) -> tuple[Array, Array]:
        """Values (n, c) float32 at `points` (n, 2), and which of them lie in the picture (n,)."""
        p = np.ascontiguousarray(points, np.float64)
        out = np.zeros((len(p), self._spline.shape[2]), np.float32)
        inside = np.zeros(len(p), np.bool_)
        _sample(self._spline, p, out, inside)
        return out, inside

    def slopes(self, points: Array) -> tuple[Array, Array]:
        """Derivatives to the right and downwards (n, c) at `points`, per px; zero outside."""
        p = np.ascontiguousarray(points, np.float64)
        right = np.zeros((len(p), self._spline.shape[2]), np.float32)
        down = np.zeros_like(right)
        _slope(self._spline, p, right, down)
        return right, down


@njit(inline="always")
def _weights(t):  # type: ignore[no-untyped-def]
    u = 1 - t
    return u * u * u / 6, (4 - 6 * t * t + 3 * t * t * t) / 6, (1 + 3 * t + 3 * t * t - 3 * t * t * t) / 6, t * t * t / 6


@njit(inline="always")
def _leanings(t):  # type: ignore[no-untyped-def]
    u = 1 - t
    return -u * u / 2, (3 * t * t - 4 * t) / 2, (1 + 2 * t - 3 * t * t) / 2, t * t / 2


@njit(inline="always")
def _folded(i, n):  # type: ignore[no-untyped-def]
    """An index folded back at the borders, as the spline was made."""
    if i < 0:
        i = -i
    if i >= n:
        i = 2 * (n - 1) - i
    return min(max(i, 0), n - 1)


@njit(cache=True, nogil=True)
def _sample(spline, points, out, inside):  # type: ignore[no-untyped-def]
    h, w, channels = spline.shape
    for k in range(len(points)):
        x, y = points[k, 0] - 0.5, points[k, 1] - 0.5
        if not (-0.5 <= x <= w - 0.5 and -0.5 <= y <= h - 0.5):
            continue
        inside[k] = True
        i, j = int(np.floor(x)), int(np.floor(y))
        wx, wy = _weights(x - i), _weights(y - j)
        for c in range(channels):
            total = 0.0
            for n in range(4):
                row = _folded(j - 1 + n, h)
                for m in range(4):
                    total += wy[n] * wx[m] * spline[row, _folded(i - 1 + m, w), c]
            out[k, c] = total


@njit(cache=True, nogil=True)
def _slope(spline, points, right, down):  # type: ignore[no-untyped-def]
    h, w, channels = spline.shape
    for k in range(len(points)):
        x, y = points[k, 0] - 0.5, points[k, 1] - 0.5
        if not (-0.5 <= x <= w - 0.5 and -0.5 <= y <= h - 0.5):
            continue
        i, j = int(np.floor(x)), int(np.floor(y))
        wx, wy, dx, dy = _weights(x - i), _weights(y - j), _leanings(x - i), _leanings(y - j)
        for c in range(channels):
            across, along = 0.0, 0.0
            for n in range(4):
                row = _folded(j - 1 + n, h)
                for m in range(4):
                    v = spline[row, _folded(i - 1 + m, w), c]
                    across += wy[n] * dx[m] * v
                    along += dy[n] * wx[m] * v
            right[k, c], down[k, c] = across, along
