"""Layers over each other: the blend modes of the W3C and the operators of Porter and Duff, in linear light or as a display shows it.

Compositing and Blending Level 1 (W3C, 2015): with colours cs, cb (not premultiplied) and alphas as, ab the sum is
(1 - ab) as cs + (1 - as) ab cb + as ab B(cb, cs). B is told for 0..1; light beyond 1 is kept: of what lies behind it is added to what B gives.
"""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.build.over import over
from transmixis.core.types import Array, Rgba

OVER, ADD, SCREEN, MULTIPLY = "over", "add", "screen", "multiply"
OVERLAY, DARKEN, LIGHTEN, DODGE, BURN = "overlay", "darken", "lighten", "colour dodge", "colour burn"
HARD, SOFT, DIFFERENCE, EXCLUSION = "hard light", "soft light", "difference", "exclusion"
HUE, SATURATION, COLOUR, LUMINOSITY = "hue", "saturation", "colour", "luminosity"
MODES = (
    OVER,
    ADD,
    SCREEN,
    MULTIPLY,
    OVERLAY,
    DARKEN,
    LIGHTEN,
    DODGE,
    BURN,
    HARD,
    SOFT,
    DIFFERENCE,
    EXCLUSION,
    HUE,
    SATURATION,
    COLOUR,
    LUMINOSITY,
)
LINEAR, DISPLAY = "linear light", "as the display's"
LIGHTS = (LINEAR, DISPLAY)
GLOWING = (ADD, SCREEN, LIGHTEN, DODGE)  # with which black adds nothing

# Porter and Duff, Compositing Digital Images (1984): shares of the front and of what lies behind, from (front's alpha, back's alpha)
TOP, UNDER, INSIDE, HOLE = "on top", "underneath", "only where something is", "cuts a hole"
WITHIN, OUTSIDE, EITHER = "keeps only what it covers", "only where nothing is", "where only one is"
LIES = (TOP, INSIDE, UNDER, HOLE)
SHARES = {
    TOP: lambda a, b: (1.0 + 0 * a, 1 - a),
    UNDER: lambda a, b: (1 - b, 1.0 + 0 * a),
    INSIDE: lambda a, b: (b, 1 - a),
    HOLE: lambda a, b: (0 * a, 1 - a),
    WITHIN: lambda a, b: (0 * a, a),
    OUTSIDE: lambda a, b: (1 - b, 0 * a),
    EITHER: lambda a, b: (1 - b, 1 - a),
}


def blended(front: Rgba, back: Array, mode: str = OVER, light: str = LINEAR) -> Array:
    """`front` (h, w, 4) laid over `back` (h, w, 3 or 4) by a mode of MODES, both premultiplied linear light; as many channels as `back`."""
    if light == DISPLAY:
        return _decoded(blended(_coded(front), _coded(back), mode))
    if mode == OVER:
        return over(front, back)
    out = np.empty_like(back, np.float32)
    _blend(np.ascontiguousarray(front, np.float32), np.ascontiguousarray(back, np.float32), MODES.index(mode), out)
    return out


def composed(front: Rgba, back: Array, lies: str) -> Array:
    """`front` (h, w, 4) and `back` (h, w, 3 or 4; without alpha it is everywhere) by an operator of SHARES, both premultiplied."""
    a = front[..., 3:]
    b = back[..., 3:] if back.shape[2] == 4 else np.ones_like(a)
    of_front, of_back = SHARES[lies](a, b)
    return np.asarray(of_front * front[..., : back.shape[2]] + of_back * back, np.float32)


def _coded(picture: Array) -> Array:
    """A premultiplied picture as premultiplied codes."""
    if picture.shape[2] == 3:
        return to_codes(picture)
    alpha = picture[..., 3:]
    out = to_codes(np.concatenate([picture[..., :3] / np.maximum(alpha, 1e-6), alpha], axis=2))
    out[..., :3] *= alpha
    return out


def _decoded(codes: Array) -> Array:
    if codes.shape[2] == 3:
        return from_codes(codes)
    alpha = codes[..., 3:]
    out = from_codes(np.concatenate([codes[..., :3] / np.maximum(alpha, 1e-6), alpha], axis=2))
    out[..., :3] *= alpha
    return out


