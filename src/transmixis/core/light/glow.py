"""Glow about what is bright: several radii, each twice as wide and as strong as the one before, whose sum falls off as a light's does, with the square of the distance."""

from __future__ import annotations

import math

import cv2
import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.types import Array, Matte

SMALL = 4.0  # px of sigma up to which a picture is blurred at its own size
KNEE = 0.5  # of the threshold over which glowing sets in softly


def bright_part(picture: Array, threshold: float, matte: Matte | None = None) -> Array:
    """(h, w, 3) the light of a picture above a luminance, softly; or all of it within a matte."""
    light = np.maximum(picture[..., :3], 0)
    if threshold > 0:
        y = luminance(light)
        knee = KNEE * threshold
        over = np.where(y > threshold + knee, y - threshold, np.clip(y - threshold + knee, 0, None) ** 2 / (4 * knee))
        light = light * (over / np.maximum(y, 1e-6))[..., None]
    if matte is not None:
        light = light * matte[..., None]
    return np.asarray(light, np.float32)


def radii(reach: float, least: float = 1.0) -> list[float]:
    """Sigmas px from `reach` downwards, each half of the one before, none under `least`."""
    count = max(1, math.floor(math.log2(max(reach / least, 1.0))) + 1)
    return [reach / 2**k for k in range(count)]


def spread(light: Array, reach: float, least: float = 1.0) -> Array:
    """Light (h, w, 3) spread by gaussians from `least` to `reach` px of sigma, as much by each. An octave's density goes with 1 / sigma², so that
    the sum falls with the square of the distance. All light is kept but what leaves the frame."""
    sigmas = radii(reach, least)
    total: Array = np.zeros_like(light)
    for s in sigmas:
        total += _blurred(light, s)
    return np.asarray(total / np.float32(len(sigmas)))


def _blurred(light: Array, sigma: float) -> Array:
    """A gaussian with nothing beyond the frame; wide ones on a smaller picture that is as bright in sum."""
    by = 1
    while sigma / by > 2 * SMALL and min(light.shape[:2]) // (2 * by) >= 4:
        by *= 2
    if by == 1:
        return _plain(light, sigma)
    h, w = light.shape[:2]
    high, wide = -(-h // by), -(-w // by)
    pad = math.ceil(3 * sigma / by) + 2
    padded = cv2.copyMakeBorder(light, 0, high * by - h, 0, wide * by - w, cv2.BORDER_CONSTANT, value=0)
    small = cv2.resize(padded, (wide, high), interpolation=cv2.INTER_AREA)
    small = cv2.copyMakeBorder(small, pad, pad, pad, pad, cv2.BORDER_CONSTANT, value=0)
    # shrinking and growing soften by themselves: a box of `by` px, and a tent
    own = (by * by - 1) / 12 + by * by / 6
    made = _plain(small, math.sqrt(max(sigma * sigma - own, 0.01)) / by)
    grown = cv2.resize(made, (made.shape[1] * by, made.shape[0] * by), interpolation=cv2.INTER_LINEAR)
    return np.asarray(grown[pad * by : pad * by + h, pad * by : pad * by + w])


def _plain(light: Array, sigma: float) -> Array:
    return np.asarray(cv2.GaussianBlur(light, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT))


def glowing(picture: Array, light: Array, reach: float, amount: float, *, kept: bool, least: float = 1.0) -> tuple[Array, float]:
    """The picture (h, w, 3 or 4) with `amount` 0..1 of its `light` (h, w, 3) spread about it, taken from where it was if it is `kept`, else added; and the
    share of that light that left the frame."""
    around = spread(light, reach, least)
    out = np.array(picture, np.float32)
    out[..., :3] += np.float32(amount) * (around - light if kept else around)
    before = float(light.sum())
    lost = 1 - float(around.sum()) / before if before > 1e-9 else 0.0
    return out, max(lost, 0.0)
