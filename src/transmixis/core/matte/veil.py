"""What shows through a thing: glass, smoke, gauze. Its background's texture is still there, weaker.

Around each pixel the frame is fitted as share * background + one colour. Where the background has texture enough and the fit leaves noise
alone, the share is the transmission; elsewhere nothing is told. (The linear model of closed-form matting, Levin, Lischinski, Weiss, 2008,
with a known background.)
"""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.types import Array, Matte, Rgb

WINDOW = 3.0  # px: sigma of the fit
FITS = 2.5  # times the noise: what a fit may leave
SHOWS = 6.0  # times the noise's variance: texture that must come through to be told
SAMPLES = 4 * np.pi * WINDOW**2  # pixels that a fit by such a window is worth
UNSURE = 0.12  # of the share: a larger error tells nothing
LEAST, MOST = 0.08, 0.94  # shares less than this are an opaque thing's, more are bare background's


def seen_through(frame: Rgb, behind: Rgb, spread: Array) -> tuple[Matte, Matte]:
    """The share (h, w) of the background that comes through, 0 where it is hidden, and how far that can be trusted, 0..1. `spread` (h, w, 3) is the variance
    that noise makes between the two."""
    k = 1 / np.maximum(spread, 1e-9)
    mean_f, mean_b = _around(frame), _around(behind)
    var_b = _around(((behind - mean_b) ** 2) * k).sum(axis=2)
    var_f = _around(((frame - mean_f) ** 2) * k).sum(axis=2)
    both = _around((frame - mean_f) * (behind - mean_b) * k).sum(axis=2)
    share = np.clip(both / np.maximum(var_b, 1e-6), 0, 1).astype(np.float32)
    left = np.maximum(var_f - 2 * share * both + share**2 * var_b, 0) / 3
    fits = np.clip(2 - left / FITS, 0, 1)
    shows = np.clip(share**2 * var_b / 3 / SHOWS, 0, 1)
    error = np.sqrt(np.maximum(left, 1) * 3 / np.maximum(var_b * SAMPLES, 1e-6))
    veil = (share > np.maximum(LEAST, 4 * error)) & (share < MOST) & ((mean_f - share[..., None] * mean_b) > -0.02).all(axis=2)
    opaque = (share <= np.maximum(LEAST, 2 * error)) & (error < UNSURE)
    return np.where(opaque, 0, share).astype(np.float32), np.where(opaque, 1, fits * shows * veil).astype(np.float32)


def _around(x: Array) -> Array:
    return np.asarray(cv2.GaussianBlur(x, (0, 0), WINDOW))