@njit(inline="always")
def _one(mode, cb, cs):  # type: ignore[no-untyped-def]
    """B(cb, cs) of the separable modes, both 0..1."""
    if mode == 4:  # overlay: hard light with the two changed over
        return 2 * cb * cs if cb <= 0.5 else 1 - 2 * (1 - cb) * (1 - cs)
    if mode == 7:
        if cb <= 0:
            return 0.0
        return 1.0 if cs >= 1 else min(1.0, cb / (1 - cs))
    if mode == 8:
        if cb >= 1:
            return 1.0
        return 0.0 if cs <= 0 else 1 - min(1.0, (1 - cb) / cs)
    if mode == 9:
        return 2 * cb * cs if cs <= 0.5 else 1 - 2 * (1 - cb) * (1 - cs)
    if mode == 10:
        if cs <= 0.5:
            return cb - (1 - 2 * cs) * cb * (1 - cb)
        d = ((16 * cb - 12) * cb + 4) * cb if cb <= 0.25 else math.sqrt(cb)
        return cb + (2 * cs - 1) * (d - cb)
    return cb + cs - 2 * cb * cs  # exclusion


@njit(inline="always")
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return 0.3 * r + 0.59 * g + 0.11 * b


@njit(inline="always")
def _with_lum(r, g, b, want):  # type: ignore[no-untyped-def]
    """SetLum and ClipColor of the standard."""
    d = want - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    low, high = min(r, g, b), max(r, g, b)
    if low < 0:
        k = want / (want - low)
        r, g, b = want + (r - want) * k, want + (g - want) * k, want + (b - want) * k
    if high > 1:
        k = (1 - want) / (high - want)
        r, g, b = want + (r - want) * k, want + (g - want) * k, want + (b - want) * k
    return r, g, b


@njit(inline="always")
def _with_sat(r, g, b, want):  # type: ignore[no-untyped-def]
    """SetSat of the standard: the least becomes 0, the most `want`."""
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return 0.0, 0.0, 0.0
    k = want / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@njit(inline="always")
def _together(mode, b0, b1, b2, s0, s1, s2):  # type: ignore[no-untyped-def]
    """B of the modes that look at all three at once."""
    if mode == 13:
        r, g, b = _with_sat(s0, s1, s2, max(b0, b1, b2) - min(b0, b1, b2))
        return _with_lum(r, g, b, _lum(b0, b1, b2))
    if mode == 14:
        r, g, b = _with_sat(b0, b1, b2, max(s0, s1, s2) - min(s0, s1, s2))
        return _with_lum(r, g, b, _lum(b0, b1, b2))
    if mode == 15:
        return _with_lum(s0, s1, s2, _lum(b0, b1, b2))
    return _with_lum(b0, b1, b2, _lum(s0, s1, s2))


@njit(inline="always")
def _unit(x):  # type: ignore[no-untyped-def]
    return min(max(x, 0.0), 1.0)


@njit(parallel=True, cache=True, nogil=True)
def _blend(front, back, mode, out):  # type: ignore[no-untyped-def]
    h, w, channels = back.shape
    for y in prange(h):
        mixed = np.zeros(3, np.float64)
        cs, cb = np.zeros(3, np.float64), np.zeros(3, np.float64)
        for x in range(w):
            sa = np.float64(front[y, x, 3])
            ba = np.float64(back[y, x, 3]) if channels == 4 else 1.0
            if mode == 1:  # light on light: what lies behind keeps its alpha
                for c in range(3):
                    out[y, x, c] = back[y, x, c] + front[y, x, c]
                if channels == 4:
                    out[y, x, 3] = back[y, x, 3]
                continue
            if mode == 2:  # light beyond white adds nothing where it is white already, so that nothing grows darker
                for c in range(3):
                    b = back[y, x, c]
                    out[y, x, c] = b + front[y, x, c] * _unit(1 - b)
                if channels == 4:
                    out[y, x, 3] = back[y, x, 3]
                continue
            if sa <= 0:  # nothing is there: most of a layer
                for c in range(channels):
                    out[y, x, c] = back[y, x, c]
                continue
            for c in range(3):
                cs[c] = front[y, x, c] / sa if sa > 1e-6 else 0.0
                cb[c] = back[y, x, c] / ba if ba > 1e-6 else 0.0
            if mode >= 13:
                r, g, b = _together(mode, _unit(cb[0]), _unit(cb[1]), _unit(cb[2]), _unit(cs[0]), _unit(cs[1]), _unit(cs[2]))
                mixed[0], mixed[1], mixed[2] = r, g, b
            for c in range(3):
                if mode == 3:
                    mixed[c] = cb[c] * cs[c]
                elif mode == 5:
                    mixed[c] = min(cb[c], cs[c])
                elif mode == 6:
                    mixed[c] = max(cb[c], cs[c])
                elif mode == 11:
                    mixed[c] = abs(cb[c] - cs[c])
                elif mode < 13:
                    mixed[c] = _one(mode, _unit(cb[c]), _unit(cs[c])) + max(cb[c] - 1, 0.0)
                else:
                    mixed[c] += max(cb[c] - 1, 0.0)
                out[y, x, c] = (1 - ba) * front[y, x, c] + (1 - sa) * back[y, x, c] + sa * ba * mixed[c]
            if channels == 4:
                out[y, x, 3] = sa + ba - sa * ba
