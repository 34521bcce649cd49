"""How much of each pixel is subject, and which colour that subject has, given the screen behind it.

A pixel is alpha * F + (1 - alpha) * S + noise, with S known. Each explanation of the pixel is weighed by how likely it
makes the pixel, in the manner of Bayesian matting (Chuang, Curless, Salesin, Szeliski, 2001) with a known background:

- nothing but screen (alpha 0): what tells a thin hair from noise is the plate's own noise law;
- nothing but subject (alpha 1), more likely the deeper inside the subject;
- a mixture with one of the candidate colours: the core nearby, or a colour cluster of the whole shot's core;
- a mixture with an unknown colour whose colour difference is about zero (the plain difference key).

The result is the mean over the explanations, which is the estimate of least squared error.

For speed the pixels that need it are gathered, CHUNK at a time, into the rows of one block of numbers, and every
explanation then runs over the whole block, so that the compiler can use wide registers. The block is flat, with rows of
a fixed length, since the compiler must know that the rows do not overlap.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

from transmixis.core.matte.subject import UPPER, Clusters, unpacked
from transmixis.core.types import Array, Matte, Rgb

# Prior weights. Halved or doubled, all but the opaque share change the error by a few per cent (docs/keying.md has the table).
NEUTRAL_WEIGHT = 0.3  # of a mixture with an unknown neutral colour
CLUSTER_WEIGHT = 0.35  # of a mixture with a colour of the shot's core
LOCAL_WEIGHT = 0.35  # of a mixture with the core's colour nearby
OPAQUE_SHARE = 0.4  # share of opaque pixels just inside the outline
NEUTRAL_RANGE = 0.3  # scene linear: the range of brightness an unknown colour may have
NEUTRAL_SPREAD = 0.2  # spread of the unknown colour's difference, as a part of the screen's

PRIORS = np.array([NEUTRAL_WEIGHT, NEUTRAL_RANGE, OPAQUE_SHARE, CLUSTER_WEIGHT, LOCAL_WEIGHT, NEUTRAL_SPREAD], np.float32)
# Once a first solution has told the subject's colours up to its very edge, they say more than all else.
AGAIN = np.array([NEUTRAL_WEIGHT / 3, NEUTRAL_RANGE, OPAQUE_SHARE, CLUSTER_WEIGHT / 3, 3.0, NEUTRAL_SPREAD], np.float32)


@njit(inline="always", fastmath=True, error_model="numpy")
def _inverse(a, b, c, d, e, f):  # type: ignore[no-untyped-def]
    """Inverse of the symmetric [[a b c][b d e][c e f]] as its upper triangle, and the determinant."""
    p = d * f - e * e
    q = c * e - b * f
    r = b * e - c * d
    det = max(a * p + b * q + c * r, np.float32(1e-24))
    s = np.float32(1.0) / det
    return p * s, q * s, r * s, (a * f - c * c) * s, (b * c - a * e) * s, (a * d - b * b) * s, det


@njit(inline="always", fastmath=True, error_model="numpy")
def _decay(x):  # type: ignore[no-untyped-def]
    """exp(-x) for 0 <= x <= 30 by squaring, since a library call would keep the loop from running on wide registers.

    Relative error under 1e-5 for x < 4, where it counts.
    """
    y = x * np.float32(1 / 32)
    e = np.float32(1) - y * (np.float32(1) - y * (np.float32(0.5) - y * (np.float32(1 / 6) - y * np.float32(1 / 24))))
    e = e * e
    e = e * e
    e = e * e
    e = e * e
    return e * e


CHUNK = 512  # pixels solved together; the block's rows stay in the second-level cache
STRIPS = 32  # rows are dealt out in turn, since the subject mostly fills one half of the frame

# Rows of the block: the pixel, its screen and its noise's variance in three channels each, ...
PIXEL, SCREEN, NOISE = 0, 3, 6
INSIDE = 9  # at first how deep inside 0..1, then the prior of a mixture
BARE = 10  # at first the prior of bare screen, then the prior of an opaque pixel
BEST = 11  # the lowest misfit so far; all sums are weighed relative to it
SUM = 12  # weight, weight * alpha, weight * premultiplied colour (5 rows)
NEAR = 17  # support, mean, packed covariance of the core nearby (10 rows)
ROWS = 27


@njit(inline="always", fastmath=True, error_model="numpy")
def _mixture(d0, d1, d2, e0, e1, e2, v0, v1, v2, c0, c1, c2, c3, c4, c5):  # type: ignore[no-untyped-def]
    """Explain d = pixel - screen by a colour e = mean - screen with covariance c under noise v.

    Returns alpha, misfit, weight before exp(-misfit / 2), and alpha times the colour's deviation from its mean.
    """
    one = np.float32(1)
    a = (d0 * e0 + d1 * e1 + d2 * e2) / (e0 * e0 + e1 * e1 + e2 * e2 + np.float32(1e-9))
    a = min(max(a, np.float32(0.05)), one)
    aa = a * a
    j0, j1, j2, j3, j4, j5, det = _inverse(aa * c0 + v0, aa * c1, aa * c2, aa * c3 + v1, aa * c4, aa * c5 + v2)
    h0, h1, h2 = j0 * e0 + j1 * e1 + j2 * e2, j1 * e0 + j3 * e1 + j4 * e2, j2 * e0 + j4 * e1 + j5 * e2
    ee = h0 * e0 + h1 * e1 + h2 * e2
    a = (h0 * d0 + h1 * d1 + h2 * d2) / (ee + np.float32(1e-9))
    a = min(max(a, np.float32(0.02)), one)
    # the spread of the explained pixel goes with alpha squared, so that its inverse must belong to the alpha that is used
    aa = a * a
    j0, j1, j2, j3, j4, j5, det = _inverse(aa * c0 + v0, aa * c1, aa * c2, aa * c3 + v1, aa * c4, aa * c5 + v2)
    h0, h1, h2 = j0 * e0 + j1 * e1 + j2 * e2, j1 * e0 + j3 * e1 + j4 * e2, j2 * e0 + j4 * e1 + j5 * e2
    ee = h0 * e0 + h1 * e1 + h2 * e2
    r0, r1, r2 = d0 - a * e0, d1 - a * e1, d2 - a * e2
    g0, g1, g2 = j0 * r0 + j1 * r1 + j2 * r2, j1 * r0 + j3 * r1 + j4 * r2, j2 * r0 + j4 * r1 + j5 * r2
    fit = g0 * r0 + g1 * r1 + g2 * r2
    f0 = aa * (c0 * g0 + c1 * g1 + c2 * g2)
    f1 = aa * (c1 * g0 + c3 * g1 + c4 * g2)
    f2 = aa * (c2 * g0 + c4 * g1 + c5 * g2)
    # Laplace's approximation of the integral over alpha in 0..1
    weight = math.sqrt(np.float32(6.2832) / ((ee + np.float32(6.2832)) * det))
    return a, fit, weight, f0, f1, f2


@njit(inline="always", fastmath=True, error_model="numpy")
def _odds(misfit, best):  # type: ignore[no-untyped-def]
    """exp(-(misfit - best) / 2). Without min(), whose pair of arguments would keep the loop from wide registers."""
    x = np.float32(0.5) * (misfit - best)
    return _decay(x if x < np.float32(30) else np.float32(30))


@njit(fastmath=True, error_model="numpy", cache=True)
def _begin(b, n, green, priors):  # type: ignore[no-untyped-def]
    """Begin the sums of `n` pixels with bare screen, and with a mixture with an unknown neutral colour."""
    zero, one = np.float32(0), np.float32(1)
    neutral, brightness, opaque, spread_of = priors[0], priors[1], priors[2], priors[5]
    for i in range(n):
        r, sr, vr = b[PIXEL * CHUNK + i], b[SCREEN * CHUNK + i], b[NOISE * CHUNK + i]
        g, sg, vg = b[(PIXEL + 1) * CHUNK + i], b[(SCREEN + 1) * CHUNK + i], b[(NOISE + 1) * CHUNK + i]
        u, su, vu = b[(PIXEL + 2) * CHUNK + i], b[(SCREEN + 2) * CHUNK + i], b[(NOISE + 2) * CHUNK + i]
        x, other, s, so = (g, u, sg, su) if green else (u, g, su, sg)
        p0, inside = b[BARE * CHUNK + i], b[INSIDE * CHUNK + i] * b[INSIDE * CHUNK + i]
        mixed = (one - p0) * (one - opaque) * (one - inside)
        ds = max(s - max(sr, so), np.float32(1e-4))
        di = x - max(r, other)
        a = min(max(one - di / ds, zero), one)
        bare = (r - sr) * (r - sr) / vr + (g - sg) * (g - sg) / vg + (u - su) * (u - su) / vu
        # the integral over the unknown colour's two free directions leaves 1 / (2 range^2)
        spread, miss = a * spread_of * ds, min(di - (one - a) * ds, zero)
        free = max(a, np.float32(0.05)) * brightness
        fit = miss * miss / (spread * spread + np.float32(0.66) * (vr + vg + vu) + np.float32(0.02) * ds * ds)
        best = min(bare, fit)
        w0 = p0 / math.sqrt(vr * vg * vu) * _odds(bare, best)
        w1 = np.float32(15.8) * mixed * neutral / (ds * free * free) * _odds(fit, best)
        b[INSIDE * CHUNK + i], b[BARE * CHUNK + i], b[BEST * CHUNK + i] = (
            mixed,
            (one - p0) * (opaque + (one - opaque) * inside),
            best,
        )
        b[SUM * CHUNK + i], b[(SUM + 1) * CHUNK + i] = w0 + w1, w1 * a
        b[(SUM + 2) * CHUNK + i] = w1 * max(r - (one - a) * sr, zero)
        b[(SUM + 3) * CHUNK + i] = w1 * max(g - (one - a) * sg, zero)
        b[(SUM + 4) * CHUNK + i] = w1 * max(u - (one - a) * su, zero)


@njit(inline="always", fastmath=True, error_model="numpy")
def _add(b, i, fit, weight, a, f0, f1, f2, full, opaque):  # type: ignore[no-untyped-def]
    """Add a mixture (alpha `a`, premultiplied f) and an opaque explanation to the sums of pixel `i`."""
    best = b[BEST * CHUNK + i]
    new = fit if fit < full else full
    new = best if best < new else new
    keep = _odds(best, new)
    p = weight * _odds(fit, new)
    q = opaque * _odds(full, new)
    b[BEST * CHUNK + i] = new
    b[SUM * CHUNK + i] = b[SUM * CHUNK + i] * keep + p + q
    b[(SUM + 1) * CHUNK + i] = b[(SUM + 1) * CHUNK + i] * keep + p * a + q
    b[(SUM + 2) * CHUNK + i] = b[(SUM + 2) * CHUNK + i] * keep + p * f0 + q * b[PIXEL * CHUNK + i]
    b[(SUM + 3) * CHUNK + i] = b[(SUM + 3) * CHUNK + i] * keep + p * f1 + q * b[(PIXEL + 1) * CHUNK + i]
    b[(SUM + 4) * CHUNK + i] = b[(SUM + 4) * CHUNK + i] * keep + p * f2 + q * b[(PIXEL + 2) * CHUNK + i]


@njit(fastmath=True, error_model="numpy", cache=True)
def _add_cluster(b, n, m0, m1, m2, c0, c1, c2, c3, c4, c5, q0, q1, q2, q3, q4, q5, w, wq):  # type: ignore[no-untyped-def]
    """Add one cluster: mean m, covariance c, inverse q of covariance and noise, weights of mixture and of opaque."""
    two = np.float32(2)
    for i in range(n):
        s0, s1, s2 = b[SCREEN * CHUNK + i], b[(SCREEN + 1) * CHUNK + i], b[(SCREEN + 2) * CHUNK + i]
        x0, x1, x2 = b[PIXEL * CHUNK + i], b[(PIXEL + 1) * CHUNK + i], b[(PIXEL + 2) * CHUNK + i]
        a, fit, weight, f0, f1, f2 = _mixture(
            x0 - s0, x1 - s1, x2 - s2, m0 - s0, m1 - s1, m2 - s2,
            b[NOISE * CHUNK + i], b[(NOISE + 1) * CHUNK + i], b[(NOISE + 2) * CHUNK + i], c0, c1, c2, c3, c4, c5,
        )  # fmt: skip
        r0, r1, r2 = x0 - m0, x1 - m1, x2 - m2
        full = r0 * (q0 * r0 + two * (q1 * r1 + q2 * r2)) + r1 * (q3 * r1 + two * q4 * r2) + q5 * r2 * r2
        _add(
            b,
            i,
            fit,
            b[INSIDE * CHUNK + i] * w * weight,
            a,
            a * m0 + f0,
            a * m1 + f1,
            a * m2 + f2,
            full,
            b[BARE * CHUNK + i] * wq,
        )


@njit(fastmath=True, error_model="numpy", cache=True)
def _add_near(b, n, w):  # type: ignore[no-untyped-def]
    """Add the core nearby, whose mean and covariance stand in the block."""
    two, one = np.float32(2), np.float32(1)
    for i in range(n):
        s0, s1, s2 = b[SCREEN * CHUNK + i], b[(SCREEN + 1) * CHUNK + i], b[(SCREEN + 2) * CHUNK + i]
        x0, x1, x2 = b[PIXEL * CHUNK + i], b[(PIXEL + 1) * CHUNK + i], b[(PIXEL + 2) * CHUNK + i]
        v0, v1, v2 = b[NOISE * CHUNK + i], b[(NOISE + 1) * CHUNK + i], b[(NOISE + 2) * CHUNK + i]
        m0, m1, m2 = b[(NEAR + 1) * CHUNK + i], b[(NEAR + 2) * CHUNK + i], b[(NEAR + 3) * CHUNK + i]
        c0, c1, c2 = b[(NEAR + 4) * CHUNK + i], b[(NEAR + 5) * CHUNK + i], b[(NEAR + 6) * CHUNK + i]
        c3, c4, c5 = b[(NEAR + 7) * CHUNK + i], b[(NEAR + 8) * CHUNK + i], b[(NEAR + 9) * CHUNK + i]
        a, fit, weight, f0, f1, f2 = _mixture(
            x0 - s0, x1 - s1, x2 - s2, m0 - s0, m1 - s1, m2 - s2, v0, v1, v2, c0, c1, c2, c3, c4, c5
        )
        q0, q1, q2, q3, q4, q5, det = _inverse(c0 + v0, c1, c2, c3 + v1, c4, c5 + v2)
        r0, r1, r2 = x0 - m0, x1 - m1, x2 - m2
        full = r0 * (q0 * r0 + two * (q1 * r1 + q2 * r2)) + r1 * (q3 * r1 + two * q4 * r2) + q5 * r2 * r2
        near = w * b[NEAR * CHUNK + i]
        opaque = b[BARE * CHUNK + i] * near * math.sqrt(one / det)
        _add(b, i, fit, b[INSIDE * CHUNK + i] * near * weight, a, a * m0 + f0, a * m1 + f1, a * m2 + f2, full, opaque)


@njit(fastmath=True, error_model="numpy", cache=True)
def _near_line(local, y, height, line):  # type: ignore[no-untyped-def]
    """Fill `line` (gw, 10) with `local` (gh, gw, 10) at the height of row `y`."""
    gh = local.shape[0]
    v = (np.float32(y) + np.float32(0.5)) * np.float32(gh / height) - np.float32(0.5)
    v = min(max(v, np.float32(0)), np.float32(gh - 1.001))
    j = int(v)
    t = v - np.float32(j)
    for i in range(line.shape[0]):
        for c in range(10):
            line[i, c] = local[j, i, c] + t * (local[j + 1, i, c] - local[j, i, c])


@njit(fastmath=True, error_model="numpy", cache=True)
def _take_near(b, at, n, line, width):  # type: ignore[no-untyped-def]
    """Bring the core nearby of `n` pixels at columns `at` into the block."""
    gw = line.shape[0]
    step, half = np.float32(gw / width), np.float32(0.5)
    for q in range(n):
        u = min(max((np.float32(at[q]) + half) * step - half, np.float32(0)), np.float32(gw - 1.001))
        i = int(u)
        t = u - np.float32(i)
        for c in range(10):
            b[(NEAR + c) * CHUNK + q] = line[i, c] + t * (line[i + 1, c] - line[i, c])


@njit(fastmath=True, error_model="numpy", cache=True)
def _solve_block(b, at, n, y, line, clusters, green, priors, alpha, fore):  # type: ignore[no-untyped-def]
    """Solve the `n` gathered pixels of row `y` and write them to `alpha` and `fore`."""
    zero, one = np.float32(0), np.float32(1)
    _begin(b, n, green, priors)
    for c in range(clusters.shape[0]):
        g = clusters[c]
        _add_cluster(
            b, n, g[0], g[1], g[2], g[3], g[4], g[5], g[6], g[7], g[8], g[9], g[10], g[11], g[12], g[13], g[14], g[15], g[16]
        )
    _take_near(b, at, n, line, alpha.shape[1])
    _add_near(b, n, priors[4])
    for q in range(n):
        x = at[q]
        k = one / max(b[SUM * CHUNK + q], np.float32(1e-30))
        alpha[y, x] = min(b[(SUM + 1) * CHUNK + q] * k, one)
        for c in range(3):
            fore[y, x, c] = max(b[(SUM + 2 + c) * CHUNK + q] * k, zero)


@njit(fastmath=True, error_model="numpy", cache=True)
def _misfit_row(frame, screen, y, law, out):  # type: ignore[no-untyped-def]
    """How far each pixel of a row is from bare screen, a 2 % error of the screen's own model counted as noise."""
    for x in range(out.shape[0]):
        total = np.float32(0)
        for c in range(3):
            s, f = screen[y, x, c], frame[y, x, c]
            v = law[c, 0] * max(max(f, s), np.float32(0)) + law[c, 1]
            total += (f - s) * (f - s) / (v + np.float32(4e-4) * s * s)
        out[x] = total


