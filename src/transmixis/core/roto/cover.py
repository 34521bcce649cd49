"""How much of each pixel an outline covers.

Exact: each side of the polygon gives every pixel that it passes, and all to the right of it, its signed area; summed along the rows this is
the area that is covered, times how often the outline runs round it. An outline that crosses itself is counted on fine lines instead, by
whether it runs round a place at all (non-zero winding, as SVG fills).
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from transmixis.core.types import Array, Matte

LINES = 128  # lines of a pixel on which an outline that crosses itself is counted


def covered(line: Array, height: int, width: int) -> Matte:
    """(height, width) the share of each pixel inside a closed polygon (n, 2) px, pixel centres at +0.5."""
    out: Matte = np.zeros((height, width), np.float32)
    cover_into(line, out)
    return out


def cover_into(line: Array, out: Matte) -> tuple[int, int, int, int]:
    """Write the cover of a closed polygon over `out` where it lies; gives the box (x0, y0, x1, y1) of what was written."""
    p = np.ascontiguousarray(np.asarray(line, np.float64).reshape(-1, 2))
    h, w = out.shape
    if len(p) < 3 or not np.isfinite(p).all():
        return 0, 0, 0, 0
    p = np.ascontiguousarray(p[(p != np.roll(p, 1, axis=0)).any(axis=1)])
    if len(p) < 3:
        return 0, 0, 0, 0
    low, high = np.floor(p.min(axis=0)), np.ceil(p.max(axis=0))
    x0, y0 = (int(np.clip(v, 0, m)) for v, m in zip(low, (w, h), strict=True))
    x1, y1 = (int(np.clip(v, 0, m)) for v, m in zip(high, (w, h), strict=True))
    if x1 <= x0 or y1 <= y0:
        return 0, 0, 0, 0
    part = out[y0:y1, x0:x1]
    local = p - (x0, y0)
    if crosses_itself(local):
        _by_lines(local, part)
    else:
        sums = np.zeros((y1 - y0, x1 - x0 + 1))
        _areas(local, sums)
        _summed(sums, part)
    return x0, y0, x1, y1


@njit(cache=True, nogil=True)
def _areas(p, out):  # type: ignore[no-untyped-def]
    """Add each side's signed area to the pixel that it passes (the part to its right) and what is left of it to the next."""
    h, w = out.shape[0], out.shape[1] - 1
    n = len(p)
    for k in range(n):
        xa, ya = p[k]
        xb, yb = p[(k + 1) % n]
        if ya == yb:
            continue
        sign = 1.0
        if ya > yb:
            xa, ya, xb, yb = xb, yb, xa, ya
            sign = -1.0
        if yb <= 0 or ya >= h:
            continue
        slope = (xb - xa) / (yb - ya)
        for row in range(max(int(ya), 0), min(math.ceil(yb), h)):
            top, foot = max(ya, row), min(yb, row + 1.0)
            if foot <= top:
                continue
            _row(out[row], xa + slope * (top - ya), xa + slope * (foot - ya), sign * (foot - top), w)


@njit(cache=True, nogil=True)
def _row(line, x, y, tall, w):  # type: ignore[no-untyped-def]
    """A side within one row, from column place x to y, `tall` (signed) of a pixel high."""
    left, right = min(x, y), max(x, y)
    if left >= w:
        return
    if right <= 0:
        line[0] += tall
        return
    if right - left < 1e-12:
        i = int(max(left, 0.0))
        share = 1 - (left - i) if left > 0 else 1.0
        line[i] += tall * share
        line[i + 1] += tall * (1 - share)
        return
    per = tall / (right - left)
    if left < 0:  # what lies before the first column covers the whole row
        line[0] += per * (0 - left)
        left = 0.0
    right = min(right, float(w))
    i = int(left)
    while left < right:
        end = min(right, i + 1.0)
        high = per * (end - left)
        share = 1 - ((left + end) / 2 - i)
        line[i] += high * share
        line[i + 1] += high * (1 - share)
        left = end
        i += 1


@njit(cache=True, nogil=True)
def _summed(sums, out):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        total = 0.0
        for x in range(out.shape[1]):
            total += sums[y, x]
            out[y, x] = min(abs(total), 1.0)


@njit(cache=True, nogil=True)
def crosses_itself(p):  # type: ignore[no-untyped-def]
    """True if two sides of a closed polygon that are not neighbours cross or touch; no two places that follow each other may be one."""
    n = len(p)
    box = np.empty((n, 4))
    for k in range(n):
        a, b = p[k], p[(k + 1) % n]
        box[k, 0], box[k, 1], box[k, 2], box[k, 3] = min(a[0], b[0]), max(a[0], b[0]), min(a[1], b[1]), max(a[1], b[1])
    order = np.argsort(box[:, 0])
    for s in range(n):
        i = order[s]
        a, b = p[i], p[(i + 1) % n]
        for r in range(s + 1, n):
            j = order[r]
            if box[j, 0] > box[i, 1]:
                break
            if box[j, 2] > box[i, 3] or box[j, 3] < box[i, 2] or j == (i + 1) % n or i == (j + 1) % n:
                continue
            c, d = p[j], p[(j + 1) % n]
            one = _side(a, b, c) * _side(a, b, d)
            two = _side(c, d, a) * _side(c, d, b)
            if one <= 0 and two <= 0:
                return True
    return False


@njit(cache=True, nogil=True)
def _side(a, b, c):  # type: ignore[no-untyped-def]
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])


@njit(cache=True, nogil=True)
def _by_lines(p, out):  # type: ignore[no-untyped-def]
    """The cover counted on LINES lines a pixel, exactly along each."""
    h, w = out.shape
    n = len(p)
    at, way = np.empty(n), np.empty(n)
    acc = np.zeros(w + 1)
    for row in range(h):
        acc[:] = 0
        for s in range(LINES):
            y = row + (s + 0.5) / LINES
            count = 0
            for k in range(n):
                xa, ya = p[k]
                xb, yb = p[(k + 1) % n]
                if (ya <= y) != (yb <= y):
                    at[count] = xa + (y - ya) * (xb - xa) / (yb - ya)
                    way[count] = 1.0 if yb > ya else -1.0
                    count += 1
            order = np.argsort(at[:count])
            wind = 0.0
            for q in range(count - 1):
                wind += way[order[q]]
                if wind != 0:
                    _row(acc, at[order[q]], at[order[q]], 1.0 / LINES, w)
                    _row(acc, at[order[q + 1]], at[order[q + 1]], -1.0 / LINES, w)
        total = 0.0
        for x in range(w):
            total += acc[x]
            out[row, x] = min(max(total, 0.0), 1.0)
