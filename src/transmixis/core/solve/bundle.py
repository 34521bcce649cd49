"""Bundle adjustment: cameras, points and lens moved together until the points are seen where they were found.

Levenberg and Marquardt's steps with the points eliminated (Schur complement; Triggs, McLauchlan, Hartley, Fitzgibbon, 2000), weighted by
Cauchy's law so that what is wrong does not pull. A camera's turn is changed by a small turn on its left; x_cam = R X + t. A focal length
that changes is the lens's, times a zoom of each camera.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from transmixis.core.progress import Progress
from transmixis.core.types import Array

CAUCHY = 0.3  # px: what is off by so much counts half
DAMPING, LEAST_DAMPING, MOST_DAMPING = 1e-4, 1e-12, 1e8
DONE = 1e-7  # of the sum: less gained ends it
# A zoom goes evenly: what its change changes by from frame to frame, at the frame's edge, weighs as so much of a feature beside its place.
# A fast and softly begun zoom (to double in two seconds) does 0.7 px there, of which this makes 0.014 px, against all of the frame's
# features: at five times as much, made takes were found 0.3 % too short.
EVEN = 0.02


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
    zooms: Array | None = None  # (n,) of the lens's focal length; None: all 1
    when: Array | None = None  # (n,) the cameras' frames, in order; None: one after the other

    @property
    def zoomed(self) -> Array:
        return np.ones(len(self.turns)) if self.zooms is None else self.zooms

    def off(self) -> Array:
        """(k, 2) px that each is seen beside where it was found."""
        out = np.empty((len(self.at), 2))
        _residuals(
            self.turns, self.shifts, self.points, self.lens, self.zoomed, self.middle, self.cams, self.ids, self.at, out
        )  # fmt: skip
        return out

    def uneven(self) -> Array:
        """(n - 2, n) what leads from the zooms to how far each lies beside the even change between the two beside it, as px at the edge
        of the frame."""
        n = len(self.turns)
        when = np.arange(n) if self.when is None else self.when
        out = np.zeros((max(n - 2, 0), n))
        for k in range(1, n - 1):
            before, after = when[k] - when[k - 1], when[k + 1] - when[k]
            share = before / (before + after)
            out[k - 1, k - 1 : k + 2] = 2 * np.array([share - 1, 1, -share]) / (before * after)
        return out * float(self.middle[0])


def adjusted(
    b: Bundle,
    *,
    rounds: int = 30,
    focal: bool = False,
    bend: bool = False,
    moving: bool = True,
    zoom: bool = False,
    held: int = 0,
    cauchy: float = CAUCHY,
    progress: Progress | None = None,
) -> Bundle:
    """The bundle as it fits best. Free are `focal` and the `bend` of the lens if said, or with `zoom` each camera's own focal length;
    `moving`: the cameras' places too; the last `held` of each point's x, y, z stay as they are."""
    free = np.array([focal and not zoom, bend, bend])
    b = replace(b, turns=b.turns.copy(), shifts=b.shifts.copy(), points=b.points.copy(), lens=b.lens.astype(np.float64).copy())
    even = EVEN * b.uneven() if zoom else np.zeros((0, len(b.turns)))
    starts = np.searchsorted(b.ids, np.arange(len(b.points) + 1))
    cost = _cost(b, even, cauchy)
    damping = DAMPING
    for _ in range(rounds):
        if progress is not None:
            progress.check()
        step = _step(
            b.turns, b.shifts, b.points, b.lens, b.zoomed, even, b.middle, b.cams, b.at, starts, free, moving, held,
            7 if zoom else 6, cauchy, damping,
        )  # fmt: skip
        new = _moved(b, *step)
        then = _cost(new, even, cauchy)
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


def _cost(b: Bundle, even: Array, cauchy: float) -> float:
    seen = np.log1p((b.off() ** 2).sum(axis=1) / cauchy**2).sum()
    return float(seen + ((even @ b.zoomed) ** 2).sum() / cauchy**2) if (b.zoomed > 0).all() else float("inf")


def _moved(b: Bundle, cams: Array, lens: Array, points: Array) -> Bundle:
    turns = np.array([_rotation(w) @ r for w, r in zip(cams[:, :3], b.turns, strict=True)])
    zooms = b.zoomed + cams[:, 6] if cams.shape[1] > 6 else b.zooms
    return replace(b, turns=turns, shifts=b.shifts + cams[:, 3:6], lens=b.lens + lens, points=b.points + points, zooms=zooms)


def _rotation(w: Array) -> Array:
    """A small turn about the axis w, by |w| rad (Rodrigues)."""
    a = float(np.linalg.norm(w))
    k = np.array([[0, -w[2], w[1]], [w[2], 0, -w[0]], [-w[1], w[0], 0]])
    if a < 1e-12:
        return np.asarray(np.eye(3) + k)
    return np.asarray(np.eye(3) + np.sin(a) / a * k + (1 - np.cos(a)) / a**2 * (k @ k))


@njit(cache=True, nogil=True)
def _one_off(r, t, p, lens, zoom, middle, at):  # type: ignore[no-untyped-def]
    """px to the right and down that one point is seen beside where it was found; far off if it lies behind the camera."""
    x = r[0, 0] * p[0] + r[0, 1] * p[1] + r[0, 2] * p[2] + t[0]
    y = r[1, 0] * p[0] + r[1, 1] * p[1] + r[1, 2] * p[2] + t[1]
    z = r[2, 0] * p[0] + r[2, 1] * p[1] + r[2, 2] * p[2] + t[2]
    if z <= 1e-9:
        return 1e3, 1e3
    u, v = x / z, y / z
    q = u * u + v * v
    grown = 1 + q * (lens[1] + q * lens[2])
    f = lens[0] * zoom
    return middle[0] + f * grown * u - at[0], middle[1] + f * grown * v - at[1]


@njit(cache=True, nogil=True)
def _residuals(turns, shifts, points, lens, zooms, middle, cams, ids, at, out):  # type: ignore[no-untyped-def]
    for o in range(len(cams)):
        i = cams[o]
        out[o, 0], out[o, 1] = _one_off(turns[i], shifts[i], points[ids[o]], lens, zooms[i], middle, at[o])


@njit(cache=True, nogil=True)
def _jacobian(r, t, p, lens, zoom, cam, lns, pnt):  # type: ignore[no-untyped-def]
    """Derivatives of where a point is seen by the camera with its zoom (2, 7), the lens (2, 3) and the point (2, 3); false if it lies
    behind."""
    tx = r[0, 0] * p[0] + r[0, 1] * p[1] + r[0, 2] * p[2]
    ty = r[1, 0] * p[0] + r[1, 1] * p[1] + r[1, 2] * p[2]
    tz = r[2, 0] * p[0] + r[2, 1] * p[1] + r[2, 2] * p[2]
    z = tz + t[2]
    if z <= 1e-9:
        return False
    u, v = (tx + t[0]) / z, (ty + t[1]) / z
    q = u * u + v * v
    grown, slope = 1 + q * (lens[1] + q * lens[2]), 2 * (lens[1] + 2 * q * lens[2])
    f = lens[0] * zoom
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
        cam[i, 6] = lens[0] * grown * w
        lns[i, 0], lns[i, 1], lns[i, 2] = zoom * grown * w, f * q * w, f * q * q * w
    return True


@njit(cache=True, nogil=True)
def _step(turns, shifts, points, lens, zooms, even, middle, cams, at, starts, free, moving, held, wide, cauchy, damping):  # type: ignore[no-untyped-def]
    """The step of cameras (n, `wide`: 6, or 7 with their zooms), lens (3,) and points (m, 3)."""
    n, m = len(turns), len(points)
    size = wide * n + 3
    s, g = np.zeros((size, size)), np.zeros(size)
    blocks = np.zeros((len(cams), wide, 3))
    lensed, inverses, pulls = np.zeros((m, 3, 3)), np.zeros((m, 3, 3)), np.zeros((m, 3))
    cam, lns, pnt = np.zeros((2, 7)), np.zeros((2, 3)), np.zeros((2, 3))
    for j in range(m):
        v = np.zeros((3, 3))
        for o in range(starts[j], starts[j + 1]):
            i = cams[o]
            if not _jacobian(turns[i], shifts[i], points[j], lens, zooms[i], cam, lns, pnt):
                continue
            if not moving:
                cam[:, 3:6] = 0.0
            if held:
                pnt[:, 3 - held :] = 0.0
            for c in range(3):
                if not free[c]:
                    lns[:, c] = 0.0
            off = _one_off(turns[i], shifts[i], points[j], lens, zooms[i], middle, at[o])
            w = 1 / (1 + (off[0] ** 2 + off[1] ** 2) / cauchy**2)
            b = wide * i
            for q in range(2):
                e = -off[q]
                for x in range(wide):
                    wx = w * cam[q, x]
                    for y in range(wide):
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
        _eliminate(s, g, blocks, lensed[j], inverses[j], pulls[j], cams, starts[j], starts[j + 1], wide)
    for row in even:
        for a in np.flatnonzero(row):
            g[wide * a + 6] -= row[a] * (row * zooms).sum()
            for b in np.flatnonzero(row):
                s[wide * a + 6, wide * b + 6] += row[a] * row[b]
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
            rest -= blocks[o].T @ answer[wide * cams[o] : wide * cams[o] + wide]
        moves[j] = inverses[j] @ rest
    return answer[: size - 3].copy().reshape(n, wide), tail.copy(), moves


@njit(cache=True, nogil=True)
def _eliminate(s, g, blocks, lensed, inverse, pull, cams, first, last, wide):  # type: ignore[no-untyped-def]
    """Take one point out of the cameras' equations; of the matrix the upper half is kept."""
    size = len(g)
    there = inverse @ pull
    for a in range(first, last):
        i = wide * cams[a]
        left = blocks[a] @ inverse
        for x in range(wide):
            g[i + x] -= blocks[a, x, 0] * there[0] + blocks[a, x, 1] * there[1] + blocks[a, x, 2] * there[2]
            for y in range(3):
                s[i + x, size - 3 + y] -= left[x, 0] * lensed[y, 0] + left[x, 1] * lensed[y, 1] + left[x, 2] * lensed[y, 2]
        for b in range(first, last):
            j = wide * cams[b]
            if j < i:
                continue
            for x in range(wide):
                for y in range(wide):
                    s[i + x, j + y] -= left[x, 0] * blocks[b, y, 0] + left[x, 1] * blocks[b, y, 1] + left[x, 2] * blocks[b, y, 2]
    for x in range(3):
        g[size - 3 + x] -= lensed[x, 0] * there[0] + lensed[x, 1] * there[1] + lensed[x, 2] * there[2]
        for y in range(3):
            total = 0.0
            for c in range(3):
                for d in range(3):
                    total += lensed[x, c] * inverse[c, d] * lensed[y, d]
            s[size - 3 + x, size - 3 + y] -= total