@njit(fastmath=True, error_model="numpy", cache=True)
def _solve_row(  # type: ignore[no-untyped-def]
    y, b, at, misfit, line, frame, screen, law, depth, reach, empty, local, clusters, green, priors, alpha, fore
):
    """One row of `solve_pixels`: settle the plain pixels, gather the others and solve them."""
    height, width = alpha.shape
    zero, one = np.float32(0), np.float32(1)
    dy, ey = y * depth.shape[0] // height, y * empty.shape[0] // height
    # the grids are a half or a whole of the frame; with odd widths a column may take its neighbour's, which is as good
    dstep, estep = np.float32(depth.shape[1] / width), np.float32(empty.shape[1] / width)
    _misfit_row(frame, screen, y, law, misfit)
    _near_line(local, y, height, line)
    n = 0
    for x in range(width):
        p0 = empty[ey, int(np.float32(x) * estep)]
        if p0 > np.float32(0.97) and misfit[x] < np.float32(14):
            alpha[y, x] = zero
            fore[y, x, 0], fore[y, x, 1], fore[y, x, 2] = zero, zero, zero
            continue
        deep = depth[dy, int(np.float32(x) * dstep)]
        if deep > reach:
            alpha[y, x] = one
            fore[y, x, 0], fore[y, x, 1], fore[y, x, 2] = frame[y, x, 0], frame[y, x, 1], frame[y, x, 2]
            continue
        for c in range(3):
            s, f = screen[y, x, c], frame[y, x, c]
            b[(PIXEL + c) * CHUNK + n], b[(SCREEN + c) * CHUNK + n] = f, s
            b[(NOISE + c) * CHUNK + n] = law[c, 0] * max(max(f, s), zero) + law[c, 1]
        b[INSIDE * CHUNK + n], b[BARE * CHUNK + n], at[n] = deep / reach, p0, x
        n += 1
        if n == CHUNK:
            _solve_block(b, at, n, y, line, clusters, green, priors, alpha, fore)
            n = 0
    if n > 0:
        _solve_block(b, at, n, y, line, clusters, green, priors, alpha, fore)


