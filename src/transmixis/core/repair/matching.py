"""For every patch of a hole the patch elsewhere that is most like it (Barnes, Shechtman, Finkelstein & Goldman, PatchMatch, 2009), compiled."""

from __future__ import annotations

import numpy as np
from numba import njit

HALF = 3  # px: patches are 7 x 7
ROUNDS = 4  # of looking at neighbours and at random


@njit(cache=True, nogil=True)
def _next(state):  # type: ignore[no-untyped-def]
    """Chance that is the same every time (Numerical Recipes' quick generator, Press et al., 1992)."""
    return (state * np.uint32(1664525) + np.uint32(1013904223)) & np.uint32(0xFFFFFFFF)


@njit(cache=True, nogil=True)
def _unlike(picture, y, x, v, u, most):  # type: ignore[no-untyped-def]
    """Sum of the squares by which the patches about (y, x) and (v, u) differ, given up beyond `most`; over what lies in the frame, for as many pixels as a patch has."""
    h, w, channels = picture.shape
    total, seen = np.float32(0), 0
    for j in range(-HALF, HALF + 1):
        if not 0 <= y + j < h:
            continue
        for i in range(-HALF, HALF + 1):
            if not 0 <= x + i < w:
                continue
            seen += 1
            for c in range(channels):
                d = picture[y + j, x + i, c] - picture[v + j, u + i, c]
                total += d * d
        if total > most:
            return total
    return total * np.float32((2 * HALF + 1) ** 2) / max(seen, 1)


@njit(cache=True, nogil=True)
def match(picture, ys, xs, ok, rows, columns, near, best, seed):  # type: ignore[no-untyped-def]
    """Better the sources `near` (h, w, 2) of the patches at `ys`, `xs` (in reading order), and how unlike they are in `best` (h, w). `ok` (h, w): centres that may be
    a source, all of which are listed in `rows`, `columns`."""
    h, w = ok.shape
    n, many = len(ys), len(rows)
    state = np.uint32(seed)
    for k in range(n):
        y, x = ys[k], xs[k]
        v, u = near[y, x]
        if v < 0 or not ok[v, u]:
            state = _next(state)
            pick = int(state >> np.uint32(8)) % many
            v, u = rows[pick], columns[pick]
            near[y, x, 0], near[y, x, 1] = v, u
        best[y, x] = _unlike(picture, y, x, v, u, np.float32(1e30))
    for turn in range(ROUNDS):
        step = 1 if turn % 2 == 0 else -1
        for k in range(n) if step == 1 else range(n - 1, -1, -1):
            y, x = ys[k], xs[k]
            for side in range(2):
                a, b = (y, x - step) if side == 0 else (y - step, x)
                if not (0 <= a < h and 0 <= b < w) or near[a, b, 0] < 0:
                    continue
                v, u = near[a, b, 0] + (y - a), near[a, b, 1] + (x - b)
                if 0 <= v < h and 0 <= u < w and ok[v, u]:
                    d = _unlike(picture, y, x, v, u, best[y, x])
                    if d < best[y, x]:
                        best[y, x], near[y, x, 0], near[y, x, 1] = d, v, u
            reach = max(h, w)
            while reach >= 1:
                state = _next(state)
                v = near[y, x, 0] + int(state >> np.uint32(8)) % (2 * reach + 1) - reach
                state = _next(state)
                u = near[y, x, 1] + int(state >> np.uint32(8)) % (2 * reach + 1) - reach
                if 0 <= v < h and 0 <= u < w and ok[v, u]:
                    d = _unlike(picture, y, x, v, u, best[y, x])
                    if d < best[y, x]:
                        best[y, x], near[y, x, 0], near[y, x, 1] = d, v, u
                reach //= 2


@njit(cache=True, nogil=True)
def vote(picture, ys, xs, hole, near, counts, out):  # type: ignore[no-untyped-def]
    """What the sources of all patches over a place of the hole show there, averaged by `counts` (h, w): laid into `out` (h, w, channels)."""
    h, w, channels = picture.shape
    total = np.zeros((h, w), np.float32)
    sums = np.zeros((h, w, channels), np.float32)
    for k in range(len(ys)):
        y, x = ys[k], xs[k]
        v, u = near[y, x]
        weight = counts[y, x]
        for j in range(-HALF, HALF + 1):
            for i in range(-HALF, HALF + 1):
                a, b = y + j, x + i
                if 0 <= a < h and 0 <= b < w and hole[a, b]:
                    total[a, b] += weight
                    for c in range(channels):
                        sums[a, b, c] += weight * picture[v + j, u + i, c]
    for a in range(h):
        for b in range(w):
            if total[a, b] > 0:
                for c in range(channels):
                    out[a, b, c] = sums[a, b, c] / total[a, b]
