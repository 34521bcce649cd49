"""The strip inside an outline, compared with how it looked at a pin: how far each place of the outline has to move so that what lies
inside beside it is the same again.

After Lucas & Kanade (1981), one small window a place, only its inside part, gain and offset free; neighbouring places are held together by
springs, as in an active contour (Kass, Witkin & Terzopoulos, 1988), so that a place that shows little goes with its neighbours.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from scipy.linalg import solveh_banded

from transmixis.core.types import Array

REACH = 8  # px from a place to the rim of its window
NOISE = 6.0  # 8-bit levels that two looks at the same stuff differ by, grain and light together
ALIKE = 20.0  # neighbouring pixels err alike: so many count for one
SPRING = 6.0  # 1 / px²: neighbours 4 px apart may go apart by 0.4 px


@njit(cache=True, nogil=True, fastmath=True)
def terms(ref, inside, at_ref, cur, hidden, at_cur, local, normal_h, normal_b, left, seen, weighed):  # type: ignore[no-untyped-def]
    """For every place: the normal equations of its shift (2 x 2, 2), the mean squared difference that is left, the share of its window
    that was to be seen, and the weight of what was. `ref`, `cur` (h, w, 3) levels; `inside` (h, w) weights in ref; `hidden` (h, w) True where cur shows something else;
    `local` (m, 2, 2) how ref px lie in cur there."""
    many = len(at_ref)
    side = 2 * REACH + 1
    t = np.empty((side * side, 3))
    v = np.empty((side * side, 3))
    gx = np.empty((side * side, 3))
    gy = np.empty((side * side, 3))
    weight = np.empty(side * side)
    hh, hw = hidden.shape
    for m in range(many):
        n, total, could = 0, 0.0, 0.0
        rx, ry = at_ref[m, 0] - 0.5, at_ref[m, 1] - 0.5
        for dy in range(-REACH, REACH + 1):
            for dx in range(-REACH, REACH + 1):
                i, j = int(rx + 0.5) + dx, int(ry + 0.5) + dy
                if not (0 <= i < inside.shape[1] and 0 <= j < inside.shape[0]):
                    continue
                ox, oy = i - rx, j - ry
                w = inside[j, i] * math.exp(-(ox * ox + oy * oy) / (0.5 * REACH * REACH))
                if w < 1e-3:
                    continue
                could += w
                x = at_cur[m, 0] - 0.5 + local[m, 0, 0] * ox + local[m, 0, 1] * oy
                y = at_cur[m, 1] - 0.5 + local[m, 1, 0] * ox + local[m, 1, 1] * oy
                if not (1 <= x < hw - 2 and 1 <= y < hh - 2) or hidden[int(y + 0.5), int(x + 0.5)]:
                    continue
                a, b = int(x), int(y)
                fx, fy = x - a, y - b
                for c in range(3):  # bilinear, and its slopes
                    p, q, r, s = cur[b, a, c], cur[b, a + 1, c], cur[b + 1, a, c], cur[b + 1, a + 1, c]
                    v[n, c] = (1 - fy) * ((1 - fx) * p + fx * q) + fy * ((1 - fx) * r + fx * s)
                    gx[n, c] = (1 - fy) * (q - p) + fy * (s - r)
                    gy[n, c] = (1 - fx) * (r - p) + fx * (s - q)
                    t[n, c] = ref[j, i, c]
                weight[n] = w
                total += w
                n += 1
        seen[m] = total / could if could > 0 else 0.0
        weighed[m] = 3 * total
        normal_h[m] = 0.0
        normal_b[m] = 0.0
        left[m] = 0.0
        if n < 12:
            seen[m] = 0.0
            continue
        _fit(t, v, gx, gy, weight, n, total, normal_h[m], normal_b[m], left, m)


@njit(cache=True, nogil=True, fastmath=True)
def _fit(t, v, gx, gy, weight, n, total, h, b, left, m):  # type: ignore[no-untyped-def]
    """One window: gain over all channels, offset in each, then the shift's equations."""
    top, low = 0.0, 0.0
    mt, mv, mx, my = np.zeros(3), np.zeros(3), np.zeros(3), np.zeros(3)
    for k in range(n):
        w = weight[k] / total
        for c in range(3):
            mt[c] += w * t[k, c]
            mv[c] += w * v[k, c]
            mx[c] += w * gx[k, c]
            my[c] += w * gy[k, c]
    for k in range(n):
        for c in range(3):
            top += weight[k] * (t[k, c] - mt[c]) * (v[k, c] - mv[c])
            low += weight[k] * (t[k, c] - mt[c]) ** 2
    flat = 3 * total * 9.0  # what grain alone would make: a plain window keeps its gain
    gain = min(max((top + flat) / (low + flat), 0.6), 1.6)
    for k in range(n):
        for c in range(3):
            w = weight[k]
            d = gain * (t[k, c] - mt[c]) - (v[k, c] - mv[c])
            x, y = gx[k, c] - mx[c], gy[k, c] - my[c]
            h[0, 0] += w * x * x
            h[0, 1] += w * x * y
            h[1, 1] += w * y * y
            b[0] += w * x * d
            b[1] += w * y * d
            left[m] += w * d * d
    h[1, 0] = h[0, 1]
    left[m] /= 3 * total


@dataclass(frozen=True)
class Strip:
    """What lies inside an outline as it looked at a pin: `ref` (h, w, 3) levels, `inside` (h, w) its weights, `at` (m, 2) px places along it."""

    ref: Array
    inside: Array
    at: Array
    closed: bool = True


