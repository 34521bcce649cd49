"""Contrast by zones: how far the darks, the middle tones and the lights of a picture are spread, and a curve that spreads them as another's are."""

from __future__ import annotations

import cv2
import numpy as np
from scipy.interpolate import PchipInterpolator

from transmixis.core.colour.curves import linear_to_srgb, luminance, srgb_to_linear
from transmixis.core.types import Array, Mask, Rgba

QUANTILES = (0.05, 0.25, 0.5, 0.75, 0.95)
NAMES = ("darks", "middle tones", "lights")
STEEP = (0.4, 2.5)  # of a zone's slope: beyond it noise is spread, or tones run together
APART = 0.004  # of the code: quantiles that lie nearer tell no slope
LEAST_PIXELS = 400
TABLE = 4096  # places of the curve, between which it is straight
Knots = tuple[tuple[float, float], ...]


def zones_of(picture: Array, where: Mask) -> Array | None:
    """(5,) the coded brightness 0..1 at QUANTILES of what is inside; None of too little."""
    if where.sum() < LEAST_PIXELS:
        return None
    quiet = cv2.GaussianBlur(np.asarray(luminance(picture), np.float32), (0, 0), 1.0)  # so that grain is no contrast
    return np.quantile(linear_to_srgb(np.maximum(quiet[where], 0)), QUANTILES)


def contrasts(zones: Array) -> Array:
    """(3,) how far darks, middle tones and lights are spread, 8-bit levels."""
    q = np.asarray(zones)
    return 255 * np.array([q[1] - q[0], q[3] - q[1], q[4] - q[3]])


def worst_zone(mine: Array, theirs: Array) -> tuple[float, str]:
    """The largest difference of the contrasts, in levels (below zero: flatter), and its zone."""
    off = contrasts(mine) - contrasts(theirs)
    k = int(np.argmax(np.abs(off)))
    return float(off[k]), NAMES[k]


def zone_knots(mine: Array, theirs: Array) -> Knots:
    """The curve's places (code to code) that take one's quantiles to the other's, no slope beyond STEEP; () where they lie too near to tell."""
    a, b = np.asarray(mine, float), np.asarray(theirs, float)
    if (np.diff(a) < APART).any():
        return ()
    # from the middle outwards, so that what a limit takes off lies at the ends
    out = b.copy()
    for k, step in ((1, -1), (0, -1), (3, 1), (4, 1)):
        inner = k - step
        run = a[k] - a[inner]
        slope = float(np.clip((b[k] - out[inner]) / run, *STEEP))
        out[k] = out[inner] + slope * run
    low = min(max(out[0] - a[0] * float(np.clip((out[1] - out[0]) / (a[1] - a[0]), *STEEP)), 0.0), max(out[0] - APART, 0.0))
    pairs = [(0.0, low), *zip(a.tolist(), np.maximum(out, 0).tolist(), strict=True)]
    return tuple((round(float(x), 5), round(float(y), 5)) for x, y in pairs)


def zoned(picture: Rgba, knots: Knots) -> Rgba:
    """A premultiplied picture (h, w, 4) whose brightness goes along a curve, its hues kept; beyond the last place it goes on by the same step."""
    if len(knots) < 2:
        return picture
    xs, ys = (np.array([k[i] for k in knots]) for i in (0, 1))
    keep = np.concatenate([[True], np.diff(xs) > 1e-6])
    curve = PchipInterpolator(xs[keep], np.maximum.accumulate(ys[keep]))
    at = np.linspace(0, xs[-1], TABLE)
    table = curve(at)
    alpha = picture[..., 3:]
    solid = np.asarray(picture[..., :3] / np.maximum(alpha, 1e-4), np.float32)
    light = np.maximum(luminance(solid), 1e-6)
    code = linear_to_srgb(light)
    to = np.where(code <= xs[-1], np.interp(code, at, table), table[-1] + code - xs[-1])
    gain = np.asarray(srgb_to_linear(np.maximum(to, 0)) / light, np.float32)
    out = np.array(picture, np.float32)
    out[..., :3] *= gain[..., None]
    return out
