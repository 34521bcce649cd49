"""The compiled loops of the blend modes: one pass over a picture, on premultiplied values, so that most modes need no division."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear

# the numbers of the modes, as core.build.blend.MODES has them
(
    OVER, ADD, SCREEN, MULTIPLY, OVERLAY, DARKEN, LIGHTEN, DODGE, BURN, HARD, SOFT, DIFFERENCE, EXCLUSION,
    HUE, SATURATION, COLOUR, LUMINOSITY,
) = range(17)  # fmt: skip
ZERO, ONE, TWO = np.float32(0), np.float32(1), np.float32(2)
NEAR = np.float32(1e-6)  # of an alpha: under it no colour is told
TINY = np.float32(1e-12)

# Codes by table: of the root of light, where the curve is smooth, up to 16 times white, and of the code up to 4. Between places they are straight,
# which is off by less than 1e-6 of the code.
PLACES = 1 << 14
ROOT_MOST, CODE_MOST = 4.0, 4.0
CODES = np.asarray(linear_to_srgb(np.linspace(0, ROOT_MOST, PLACES + 1) ** 2), np.float32)
LIGHTS = np.asarray(srgb_to_linear(np.linspace(0, CODE_MOST, PLACES + 1)), np.float32)
ROOT_STEPS, CODE_STEPS = np.float32(PLACES / ROOT_MOST), np.float32(PLACES / CODE_MOST)


@njit(inline="always")
def _looked_up(table, at):  # type: ignore[no-untyped-def]
    i = int(at)
    if i >= PLACES:
        return table[PLACES] + (at - np.float32(PLACES)) * (table[PLACES] - table[PLACES - 1])
    return table[i] + (at - np.float32(i)) * (table[i + 1] - table[i])


@njit(inline="always")
def _code(light, table):  # type: ignore[no-untyped-def]
    """The code of one value of light; what is darker than black is black, what is beyond the table by the curve itself."""
    if light <= ZERO:
        return ZERO
    if light > np.float32(ROOT_MOST * ROOT_MOST):
        return np.float32(1.055 * math.pow(light, 1 / 2.4) - 0.055)
    return _looked_up(table, np.float32(math.sqrt(light)) * ROOT_STEPS)


@njit(inline="always")
def _light(code, table):  # type: ignore[no-untyped-def]
    if code <= ZERO:
        return ZERO
    if code > np.float32(CODE_MOST):
        return np.float32(math.pow((code + 0.055) / 1.055, 2.4))
    return _looked_up(table, code * CODE_STEPS)


@njit(inline="always")
def _mixed(mode, f, b, sa, ba):  # type: ignore[no-untyped-def]
    """sa ba B(cb, cs) of the separable modes, from premultiplied values: f = sa cs, b = ba cb. What is told for 0..1 is told of what lies within it; light behind beyond white is kept."""
    if mode == MULTIPLY:
        return f * b
    if mode == DARKEN:
        return min(f * ba, b * sa)
    if mode == LIGHTEN:
        return max(f * ba, b * sa)
    if mode == DIFFERENCE:
        return abs(f * ba - b * sa)
    beyond = max(b - ba, ZERO) * sa
    f, b = min(max(f, ZERO), sa), min(max(b, ZERO), ba)
    whole = sa * ba
    # both ways are reckoned and one is taken: pixels that change from one to the other would cost more than the reckoning
    if mode in (OVERLAY, HARD):  # overlay is hard light with the two changed over
        low, high = TWO * f * b, whole - TWO * (ba - b) * (sa - f)
        return beyond + (low if (TWO * b <= ba if mode == OVERLAY else TWO * f <= sa) else high)
    if mode == EXCLUSION:
        return beyond + f * ba + b * sa - TWO * f * b
    if mode == DODGE:
        some = min(whole, b * sa * sa / max(sa - f, TINY))
        return beyond + (ZERO if b <= ZERO else some)
    if mode == BURN:
        some = whole - min(whole, (ba - b) * sa * sa / max(f, TINY))
        return beyond + (whole if b >= ba else some)
    cb, cs = b / max(ba, NEAR), f / max(sa, NEAR)  # soft light
    dark = ((np.float32(16) * cb - np.float32(12)) * cb + np.float32(4)) * cb
    root = np.float32(math.sqrt(cb))
    d = dark if cb <= np.float32(0.25) else root
    twice = TWO * cs - ONE
    return beyond + whole * (cb + twice * (cb * (ONE - cb) if twice <= ZERO else d - cb))


@njit(inline="always")
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@njit(inline="always")
def _with_lum(r, g, b, want):  # type: ignore[no-untyped-def]
    """SetLum and ClipColor of the standard."""
    d = want - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low, high = min(r, g, b), max(r, g, b)
    if low < ZERO:
        k = want / (want - low)
        r, g, b = want + (r - want) * k, want + (g - want) * k, want + (b - want) * k
    if high > ONE:
        k = (ONE - want) / (high - want)
        r, g, b = want + (r - want) * k, want + (g - want) * k, want + (b - want) * k
    return r, g, b


@njit(inline="always")
def _with_sat(r, g, b, want):  # type: ignore[no-untyped-def]
    """SetSat of the standard: the least becomes 0, the most `want`."""
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return ZERO, ZERO, ZERO
    k = want / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@njit(inline="always")
def _together(mode, b0, b1, b2, s0, s1, s2):  # type: ignore[no-untyped-def]
    """B of the modes that look at all three at once."""
    if mode == HUE:
        r, g, b = _with_sat(s0, s1, s2, max(b0, b1, b2) - min(b0, b1, b2))
        return _with_lum(r, g, b, _lum(b0, b1, b2))
    if mode == SATURATION:
        r, g, b = _with_sat(b0, b1, b2, max(s0, s1, s2) - min(s0, s1, s2))
        return _with_lum(r, g, b, _lum(b0, b1, b2))
    if mode == COLOUR:
        return _with_lum(s0, s1, s2, _lum(b0, b1, b2))
    return _with_lum(b0, b1, b2, _lum(s0, s1, s2))


@njit(inline="always")
def _unit(x):  # type: ignore[no-untyped-def]
    return min(max(x, ZERO), ONE)


@njit(inline="always")
def _three(mode, f0, f1, f2, b0, b1, b2, sa, ba):  # type: ignore[no-untyped-def]
    """The three colours of a pixel by a mode, premultiplied."""
    if mode == OVER:
        return f0 + (ONE - sa) * b0, f1 + (ONE - sa) * b1, f2 + (ONE - sa) * b2
    if mode == ADD:  # light on light
        return b0 + f0, b1 + f1, b2 + f2
    if mode == SCREEN:  # light beyond white adds nothing where it is white already, so that nothing grows darker
        return b0 + f0 * _unit(ONE - b0), b1 + f1 * _unit(ONE - b1), b2 + f2 * _unit(ONE - b2)
    if mode < HUE:
        m0, m1, m2 = _mixed(mode, f0, b0, sa, ba), _mixed(mode, f1, b1, sa, ba), _mixed(mode, f2, b2, sa, ba)
    else:
        by, ay = ONE / max(sa, NEAR), ONE / max(ba, NEAR)
        m0, m1, m2 = _together(
            mode, _unit(b0 * ay), _unit(b1 * ay), _unit(b2 * ay), _unit(f0 * by), _unit(f1 * by), _unit(f2 * by)
        )
        whole = sa * ba
        m0 = m0 * whole + max(b0 - ba, ZERO) * sa
        m1 = m1 * whole + max(b1 - ba, ZERO) * sa
        m2 = m2 * whole + max(b2 - ba, ZERO) * sa
    u, v = ONE - ba, ONE - sa
    return u * f0 + v * b0 + m0, u * f1 + v * b1 + m1, u * f2 + v * b2 + m2


@njit(parallel=True, cache=True, nogil=True)
def blend_light(front, back, mode, out):  # type: ignore[no-untyped-def]
    """`front` (h, w, 4) over `back` (h, w, 3 or 4) by a mode's number, in linear light."""
    h, w, channels = back.shape
    glows = mode in (ADD, SCREEN)  # what lies behind keeps its alpha
    for y in prange(h):
        for x in range(w):
            sa = front[y, x, 3]
            ba = back[y, x, 3] if channels == 4 else ONE
            b0, b1, b2 = back[y, x, 0], back[y, x, 1], back[y, x, 2]
            if sa <= ZERO and not glows:  # nothing is there: most of a layer
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = b0, b1, b2
                if channels == 4:
                    out[y, x, 3] = ba
                continue
            r, g, b = _three(mode, front[y, x, 0], front[y, x, 1], front[y, x, 2], b0, b1, b2, sa, ba)
            out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b
            if channels == 4:
                out[y, x, 3] = ba if glows else sa + ba - sa * ba


