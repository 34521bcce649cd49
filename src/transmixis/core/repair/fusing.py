"""One value from several frames' at each place: those that agree with most are averaged, so that what passes is no ghost in it."""

from __future__ import annotations

import numpy as np
from numba import njit

from transmixis.core.types import Array

AGREE = 3.0  # deviations of the noise of two frames that a value may be off the middle one
RESAMPLED = 0.05  # of the light: how far it may be off beside that, edges that lie a fraction of a pixel aside


def fused(values: Array, weights: Array, law: Array) -> tuple[Array, Array]:
    """`values` (k, n, 3) linear of k frames at n places, `weights` (k, n) by which they count, 0 where a frame does not show the place; `law` (3, 2) the noise of one.
    Gives the means (n, 3) of those that agree with the middle one, and as how many frames (n,) each counts; 0 where none shows it."""
    n = values.shape[1]
    out, count = np.zeros((n, 3), np.float32), np.zeros(n, np.float32)
    _fuse(values.astype(np.float32), weights.astype(np.float32), np.asarray(law, np.float32), out, count)
    return out, count


@njit(cache=True, nogil=True)
def _fuse(values, weights, law, out, count):  # type: ignore[no-untyped-def]
    frames, n, _ = values.shape
    light, order = np.empty(frames, np.float32), np.empty(frames, np.int64)
    for p in range(n):
        total, known = np.float32(0), 0
        for k in range(frames):
            if weights[k, p] > 0:
                v = values[k, p, 0] + 2 * values[k, p, 1] + values[k, p, 2]
                i = known
                while i > 0 and light[i - 1] > v:
                    light[i], order[i] = light[i - 1], order[i - 1]
                    i -= 1
                light[i], order[i] = v, k
                known += 1
                total += weights[k, p]
        if known == 0:
            continue
        so_far, middle = np.float32(0), order[known - 1]
        for i in range(known):
            so_far += weights[order[i], p]
            if so_far >= total / 2:
                middle = order[i]
                break
        sums, square = np.float32(0), np.float32(0)
        for i in range(known):
            k = order[i]
            near = True
            for c in range(3):
                m = max(values[middle, p, c], np.float32(0))
                far = AGREE * np.sqrt(2 * (law[c, 0] * m + law[c, 1])) + RESAMPLED * m
                if abs(values[k, p, c] - values[middle, p, c]) > far:
                    near = False
            if near:
                w = weights[k, p]
                sums += w
                square += w * w
                for c in range(3):
                    out[p, c] += w * values[k, p, c]
        for c in range(3):
            out[p, c] /= sums
        count[p] = sums * sums / square
