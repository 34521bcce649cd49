"""Frames as they are followed: on a coded curve, where noise and texture are of like strength in light and shade."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import LUMA, linear_to_srgb
from transmixis.core.types import Array

FAINT = 0.012  # of the code range: texture weaker than this is not lifted to full strength, or grain would be

_CURVE = linear_to_srgb(np.linspace(0, 1, 4097, dtype=np.float32)).astype(np.float32)


def coded(linear: Array) -> Array:
    """Linear values on the sRGB curve, 0..1, by table: to a four-thousandth; float32."""
    return np.asarray(_CURVE[np.clip(4096 * linear, 0, 4096).astype(np.uint16)])


def coded_luma(frame: Array) -> Array:
    """Luma of a linear (h, w, 3 or 4) frame on the sRGB curve, 0..1; float32."""
    y = cv2.transform(np.ascontiguousarray(frame[..., :3]), (4096 * LUMA)[None])
    return np.asarray(_CURVE[np.clip(y, 0, 4096).astype(np.uint16)])


def grey_of(frame: Array) -> Array:
    """8-bit picture for tracking: texture of like strength everywhere, since a screen's seams and marks are faint."""
    mean = cv2.transform(np.ascontiguousarray(frame[..., :3]), np.full((1, 3), 4096 / 3, np.float32))
    return grey_from_luma(_CURVE[np.clip(mean, 0, 4096).astype(np.uint16)])


def grey_from_luma(g: Array) -> Array:
    """The same from a (h, w) float32 picture of coded luma 0..1."""
    h, w = g.shape
    fine = cv2.GaussianBlur(g, (0, 0), 1.4)  # grain would be followed as if it were texture
    small = (max(1, w // 4), max(1, h // 4))
    wide = cv2.GaussianBlur(cv2.resize(g, small, interpolation=cv2.INTER_AREA), (0, 0), 3.0)
    rest = fine - cv2.resize(wide, (w, h), interpolation=cv2.INTER_LINEAR)
    strength = cv2.GaussianBlur(cv2.resize(rest * rest, small, interpolation=cv2.INTER_AREA), (0, 0), 3.0)
    gain = cv2.resize(40 / (np.sqrt(strength) + FAINT), (w, h), interpolation=cv2.INTER_LINEAR)
    return np.asarray(cv2.convertScaleAbs(np.maximum(rest * gain + 128, 0)))
