"""Values of a picture at any positions, by cubic B-splines (Unser, 1999), with slopes that are exact for the spline.

Positions are (x, y) px, pixel centres at +0.5. Beyond the border there is nothing: such samples say so.
"""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from transmixis.core.types import Array


class Splined:
    """A picture (h, w, c) ready to be sampled."""

    def __init__(self, picture: Array) -> None:
        p = np.asarray(picture, np.float32)
        p = p[..., None] if p.ndim == 2 else p
        self.height, self.width = p.shape[:2]
        self.spline = _filtered(p)

    def at(self, points: Array) -> tuple[Array, Array]:
        """Values (n, c) float32 at `points` (n, 2), and which of them lie in the picture (n,)."""
        p = np.ascontiguousarray(points, np.float64)
        out = np.zeros((len(p), self.spline.shape[2]), np.float32)
        inside = np.zeros(len(p), np.bool_)
        _sample(self.spline, p, out, inside)
        return out, inside

    def slopes(self, points: Array) -> tuple[Array, Array]:
        """Derivatives to the right and downwards (n, c) at `points`, per px; zero outside."""
        p = np.ascontiguousarray(points, np.float64)
        right = np.zeros((len(p), self.spline.shape[2]), np.float32)
        down = np.zeros_like(right)
        _slope(self.spline, p, right, down)
        return right, down

    def pixels(self, ys: Array, xs: Array) -> tuple[Array, Array, Array]:
        """Values and derivatives to the right and downwards (n, c) in the middle of pixels (rows, columns)."""
        values = np.empty((len(ys), self.spline.shape[2]), np.float32)
        right, down = np.empty_like(values), np.empty_like(values)
        _pixels(self.spline, ys, xs, values, right, down)
        return values, right, down


POLE = np.float32(np.sqrt(3.0) - 2.0)
LAST = np.float32(POLE / (POLE * POLE - 1))
GAIN = np.float32(6)
FAR = 14  # px: what lies further weighs less than 1e-8


def _filtered(p: Array) -> Array:
    """Coefficients of the cubic spline through the pixels (h, w, c), mirrored at the border pixels."""
    h, w, c = p.shape
    out = np.array(p, np.float32, order="C")
    if out.size:
        _recursive(out.reshape(h, w * c))
        out = _turned(out)
        _recursive(out.reshape(w, h * c))
        out = _turned(out)
    return out


def _turned(p: Array) -> Array:
    """Rows for columns."""
    h, w, c = p.shape
    return np.asarray(cv2.transpose(p)).reshape(w, h, c) if c <= 4 else np.ascontiguousarray(p.transpose(1, 0, 2))


@njit(cache=True, nogil=True, fastmath=True)
def _recursive(lines):  # type: ignore[no-untyped-def]
    """The two passes of the recursive filter (Unser, 1999, box 2) along the first axis of (n, m), in place."""
    n, m = lines.shape
    if n < 2:
        return
    own = np.float32(1)
    for i in range(1, FAR):
        if i % (2 * n - 2) == 0:
            own += POLE**i
    for k in range(m):
        lines[0, k] *= own
    for i in range(1, FAR):
        j = i % (2 * n - 2)
        j = j if j < n else 2 * n - 2 - j
        if j > 0:
            for k in range(m):
                lines[0, k] += POLE**i * lines[j, k]
    for k in range(m):
        lines[0, k] *= GAIN
    for i in range(1, n):
        for k in range(m):
            lines[i, k] = GAIN * lines[i, k] + POLE * lines[i - 1, k]
    for k in range(m):
        lines[n - 1, k] = LAST * (lines[n - 1, k] + POLE * lines[n - 2, k])
    for i in range(n - 2, -1, -1):
        for k in range(m):
            lines[i, k] = POLE * (lines[i + 1, k] - lines[i, k])


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
        rows = (_folded(j - 1, h), _folded(j, h), _folded(j + 1, h), _folded(j + 2, h))
        columns = (_folded(i - 1, w), _folded(i, w), _folded(i + 1, w), _folded(i + 2, w))
        for c in range(channels):
            total = 0.0
            for n in range(4):
                line = spline[rows[n]]
                total += wy[n] * (
                    wx[0] * line[columns[0], c]
                    + wx[1] * line[columns[1], c]
                    + wx[2] * line[columns[2], c]
                    + wx[3] * line[columns[3], c]
                )
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


@njit(cache=True, nogil=True)
def _pixels(spline, ys, xs, values, right, down):  # type: ignore[no-untyped-def]
    h, w, channels = spline.shape
    for k in range(len(ys)):
        y, x = ys[k], xs[k]
        above, below, before, after = _folded(y - 1, h), _folded(y + 1, h), _folded(x - 1, w), _folded(x + 1, w)
        for c in range(channels):
            a = spline[above, before, c] + 4 * spline[above, x, c] + spline[above, after, c]
            b = spline[y, before, c] + 4 * spline[y, x, c] + spline[y, after, c]
            d = spline[below, before, c] + 4 * spline[below, x, c] + spline[below, after, c]
            values[k, c] = (a + 4 * b + d) / 36
            down[k, c] = (d - a) / 12
            left = spline[above, before, c] + 4 * spline[y, before, c] + spline[below, before, c]
            right[k, c] = (spline[above, after, c] + 4 * spline[y, after, c] + spline[below, after, c] - left) / 12
