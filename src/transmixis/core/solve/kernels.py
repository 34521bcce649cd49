"""The compiled part of bundle adjustment: where points are seen, how that answers to cameras, lens and points, and the step that follows."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True, nogil=True)
def one_off(r, t, p, lens, zoom, middle, at):  # type: ignore[no-untyped-def]
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
def residuals(turns, shifts, points, lens, zooms, middle, cams, ids, at, out):  # type: ignore[no-untyped-def]
    for o in range(len(cams)):
        i = cams[o]
        out[o, 0], out[o, 1] = one_off(turns[i], shifts[i], points[ids[o]], lens, zooms[i], middle, at[o])


@njit(cache=True, nogil=True)
def jacobian(r, t, p, lens, zoom, cam, lns, pnt):  # type: ignore[no-untyped-def]
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
def step_of(  # type: ignore[no-untyped-def]
    turns, shifts, points, lens, zooms, even, middle, cams, at, starts, free, moving, held, wide, cauchy, damping, at_once
):
    """The step of cameras (n, `wide`: 6, or 7 with their zooms), lens (3,) and points (m, 3); `at_once`: the points are taken out together."""
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
            if not jacobian(turns[i], shifts[i], points[j], lens, zooms[i], cam, lns, pnt):
                continue
            if not moving:
                cam[:, 3:6] = 0.0
            if held:
                pnt[:, 3 - held :] = 0.0
            for c in range(3):
                if not free[c]:
                    lns[:, c] = 0.0
            off = one_off(turns[i], shifts[i], points[j], lens, zooms[i], middle, at[o])
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
        if not at_once:
            eliminate(s, g, blocks, lensed[j], inverses[j], pulls[j], cams, starts[j], starts[j + 1], wide)
    if at_once:
        eliminate_all(s, g, blocks, lensed, inverses, pulls, cams, starts, wide)
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
            for x in range(wide):
                a = answer[wide * cams[o] + x]
                for y in range(3):
                    rest[y] -= blocks[o, x, y] * a
        moves[j] = inverses[j] @ rest
    return answer[: size - 3].copy().reshape(n, wide), tail.copy(), moves


@njit(cache=True, nogil=True)
def eliminate_all(s, g, blocks, lensed, inverses, pulls, cams, starts, wide):  # type: ignore[no-untyped-def]
    """Take all points out of the cameras' equations by products of whole matrices: quicker where most points are seen by many."""
    m, rows = len(lensed), len(g) - 3
    one, two, lens, there = np.zeros((rows, 3 * m)), np.zeros((rows, 3 * m)), np.zeros((3 * m, 3)), np.zeros(3 * m)
    lent = np.zeros((3 * m, 3))
    for j in range(m):
        c = 3 * j
        there[c : c + 3] = inverses[j] @ pulls[j]
        lens[c : c + 3] = lensed[j].T
        lent[c : c + 3] = inverses[j] @ lensed[j].T
        for o in range(starts[j], starts[j + 1]):
            b = wide * cams[o]
            for x in range(wide):  # small products by hand: calling for each costs more than it
                for y in range(3):
                    one[b + x, c + y] = blocks[o, x, y]
                    two[b + x, c + y] = (
                        blocks[o, x, 0] * inverses[j, 0, y]
                        + blocks[o, x, 1] * inverses[j, 1, y]
                        + blocks[o, x, 2] * inverses[j, 2, y]
                    )
    s[:rows, :rows] -= np.dot(two, one.T)
    s[:rows, rows:] -= np.dot(two, lens)
    s[rows:, rows:] -= np.dot(np.ascontiguousarray(lens.T), lent)
    g[:rows] -= np.dot(one, there)
    g[rows:] -= np.dot(np.ascontiguousarray(lens.T), there)


@njit(cache=True, nogil=True)
def eliminate(s, g, blocks, lensed, inverse, pull, cams, first, last, wide):  # type: ignore[no-untyped-def]
    """Take one point out of the cameras' equations; of the matrix the upper half is kept."""
    size = len(g)
    there, left = inverse @ pull, np.empty((wide, 3))
    for a in range(first, last):
        i = wide * cams[a]
        for x in range(wide):
            for y in range(3):
                left[x, y] = blocks[a, x, 0] * inverse[0, y] + blocks[a, x, 1] * inverse[1, y] + blocks[a, x, 2] * inverse[2, y]
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