@dataclass(frozen=True)
class Seen:
    """How the strip looks at `places` (m, 2) px of another frame: `left` (m) mean squared difference, levels; `seen` (m) the share of each window
    that was to be seen; `slope` (m) mean squared difference that a px of shift would make."""

    places: Array
    left: Array
    seen: Array
    slope: Array


class _Table:
    """The arrays that the windows' sums are written to."""

    def __init__(self, m: int) -> None:
        self.h, self.b = np.zeros((m, 2, 2)), np.zeros((m, 2))
        self.left, self.seen, self.weight = np.zeros(m), np.zeros(m), np.zeros(m)

    def fill(self, strip: Strip, cur: Array, hidden: Array, places: Array, local: Array) -> None:
        terms(
            strip.ref, strip.inside, strip.at, cur, hidden, places, local, self.h, self.b, self.left, self.seen, self.weight
        )  # fmt: skip

    def told(self, places: Array) -> Seen:
        slope = np.trace(self.h, axis1=1, axis2=2) / 2 / np.maximum(self.weight, 1e-9)
        return Seen(places, self.left, self.seen, slope)


def seen_at(strip: Strip, cur: Array, hidden: Array, places: Array) -> Seen:
    """How the strip looks at places of a frame, which are left as they are."""
    table = _Table(len(places))
    table.fill(strip, cur, hidden, places, turned_about(strip.at, places, strip.closed))
    return table.told(places)


def settled(strip: Strip, cur: Array, hidden: Array, places: Array, rounds: int = 4) -> Seen:
    """The places (m, 2) px moved so that what lies inside beside them looks as the strip does."""
    table = _Table(len(places))
    places = np.array(places, np.float64)
    edges = edges_of(strip.at, strip.closed)
    stiff = SPRING * (4.0 / np.maximum(np.hypot(*edges.T), 1.0)) ** 2
    for _ in range(rounds):
        local = turned_about(strip.at, places, strip.closed)
        table.fill(strip, cur, hidden, places, local)
        trust = 1 / (NOISE**2 + table.left) / ALIKE
        wanted = np.einsum("mij,mj->mi", (local + np.roll(local, -1, axis=0))[: len(edges)] / 2, edges)
        strain = wanted - edges_of(places, strip.closed)
        shift = _sprung(table.h * trust[:, None, None], table.b * trust[:, None], strain, stiff, strip.closed)
        size = np.hypot(*shift.T)
        shift *= np.minimum(1, 2.0 / np.maximum(size, 1e-9))[:, None]
        places += shift
        if size.max() < 0.02:
            break
    table.fill(strip, cur, hidden, places, turned_about(strip.at, places, strip.closed))
    return table.told(places)


def edges_of(places: Array, closed: bool) -> Array:
    """From each place to the next."""
    return np.roll(places, -1, axis=0) - places if closed else np.diff(places, axis=0)


def turned_about(ref: Array, now: Array, closed: bool = True) -> Array:
    """(m, 2, 2) how the reference lies in the frame about each place: turn and size of the stretch of outline about it."""
    m = len(ref)
    k = min(max(3, round(2.5 * REACH / max(float(np.hypot(*(ref[1] - ref[0]))), 1e-6))), m // 3)
    za, zb = ref @ np.array([1, 1j]), now @ np.array([1, 1j])
    at = np.arange(-k, k + 1)[None] + np.arange(m)[:, None]
    at = at % m if closed else np.clip(at, 0, m - 1)
    a, b = za[at], zb[at]
    a, b = a - a.mean(axis=1, keepdims=True), b - b.mean(axis=1, keepdims=True)
    f = (np.conj(a) * b).sum(axis=1) / np.maximum((np.abs(a) ** 2).sum(axis=1), 1e-9)
    size = np.abs(f)
    f = f / np.maximum(size, 1e-9) * np.clip(size, 0.5, 2.0)
    return np.stack([np.stack([f.real, -f.imag], 1), np.stack([f.imag, f.real], 1)], 1)


def _sprung(h: Array, b: Array, strain: Array, stiff: Array, closed: bool) -> Array:
    """The shifts (m, 2) that answer to the windows (h, b) while each step from place to place is drawn towards what it should be (`strain`
    it is short of). A ring is folded, so that neighbours lie close in the table of equations."""
    m = len(h)
    order = np.empty(m, int)
    order[0::2], order[1::2] = np.arange((m + 1) // 2), np.arange(m - 1, (m - 1) // 2, -1)
    if not closed:
        order = np.arange(m)
    back = np.argsort(order)
    i = np.arange(len(strain))
    j = (i + 1) % m
    right = b.copy()
    pull = stiff[:, None] * strain
    np.subtract.at(right, i, pull)
    np.add.at(right, j, pull)
    table = np.zeros((6, 2 * m))
    own = np.full(m, 1e-3)
    np.add.at(own, i, stiff)
    np.add.at(own, j, stiff)
    table[5, 2 * back], table[5, 2 * back + 1] = h[:, 0, 0] + own, h[:, 1, 1] + own
    table[4, 2 * back + 1] = h[:, 0, 1]
    p, q = back[i], back[j]
    low, high = np.minimum(p, q), np.maximum(p, q)
    for c in range(2):
        np.add.at(table, (5 - 2 * (high - low), 2 * high + c), -stiff)
    x = solveh_banded(table, right[order].ravel(), check_finite=False).reshape(m, 2)
    return np.asarray(x[back])
