"""Made takes of a rig that must go, with the truth behind it: a still wall below, wind in leaves that hide each other above, a pole through both and
its soft shadow, an exposure that drifts; a clean take of another moment, 1.6 px beside, warmer and darker. Photographs as textures, linear light."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode

Array = np.ndarray
SIZE = (270, 480)
SIGMA = 2.64 / 255  # grain, of the display code: a bound of 39.7 dB
BESIDE = (1.3, -0.93)  # px that the clean take stands aside: 1.6
CLEAN_LIGHT = np.float32((0.90, 0.86, 0.78))
WAVES = (420.0, 300.0, 210.0)  # px: how far gusts reach
LENS = 0.6  # px: gaussian of the lens
DRIFT = 0.12  # stops over the take


@dataclass(frozen=True)
class RigTake:
    """`plate`, `truth` (n, h, w, 3) and `clean` (m, h, w, 3) linear; the truth has no grain. `region` (h, w) 0..1 what must go with its shadow, loosely;
    `rig` (h, w) its own coverage; `windy` (h, w) bool; `grain` (h, w, 3) variance at the truth's level of a frame: see `grain_sd`."""

    plate: Array = field(repr=False)
    clean: Array = field(repr=False)
    truth: Array = field(repr=False)
    region: Array = field(repr=False)
    rig: Array = field(repr=False)
    windy: Array = field(repr=False)


@cache
def _texture(name: str, tint: tuple[float, float, float], scale: float) -> Array:
    picture = getattr(skimage.data, name)()
    picture = np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else picture[..., :3]
    linear = np.asarray(srgb_decode(picture.astype(np.float32) / 255), np.float32)
    size = (round(linear.shape[1] * scale), round(linear.shape[0] * scale))
    return np.asarray(cv2.resize(linear, size, interpolation=cv2.INTER_AREA) * np.float32(tint), np.float32)


def _looked_up(texture: Array, x: Array, y: Array) -> Array:
    return np.asarray(
        cv2.remap(texture, x.astype(np.float32) - 0.5, y.astype(np.float32) - 0.5, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    )


def _wind(t: float, x: Array, y: Array, strong: float, seed: int) -> tuple[Array, Array]:
    """How far leaves are blown at a time, px: gusts that run through, slower and faster ones."""
    rng = np.random.default_rng(seed)
    dx, dy = np.zeros_like(x), np.zeros_like(y)
    for wave in WAVES:
        a, p, q = rng.uniform(0, 2 * np.pi, 3)
        phase = 2 * np.pi * (x * np.cos(a) + y * np.sin(a)) / wave + p
        dx += np.sin(phase + 0.55 * t * 200 / wave) * wave / WAVES[0]
        dy += 0.6 * np.sin(phase * 0.9 + q + 0.45 * t * 200 / wave) * wave / WAVES[0]
    return strong * dx, strong * dy


def _scene(t: float, shift: tuple[float, float], h: int, w: int, hide: bool) -> tuple[Array, Array]:
    """What is behind the rig at a time (h, w, 3), and where wind is (h, w); drawn twice as fine and averaged."""
    y, x = np.mgrid[0 : 2 * h, 0 : 2 * w] / 2.0 + 0.25
    x, y = x + shift[0], y + shift[1]
    wall = _looked_up(_texture("coffee", (0.9, 0.9, 0.95), 0.85), x, y + 60)
    dx, dy = _wind(t, x, y, 1.2, 5)
    far = _looked_up(_texture("grass", (0.5, 0.75, 0.3), 1.0), x + dx, y + dy)
    nx, ny = _wind(t, x, y, 1.6, 8) if hide else (dx, dy)
    near = _looked_up(_texture("gravel", (0.55, 0.7, 0.25), 1.1), x + nx + 40, y + ny)
    holes = _looked_up(cv2.GaussianBlur(_texture("gravel", (1, 1, 1), 1.1), (0, 0), 5.0), x + nx + 40, y + ny).mean(axis=2)
    front = np.clip((holes - np.median(holes)) / 0.02 + 0.2, 0, 1)[..., None]
    leaves = far * (1 - front) + near * front
    line = 0.52 * h + 10 * np.sin(x / 60)
    windy = np.clip((line - y) / 3 + 0.5, 0, 1)
    whole = wall * (1 - windy[..., None]) + leaves * windy[..., None]
    small = cv2.GaussianBlur(cv2.resize(whole.astype(np.float32), (w, h), interpolation=cv2.INTER_AREA), (0, 0), LENS)
    return np.asarray(np.clip(small, 0.003, 1)), np.asarray(
        cv2.resize(windy.astype(np.float32), (w, h), interpolation=cv2.INTER_AREA)
    )


def grained(linear: Array, rng: np.random.Generator) -> Array:
    """With grain as of a sensor: its variance goes with the light; SIGMA at mid grey."""
    slope = SIGMA**2 * 2.7  # of linear variance over signal: SIGMA over the whole picture, in code
    return np.asarray(linear + rng.normal(size=linear.shape) * np.sqrt(slope * np.maximum(linear, 0) + 1e-7), np.float32)


def rig_of(h: int, w: int) -> tuple[Array, Array]:
    """A leaning pole with a bar: its coverage, and its shadow's softness (h, w)."""
    y, x = np.mgrid[0:h, 0:w] + 0.5
    pole = np.clip(7.5 - np.abs(x - 0.55 * w - 0.12 * (y - h / 2)), 0, 1)
    bar = np.clip(5.0 - np.abs(y - 0.3 * h - 0.05 * x), 0, 1) * np.clip(x - 0.4 * w, 0, 1) * np.clip(0.72 * w - x, 0, 1)
    rig = np.maximum(pole, bar)
    shadow = cv2.GaussianBlur(np.roll(rig, (6, 18), (0, 1)).astype(np.float32), (0, 0), 6)
    return rig.astype(np.float32), shadow


@cache
def rig_take(hide: bool = False, frames: int = 8, cleans: int = 6, size: tuple[int, int] = SIZE, seed: int = 1) -> RigTake:
    """A take of so many frames, its clean take and its truth; `hide`: two layers of leaves go each its way."""
    h, w = size
    rng = np.random.default_rng(seed)
    rig, shadow = rig_of(h, w)
    truth, plate, windy = [], [], np.zeros(size)
    for n in range(frames):
        behind, windy = _scene(float(n), (0, 0), h, w, hide)
        light = np.float32(2 ** (DRIFT * (n / max(frames - 1, 1) - 0.5)))
        truth.append(behind * light)
        seen = behind * (1 - 0.5 * shadow[..., None]) * (1 - rig[..., None]) + rig[..., None] * np.float32((0.03, 0.028, 0.025))
        plate.append(grained(seen * light, rng))
    clean = [grained(_scene(57.0 + 1.7 * m, BESIDE, h, w, hide)[0] * CLEAN_LIGHT, rng) for m in range(cleans)]
    loose = cv2.dilate(((rig > 0) | (shadow > 0.03)).astype(np.uint8), np.ones((9, 9), np.uint8)).astype(np.float32)
    return RigTake(np.stack(plate), np.stack(clean), np.stack(truth), loose, rig, windy > 0.5)
