"""What flat ground or water shows of what stands on it: mirrored at the line on which it stands, softer the farther from it."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.build.place import sampled_at
from transmixis.core.types import Array, Rgba

LEVELS = 6  # softnesses between which it is blended


def mirrored(picture: Rgba, foot: float, squeeze: float, soft: float, ripple: float, time: float, seed: int) -> Rgba:
    """(h, w, 4) premultiplied: `picture` mirrored at the row `foot` px, `squeeze` times as high, softened by `soft` px for each 100 px from it; `ripple` px of waves that run with `time` (seconds)."""
    h, w = picture.shape[:2]
    yy, xx = np.mgrid[0:h, 0:w] + 0.5
    below = yy - foot
    x, y = xx, foot - below / max(squeeze, 1e-3)
    if ripple > 0:
        dx, dy = _waves(xx, below, time, seed)
        x, y = x + ripple * dx, y + ripple * dy
    made = sampled_at(np.ascontiguousarray(picture), np.stack([x, y], 2))
    made[below <= 0] = 0
    if soft <= 0:
        return made
    most = soft * max(h - foot, 1.0) / 100
    place = np.clip(below / max(h - foot, 1.0), 0, 1) * (LEVELS - 1)
    out: Array = np.zeros_like(made)
    for k in range(LEVELS):
        share = np.clip(1 - np.abs(place - k), 0, 1).astype(np.float32)
        sigma = most * k / (LEVELS - 1)
        level = cv2.GaussianBlur(made, (0, 0), sigma) if sigma > 0.3 else made
        out += share[..., None] * level
    out[below <= 0] = 0
    return out


def _waves(x: Array, below: Array, time: float, seed: int) -> tuple[Array, Array]:
    """How waves shift what they show, about 1: a few of them, wider and longer towards the camera."""
    dice = np.random.default_rng(seed)
    depth = np.maximum(below, 1.0) ** 0.5
    dx, dy = np.zeros(x.shape), np.zeros(x.shape)
    for _ in range(5):
        fx, fy, speed, phase = (
            dice.uniform(0.02, 0.09),
            dice.uniform(2.0, 5.0),
            dice.uniform(1.5, 4.0),
            dice.uniform(0, 2 * np.pi),
        )
        wave = np.sin(fx * x + fy * depth - speed * time + phase)
        dx += 0.3 * wave
        dy += 0.6 * np.cos(fx * x + fy * depth - speed * time + 1.7 * phase)
    near = np.clip(below / 40, 0.1, 1.5)
    return dx * near, dy * near


def seen_at_angle(tilt: float) -> float:
    """Share of light that water (index 1.333) sends back when looked at `tilt` degrees below level: Fresnel's equations for unpolarised light."""
    into = np.radians(90 - min(max(tilt, 0.0), 90.0))
    inside = np.arcsin(np.sin(into) / 1.333)
    if into < 1e-6:
        return float((0.333 / 2.333) ** 2)
    s = np.sin(into - inside) / np.sin(into + inside)
    p = np.tan(into - inside) / np.tan(into + inside)
    return float((s * s + p * p) / 2)
