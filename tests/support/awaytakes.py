"""Made takes before an ordinary background, with exact truth: what a difference matte is tried on.

The drawn subject of `keyplates` (hair, a limb in motion blur, thin things) stands before a photograph that a package ships, with no
screen's light on it. Each take has one fault of real takes: the light drifts, a shadow walks along, the background has the shirt's
colour in places, the camera stands a fraction of a pixel beside the empty frame. The empty frame is one noisy frame of its own.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from pathlib import Path

import cv2
import keyplates as kp
import numpy as np
import skimage

PICTURES = Path(skimage.__file__).parent / "data"
SHIRT = np.float32([0.28, 0.22, 0.16])
SIZE = (270, 480)


@dataclass(frozen=True)
class AwayTake:
    """`plate`, `premult` (n, h, w, 3) and `empty` (h, w, 3) scene linear, `alpha` (n, h, w); `shadow` (n, h, w) 1 where none falls."""

    name: str
    plate: np.ndarray
    empty: np.ndarray
    alpha: np.ndarray
    premult: np.ndarray
    shadow: np.ndarray = field(repr=False)


@dataclass(frozen=True)
class Faults:
    """What a take suffers from; `noise` scales the photon noise."""

    noise: float = 1.0
    drift: float = 0.0  # stops that the exposure changes by over the take
    shadow: float = 0.0  # how much of the light the shadow takes, 0..1
    alike: bool = False  # patches of the background have the shirt's colour
    shift: tuple[float, float] = (0.0, 0.0)  # px that the take stands beside the empty frame


TAKES: dict[str, tuple[str, Faults]] = {
    "noise": ("coffee.png", Faults(noise=2.5)),
    "drift": ("rocket.jpg", Faults(drift=0.4)),
    "shadow": ("gravel.png", Faults(shadow=0.55)),
    "alike": ("chelsea.png", Faults(alike=True)),
    "beside": ("motorcycle_left.png", Faults(shift=(0.6, -0.4), drift=-0.15)),
    "all": ("astronaut.png", Faults(noise=1.5, drift=0.25, shadow=0.4, alike=True, shift=(0.3, 0.2))),
}


def away_take(name: str, frames: int = 4, size: tuple[int, int] = SIZE, seed: int = 5) -> AwayTake:
    """One of TAKES."""
    picture, faults = TAKES[name]
    return made_take(name, _picture(picture, size), faults, frames, seed)


def made_take(name: str, back: np.ndarray, faults: Faults, frames: int = 4, seed: int = 5) -> AwayTake:
    """A take before `back` (h, w, 3) scene linear."""
    h, w = back.shape[:2]
    rng = np.random.default_rng(seed)
    if faults.alike:
        back = _with_patches(back, rng)
    stands = cv2.warpAffine(back, np.float32([[1, 0, faults.shift[0]], [0, 1, faults.shift[1]]]), (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)  # fmt: skip
    codes, alphas, pres, shades = [], [], [], []
    for i in range(frames):
        rgba = _subject(i, (h, w))
        a, pre = rgba[..., 3], rgba[..., :3]
        shade = _shade(a, faults.shadow)
        gain = 2.0 ** (faults.drift * (i + 1) / frames)
        lin = gain * (pre + (1 - a[..., None]) * stands * shade[..., None])
        codes.append(_shot(lin, faults.noise, rng))
        alphas.append(a)
        pres.append(gain * pre)
        shades.append(shade)
    empty = _shot(back, faults.noise, rng)
    return AwayTake(name, np.stack(codes), empty, np.stack(alphas), np.stack(pres), np.stack(shades))


@cache
def _subject(i: int, size: tuple[int, int]) -> np.ndarray:
    """The premultiplied subject at a frame; the same in every take, since drawing it takes long."""
    rng = np.random.default_rng(3)
    tex, strands = kp._texture(rng, *size, 0.12), kp._strands(rng)
    return cv2.GaussianBlur(kp._draw("blue", *size, float(i) + 2, tex, strands, SHIRT), (0, 0), 0.5)


def plain_difference(take: AwayTake) -> np.ndarray:
    """(n, h, w) the thresholded difference of the codes whose threshold, chosen with the truth, leaves the least error."""
    off = np.abs(kp.srgb_encode(take.plate) - kp.srgb_encode(take.empty)).max(axis=3)
    mattes = ((off > t).astype(np.float32) for t in np.arange(0.02, 0.6, 0.01))
    return min(mattes, key=lambda m: float(np.abs(m - take.alpha).sum()))


def _picture(name: str, size: tuple[int, int]) -> np.ndarray:
    code = cv2.cvtColor(cv2.imread(str(PICTURES / name)), cv2.COLOR_BGR2RGB).astype(np.float32) / 255
    h, w = size
    scale = max(h / code.shape[0], w / code.shape[1])
    code = cv2.resize(code, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC)
    y, x = (code.shape[0] - h) // 2, (code.shape[1] - w) // 2
    return (0.02 + 0.6 * kp.srgb_decode(np.clip(code[y : y + h, x : x + w], 0, 1))).astype(np.float32)


def _with_patches(back: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Patches of the shirt's colour, with a little texture of their own, behind where the subject stands."""
    h, w = back.shape[:2]
    mask = np.zeros((h, w), np.float32)
    for x, y, r in ((0.42, 0.72, 0.06), (0.6, 0.62, 0.05), (0.5, 0.92, 0.07)):
        cv2.rectangle(mask, (int((x - r) * w), int((y - r) * h)), (int((x + r) * w), int((y + r) * h)), 1.0, -1)
    mask = cv2.GaussianBlur(mask, (0, 0), 1.0)[..., None]
    own = SHIRT * (1 + 0.06 * kp.smooth_noise(rng, h, w, 4)[..., None])
    return (back * (1 - mask) + own * mask).astype(np.float32)


def _shade(alpha: np.ndarray, depth: float) -> np.ndarray:
    """The light that is left where the subject's own shadow falls, down to the right of it, softer than the subject."""
    h, w = alpha.shape
    if depth == 0:
        return np.ones_like(alpha)
    m = np.float32([[1.0, 0.25, 0.06 * w], [0, 0.9, 0.1 * h]])
    thrown = cv2.warpAffine(alpha, m, (w, h))
    return (1 - depth * cv2.GaussianBlur(thrown, (0, 0), 5)).astype(np.float32)


def _shot(lin: np.ndarray, noise: float, rng: np.random.Generator) -> np.ndarray:
    """As an 8-bit camera gives it, decoded again."""
    sd = noise * np.sqrt(np.maximum(lin, 0) * 1.2e-4 + 2e-6) * np.float32([1.3, 1.0, 1.5])
    noisy = lin + cv2.GaussianBlur(rng.standard_normal(lin.shape).astype(np.float32), (0, 0), 0.5) * 1.5 * sd
    code = np.clip(kp.srgb_encode(noisy) * 255 + rng.random(lin.shape, np.float32), 0, 255).astype(np.uint8)
    return kp.srgb_decode(code / np.float32(255))
