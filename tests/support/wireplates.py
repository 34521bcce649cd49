"""Plates with a string before a photograph, linear light."""

from __future__ import annotations

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode, srgb_encode

Array = np.ndarray
H, W = 200, 320


def code(x: Array) -> Array:
    return np.asarray(srgb_encode(np.clip(x, 0, 1)) * 255, np.float64)


def photograph(name: str) -> Array:
    p = getattr(skimage.data, name)()[:H, :W]
    p = np.repeat(p[..., None], 3, 2) if p.ndim == 2 else p
    return np.asarray(srgb_decode(p.astype(np.float32) / 255), np.float32)


def hung(width: float) -> Array:
    """A string that hangs: how far each px shows it."""
    y, x = np.mgrid[0:H, 0:W] + 0.5
    line, slope = 50 + 0.0022 * (x - 150) ** 2 + 0.2 * x, 0.0044 * (x - 150) + 0.2
    cover = np.clip(width / 2 + 0.5 - np.abs(y - line) / np.sqrt(1 + slope**2), 0, 1)
    return cv2.GaussianBlur(cover.astype(np.float32), (0, 0), 0.6)
