"""Outlines as cubics through their points: which way they run there, and the line drawn through them.

A point is a corner or smooth. Through smooth points the line runs as Catmull & Rom's (1974), knots spaced by the square root of the chords
(Barry & Goldman, 1988), which makes no loops; at a corner, and at the ends of an open line, it leaves straight for the next point.
"""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array

FLAT = 0.02  # px that a drawn line may be off its cubic


def tangents(points: Array, corner: Array, closed: bool = True) -> tuple[Array, Array]:
    """((n, 2) px by which the cubic leaves each point for the next, (n, 2) by which it comes in at the next): the derivative at either end of
    segment k, from point k to k + 1. `corner` (n) bool. An open line has n - 1 segments; its last row is not used."""
    p = np.asarray(points, np.float64)
    ahead = np.roll(p, -1, axis=0) - p
    d = np.sqrt(np.maximum(np.hypot(*ahead.T), 1e-9))  # of segment k
    before = np.roll(d, 1)
    step, last = ahead, np.roll(ahead, 1, axis=0)
    whole = np.where(d + before > 0, d + before, 1.0)
    slope = last / before[:, None] - (last + step) / whole[:, None] + step / d[:, None]  # per knot, at point k
    leaves, comes = slope * d[:, None], np.roll(slope, -1, axis=0) * d[:, None]
    sharp = np.asarray(corner, bool).copy()
    if not closed and len(p):
        sharp[0] = sharp[-1] = True
    ends = np.roll(sharp, -1)
    # a corner at one end: the line runs straight at it, as the parabola that the other end's direction leaves
    one, other = sharp & ~ends, ends & ~sharp
    leaves[sharp & ends] = comes[sharp & ends] = ahead[sharp & ends]
    leaves[one] = 1.5 * ahead[one] - 0.5 * comes[one]
    comes[other] = 1.5 * ahead[other] - 0.5 * leaves[other]
    return leaves, comes


def controls(points: Array, corner: Array, closed: bool = True) -> Array:
    """(segments, 4, 2) the control points of the cubics, px."""
    p = np.asarray(points, np.float64)
    leaves, comes = tangents(p, corner, closed)
    to = np.roll(p, -1, axis=0)
    out = np.stack([p, p + leaves / 3, to - comes / 3, to], 1)
    return out if closed else out[:-1]


def on_cubic(controls_: Array, t: Array | float) -> Array:
    """Places (..., 2) on cubics of control points (..., 4, 2) at shares `t` of their way."""
    a, b, c, d = (controls_[..., k, :] for k in range(4))
    return np.asarray((1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t * t * c + t**3 * d)


def drawn(points: Array, corner: Array, closed: bool = True, flat: float = FLAT, steps: int | None = None) -> tuple[Array, Array]:
    """((m, 2) the line through the points, (m) at which share of which segment each of its places lies: 2.25 is a quarter behind the third
    point). No place of the cubic lies more than `flat` px off it; or each segment
    has so many `steps`."""
    p = np.asarray(points, np.float64).reshape(-1, 2)
    if len(p) < 2:
        return p, np.arange(len(p), dtype=np.float64)
    c = controls(p, corner, closed)
    bend = np.maximum(np.hypot(*(c[:, 0] - 2 * c[:, 1] + c[:, 2]).T), np.hypot(*(c[:, 1] - 2 * c[:, 2] + c[:, 3]).T))
    many = np.clip(np.ceil(np.sqrt(0.75 * bend / flat)), 1, 64).astype(int)  # 6 · bend / 8 n² (the second derivative's bound)
    if steps is not None:
        many = np.full(len(c), steps)
    segment = np.repeat(np.arange(len(c)), many)
    first = np.repeat(np.cumsum(many) - many, many)
    t = ((np.arange(len(segment)) - first) / many[segment])[:, None]
    q = c[segment]
    line = on_cubic(q, t)
    at = segment + t[:, 0]
    if not closed:
        line, at = np.vstack([line, p[-1:]]), np.append(at, len(p) - 1.0)
    return line, at
