"""Bundle adjustment: cameras, points and lens moved together until the points are seen where they were found.

Levenberg and Marquardt's steps with the points eliminated (Schur complement; Triggs, McLauchlan, Hartley, Fitzgibbon, 2000), weighted by
Cauchy's law so that what is wrong does not pull. A camera's turn is changed by a small turn on its left; x_cam = R X + t.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from transmixis.core.types import Array

CAUCHY = 0.3  # px: what is off by so much counts half
DAMPING, LEAST_DAMPING, MOST_DAMPING = 1e-4, 1e-12, 1e8
DONE = 1e-7  # of the sum: less gained ends it


@dataclass(frozen=True)
class Bundle:
    """`turns` (n, 3, 3), `shifts` (n, 3), `points` (m, 3), `lens` (focal px, k1, k2), `middle` (x, y) px. Seen: camera `cams` (k,), point
    `ids` (k,), `at` (k, 2) px, in the order of the points."""

    turns: Array
    shifts: Array
    points: Array
    lens: Array
    middle: Array
    cams: Array
    ids: Array
    at: Array

    def off(self) -> Array:
        """(k, 2) px that each is seen beside where it was found."""
        out = np.empty((len(self.at), 2))
        _residuals(self.turns, self.shifts, self.points, self.lens, self.middle, self.cams, self.ids, self.at, out)
        return out


def adjusted(
    b: Bundle, *, rounds: int = 30, focal: bool = False, bend: bool = False, moving: bool = True, cauchy: float = CAUCHY
) -> Bundle:
    """The bundle as it fits best. Free are `focal` and the `bend` of the lens if said; `moving`: the cameras' places too."""
    free = np.array([focal, bend, bend])
    b = replace(b, turns=b.turns.copy(), shifts=b.shifts.copy(), points=b.points.copy(), lens=b.lens.astype(np.float64).copy())
    starts = np.searchsorted(b.ids, np.arange(len(b.points) + 1))
    cost = _cost(b.off(), cauchy)
    damping = DAMPING
    for _ in range(rounds):
        step = _step(
            b.turns, b.shifts, b.points, b.lens, b.middle, b.cams, b.at, starts, free, moving, cauchy, damping
        )  # fmt: skip
        new = _moved(b, *step)
        then = _cost(new.off(), cauchy)
        if np.isfinite(then) and then < cost:
            gained = (cost - then) / max(cost, 1e-30)
            b, cost, damping = new, then, max(damping / 5, LEAST_DAMPING)
            if gained < DONE:
                break
        else:
            damping *= 8
            if damping > MOST_DAMPING:
                break
    return b


def _cost(off: Array, cauchy: float) -> float:
    return float(np.log1p((off**2).sum(axis=1) / cauchy**2).sum())


def _moved(b: Bundle, cams: Array, lens: Array, points: Array) -> Bundle:
    turns = np.array([_rotation(w) @ r for w, r in zip(cams[:, :3], b.turns, strict=True)])
    return replace(b, turns=turns, shifts=b.shifts + cams[:, 3:], lens=b.lens + lens, points=b.points + points)


def _rotation(w: Array) -> Array:
    """A small turn about the axis w, by |w| rad (Rodrigues)."""
    a = float(np.linalg.norm(w))
    k = np.array([[0, -w[2], w[1]], [w[2], 0, -w[0]], [-w[1], w[0], 0]])
    if a < 1e-12:
        return np.asarray(np.eye(3) + k)
    return np.asarray(np.eye(3) + np.sin(a) / a * k + (1 - np.cos(a)) / a**2 * (k @ k))


@njit(cache=True, nogil=True)
def _one_off(r, t, p, lens, middle, at):  # type: ignore[no-untyped-def]
    """px to the right and down that one point is seen beside where it was found; far off if it lies behind the camera."""
    x = r[0, 0] * p[0] + r[0, 1] * p[1] + r[0, 2] * p[2] + t[0]
    y = r[1, 0] * p[0] + r[1, 1] * p[1] + r[1, 2] * p[2] + t[1]
    z = r[2, 0] * p[0] + r[2, 1] * p[1] + r[2, 2] * p[2] + t[2]
    if z <= 1e-9:
        return 1e3, 1e3
    u, v = x / z, y / z
    q = u * u + v * v
    grown = 1 + q * (lens[1] + q * lens[2])
    return middle[0] + lens[0] * grown * u - at[0], middle[1] + lens[0] * grown * v - at[1]


@njit(cache=True, nogil=True)
def _residuals(turns, shifts, points, lens, middle, cams, ids, at, out):  # type: ignore[no-untyped-def]
    for o in range(len(cams)):
        out[o, 0], out[o, 1] = _one_off(turns[cams[o]], shifts[cams[o]], points[ids[o]], lens, middle, at[o])


