"""Layers over each other: the blend modes of the W3C and the operators of Porter and Duff, in linear light or as a display shows it.

Compositing and Blending Level 1 (W3C, 2015): with colours cs, cb (not premultiplied) and alphas as, ab the sum is
(1 - ab) as cs + (1 - as) ab cb + as ab B(cb, cs). B is told for 0..1; light beyond 1 is kept: of what lies behind it is added to what B gives.
"""

from __future__ import annotations

import numpy as np

from transmixis.core.build.blendloops import CODES, PLAIN, blend_codes, blend_light, blend_plain
from transmixis.core.build.blendloops import LIGHTS as LIGHTS_OF_CODES
from transmixis.core.build.over import alike, over
from transmixis.core.threads import threads_for
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
    """`front` (h, w, 4) laid over `back` (h, w, 3 or 4) by a mode of MODES, both premultiplied linear light; as many channels as `back`. Raises UserError for other sizes."""
    alike(front, back)
    if mode == OVER and light == LINEAR:
        return over(front, back)
    f, b = np.ascontiguousarray(front, np.float32), np.ascontiguousarray(back, np.float32)
    out = np.empty(back.shape, np.float32)
    number = MODES.index(mode)
    with threads_for(back.shape[0] * back.shape[1]):
        if light == DISPLAY:
            blend_codes(f, b, number, out, CODES, LIGHTS_OF_CODES)
        elif number in PLAIN:
            blend_plain(f, b, number, out)
        else:
            blend_light(f, b, number, out)
    return out


def composed(front: Rgba, back: Array, lies: str) -> Array:
    """`front` (h, w, 4) and `back` (h, w, 3 or 4; without alpha it is everywhere) by an operator of SHARES, both premultiplied. Raises UserError for other sizes."""
    alike(front, back)
    a = front[..., 3:]
    b = back[..., 3:] if back.shape[2] == 4 else np.ones_like(a)
    of_front, of_back = SHARES[lies](a, b)
    return np.asarray(of_front * front[..., : back.shape[2]] + of_back * back, np.float32)
