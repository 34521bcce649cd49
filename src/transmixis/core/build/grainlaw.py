"""Grain by its law: how strong it is in the darks, the middle tones and the lights of every colour, and grain added so.

A sensor's noise grows with the root of the light, and the coding that a display undoes makes darks steeper, so that one strength for all tones is never a camera's (EMVA 1288 gives the linear law; here it is told by zones of the code, as coding
and denoising bend it).
"""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.types import Array, Rgba

EDGES = (0.0, 0.3, 0.62, 1.01)  # of the code: darks, middle tones, lights
KNOTS = (0.15, 0.46, 0.8)  # their middles, between which a law is straight
LEAST = 400  # smooth pixels of a zone
SHAPES = (0.25, 4.0)  # of its mean that a zone's grain may be
_SECOND = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
Law = tuple[tuple[float, float, float], ...]


def zone_grains(picture: Rgba) -> Array:
    """(3, 3) grain in 8-bit levels of each colour (rows) in darks, middle tones and lights, where the picture (h, w, 4) is solid and smooth (Immerkær, 1996; its median); nan where there is too little."""
    inside = cv2.erode(np.asarray(picture[..., 3] > 0.98, np.uint8), np.ones((7, 7), np.uint8), borderValue=1) > 0
    solid = picture[..., :3] / np.maximum(picture[..., 3:], 1e-3)
    coded = np.asarray(255 * linear_to_srgb(np.clip(solid, 0, 4)), np.float32)
    out = np.full((3, 3), np.nan)
    for c in range(3):
        x = np.ascontiguousarray(coded[..., c])
        high = np.abs(cv2.filter2D(x, -1, _SECOND))
        level = cv2.GaussianBlur(x, (0, 0), 2.0) / 255
        slope = cv2.GaussianBlur(np.hypot(cv2.Sobel(x, -1, 1, 0), cv2.Sobel(x, -1, 0, 1)), (0, 0), 2.0)
        for z in range(3):
            where = inside & (level >= EDGES[z]) & (level < EDGES[z + 1])
            if where.sum() < LEAST:
                continue
            smooth = where & (slope <= np.quantile(slope[where], 0.5))
            out[c, z] = 1.4826 * float(np.median(high[smooth])) / 6
    return out


def mean_zone_grains(pictures: Sequence[Rgba]) -> Array:
    """The same of several pictures together; nan where none of them tells it."""
    rows = np.stack([zone_grains(p) for p in pictures])
    known = np.isfinite(rows)
    count = known.sum(axis=0)
    return np.asarray(np.where(count > 0, np.where(known, rows, 0).sum(axis=0) / np.maximum(count, 1), np.nan))


def law_of(missing: Array, levels: Array) -> Law:
    """The law (three rows of three factors) by which grain of `levels` (3,) is as strong in each zone as `missing` (3, 3) says; a zone that is not known has its neighbours' factor, or 1."""
    rows = []
    for c in range(3):
        known = np.isfinite(missing[c])
        if levels[c] <= 0 or not known.any():
            rows.append((1.0, 1.0, 1.0))
            continue
        factors = np.interp(KNOTS, np.array(KNOTS)[known], missing[c][known] / levels[c])
        a, b, d = (round(float(v), 3) for v in np.clip(factors, *SHAPES))
        rows.append((a, b, d))
    return tuple(rows)


def strengths(codes: Array, law: Law) -> Array:
    """(h, w, 3) the factor of grain at each place of a picture of codes (h, w, 3) 0..1."""
    return np.stack([np.interp(codes[..., c], KNOTS, law[c]) for c in range(3)], -1).astype(np.float32)


def worst_zone_off(made: Array, plate: Array) -> float:
    """How far, in the logarithm to two, the grain of the worst known zone (3, 3) is off the plate's."""
    with np.errstate(invalid="ignore"):
        off = np.abs(np.log2(np.maximum(made, 0.05) / np.maximum(plate, 0.05)))
    return float(np.nanmax(off)) if np.isfinite(off).any() else 0.0
