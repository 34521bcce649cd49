"""Patterns that lie on something and go with it: dots and lines of a display, a disc of noise that spins, edges as a brush leaves them."""

from __future__ import annotations

import math

import cv2
import numpy as np

from transmixis.core.types import Array, Matte

DOTS, LINES, DISC = "dots", "lines", "spinning noise"
KINDS = (DOTS, LINES, DISC)


def pattern(kind: str, back: Array, size: tuple[int, int], pitch: float, fill: float, turn: float, seed: int) -> Matte:
    """(h, w) 0..1: a pattern of `pitch` px, `fill` 0..1 of it light, looked up through `back` (3 x 3, frame to pattern px), so that it goes with what it lies on; `turn` degrees is how far a disc has spun."""
    h, w = size
    yy, xx = np.mgrid[0:h, 0:w] + 0.5
    depth = back[2, 0] * xx + back[2, 1] * yy + back[2, 2]
    depth = np.where(np.abs(depth) < 1e-9, 1e-9, depth)
    u = (back[0, 0] * xx + back[0, 1] * yy + back[0, 2]) / depth
    v = (back[1, 0] * xx + back[1, 1] * yy + back[1, 2]) / depth
    # how many pattern px a frame px is, so that nothing is finer than it
    fine = math.sqrt(max(abs(float(np.linalg.det(back))), 1e-12)) / np.maximum(np.abs(depth) ** 1.5, 1e-9)
    if kind == LINES:
        away = np.abs((v / pitch) % 1 - 0.5) * pitch
        return _inside(0.5 * fill * pitch - away, fine, fill, pitch)
    if kind == DOTS:
        a, b = ((c / pitch) % 1 - 0.5 for c in (u, v))
        away = np.hypot(a, b) * pitch
        radius = pitch * math.sqrt(max(min(fill, 1.0), 0.0) / math.pi)
        return _inside(radius - away, fine, fill, pitch)
    return _disc(u, v, pitch, fill, turn, seed)


def _inside(depth: Array, fine: Array, fill: float, pitch: float) -> Matte:
    """Softened over a pixel; where a pixel holds several of them, their mean."""
    sharp = np.clip(depth / np.maximum(fine, 1e-6) + 0.5, 0, 1)
    lost = np.clip(2 * fine / pitch - 1, 0, 1)
    return np.asarray(sharp + (fill - sharp) * lost, np.float32)


def _disc(u: Array, v: Array, radius: float, fill: float, turn: float, seed: int) -> Matte:
    """Noise in rings about the middle, that has turned; soft at its rim."""
    dice = np.random.default_rng(seed)
    polar: Array = dice.random((64, 256)).astype(np.float32)
    polar = cv2.GaussianBlur(np.concatenate([polar] * 3, axis=1), (0, 0), 2.5)[:, 256:512]
    polar = (polar - polar.mean()) / max(float(polar.std()), 1e-6)
    r = np.hypot(u, v) / max(radius, 1e-6)
    angle = (np.degrees(np.arctan2(-v, u)) - turn) / 360 % 1
    looked = cv2.remap(
        np.concatenate([polar, polar[:, :1]], axis=1),
        (angle * 256).astype(np.float32),
        np.clip(r * 63, 0, 63).astype(np.float32),
        cv2.INTER_LINEAR,
    )
    return np.asarray(np.clip(fill + 0.25 * looked, 0, 1) * np.clip((1 - r) * 8, 0, 1), np.float32)


def roughened(matte: Matte, px: float, grain: float, seed: int | tuple[int, int]) -> Matte:
    """A matte whose border goes in and out by up to about `px`, in strokes `grain` px long, as a dry brush leaves it; inside and outside stay."""
    if px <= 0:
        return matte
    solid = (matte > 0.5).astype(np.uint8)
    if not solid.any() or solid.all():
        return matte
    away = cv2.distanceTransform(solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) - cv2.distanceTransform(
        1 - solid, cv2.DIST_L2, cv2.DIST_MASK_PRECISE
    )
    away = away - np.where(solid > 0, 0.5, -0.5)
    dice = np.random.default_rng(seed)
    rough = np.zeros(matte.shape, np.float32)
    for k, share in ((1.0, 0.6), (0.4, 0.3), (0.15, 0.1)):
        s = max(grain * k, 0.7)
        noise: Array = cv2.GaussianBlur(dice.standard_normal(matte.shape).astype(np.float32), (0, 0), s)
        rough += share * noise / max(float(noise.std()), 1e-6)
    moved = np.clip(away + px * np.clip(rough, -2, 2) / 2 + 0.5, 0, 1)
    near = np.abs(away) <= px + 2
    return np.asarray(np.where(near, moved, matte), np.float32)
