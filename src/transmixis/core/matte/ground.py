"""Elements on a plain ground, and mattes from brightness or from a sampled colour.

An element over a ground G is C = P + (1 - alpha) G with P = alpha F. The least alpha for which F is a colour that can be (0 to `white` in every channel)
tells most of the ground apart; P = C - (1 - alpha) G then is exact, whatever alpha is: over its own ground it gives C back
(Porter & Duff, 1984). On black this is the strongest channel, on white one minus the weakest.
"""

from __future__ import annotations

from typing import Literal

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, luminance
from transmixis.core.colour.lab import linear_to_lab
from transmixis.core.types import Array, Matte, Rgb

Ground = Literal["black", "white"]
BORDER = 0.04  # of the frame: how wide a rim is looked at for the ground
DARK, LIGHT = 0.05, 0.5  # scene linear: a darker rim is a black ground, a lighter one a white one
FLAT = 0.25  # of the ground's level (and 0.02): what the rim may vary by and still be a ground


def found_ground(frames: list[Rgb]) -> tuple[Ground | None, Array]:
    """Which ground the pictures (h, w, 3) lie on, told by their rims, and its colour (3,); None where the rim is neither or is no plain ground."""
    rims = np.concatenate([rim_of(f) for f in frames])
    colour = np.median(rims, axis=0).astype(np.float32)
    level = float(luminance(colour))
    spread = float(np.subtract(*np.quantile(luminance(rims), [0.75, 0.25])))
    if spread > FLAT * level + 0.02:
        return None, colour
    return ("black" if level < DARK else "white" if level > LIGHT else None), colour


def rim_of(frame: Rgb) -> Array:
    """Colours (n, 3) along the frame's border, every third."""
    h, w = frame.shape[:2]
    k = max(2, round(BORDER * min(h, w)))
    return np.concatenate([x.reshape(-1, 3)[::3] for x in (frame[:k], frame[-k:], frame[:, :k], frame[:, -k:])])


def ground_alpha(frame: Rgb, ground: Array, white: float = 1.0) -> Matte:
    """The least alpha (h, w) of a picture (h, w, 3), or of colours (n, 3), with which a colour between 0 and `white` over the ground (3,) gives the frame. On black only what is lighter counts, on
    white only what is darker: else the ground's own noise, a large part of the little that is left there, would stay in."""
    up = np.where(ground > LIGHT, 0, frame - ground) / np.maximum(white - ground, 1e-4)
    down = np.where(ground < DARK, 0, ground - frame) / np.maximum(ground, 1e-4)
    return np.asarray(np.clip(np.maximum(up, down).max(axis=-1), 0, 1), np.float32)


def off_ground(frame: Rgb, alpha: Matte, ground: Array) -> Rgb:
    """The premultiplied element (h, w, 3) that over the ground gives the frame; never below 0."""
    return np.asarray(np.maximum(frame - (1 - alpha[..., None]) * ground, 0), np.float32)


def ranged(values: Array, low: float, high: float) -> Matte:
    """0 up to `low`, 1 from `high` on, evenly between (h, w)."""
    return np.clip((values - low) / max(high - low, 1e-4), 0, 1).astype(np.float32)


def brightness(frame: Rgb) -> Array:
    """How bright each pixel looks (h, w), 0..1: its luminance, coded as a display shows it (IEC 61966-2-1)."""
    return np.asarray(linear_to_srgb(np.clip(luminance(frame), 0, 1)), np.float32)


def like_colour(frame: Rgb, colour: Array, along: float, across: float, soft: float) -> Matte:
    """How far each pixel (h, w) is of a sampled linear `colour` (3,). In CIELAB the difference is parted into lightness (`along`: what light and
    shade do to it) and colour (`across`); both are tolerances in its units, and `soft` is how many such tolerances the edge takes."""
    lab = linear_to_lab(frame)
    off = lab - linear_to_lab(np.asarray(colour, np.float32))
    far = np.sqrt((off[..., 0] / max(along, 1e-3)) ** 2 + (off[..., 1] ** 2 + off[..., 2] ** 2) / max(across, 1e-3) ** 2)
    return np.asarray(np.clip((1 + soft - far) / max(soft, 1e-3), 0, 1), np.float32)


def sampled_colour(frame: Rgb, x: float, y: float, radius: int = 3) -> Array:
    """The median colour (3,) about a place, px."""
    h, w = frame.shape[:2]
    i, j = (int(np.clip(v, 0, n - 1)) for v, n in ((y, h), (x, w)))
    part = frame[max(0, i - radius) : i + radius + 1, max(0, j - radius) : j + radius + 1]
    return np.median(part.reshape(-1, 3), axis=0).astype(np.float32)


def given_back(frame: Rgb, premultiplied: Rgb, alpha: Matte, ground: Array) -> float:
    """How far (8-bit levels of the sRGB curve, worst thousandth) the element over its own ground is from the frame."""
    back = premultiplied + (1 - alpha[..., None]) * ground
    off = np.abs(linear_to_srgb(np.clip(back, 0, 1)) - linear_to_srgb(np.clip(frame, 0, 1))).max(axis=2)
    return 255 * float(np.quantile(cv2.blur(off.astype(np.float32), (3, 3)), 0.999))
