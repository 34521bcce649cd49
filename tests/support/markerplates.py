"""Made plates of a marked object that moves, with an exact truth: markers of exact area on woven cloth that goes with them, moved
through the shutter's time in sub-frames, seen through the lens, photon noise added in linear light, coded to 8 bit."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from keyplates import srgb_decode, srgb_encode
from scipy.special import ndtr

FINE = 6  # of a dot; a cross has its exact area
LENS = 0.6  # px


@dataclass(frozen=True)
class MarkedPlate:
    """`pictures` (n, h, w) coded 0..1; `truth` (n, k, 2) px of each marker at the middle of the shutter's time."""

    pictures: np.ndarray
    truth: np.ndarray


def marked_plate(
    shape: str, size: float, blur: float, contrast: float, grain: float, direction: float, seed: int, frames: int = 6
) -> MarkedPlate:
    """Five markers, `size` px across and `contrast` (coded) lighter or darker than cloth at 0.5; they move `blur` px in the open
    half of a frame's time, so twice that a frame; `grain` in 8-bit levels at the cloth's value."""
    rng = np.random.default_rng(seed)
    away = np.array([np.cos(np.radians(direction)), -np.sin(np.radians(direction))]) * 2 * blur
    room = int(np.ceil(size + 2 * blur + 30))
    w, h = 5 * room + int(abs(away[0]) * frames) + 8, room + int(abs(away[1]) * frames) + 8
    start = np.array([[room * (0.5 + i), room * 0.5] for i in range(5)]) + rng.uniform(0, 1, (5, 2)) + 4
    start += np.maximum(-away * frames, 0)
    weave = 0.0056 * cv2.GaussianBlur(rng.standard_normal((h, w)).astype(np.float32), (0, 0), 1.2) / 0.235
    wave, fy, fx = np.fft.rfft2(weave), np.fft.fftfreq(h)[:, None], np.fft.rfftfreq(w)[None, :]
    pictures, truth = [], []
    for n in range(frames):
        ways = np.linspace(-0.5, 0.5, int(blur * 1.5) + 2 if blur else 1)
        cover, phase = np.zeros((h, w)), np.zeros(wave.shape, complex)
        for t in ways:
            shift = away * (n + 0.5 * t)
            phase += np.exp(-2j * np.pi * (fx * shift[0] + fy * shift[1])) / len(ways)
            for p in start + shift:
                _paint(cover, shape, p, size, 1 / len(ways))
        cloth = 0.5 + np.fft.irfft2(wave * phase, (h, w))
        light = srgb_decode((cloth * (1 - cover) + (0.5 + contrast) * cover).astype(np.float32))
        slope = 1.055 / 2.4 * 0.214 ** (1 / 2.4 - 1)
        sd = grain / 255 / slope * np.sqrt(np.maximum(light, 0) / 0.214)
        code = np.clip(np.round(srgb_encode(light + sd * rng.standard_normal(light.shape)) * 255), 0, 255) / 255
        pictures.append(code)
        truth.append(start + away * n)
    return MarkedPlate(np.array(pictures, np.float32), np.array(truth))


def _paint(cover: np.ndarray, shape: str, at: np.ndarray, size: float, weight: float) -> None:
    half = int(size / 2) + 5
    x0, y0 = int(at[0]) - half, int(at[1]) - half
    n = 2 * half + 1
    x, y = at[0] - x0, at[1] - y0
    if shape == "dot":
        g = (np.arange(n * FINE) + 0.5) / FINE
        r = np.hypot(g[None, :] - x, g[:, None] - y)
        fine = cv2.GaussianBlur(np.clip((size / 2 - r) * FINE + 0.5, 0, 1), (0, 0), LENS * FINE)
        mark = fine.reshape(n, FINE, n, FINE).mean(axis=(1, 3))
    else:
        long_x, short_x, long_y, short_y = (_seen(n, c, s) for c in (x, y) for s in (size / 2, size / 8))
        mark = np.outer(short_y, long_x) + np.outer(long_y, short_x) - np.outer(short_y, short_x)
    cover[y0 : y0 + n, x0 : x0 + n] += mark * weight


def _seen(n: int, centre: float, half: float) -> np.ndarray:
    """How much each of n pixels sees of what lies within `half` of a centre, through the lens: a gaussian, then the pixel's area."""

    def risen(t: np.ndarray) -> np.ndarray:  # the integral of the gaussian's integral
        return t * ndtr(t) + np.exp(-t * t / 2) / np.sqrt(2 * np.pi)

    edges = np.arange(n + 1)
    up, down = (LENS * risen((edges - centre + s * half) / LENS) for s in (1, -1))
    return np.diff(up - down)
