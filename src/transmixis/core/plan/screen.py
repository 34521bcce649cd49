"""Which screen: how far cloth of a colour stands apart from what is before it, and how much of its light falls on that.

All colours are scene linear with a grey card at 0.18. The distance is told as the key step tells it (see core.matte.measure): the
5 % quantile of the screen's colour difference, less the subject's 95 %, in steps of the camera's noise.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.errors import UserError
from transmixis.core.matte.difference import Channels, colour_difference
from transmixis.core.types import Array, Rgb

GREY = 0.18
DRAWS = 1500  # points a swatch is drawn with: its 95 % quantile stands within 1 % then
SCREEN_CHANNELS = {"green": Channels(1, 0, 2), "blue": Channels(2, 0, 1), "red": Channels(0, 1, 2)}
# cloth lit like the grey card; measured on the demo film's green cloth, the others by its likeness (judgement)
CLOTHS: dict[str, tuple[float, float, float]] = {
    "green": (0.045, 0.27, 0.07), "blue": (0.030, 0.075, 0.30), "red": (0.30, 0.025, 0.030),
}  # fmt: skip
# what often stands before a screen: common colours, from memory; measure your own from a still where it matters
COMMON: dict[str, tuple[float, float, float]] = {
    "light skin": (0.48, 0.28, 0.20), "dark skin": (0.10, 0.055, 0.035), "blond hair": (0.36, 0.26, 0.13), "dark hair": (0.020, 0.016, 0.013),
    "leaves": (0.085, 0.125, 0.040), "grass": (0.13, 0.21, 0.055), "green fruit": (0.22, 0.38, 0.045), "denim": (0.045, 0.075, 0.16),
    "navy wool": (0.012, 0.018, 0.055), "sky-blue shirt": (0.25, 0.42, 0.62), "white shirt": (0.75, 0.76, 0.77), "grey wool": (0.11, 0.11, 0.11),
    "red coat": (0.34, 0.030, 0.028), "yellow coat": (0.62, 0.42, 0.030), "brown wood": (0.17, 0.085, 0.040), "brass": (0.45, 0.32, 0.12),
}  # fmt: skip
LEAST_COLOUR = 0.005  # of colour difference: less is grey
TEXTURE = 0.15  # relative deviation of brightness of cloth, hair and leaves where it was not measured (judgement)


@dataclass(frozen=True)
class Swatch:
    """A colour before the screen: its name, mean, packed covariance (rr, rg, rb, gg, gb, bb), and its share of the subject."""

    name: str
    rgb: tuple[float, float, float]
    spread: tuple[float, float, float, float, float, float]
    share: float = 1.0

    def draws(self) -> Array:
        """(DRAWS, 3) pixels of it, always the same."""
        return np.asarray(np.maximum(np.asarray(self.rgb) + _normals() @ _root(self.spread).T, 0.0))


@dataclass(frozen=True)
class Separation:
    """What a cloth's colour does: `screen` and `subject` in colour difference, `noise` one step of it, `steps` between them;
    `reach`: how far each swatch goes into the screen (0 none, 1 to its level); `levels`: the subject's differences with their
    weights, for a plot."""

    kind: str
    screen: float
    subject: float
    noise: float
    steps: float
    reach: tuple[tuple[str, float], ...]
    levels: Array
    weights: Array


def common_swatch(name: str, share: float = 1.0) -> Swatch:
    """One of COMMON with usual texture. Raises UserError."""
    if name not in COMMON:
        raise UserError(f"'{name}' is no colour that is known; use one of {', '.join(COMMON)}, or measure it from a still.")
    c = np.asarray(COMMON[name])
    return Swatch(name, COMMON[name], _packed(TEXTURE**2 * np.outer(c, c)), share)


def swatch_of(name: str, pixels: Array, share: float = 1.0) -> Swatch:
    """A swatch from (..., 3) pixels of a picture; needs at least 16 of them."""
    flat = np.asarray(pixels, float).reshape(-1, 3)
    flat = flat[np.isfinite(flat).all(axis=1)]
    if len(flat) < 16:
        raise UserError(f"'{name}' is too small to be measured; draw a larger box on the picture.")
    mean = flat.mean(axis=0)
    return Swatch(name, (float(mean[0]), float(mean[1]), float(mean[2])), _packed(np.cov(flat.T)), share)


def law_of_grain(levels: float) -> tuple[float, float]:
    """Noise law (variance = a * signal + b, scene linear) of a camera with so many 8-bit levels (deviation) at middle grey.

    Four fifths of it photon noise, the rest of reading (judgement); the slope of the coding is sRGB's (IEC 61966-2-1).
    """
    slope = 1.055 / 2.4 * GREY ** (1 / 2.4 - 1)
    variance = (levels / 255 / slope) ** 2
    return 0.8 * variance / GREY, 0.2 * variance


@dataclass(frozen=True)
class Cloth:
    """Cloth as exposed: its median colour, and its darkest 5 % over its median."""

    rgb: tuple[float, float, float]
    low: float = 1.0


def even_cloth(rgb: tuple[float, float, float], uneven: float) -> Cloth:
    """Cloth whose brightness from 5 to 95 % spans `uneven` stops, as much up as down."""
    return Cloth(rgb, 2 ** (-uneven / 2))


def measured_cloth(pixels: Array) -> Cloth:
    """Cloth from (h, w, 3) pixels of a picture. They are averaged by 4 x 4 first: unevenness is wanted, not noise."""
    h, w = pixels.shape[0] // 4, pixels.shape[1] // 4
    if h < 2 or w < 2:
        raise UserError("The piece of cloth is too small to be measured; draw a larger box on the picture.")
    small = pixels[: 4 * h, : 4 * w, :3].reshape(h, 4, w, 4, 3).mean(axis=(1, 3)).reshape(-1, 3)
    small = small[np.isfinite(small).all(axis=1)]
    if len(small) < 4:
        raise UserError("The piece of cloth has no pixels that can be read; draw the box somewhere else.")
    middle = np.median(small, axis=0)
    level = luminance(small)
    return Cloth(tuple(float(v) for v in middle), float(np.quantile(level, 0.05) / max(float(np.median(level)), 1e-6)))  # type: ignore[arg-type]


def separation(swatches: tuple[Swatch, ...], kind: str, cloth: Cloth, law: tuple[float, float], spill: float = 0.0) -> Separation:
    """How far cloth stands from the swatches; `spill`: share of its light that the subject takes up. Raises UserError without
    swatches."""
    if not swatches:
        raise UserError("Nothing stands before the screen yet; choose colours, or measure them from a still.")
    ch, screen = SCREEN_CHANNELS[kind], np.asarray(cloth.rgb, float)
    whole = float(colour_difference(screen, ch))
    if whole < LEAST_COLOUR:
        raise UserError(f"The cloth that was measured is not {kind}; choose its colour, or measure it anew.")
    a, b = law
    noise = _normals(1)
    levels, weights, reach = [], [], []
    for s in swatches:
        x = s.draws()
        x = x * (1 + spill * screen)
        x = x + np.sqrt(a * np.maximum(x, 0) + b) * noise
        d = np.asarray(colour_difference(x, ch))
        levels.append(d)
        weights.append(np.full(len(d), s.share / len(d)))
        reach.append((s.name, max(0.0, float(np.quantile(d, 0.95)) / max(whole, 1e-6))))
    level, weight = np.concatenate(levels), np.concatenate(weights)
    low = whole * cloth.low
    step = math.sqrt(2 * (a * float(screen[ch.screen]) + b))
    top = weighted_quantile(level, weight, 0.95)
    return Separation(kind, low, top, step, max(low - top, 0.0) / step, tuple(reach), level, weight)


def weighted_quantile(values: Array, weights: Array, q: float) -> float:
    """The quantile of weighted values."""
    order = np.argsort(values)
    total = np.cumsum(weights[order])
    return float(values[order][min(int(np.searchsorted(total, q * total[-1])), len(values) - 1)])


def light_on_cloth(cloth: tuple[float, float, float], kind: str) -> float:
    """Stops of light on a measured cloth over that on the grey card, if it is cloth as usual (CLOTHS). The subject's own colours
    have no part in it: dark hair does not want a dark screen."""
    return math.log2(max(*cloth, 1e-6) / max(CLOTHS[kind]))


def seen_from_the_side(width: float, height: float, distance: float) -> float:
    """Share (0..0.5) of what a surface at right angles to the cloth sees that is cloth: a cheek or sleeve at the outline.

    The cloth is `width` by `height` m with the surface before its middle, `distance` m away. View factor of a differential
    element to a rectangle at right angles (any handbook of radiative heat transfer), both sides of the middle line.
    """
    _check(width, height, distance)
    a, b, d = width / 2, height / 2, distance
    far = math.hypot(d, a)
    return (math.atan(b / d) - d / far * math.atan(b / far)) / math.pi


def seen_face_on(width: float, height: float, distance: float) -> float:
    """The same for a surface that faces the cloth: the back of the subject, and mirrors."""
    _check(width, height, distance)
    a, b = width / 2 / distance, height / 2 / distance
    p, q = math.sqrt(1 + a * a), math.sqrt(1 + b * b)
    return 2 / math.pi * (a / p * math.atan(b / p) + b / q * math.atan(a / q))


def distance_for_spill(width: float, height: float, most: float) -> float:
    """Least distance (m, to a tenth) at which the cloth takes no more than `most` of what a side surface sees."""
    low, high = 0.05, 100.0
    for _ in range(40):
        middle = (low + high) / 2
        low, high = (middle, high) if seen_from_the_side(width, height, middle) > most else (low, middle)
    return math.ceil(10 * high) / 10


def lit(cloth: tuple[float, float, float], stops: float) -> tuple[float, float, float]:
    """Cloth that gets `stops` more light than the grey card."""
    r, g, b = (c * 2**stops for c in cloth)
    return r, g, b


def shared(swatches: tuple[Swatch, ...]) -> tuple[Swatch, ...]:
    """Swatches whose shares sum to 1."""
    total = sum(max(s.share, 0.0) for s in swatches)
    return tuple(replace(s, share=max(s.share, 0.0) / total) for s in swatches) if total > 0 else swatches


def _check(width: float, height: float, distance: float) -> None:
    if width <= 0 or height <= 0 or distance <= 0:
        raise UserError("A cloth and its distance must be larger than nothing.")


def _normals(seed: int = 0) -> Array:
    if seed not in _DRAWN:
        _DRAWN[seed] = np.random.default_rng(seed).standard_normal((DRAWS, 3))
    return _DRAWN[seed]


_DRAWN: dict[int, Array] = {}


def _packed(c: Array) -> tuple[float, float, float, float, float, float]:
    return float(c[0, 0]), float(c[0, 1]), float(c[0, 2]), float(c[1, 1]), float(c[1, 2]), float(c[2, 2])


def _root(packed: tuple[float, ...]) -> Array:
    """A matrix whose square is the covariance; the rounding of a flat colour must not make it negative."""
    a, b, c, d, e, f = packed
    values, vectors = np.linalg.eigh(np.array([[a, b, c], [b, d, e], [c, e, f]]))
    return np.asarray(vectors * np.sqrt(np.maximum(values, 0)))


def measured_boxes(picture: Rgb, boxes: tuple[tuple[str, tuple[int, int, int, int]], ...]) -> tuple[Swatch, ...]:
    """Swatches from boxes (x, y, w, h) of a picture (h, w, 3+), their shares by their sizes."""
    found = []
    for name, (x, y, w, h) in boxes:
        part = picture[max(y, 0) : max(y + h, 0), max(x, 0) : max(x + w, 0), :3]
        found.append(swatch_of(name, part, float(part.shape[0] * part.shape[1])))
    return shared(tuple(found))
