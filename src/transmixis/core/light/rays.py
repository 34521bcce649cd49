"""Rays and halos about a matte or a light, and what a lens does with a bright thing: ghosts across its middle, and dirt on it."""

from __future__ import annotations

import math

import cv2
import numpy as np

from transmixis.core.types import Array, Matte


def rays(light: Array, centre: tuple[float, float], length: float, falls: float = 0.5) -> Array:
    """(h, w, 3) light drawn out from `centre` px by up to `length` times its distance, half of it left after the share `falls` of the way; as bright in sum along each ray as it was at its beginning."""
    h, w = light.shape[:2]
    out = np.zeros_like(light)
    total = 0.0
    steps = 7  # each doubles how densely the way is covered
    now = np.ascontiguousarray(light, np.float32)
    reach = math.log(1 + max(length, 0.0))
    for k in range(steps):
        s = math.exp(reach / 2 ** (k + 1))
        weight = 0.5 ** (1 / 2 ** (k + 1) / max(falls, 1e-3))
        grow = np.array([[s, 0, centre[0] * (1 - s) - 0.5 * (1 - s)], [0, s, centre[1] * (1 - s) - 0.5 * (1 - s)]])
        grown = cv2.warpAffine(now, grow, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        now = np.asarray((now + weight * grown.reshape(now.shape)) / (1 + weight), np.float32)
        total += weight
    out[:] = now
    return out


def halo(matte: Matte, width: float) -> Matte:
    """(h, w) 0..1 about a matte, outside of it only: whole at its border, falling off over `width` px."""
    if width <= 0:
        return np.zeros(matte.shape, np.float32)
    outside = (matte <= 0.5).astype(np.uint8)
    if outside.all():
        return np.zeros(matte.shape, np.float32)
    away = cv2.distanceTransform(outside, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(np.exp(-2 * (away / width) ** 2) * (1 - matte), np.float32)


def ghosts(size: tuple[int, int], at: tuple[float, float], colour: Array, count: int, radius: float, seed: int) -> Array:
    """(h, w, 3) discs on the line from a light through the middle of the frame, where a lens's faces mirror it: beyond the middle as far as it is before it, and at other shares of that; each tinted a little."""
    h, w = size
    out = np.zeros((h, w, 3), np.float32)
    dice = np.random.default_rng(seed)
    middle = np.array([w / 2, h / 2])
    way = middle - np.asarray(at, float)
    yy, xx = np.mgrid[0:h, 0:w] + 0.5
    for k in range(count):
        share = 2.0 if k == 0 else float(dice.uniform(0.3, 2.6))
        x, y = np.asarray(at, float) + share * way
        r = radius * (1.0 if k == 0 else float(dice.uniform(0.3, 1.6)))
        tint = np.asarray(colour, np.float32) * dice.uniform(0.5, 1.2, 3).astype(np.float32)
        away = np.hypot(xx - x, yy - y) / max(r, 1e-3)
        disc = np.clip((1 - away) * r / 3 + 0.5, 0, 1) * (0.5 + 0.5 * np.clip(away, 0, 1) ** 4)
        out += disc[..., None].astype(np.float32) * tint / max(count, 1)
    return out


def dirt(size: tuple[int, int], seed: int) -> Matte:
    """(h, w) 0..1 spots and smears on a front lens, out of focus; they stand still in the frame."""
    h, w = size
    dice = np.random.default_rng(seed)
    out = np.zeros((h, w), np.float32)
    for _ in range(60):
        x, y, r = dice.uniform(0, w), dice.uniform(0, h), dice.uniform(0.004, 0.03) * w
        layer = np.zeros((h, w), np.float32)
        cv2.circle(layer, (round(x), round(y)), max(1, round(r)), float(dice.uniform(0.2, 1)), -1, cv2.LINE_AA)
        out = np.maximum(out, layer)
    soft = cv2.GaussianBlur(out, (0, 0), 0.004 * w)
    smear: Array = cv2.GaussianBlur(dice.standard_normal((h, w)).astype(np.float32), (0, 0), 0.05 * w, sigmaY=0.008 * w)
    smear = np.clip(smear / max(float(smear.std()), 1e-6) * 0.15, 0, 1)
    return np.asarray(np.clip(soft + smear, 0, 1), np.float32)