@njit(inline="always")
def _row(front, back, mode, out, y):  # type: ignore[no-untyped-def]
    """One row by a mode that is known when it is compiled; nothing is asked of a pixel, so that several are reckoned at once."""
    w, channels = back.shape[1], back.shape[2]
    for x in range(w):
        sa = front[y, x, 3]
        ba = back[y, x, 3] if channels == 4 else ONE
        r, g, b = _three(
            mode, front[y, x, 0], front[y, x, 1], front[y, x, 2], back[y, x, 0], back[y, x, 1], back[y, x, 2], sa, ba
        )
        out[y, x, 0], out[y, x, 1], out[y, x, 2] = r, g, b
        if channels == 4:
            out[y, x, 3] = ba if mode in (ADD, SCREEN) else sa + ba - sa * ba


PLAIN = (ADD, SCREEN, MULTIPLY, DARKEN, LIGHTEN, DIFFERENCE)


@njit(parallel=True, cache=True, nogil=True)
def blend_plain(front, back, mode, out):  # type: ignore[no-untyped-def]
    """As `blend_light`, of the modes PLAIN."""
    for y in prange(back.shape[0]):
        if mode == ADD:
            _row(front, back, ADD, out, y)
        elif mode == SCREEN:
            _row(front, back, SCREEN, out, y)
        elif mode == MULTIPLY:
            _row(front, back, MULTIPLY, out, y)
        elif mode == DARKEN:
            _row(front, back, DARKEN, out, y)
        elif mode == LIGHTEN:
            _row(front, back, LIGHTEN, out, y)
        else:
            _row(front, back, DIFFERENCE, out, y)


