"""The slow part of a path, up to its very ends."""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array


def smoothed(rows: Array, sigma: float) -> Array:
    """The slow part of (n, c) values over frames: at each frame the line that fits its neighbourhood best, weighed by a gaussian of
    `sigma` frames (local linear regression; Cleveland, 1979).

    Inside it is a gaussian mean. At the ends a steady drift goes on, and the last frame's own trembling does not stand for it, as it
    would if the path were mirrored there.
    """
    n = len(rows)
    reach = min(n - 1, max(1, round(4 * sigma)))
    at = np.arange(-reach, reach + 1)
    weight = np.exp(-(at**2) / (2 * sigma**2))

    def summed(x: Array, power: int) -> Array:
        """Sum over the neighbours j of a frame i of weight * (j - i) ** power * x[j]."""
        kernel = (weight * at**power)[::-1]
        return np.asarray(np.convolve(x, kernel)[reach : reach + n])

    ones = np.ones(n)
    s0, s1, s2 = (summed(ones, k) for k in range(3))
    det = s0 * s2 - s1 * s1
    out = np.empty((n, rows.shape[1]))
    for c in range(rows.shape[1]):
        t0, t1 = summed(rows[:, c], 0), summed(rows[:, c], 1)
        out[:, c] = np.where(det > 1e-9 * s0 * s0, (s2 * t0 - s1 * t1) / np.maximum(det, 1e-12), t0 / s0)
    return out
