"""The sRGB curve (IEC 61966-2-1) and BT.709 luma."""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array

LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709


def linear_to_srgb(x: Array) -> Array:
    """Scene or display linear to sRGB code 0..1; negative values are mirrored."""
    a = np.abs(x)
    return np.asarray(np.sign(x) * np.where(a <= 0.0031308, 12.92 * a, 1.055 * np.power(np.maximum(a, 1e-12), 1 / 2.4) - 0.055))


def srgb_to_linear(c: Array) -> Array:
    """SRGB code 0..1 to linear."""
    a = np.abs(c)
    return np.asarray(np.sign(c) * np.where(a <= 0.04045, a / 12.92, ((a + 0.055) / 1.055) ** 2.4))


def luminance(rgb: Array) -> Array:
    """BT.709 luminance of linear (..., 3 or 4)."""
    return np.asarray(rgb[..., :3] @ LUMA)
