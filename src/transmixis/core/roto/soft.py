"""Soft borders by true distance, and strands: open lines with a width.

The distance of every pixel's centre to the nearest place of the line, exactly: a block of pixels asks only those sides that can be nearest to
one of them. What that place says, how soft and how wide, comes with it.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from transmixis.core.roto.cover import cover_into
from transmixis.core.types import Array, Matte

FAR = 1e9
LARGE, SMALL = 64, 8  # px: blocks within which sides are chosen, and chosen again


def softened(line: Array, inward: Array, outward: Array, height: int, width: int) -> Matte:
    """(height, width) the matte of a closed polygon (n, 2) px whose border goes from 1 at `inward` px inside to 0 at `outward` px outside
    ((n) px at its places, read between them), smoothly, by true distance. Where both are 0 it is what is covered."""
    out: Matte = np.zeros((height, width), np.float32)
    p = np.ascontiguousarray(np.asarray(line, np.float64).reshape(-1, 2))
    if len(p) < 3 or not np.isfinite(p).all():
        return out
    cover_into(p, out)
    a, b = (np.ascontiguousarray(np.broadcast_to(np.maximum(v, 0), len(p)), np.float64) for v in (inward, outward))
    reach = float(max(a.max(), b.max()))
    if reach > 0:
        box = _box(p, reach + 2, height, width)
        if box is not None:
            x0, y0, x1, y1 = box
            near, share, far = _nearest(p - (x0, y0), y1 - y0, x1 - x0, True, reach + 2)
            _ramp(out[y0:y1, x0:x1], near, share, far, a, b)
    return out


def strand(line: Array, wide: Array, inward: Array, outward: Array, height: int, width: int) -> Matte:
    """(height, width) the matte of an open line (n, 2) px that is `wide` px at its places, with round ends, its border softened as that of
    an outline is. What is thinner than a pixel covers its share of it."""
    out: Matte = np.zeros((height, width), np.float32)
    p = np.ascontiguousarray(np.asarray(line, np.float64).reshape(-1, 2))
    if len(p) < 2 or not np.isfinite(p).all():
        return out
    n = len(p)
    h, a, b = (
        np.ascontiguousarray(np.broadcast_to(np.maximum(v, 0), n), np.float64) for v in (np.asarray(wide) / 2, inward, outward)
    )
    reach = float((h + b).max()) + 2
    box = _box(p, reach, height, width)
    if box is not None:
        x0, y0, x1, y1 = box
        near, share, far = _nearest(p - (x0, y0), y1 - y0, x1 - x0, False, reach)
        _thread(out[y0:y1, x0:x1], near, share, far, h, a, b)
    return out


def distances(line: Array, height: int, width: int, closed: bool = True, reach: float = FAR) -> Array:
    """(height, width) px from each pixel's centre to the line, up to `reach`; larger where it is farther."""
    return np.asarray(_nearest(np.asarray(line, np.float64), height, width, closed, reach)[2])


def _box(p: Array, reach: float, h: int, w: int) -> tuple[int, int, int, int] | None:
    x0, y0 = (int(np.clip(v, 0, m)) for v, m in zip(np.floor(p.min(axis=0) - reach), (w, h), strict=True))
    x1, y1 = (int(np.clip(v, 0, m)) for v, m in zip(np.ceil(p.max(axis=0) + reach), (w, h), strict=True))
    return (x0, y0, x1, y1) if x1 > x0 and y1 > y0 else None


def _nearest(p: Array, h: int, w: int, closed: bool, reach: float) -> tuple[Array, Array, Array]:
    near, share, far = np.full((h, w), -1, np.int32), np.zeros((h, w), np.float32), np.full((h, w), FAR)
    _searched(np.ascontiguousarray(p), len(p) if closed else len(p) - 1, reach, near, share, far)
    return near, share, np.sqrt(far)


@njit(cache=True, nogil=True)
def _to_side(x, y, p, k):  # type: ignore[no-untyped-def]
    """(squared px from a place to side k, the share of the side at which it is nearest)."""
    n = len(p)
    xa, ya = p[k]
    xb, yb = p[(k + 1) % n]
    dx, dy = xb - xa, yb - ya
    long = dx * dx + dy * dy
    t = 0.0 if long <= 0 else min(max(((x - xa) * dx + (y - ya) * dy) / long, 0.0), 1.0)
    ex, ey = x - xa - t * dx, y - ya - t * dy
    return ex * ex + ey * ey, t


