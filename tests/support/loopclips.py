"""Made elements that never repeat: flames on black and water, by noise that is carried along."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np

Array = np.ndarray
SIZE = (120, 160)


def _noise(seed: int, sigma: float, frames: int, up: float, turn: float) -> Array:
    """(n, h, w) smooth noise that goes up by so many px a frame and changes: each frame is cut out of a volume."""
    rng = np.random.default_rng(seed)
    h, w = SIZE
    deep = int(frames * turn) + 40
    volume = rng.standard_normal((deep, h, w)).astype(np.float32)
    volume = np.stack([cv2.GaussianBlur(v, (0, 0), sigma, borderType=cv2.BORDER_REFLECT) for v in volume])
    soft = np.array([np.exp(-(k**2) / (2 * 6.0**2)) for k in range(-18, 19)], np.float32)
    out = []
    for n in range(frames):
        t = 19 + n * turn
        base = int(t)
        layers = np.stack([volume[base + k] * soft[k + 18 if k + 18 < 37 else 36] for k in range(-18, 19)]).sum(axis=0)
        out.append(np.roll(layers, -round(up * n), 0))
    x = np.stack(out)
    return np.asarray(x / x.std(), np.float32)


@cache
def flame(seed: int = 1, frames: int = 60) -> Array:
    """(n, h, w, 3) codes of a flame on black: hotter below, licking up."""
    h, w = SIZE
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    coarse, fine = _noise(seed, 9, frames, 3.0, 0.8), _noise(seed + 50, 3.5, frames, 4.0, 1.0)
    out = []
    for n in range(frames):
        sway = 6 * np.sin(2 * np.pi * n / 23.7 + seed) * (1 - y / h)
        heat = 1.5 - ((x - w / 2 - sway) / (10 + 22 * y / h)) ** 2 - (0.95 - y / h) * 1.7
        heat = heat + 0.55 * coarse[n] * (1.1 - y / h) + 0.22 * fine[n]
        heat = np.clip(heat, 0, 1.4) / 1.4 * (y > 6)
        out.append(np.dstack([np.clip(1.5 * heat, 0, 1), np.clip(1.5 * heat - 0.45, 0, 1), np.clip(2 * heat - 1.3, 0, 1)]))
    return np.asarray(np.stack(out), np.float32)


@cache
def water(seed: int = 1, frames: int = 60) -> Array:
    """(n, h, w, 3) codes of water: waves that run through each other, ripples on them."""
    h, w = SIZE
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    ripples = _noise(seed + 9, 2.2, frames, 0.0, 0.9)
    out = []
    waves = [(rng.uniform(14, 40), rng.uniform(0, np.pi), rng.uniform(0.2, 0.5), rng.uniform(0, 6.3)) for _ in range(7)]
    for n in range(frames):
        height = sum(np.sin(2 * np.pi * (x * np.cos(a) + 1.6 * y * np.sin(a)) / length + f * n + p) for length, a, f, p in waves)
        light = 0.4 + 0.07 * height + 0.05 * ripples[n]
        out.append(np.dstack([0.7 * light, 0.9 * light, light + 0.08]))
    return np.asarray(np.clip(np.stack(out), 0, 1), np.float32)
