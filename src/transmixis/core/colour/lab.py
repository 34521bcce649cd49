"""CIELAB (D65) of linear BT.709 colours, and the CIEDE2000 colour difference (Sharma, Wu, Dalal, 2005)."""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array

# Linear BT.709 to CIE XYZ, divided by the D65 white (IEC 61966-2-1).
_TO_XYZ = np.array([[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]])
_TO_RELATIVE = _TO_XYZ / _TO_XYZ.sum(axis=1, keepdims=True)


def linear_to_lab(rgb: Array) -> Array:
    """(..., 3) linear BT.709, white at 1, to CIELAB. Negative values count as 0."""
    t = np.maximum(rgb, 0) @ _TO_RELATIVE.T.astype(np.float32)
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def delta_e_2000(lab1: Array, lab2: Array) -> Array:
    """CIEDE2000 difference of (..., 3) CIELAB colours, with unit weights."""
    l1, a1, b1 = np.moveaxis(np.asarray(lab1, np.float64), -1, 0)
    l2, a2, b2 = np.moveaxis(np.asarray(lab2, np.float64), -1, 0)
    mean_c7 = ((np.hypot(a1, b1) + np.hypot(a2, b2)) / 2) ** 7
    g = 0.5 * (1 - np.sqrt(mean_c7 / (mean_c7 + 25.0**7)))
    a1, a2 = (1 + g) * a1, (1 + g) * a2
    c1, c2 = np.hypot(a1, b1), np.hypot(a2, b2)
    h1, h2 = np.degrees(np.arctan2(b1, a1)) % 360, np.degrees(np.arctan2(b2, a2)) % 360
    grey = c1 * c2 == 0
    dh = np.where(grey, 0, (h2 - h1 + 180) % 360 - 180)
    big_dh = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(dh / 2))
    mean_l, mean_c = (l1 + l2) / 2, (c1 + c2) / 2
    total = h1 + h2
    mean_h = np.where(grey, total, np.where(np.abs(h1 - h2) <= 180, total / 2, (total + np.where(total < 360, 360, -360)) / 2))
    t = (
        1 - 0.17 * np.cos(np.radians(mean_h - 30)) + 0.24 * np.cos(np.radians(2 * mean_h))
        + 0.32 * np.cos(np.radians(3 * mean_h + 6)) - 0.20 * np.cos(np.radians(4 * mean_h - 63))
    )  # fmt: skip
    sl = 1 + 0.015 * (mean_l - 50) ** 2 / np.sqrt(20 + (mean_l - 50) ** 2)
    sc, sh = 1 + 0.045 * mean_c, 1 + 0.015 * mean_c * t
    turn = 30 * np.exp(-(((mean_h - 275) / 25) ** 2))
    rt = -2 * np.sqrt(mean_c**7 / (mean_c**7 + 25.0**7)) * np.sin(np.radians(2 * turn))
    dl, dc, dhh = (l2 - l1) / sl, (c2 - c1) / sc, big_dh / sh
    return np.asarray(np.sqrt(dl**2 + dc**2 + dhh**2 + rt * dc * dhh))
