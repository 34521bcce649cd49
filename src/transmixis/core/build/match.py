"""The look of a picture in six measured properties, and the grade that brings one look to another.

Black, middle and white are colours in scene linear light; grain is its standard deviation in 8-bit sRGB levels, where it
looks alike at all brightnesses; softness is the gaussian sigma (px) of the sharpest edges, colour softness that of the sharpest edges
between colours, which cameras and coding record at half size.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.build.grainlaw import Law, strengths
from transmixis.core.build.zones import Knots, zoned
from transmixis.core.colour.curves import LUMA, linear_to_srgb, luminance, srgb_to_linear
from transmixis.core.colour.lab import delta_e_2000, linear_to_lab
from transmixis.core.finish.framing import vignetted
from transmixis.core.types import Array, Mask, Rgb, Rgba

LEAST_PIXELS = 400
POINT_SHARE = 0.02  # darkest and brightest part that black and white are the mean of
SHARPEST = 0.03  # share of the pixels, by gradient, that softness is read from
REBLUR = 1.5  # px: the known blur that softness is measured against
GAIN_RANGE = (0.5, 2.0)  # a grade beyond one stop is a relight, not a match (common practice)
LIFT_RANGE = (-0.05, 0.1)
GRAIN_FLOOR = 0.05  # levels; less grain than this is not worth adding
SOFTEN_FLOOR = 0.2  # px
COLOUR_FLOOR, SOFTEST = 0.4, 5.0  # px; less is not seen between colours
LEAST_EDGE = 4.0  # levels a pixel: an edge weaker than this cannot be told from a shallow slope
EDGE_OVER_GRAIN = 3.0  # and it must stand out of the grain by this much
LEAST_COLOUR_EDGE = 3.0  # the same between colours, whose differences are smaller
LEAST_EDGE_PIXELS = 12  # of such edges, or softness is not read


@dataclass(frozen=True)
class Look:
    """`black`, `middle`, `white` (3,) scene linear; `grain` in 8-bit levels; `softness` px,
    None where there is no edge to read it from."""

    black: Array
    middle: Array
    white: Array
    grain: float
    softness: float | None
    colour_softness: float | None = None


@dataclass(frozen=True)
class Grade:
    """Colour becomes (gain * colour + lift) ^ power, its brightness goes along the curve `zones` (code to code), it is softened by `soften` px and its colours by `colour_soften` more, made darker by `corners` stops in the corners, then `grain` levels are added, alike in all colours, and `grains` levels to each by itself, in darks, middle tones and lights by the factors `law`."""

    gain: tuple[float, float, float] = (1.0, 1.0, 1.0)
    lift: tuple[float, float, float] = (0.0, 0.0, 0.0)
    grain: float = 0.0
    soften: float = 0.0
    power: tuple[float, float, float] = (1.0, 1.0, 1.0)
    grains: tuple[float, float, float] = (0.0, 0.0, 0.0)
    zones: Knots = ()
    colour_soften: float = 0.0
    corners: float = 0.0
    law: Law = ()


def measure_look(rgb: Rgb, where: Mask) -> Look | None:
    """Measure the look of `rgb` (h, w, 3) inside the mask; None if it holds under 400 pixels."""
    if where.sum() < LEAST_PIXELS:
        return None
    quiet = cv2.GaussianBlur(rgb, (0, 0), 1.0)  # so that black is not the darkest noise
    inner = cv2.erode(where.astype(np.uint8), np.ones((7, 7), np.uint8), borderValue=1) > 0
    if inner.sum() < LEAST_PIXELS / 2:
        inner = where
    colours = quiet[inner]
    order = np.argsort(luminance(colours))
    k = max(20, int(POINT_SHARE * len(order)))
    coded = linear_to_srgb(np.clip(rgb, 0, 4)).astype(np.float32) * 255
    grain = _grain(coded, inner)
    return Look(
        black=colours[order[:k]].mean(axis=0),
        middle=np.median(colours, axis=0),
        white=colours[order[-k:]].mean(axis=0),
        grain=grain,
        softness=_softness(coded @ LUMA, inner, max(LEAST_EDGE, EDGE_OVER_GRAIN * grain)),
        colour_softness=_colour_softness(coded, inner, grain),
    )


def _colour_softness(coded: Array, inner: Mask, grain: float) -> float | None:
    """Of the sharper one of the two colour differences (ITU-R BT.709), as of the luma."""
    luma = coded @ LUMA
    found = []
    for channel, by in ((2, 1.8556), (0, 1.5748)):
        difference = np.ascontiguousarray((coded[..., channel] - luma) / by, np.float32)
        soft = _softness(difference, inner, max(LEAST_COLOUR_EDGE, EDGE_OVER_GRAIN * grain))
        if soft is not None:
            found.append(soft)
    return min(found, default=None)


def _grain(coded: Array, inner: Mask) -> float:
    """Standard deviation (levels) of the luma's noise, from second differences where the picture is smooth.

    The mask of second differences both ways leaves slopes and straight edges out (Immerkær, 1996); the median absolute
    value leaves texture out. Neutral grain is meant, so the luma is read.
    """
    luma = coded @ LUMA
    high = cv2.filter2D(luma, -1, _SECOND)
    slope = cv2.GaussianBlur(np.hypot(cv2.Sobel(luma, -1, 1, 0), cv2.Sobel(luma, -1, 0, 1)), (0, 0), 2.0)
    smooth = inner & (slope <= np.quantile(slope[inner], 0.5))
    return float(1.4826 * np.median(np.abs(high[smooth]))) / 6.0


def _softness(luma: Array, inner: Mask, least: float) -> float | None:
    """Sigma (px) of the sharpest edges, from how much a known blur lowers their gradient; None if all rise by under
    `least` levels a pixel.

    A step blurred by s has the gradient 1/s at its middle; blurred again by r it has 1/sqrt(s² + r²) (Zhuo & Sim, 2011).
    """
    first = _gradient(cv2.GaussianBlur(luma, (0, 0), 0.7))  # against noise; taken out again below
    again = _gradient(cv2.GaussianBlur(luma, (0, 0), math.hypot(0.7, REBLUR)))
    ridge = inner & (first >= cv2.dilate(first, np.ones((3, 3), np.uint8)) * 0.98)
    strong = ridge & (first >= max(least, float(np.quantile(first[inner], 1 - SHARPEST))))
    if np.count_nonzero(strong) < LEAST_EDGE_PIXELS:
        return None
    ratio = float(np.median(first[strong] / np.maximum(again[strong], 1e-6)))
    seen = REBLUR / math.sqrt(max(ratio**2 - 1, 0.02))
    return math.sqrt(max(seen**2 - 0.7**2 - _PIXEL**2, 0.0))


def mean_look(looks: Sequence[Look | None]) -> Look | None:
    """The mean of those that were measured; None if none was."""
    there = [k for k in looks if k is not None]
    if not there:
        return None

    def known(name: str) -> float | None:
        values = [v for k in there if (v := getattr(k, name)) is not None]
        return float(np.mean(values)) if values else None

    black, middle, white = (np.mean([getattr(k, n) for k in there], axis=0) for n in ("black", "middle", "white"))
    grain = float(np.mean([k.grain for k in there]))
    return Look(black, middle, white, grain, known("softness"), known("colour_softness"))


_SECOND = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
_ACROSS = np.array([[-0.5, 0, 0.5]], np.float32)
_PIXEL = 0.5  # px: what the pixel's own width and the central difference add to an edge's sigma


def _gradient(x: Array) -> Array:
    return np.hypot(cv2.filter2D(x, -1, _ACROSS), cv2.filter2D(x, -1, _ACROSS.T))


def look_differences(subject: Look, plate: Look) -> dict[str, float | None]:
    """Signed differences, subject less plate: CIEDE2000 for the colours (below zero where darker), levels, px.

    Softness is None where one of the two has no edge to read it from.
    """
    out: dict[str, float | None] = {}
    for name in ("black", "middle", "white"):
        a, b = getattr(subject, name), getattr(plate, name)
        apart = float(delta_e_2000(linear_to_lab(np.asarray(a)), linear_to_lab(np.asarray(b))))
        out[name] = math.copysign(apart, float(luminance(np.asarray(a)) - luminance(np.asarray(b))))
    out["grain"] = subject.grain - plate.grain
    known = subject.softness is not None and plate.softness is not None
    out["softness"] = subject.softness - plate.softness if known else None  # type: ignore[operator]
    known = subject.colour_softness is not None and plate.colour_softness is not None
    out["colour softness"] = subject.colour_softness - plate.colour_softness if known else None  # type: ignore[operator]
    return out


def propose_grade(subject: Look, plate: Look, strength: float) -> Grade:
    """The grade that takes `strength` (0..1) of the way from the subject's black and white to the plate's.

    Less than the whole way is wise, since the subject's own white may be a white shirt and the plate's a grey cloud.
    Grain is what is missing after softening, softening what is missing of the plate's softness.
    """
    black = subject.black + strength * (plate.black - subject.black)
    white = subject.white + strength * (plate.white - subject.white)
    gain = np.clip((white - black) / np.maximum(subject.white - subject.black, 1e-3), *GAIN_RANGE)
    lift = np.clip(black - gain * subject.black, *LIFT_RANGE)
    missing = plate.softness**2 - subject.softness**2 if plate.softness is not None and subject.softness is not None else 0.0
    soften = math.sqrt(missing) if missing > SOFTEN_FLOOR**2 else 0.0
    kept = grain_after(subject.grain, soften)
    grain = math.sqrt(max(plate.grain**2 - kept**2, 0.0))
    return Grade(
        gain=(float(gain[0]), float(gain[1]), float(gain[2])),
        lift=(float(lift[0]), float(lift[1]), float(lift[2])),
        grain=round(grain, 2) if grain > GRAIN_FLOOR else 0.0,
        soften=round(soften, 2),
        colour_soften=colour_missing(subject, plate, soften),
    )


def colour_missing(subject: Look, plate: Look, soften: float) -> float:
    """px by which a subject's colours must be softened to be as soft as the plate's, after all of it was softened."""
    if subject.colour_softness is None or plate.colour_softness is None:
        return 0.0
    missing = plate.colour_softness**2 - subject.colour_softness**2 - soften**2
    return round(min(math.sqrt(missing), SOFTEST), 2) if missing > COLOUR_FLOOR**2 else 0.0


def grain_after(grain: float, soften: float) -> float:
    """What a gaussian of `soften` px leaves of white noise: 1 / (2 soften sqrt(pi)), at most all of it."""
    return grain * min(1.0, 1 / (2 * soften * math.sqrt(math.pi))) if soften > 0 else grain


def apply_grade(picture: Rgba, grade: Grade, seed: int) -> Rgba:
    """Grade a premultiplied (h, w, 4) picture; the same seed gives the same grain. The input is unchanged."""
    alpha = picture[..., 3:]
    colour = np.maximum(picture[..., :3] * np.array(grade.gain, np.float32) + alpha * np.array(grade.lift, np.float32), 0)
    if grade.power != (1.0, 1.0, 1.0):
        solid = np.maximum(colour / np.maximum(alpha, 1e-4), 1e-8)
        colour = np.power(solid, np.asarray(grade.power, np.float32)) * alpha * (colour > 0)
    out = zoned(np.concatenate([colour, alpha], axis=2).astype(np.float32), grade.zones)
    if grade.soften > 0:
        out = np.asarray(cv2.GaussianBlur(out, (0, 0), grade.soften))
    if grade.colour_soften > 0:
        out = colours_softened(out, grade.colour_soften)
    out = vignetted(out, grade.corners)
    if grade.grain > 0:
        out[..., :3] = _grained(out, (grade.grain,), seed)
    if max(grade.grains) > 0:
        out[..., :3] = _grained(out, grade.grains, seed, grade.law)
    return out


def colours_softened(picture: Rgba, px: float) -> Rgba:
    """A premultiplied picture (h, w, 4) whose colours are softened and whose brightness is not, as coding at half size does; no colour comes where nothing is."""
    light = luminance(picture)[..., None]
    difference = cv2.GaussianBlur(np.ascontiguousarray(picture[..., :3] - light), (0, 0), px)
    there = cv2.GaussianBlur(np.ascontiguousarray(picture[..., 3]), (0, 0), px)[..., None]
    out = np.array(picture, np.float32)
    share = picture[..., 3:] / np.maximum(there, 1e-4)
    out[..., :3] = np.maximum(light + difference * np.minimum(share, 2.0), 0)
    return out


def _grained(picture: Rgba, levels: tuple[float, ...], seed: int, law: Law = ()) -> Rgb:
    """Noise of so many 8-bit sRGB levels on the colour, one for all colours or one for each, as strong as the alpha; premultiplied in and out."""
    noise = np.random.default_rng(seed).standard_normal((*picture.shape[:2], len(levels)), np.float32)
    noise *= np.asarray(levels, np.float32) / 255
    alpha = picture[..., 3:]
    solid = picture[..., :3] / np.maximum(alpha, 1e-3)
    coded = linear_to_srgb(solid)
    coded = coded + (noise * strengths(coded, law) if law else noise)
    return (srgb_to_linear(np.maximum(coded, 0)) * alpha).astype(np.float32)
