"""Colour that a recording holds at half size (4:2:0): told from the frames, and brought back to full size.

The chroma of a half-size pixel is the mean of four; which of the four was subject and which screen, the full-size
luma knows. A local linear law of chroma on luma (guided filter; He, Sun, Tang, 2010) spreads it, and the spread
chroma is then corrected until its own half-size mean equals the recorded one. Works on display-coded RGB, since
recordings subsample coded values. Luma weights: ITU-R BT.709.
"""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.types import Array

_TO_YCC = np.array(
    [
        [0.2126, 0.7152, 0.0722],
        [-0.2126 / 1.8556, -0.7152 / 1.8556, 0.9278 / 1.8556],
        [0.7874 / 1.5748, -0.7152 / 1.5748, -0.0722 / 1.5748],
    ],
    np.float32,
)
_TO_RGB = np.linalg.inv(_TO_YCC).astype(np.float32)


def _half(x: Array) -> Array:
    return np.asarray(cv2.resize(x, (x.shape[1] // 2, x.shape[0] // 2), interpolation=cv2.INTER_AREA))


def _full(x: Array, shape: tuple[int, ...]) -> Array:
    return np.asarray(cv2.resize(x, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR))


COLOUR_STEP = 4 / 255  # a difference of chroma between neighbours that is no noise
LEAST_STEPS = 400  # neighbours that differ so
REPEATED = 0.25  # of the difference across blocks: less within them, both ways, is no chance


def chroma_is_halved(coded: Array) -> bool:
    """True if an (h, w, 3) display-coded frame repeats every colour in blocks of 2 x 2, as decoders of 4:2:0 do that repeat it.

    Only for files that cannot say it themselves. Colour differs between neighbours as much within blocks as across them unless it
    was repeated; smooth enlargement leaves no such trace, and is then taken for full size: an error that way costs a little of
    the edge, the other way it would smear colour that is there.
    """
    ycc = coded.astype(np.float32) @ _TO_YCC.T
    chroma = ycc[: ycc.shape[0] // 2 * 2, : ycc.shape[1] // 2 * 2, 1:]
    return all(_repeats(np.moveaxis(chroma, axis, 0)) for axis in (0, 1))


def _repeats(c: Array) -> bool:
    """True if rows 0 and 1, 2 and 3 ... are alike where the rows between those pairs differ."""
    if c.shape[0] < 6:
        return False
    within, across = np.abs(c[3::2] - c[2:-1:2]), np.abs(c[2::2] - c[1:-1:2])
    within, across = within[: min(len(within), len(across))], across[: min(len(within), len(across))]
    steps = np.maximum(within, across) > COLOUR_STEP
    return bool(steps.sum() >= LEAST_STEPS and within[steps].mean() < REPEATED * across[steps].mean())


def restore_chroma(coded: Array, radius: float = 1.5, eps: float = 1e-4) -> Array:
    """Return `coded` (h, w, 3) with its half-size chroma spread along the luma's edges; float32, input unchanged."""
    ycc = coded.astype(np.float32) @ _TO_YCC.T
    luma, chroma = np.ascontiguousarray(ycc[..., 0]), np.ascontiguousarray(ycc[..., 1:])
    small_luma, small_chroma = _half(luma), _half(chroma)

    def mean(v: Array) -> Array:
        return np.asarray(cv2.GaussianBlur(v, (0, 0), radius))

    luma_mean, chroma_mean = mean(small_luma), mean(small_chroma)
    variance = mean(small_luma**2) - luma_mean**2
    covariance = mean(small_luma[..., None] * small_chroma) - luma_mean[..., None] * chroma_mean
    slope = covariance / (variance + eps)[..., None]
    offset = mean(chroma_mean - slope * luma_mean[..., None])
    out = _full(mean(slope), luma.shape) * luma[..., None] + _full(offset, luma.shape)
    for _ in range(3):
        out = out + _full(small_chroma - _half(out), luma.shape)
    return (np.concatenate([luma[..., None], out], axis=2) @ _TO_RGB.T).astype(np.float32)
