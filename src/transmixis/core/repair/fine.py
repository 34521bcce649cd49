"""The finest detail of a picture, where grain shows and texture hardly does (Immerkaer, 1996)."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.types import Array, Mask, Rgb

CELL = 4.0  # px: sigma of the neighbourhood that grain is read over
LEAST = 0.2  # of the neighbourhoods: those with the least fine detail, where texture adds nothing

MOVING = 0.8  # of the variance: so much of it is new on every frame (change over time 0.89 of the grain's own)
COARSEST = 1.4  # of the variance, all together: 1.18 of the grain


def finest(picture: Array) -> Array:
    """What is finer than texture mostly is, of unit deviation for white noise of unit deviation."""
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32) / 6
    return np.asarray(cv2.filter2D(np.ascontiguousarray(picture, np.float32), -1, kernel, borderType=cv2.BORDER_REFLECT))


def grain_share(picture: Rgb, variance: Array, where: Mask) -> float:
    """How strong a picture's grain is against a noise of such a variance (h, w, 3), 1 for as strong, `where` (h, w) it is looked at: read where least texture is."""
    size = np.square(finest(picture / np.sqrt(np.maximum(variance, 1e-9)))).mean(axis=2)
    return float(np.sqrt(np.quantile(cv2.GaussianBlur(size, (0, 0), CELL)[where], LEAST)))


def lacking(want: Array, have: Array, seed: int) -> Array:
    """Grain, new for every seed: as much of the variance that is wanted (h, w, 3) as there is not. What there is stands still, which shows beside grain that moves; so most of
    it is new all the same, as long as both together do not become too coarse."""
    moving = np.minimum(MOVING * want, COARSEST * want - have)
    lack = np.sqrt(np.maximum(want - have, np.maximum(moving, 0)))
    return np.asarray(lack * np.random.default_rng((13, seed)).standard_normal(want.shape, dtype=np.float32), np.float32)