@njit(cache=True, nogil=True)
def _kept(p, sides, many, cx, cy, half, reach, kept):  # type: ignore[no-untyped-def]
    """Of the first `many` of `sides` those that can be nearest to a place of the square about (cx, cy); how many are kept."""
    corner = half * 1.4142136
    best = 1e18
    for s in range(many):
        d = _to_side(cx, cy, p, sides[s])[0]
        if d < best:
            best = d
    near = math.sqrt(best)
    if near - corner > reach:
        return 0
    most = (near + 2 * corner) ** 2
    count = 0
    for s in range(many):
        if _to_side(cx, cy, p, sides[s])[0] <= most:
            kept[count] = sides[s]
            count += 1
    return count


@njit(cache=True, nogil=True)
def _searched(p, many, reach, near, share, far):  # type: ignore[no-untyped-def]
    h, w = near.shape
    sides = np.arange(many)
    some, few = np.empty(many, np.int64), np.empty(many, np.int64)
    for by in range(0, h, LARGE):
        for bx in range(0, w, LARGE):
            n = _kept(p, sides, many, bx + LARGE / 2, by + LARGE / 2, LARGE / 2, reach, some)
            if n == 0:
                continue
            for y0 in range(by, min(by + LARGE, h), SMALL):
                for x0 in range(bx, min(bx + LARGE, w), SMALL):
                    m = _kept(p, some, n, x0 + SMALL / 2, y0 + SMALL / 2, SMALL / 2, reach, few)
                    if m > 0:
                        _block(p, few, m, x0, y0, near, share, far)


@njit(cache=True, nogil=True)
def _block(p, sides, many, x0, y0, near, share, far):  # type: ignore[no-untyped-def]
    h, w = near.shape
    for j in range(y0, min(y0 + SMALL, h)):
        for i in range(x0, min(x0 + SMALL, w)):
            for s in range(many):
                d, t = _to_side(i + 0.5, j + 0.5, p, sides[s])
                if d < far[j, i]:
                    far[j, i], near[j, i], share[j, i] = d, sides[s], t


@njit(cache=True, nogil=True)
def _smooth(t):  # type: ignore[no-untyped-def]
    t = min(max(t, 0.0), 1.0)
    return t * t * (3 - 2 * t)


@njit(cache=True, nogil=True)
def _bordered(d, a, b):  # type: ignore[no-untyped-def]
    """The border's value `d` px inside the line, over the width of a pixel; needs a + b > 0."""
    third, wide = 1.0 / 3.0, a + b
    return (_smooth((d - third + b) / wide) + _smooth((d + b) / wide) + _smooth((d + third + b) / wide)) / 3


@njit(cache=True, nogil=True)
def _ramp(out, near, share, far, inward, outward):  # type: ignore[no-untyped-def]
    h, w = out.shape
    n = len(inward)
    for j in range(h):
        for i in range(w):
            k = near[j, i]
            if k < 0:
                continue
            t, q = share[j, i], (k + 1) % n
            a, b = inward[k] * (1 - t) + inward[q] * t, outward[k] * (1 - t) + outward[q] * t
            wide = a + b
            if wide <= 0:
                continue
            d = far[j, i] if out[j, i] >= 0.5 else -far[j, i]
            if d > a + 1 or d < -b - 1:
                continue
            mix = min(wide, 1.0)
            out[j, i] = (1 - mix) * out[j, i] + mix * _bordered(d, a, b)


@njit(cache=True, nogil=True)
def _thread(out, near, share, far, half, inward, outward):  # type: ignore[no-untyped-def]
    h, w = out.shape
    n = len(half)
    for j in range(h):
        for i in range(w):
            k = near[j, i]
            if k < 0:
                continue
            t, q = share[j, i], min(k + 1, n - 1)
            r, d = half[k] * (1 - t) + half[q] * t, far[j, i]
            a, b = inward[k] * (1 - t) + inward[q] * t, outward[k] * (1 - t) + outward[q] * t
            value = min(max(d + r + 0.5, 0.0), 1.0) - min(max(d - r + 0.5, 0.0), 1.0)
            if a + b > 0:
                mix = min(a + b, 1.0)
                value = (1 - mix) * value + mix * _bordered(r - d, a, b)
            out[j, i] = value