@njit(cache=True, nogil=True)
def _jacobian(r, t, p, lens, cam, lns, pnt):  # type: ignore[no-untyped-def]
    """Derivatives of where a point is seen by the camera (2, 6), the lens (2, 3) and the point (2, 3); false if it lies behind."""
    tx = r[0, 0] * p[0] + r[0, 1] * p[1] + r[0, 2] * p[2]
    ty = r[1, 0] * p[0] + r[1, 1] * p[1] + r[1, 2] * p[2]
    tz = r[2, 0] * p[0] + r[2, 1] * p[1] + r[2, 2] * p[2]
    z = tz + t[2]
    if z <= 1e-9:
        return False
    u, v = (tx + t[0]) / z, (ty + t[1]) / z
    q = u * u + v * v
    grown, slope = 1 + q * (lens[1] + q * lens[2]), 2 * (lens[1] + 2 * q * lens[2])
    f = lens[0]
    a, b, d = f * (grown + slope * u * u), f * slope * u * v, f * (grown + slope * v * v)
    for i in range(2):
        g, h = (a, b) if i == 0 else (b, d)
        dx, dy, dz = g / z, h / z, -(g * u + h * v) / z
        # a small turn w on the left moves R p by w x R p
        cam[i, 0] = dz * ty - dy * tz
        cam[i, 1] = dx * tz - dz * tx
        cam[i, 2] = dy * tx - dx * ty
        cam[i, 3], cam[i, 4], cam[i, 5] = dx, dy, dz
        for j in range(3):
            pnt[i, j] = dx * r[0, j] + dy * r[1, j] + dz * r[2, j]
        w = u if i == 0 else v
        lns[i, 0], lns[i, 1], lns[i, 2] = grown * w, f * q * w, f * q * q * w
    return True


@njit(cache=True, nogil=True)
def _step(turns, shifts, points, lens, middle, cams, at, starts, free, moving, cauchy, damping):  # type: ignore[no-untyped-def]
    """The step of cameras (n, 6), lens (3,) and points (m, 3)."""
    n, m = len(turns), len(points)
    size = 6 * n + 3
    s, g = np.zeros((size, size)), np.zeros(size)
    blocks = np.zeros((len(cams), 6, 3))
    lensed, inverses, pulls = np.zeros((m, 3, 3)), np.zeros((m, 3, 3)), np.zeros((m, 3))
    cam, lns, pnt = np.zeros((2, 6)), np.zeros((2, 3)), np.zeros((2, 3))
    for j in range(m):
        v = np.zeros((3, 3))
        for o in range(starts[j], starts[j + 1]):
            i = cams[o]
            if not _jacobian(turns[i], shifts[i], points[j], lens, cam, lns, pnt):
                continue
            if not moving:
                cam[:, 3:] = 0.0
            for c in range(3):
                if not free[c]:
                    lns[:, c] = 0.0
            off = _one_off(turns[i], shifts[i], points[j], lens, middle, at[o])
            w = 1 / (1 + (off[0] ** 2 + off[1] ** 2) / cauchy**2)
            b = 6 * i
            for q in range(2):
                e = -off[q]
                for x in range(6):
                    wx = w * cam[q, x]
                    for y in range(6):
                        s[b + x, b + y] += wx * cam[q, y]
                    for y in range(3):
                        s[b + x, size - 3 + y] += wx * lns[q, y]
                        blocks[o, x, y] += wx * pnt[q, y]
                    g[b + x] += wx * e
                for x in range(3):
                    for y in range(3):
                        s[size - 3 + x, size - 3 + y] += w * lns[q, x] * lns[q, y]
                        lensed[j, x, y] += w * lns[q, x] * pnt[q, y]
                        v[x, y] += w * pnt[q, x] * pnt[q, y]
                    g[size - 3 + x] += w * lns[q, x] * e
                    pulls[j, x] += w * pnt[q, x] * e
        for x in range(3):
            # of a camera that only turns no point's distance is told
            v[x, x] += damping * v[x, x] + (1e-12 if moving else 1e-6 * (v[0, 0] + v[1, 1] + v[2, 2]) + 1e-12)
        inverses[j] = np.linalg.inv(v)
        _eliminate(s, g, blocks, lensed[j], inverses[j], pulls[j], cams, starts[j], starts[j + 1])
    for k in range(size):
        for x in range(k):
            s[k, x] = s[x, k]
        s[k, k] += damping * abs(s[k, k]) + 1e-9
        if s[k, k] < 1e-8:
            s[k, k] = 1.0  # held fast
    answer = np.linalg.solve(s, g)
    moves = np.zeros((m, 3))
    tail = answer[size - 3 :]
    for j in range(m):
        rest = pulls[j] - lensed[j].T @ tail
        for o in range(starts[j], starts[j + 1]):
            rest -= blocks[o].T @ answer[6 * cams[o] : 6 * cams[o] + 6]
        moves[j] = inverses[j] @ rest
    return answer[: size - 3].copy().reshape(n, 6), tail.copy(), moves


@njit(cache=True, nogil=True)
def _eliminate(s, g, blocks, lensed, inverse, pull, cams, first, last):  # type: ignore[no-untyped-def]
    """Take one point out of the cameras' equations; of the matrix the upper half is kept."""
    size = len(g)
    there = inverse @ pull
    for a in range(first, last):
        i = 6 * cams[a]
        left = blocks[a] @ inverse
        for x in range(6):
            g[i + x] -= blocks[a, x, 0] * there[0] + blocks[a, x, 1] * there[1] + blocks[a, x, 2] * there[2]
            for y in range(3):
                s[i + x, size - 3 + y] -= left[x, 0] * lensed[y, 0] + left[x, 1] * lensed[y, 1] + left[x, 2] * lensed[y, 2]
        for b in range(first, last):
            j = 6 * cams[b]
            if j < i:
                continue
            for x in range(6):
                for y in range(6):
                    s[i + x, j + y] -= left[x, 0] * blocks[b, y, 0] + left[x, 1] * blocks[b, y, 1] + left[x, 2] * blocks[b, y, 2]
    for x in range(3):
        g[size - 3 + x] -= lensed[x, 0] * there[0] + lensed[x, 1] * there[1] + lensed[x, 2] * there[2]
        for y in range(3):
            total = 0.0
            for c in range(3):
                for d in range(3):
                    total += lensed[x, c] * inverse[c, d] * lensed[y, d]
            s[size - 3 + x, size - 3 + y] -= total