@njit(parallel=True, cache=True, nogil=True)
def blend_codes(front, back, mode, out, codes, lights):  # type: ignore[no-untyped-def]
    """The same on the display's values: both are coded, blended, and brought back to light."""
    h, w, channels = back.shape
    glows = mode in (ADD, SCREEN)
    for y in prange(h):
        for x in range(w):
            sa = front[y, x, 3]
            ba = back[y, x, 3] if channels == 4 else ONE
            l0, l1, l2 = back[y, x, 0], back[y, x, 1], back[y, x, 2]
            f0, f1, f2 = front[y, x, 0], front[y, x, 1], front[y, x, 2]
            dark = f0 <= ZERO and f1 <= ZERO and f2 <= ZERO
            if (glows and dark) or (not glows and sa <= ZERO):
                out[y, x, 0], out[y, x, 1], out[y, x, 2] = l0, l1, l2
                if channels == 4:
                    out[y, x, 3] = ba
                continue
            by, ay = ONE / max(sa, NEAR), ONE / max(ba, NEAR)
            f0, f1, f2 = sa * _code(f0 * by, codes), sa * _code(f1 * by, codes), sa * _code(f2 * by, codes)
            b0, b1, b2 = ba * _code(l0 * ay, codes), ba * _code(l1 * ay, codes), ba * _code(l2 * ay, codes)
            r, g, b = _three(mode, f0, f1, f2, b0, b1, b2, sa, ba)
            a = ba if glows else sa + ba - sa * ba
            by = ONE / max(a, NEAR)
            out[y, x, 0] = a * _light(r * by, lights)
            out[y, x, 1] = a * _light(g * by, lights)
            out[y, x, 2] = a * _light(b * by, lights)
            if channels == 4:
                out[y, x, 3] = a
