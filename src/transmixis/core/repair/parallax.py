"""What one surface's motion leaves over: how things nearer and farther lie aside, told from what is seen about what is hidden, and carried through it."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.motion.coding import coded_luma
from transmixis.core.repair.wind import bridge_at, flow, grid_of, off_grid, on_grid
from transmixis.core.types import Array, Mask, Rgb

REACH, DOUBT = 45.0, 0.03  # px that it goes on alike, and doubt of what is measured (see wind.Bridge)
LEAST = 0.25  # px: less than that over most of what is seen is what the fit of the surface errs by
LEFT_OVER = 16.0  # px that what a model leaves goes on alike
PLAIN, WINDOW = 0.006, 7.0  # of the code, the slope a px that tells a motion; px over which it is told
FARTHEST = 12.0  # px: more is no parallax but another thing
FEW, FEW_PLACES = 400, 12  # px that must be seen; places of the grid that a trend is told from


def aside(laid: Rgb, now: Rgb, seen: Mask, model: Array | None = None) -> Array | None:
    """(2, h, w) px: where in `laid` (h, w, 3) lies what `now` shows at each px, both linear in one light, told where both are `seen` and carried through the rest; None where
    nothing lies aside. `model` (2, gh, gw) is what is known of it before, on the grid: then only what it leaves is carried on."""
    if seen.sum() < FEW:
        return None
    h, w = seen.shape
    luma = coded_luma(now)
    u = flow(coded_luma(laid), luma, seen.astype(np.float32), np.zeros((2, h, w), np.float32))
    far = np.hypot(u[0], u[1])
    if np.quantile(far[seen], 0.8) < LEAST:
        return None
    over = bridge_at(~seen, textured(luma, seen), REACH if model is None else LEFT_OVER, DOUBT)
    own = on_grid(u)
    trend = _trend(own, over.known, (h, w)) if model is None else model
    out = off_grid(over.over(own - trend) + trend, (h, w))
    size = np.hypot(out[0], out[1])
    return np.asarray(out * np.minimum(1, FARTHEST / np.maximum(size, 1e-6)), np.float32)


def textured(luma: Array, seen: Mask) -> Array:
    """Where (h, w) 0 or 1 enough is seen to tell a motion: a plain sky says that it stays."""
    soft = cv2.GaussianBlur(luma, (0, 0), 1.0)
    slope = np.square(cv2.Sobel(soft, cv2.CV_32F, 1, 0, scale=1 / 8)) + np.square(cv2.Sobel(soft, cv2.CV_32F, 0, 1, scale=1 / 8))
    energy = cv2.GaussianBlur((slope * seen).astype(np.float32), (0, 0), WINDOW) / np.maximum(
        cv2.GaussianBlur(seen.astype(np.float32), (0, 0), WINDOW), 1e-3
    )
    return np.asarray(np.sqrt(energy) > PLAIN, np.float32)


def _trend(u: Array, known: Mask, shape: tuple[int, int]) -> Array:
    """The even part of what lies aside (2, gh, gw): a shift with stretch and shear, which goes on through a wide hole where all else fades; what is far off it has no part in it."""
    x, y = grid_of(shape)
    terms = np.stack([np.ones_like(x), (x - shape[1] / 2) / 100, (y - shape[0] / 2) / 100], -1)
    if known.sum() < FEW_PLACES:
        return np.zeros_like(u)
    keep = np.array(known)
    for _ in range(3):
        way, *_ = np.linalg.lstsq(terms[keep], u[:, keep].T, rcond=None)
        trend = np.moveaxis(terms @ way, -1, 0)
        off = np.hypot(*(u - trend))
        keep = known & (off <= 2.5 * np.median(off[keep]) + 0.05)
        if keep.sum() < FEW_PLACES:
            return np.zeros_like(u)
    return np.asarray(trend)
