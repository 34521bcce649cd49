"""How a surface's pixels answer to its moves, from their slopes: the same as the tables of core.motion.fit without their memory, which many
pixels would spend most of the time in reading. The moves are those of core.motion.fit: each is a power of a pixel's place (u, v)."""

from __future__ import annotations

import numpy as np
from numba import njit

from transmixis.core.motion.fit import SPARE

MOVES = 8
# of every move, to the right and down: its factor, and its powers of u and v
_RIGHT = np.array([(1, 0, 0), (0, 0, 0), (1, 1, 0), (-1, 0, 1), (1, 1, 0), (1, 0, 1), (1, 2, 0), (1, 1, 1)])
_DOWN = np.array([(0, 0, 0), (1, 0, 0), (1, 0, 1), (1, 1, 0), (-1, 0, 1), (1, 1, 0), (1, 1, 1), (1, 0, 2)])


@njit(cache=True, nogil=True)
def squares(right, down):  # type: ignore[no-untyped-def]
    """(n, 3) sums over the channels of slopes (n, channels) squared: right by right, right by down, down by down."""
    out = np.zeros((len(right), 3), np.float32)
    for k in range(len(right)):
        for c in range(right.shape[1]):
            r, d = right[k, c], down[k, c]
            out[k, 0] += r * r
            out[k, 1] += r * d
            out[k, 2] += d * d
    return out


@njit(inline="always")
def _slide(one, two, right, down, k, w, channels):  # type: ignore[no-untyped-def]
    """How what is left over of pixel k pulls to the right and down."""
    x, y = np.float32(0), np.float32(0)
    for c in range(channels):
        rest = w * (one[k, c] - two[k, c])
        x += rest * right[k, c]
        y += rest * down[k, c]
    return x, y


@njit(inline="always")
def _add(out, u, v, x, y):  # type: ignore[no-untyped-def]
    along = u * x + v * y
    out[0] += x
    out[1] += y
    out[2] += along
    out[3] += u * y - v * x
    out[4] += u * x - v * y
    out[5] += v * x + u * y
    out[6] += u * along
    out[7] += v * along


@njit(cache=True, nogil=True, fastmath=True)
def pull(one, two, weights, right, down, own, kind):  # type: ignore[no-untyped-def]
    """(8,) how what is left over of pixels (n, channels), by its weight, pulls at every move. `kind`: as long as there are channels."""
    out = np.zeros(MOVES)
    for k in range(len(weights)):
        if weights[k] > 0:
            x, y = _slide(one, two, right, down, k, weights[k], len(kind))
            _add(out, own[k, 0], own[k, 1], x, y)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def pulls(one, two, weights, right, down, own, blocks, count, kind):  # type: ignore[no-untyped-def]
    """(count, 8) the same for each of `count` blocks (n,) by itself."""
    out = np.zeros((count, MOVES))
    for k in range(len(weights)):
        if weights[k] > 0:
            x, y = _slide(one, two, right, down, k, weights[k], len(kind))
            _add(out[blocks[k]], own[k, 0], own[k, 1], x, y)
    return out


@njit(cache=True, nogil=True, fastmath=True)
def moments(table, weights, own):  # type: ignore[no-untyped-def]
    """(3, 5, 5) weighted sums of squares (n, 3) times every power of u and v up to the fourth together."""
    sums, one = np.zeros((15, 3)), np.empty(15)
    for k in range(len(weights)):
        w = weights[k]
        if w == 0:
            continue
        u, v = own[k, 0], own[k, 1]
        uu, vv, uv = u * u, v * v, u * v
        one[0], one[1], one[2], one[3], one[4], one[5] = 1.0, v, vv, vv * v, vv * vv, u
        one[6], one[7], one[8], one[9], one[10], one[11] = uv, uv * v, uv * vv, uu, uu * v, uu * vv
        one[12], one[13], one[14] = uu * u, uu * uv, uu * uu
        a, b, c = w * table[k, 0], w * table[k, 1], w * table[k, 2]
        for m in range(15):
            sums[m, 0] += a * one[m]
            sums[m, 1] += b * one[m]
            sums[m, 2] += c * one[m]
    out, m = np.zeros((3, 5, 5)), 0
    for p in range(5):
        for q in range(5 - p):
            out[:, p, q] = sums[m]
            m += 1
    return out


@njit(cache=True, nogil=True)
def normal(made, weight, free):  # type: ignore[no-untyped-def]
    """(free, free) normal equations of the first moves from moments, with a little to spare for `weight` in all."""
    out = np.empty((free, free))
    for i in range(free):
        for j in range(i, free):
            a, b, c, d = _RIGHT[i], _DOWN[i], _RIGHT[j], _DOWN[j]
            out[i, j] = (
                a[0] * c[0] * made[0, a[1] + c[1], a[2] + c[2]]
                + a[0] * d[0] * made[1, a[1] + d[1], a[2] + d[2]]
                + b[0] * c[0] * made[1, b[1] + c[1], b[2] + c[2]]
                + b[0] * d[0] * made[2, b[1] + d[1], b[2] + d[2]]
            )
            out[j, i] = out[i, j]
        out[i, i] += SPARE * max(weight, 1.0)
    return out