@njit(parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)
def _solve_all(frame, screen, law, depth, reach, empty, local, clusters, green, priors, alpha, fore):  # type: ignore[no-untyped-def]
    for strip in prange(STRIPS):
        b, at = np.empty(ROWS * CHUNK, np.float32), np.empty(CHUNK, np.int64)
        misfit, line = np.empty(alpha.shape[1], np.float32), np.empty((local.shape[1], 10), np.float32)
        for y in range(strip, alpha.shape[0], STRIPS):
            _solve_row(
                y, b, at, misfit, line, frame, screen, law, depth, reach, empty, local, clusters, green, priors, alpha, fore
            )


def solve_pixels(
    frame: Rgb,
    screen: Rgb,
    law: Array,
    depth: Array,
    reach: float,
    empty: Matte,
    local: Array,
    clusters: Clusters,
    *,
    green: bool,
    priors: Array = PRIORS,
) -> tuple[Matte, Rgb]:
    """Alpha (h, w) and premultiplied colour (h, w, 3) of every pixel; the inputs are unchanged.

    frame, screen: (h, w, 3) scene linear. law: (3, 2) noise law. depth: px from what may be screen, on a grid of its own;
    pixels deeper than `reach` are subject. empty: prior of bare screen, on a grid of its own. local: (gh, gw, 10)
    support, mean, packed covariance. green: the screen is green, else blue. priors: weights as in PRIORS, or AGAIN where `local` comes
    from a first solution; before any other background than a screen there is no neutral colour (its weight 0).
    """
    alpha, fore = np.empty(frame.shape[:2], np.float32), np.empty(frame.shape, np.float32)
    table = _cluster_table(clusters, law, float(priors[3]))
    _solve_all(frame, screen, law, depth, np.float32(reach), empty, local, table, green, priors, alpha, fore)
    return alpha, fore


def _cluster_table(clusters: Clusters, law: Array, prior: float) -> Array:
    """(k, 17): mean, covariance, inverse of covariance and noise at the mean, weight as mixture and as opaque."""
    table = np.zeros((len(clusters.mean), 17), np.float32)
    for row, mean, cov, weight in zip(table, clusters.mean, clusters.cov, clusters.weight, strict=True):
        full = unpacked(cov) + np.diag(law[:, 0] * np.maximum(mean, 0) + law[:, 1])
        inverse = np.linalg.inv(full)
        row[:3], row[3:9] = mean, cov
        row[9:15] = [inverse[i, j] for i, j in UPPER]
        row[15] = weight * prior
        row[16] = weight * prior / np.sqrt(np.linalg.det(full))
    return table
