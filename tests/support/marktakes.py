"""Made takes of marked surfaces with the truth beneath: a cloth with folds that bends in a draught, crosses on it, an arm passing before some; and a round thing the size
of a face that turns, dots on it. Linear light, grain as of a sensor."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache

import cv2
import numpy as np
from keyplates import srgb_decode
from rigtakes import grained

Array = np.ndarray
SIZE = (216, 384)


@dataclass(frozen=True)
class MarkTake:
    """`plate`, `truth` (n, h, w, 3) linear, the truth without marks and grain; `marks` (n, h, w) 0..1 how far each px shows a mark; `front` (n, h, w) what passes before;
    `count`: marks that there are; `at` (n, count, 2) px."""

    plate: Array = field(repr=False)
    truth: Array = field(repr=False)
    marks: Array = field(repr=False)
    front: Array = field(repr=False)
    count: int
    at: Array = field(repr=False)


def _noise(seed: int, sigma: float, h: int, w: int) -> Array:
    x = cv2.GaussianBlur(np.random.default_rng(seed).standard_normal((h, w)).astype(np.float32), (0, 0), sigma)
    return np.asarray(x / x.std())


def _cross(u: Array, v: Array, x: float, y: float, size: float) -> Array:
    a, b = np.abs(u - x), np.abs(v - y)
    arm = np.clip(size / 8 - np.minimum(a, b) + 0.5, 0, 1)
    return np.asarray(arm * np.clip(size / 2 - np.maximum(a, b) + 0.5, 0, 1))


@cache
def cloth_take(frames: int = 16, seed: int = 2) -> MarkTake:
    """A green sheet with falloff, folds and weave that goes with it."""
    h, w = SIZE
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:h, 0:w] + 0.5
    big = (h + 120, w + 120)
    folds = 0.03 * _noise(3, 22, *big) + 0.006 * _noise(4, 1.1, *big) + 0.008 * _noise(5, 5, *big)
    places = [(50, 40), (190, 45), (335, 50), (60, 170), (200, 175), (330, 165)]
    green = np.array(srgb_decode(np.float32((0.14, 0.46, 0.19))))
    white = np.array(srgb_decode(np.float32((0.46, 0.55, 0.43))))
    plate, truth, marks, fronts, at = [], [], [], [], []
    for t in range(frames):
        dx = 3.5 * np.sin(y / 55 + 0.35 * t) + 1.2 * t * 0.4
        dy = 2.0 * np.sin(x / 80 - 0.3 * t)
        u, v = x + dx, y + dy
        weave = cv2.remap(folds.astype(np.float32), (u + 50).astype(np.float32), (v + 50).astype(np.float32), cv2.INTER_CUBIC)
        cloth = (
            green * (1 + weave[..., None]) * (0.75 + 0.35 * np.exp(-(((x - 150) / 220) ** 2 + ((y - 90) / 150) ** 2)))[..., None]
        )
        cover = np.max([_cross(u, v, *p, 18) for p in places], axis=0)
        cover = cv2.GaussianBlur(cover.astype(np.float32), (0, 0), 0.6)
        shade = cloth.mean(axis=2, keepdims=True) / green.mean()
        arm = cv2.GaussianBlur(np.clip(14 - np.abs(x - (90 + 9 * t) - 0.4 * (y - 100)), 0, 1).astype(np.float32), (0, 0), 0.8)
        skin = np.array(srgb_decode(np.float32((0.7, 0.5, 0.42)))) * (1 + 0.1 * weave[..., None])
        scene = cloth * (1 - cover[..., None]) + white * shade * cover[..., None]
        over = arm[..., None]
        truth.append((cloth * (1 - over) + skin * over).astype(np.float32))
        plate.append(grained(scene * (1 - over) + skin * over, rng))
        marks.append(cover * (1 - arm))
        fronts.append(arm)
        at.append([_place(u, v, *p) for p in places])
    return MarkTake(np.stack(plate), np.stack(truth), np.stack(marks), np.stack(fronts), len(places), np.array(at))


def _place(u: Array, v: Array, x: float, y: float) -> tuple[float, float]:
    j, i = np.unravel_index(int(np.argmin((u - x) ** 2 + (v - y) ** 2)), u.shape)
    return float(i) + 0.5, float(j) + 0.5


@cache
def face_take(frames: int = 16, seed: int = 6) -> MarkTake:
    """A ball the size of a face, lit from one side, with pores; it turns by 1.6 degrees a frame; nine dark dots on it."""
    h, w = SIZE
    rng = np.random.default_rng(seed)
    y, x = np.mgrid[0:h, 0:w] + 0.5
    r, cx, cy = 88.0, 190.0, 108.0
    nx, ny = (x - cx) / r, (y - cy) / r
    inside = nx * nx + ny * ny < 1
    nz = np.sqrt(np.maximum(1 - nx * nx - ny * ny, 0))
    pores = 0.02 * _noise(7, 1.3, 400, 900) + 0.05 * _noise(8, 9, 400, 900)
    dots = [(a, b) for a in (-0.55, 0.0, 0.5) for b in (-0.4, 0.05, 0.45)]
    plate, truth, marks, at = [], [], [], []
    for t in range(frames):
        turn = np.radians(1.6 * (t - frames / 2))
        lon, lat = np.arctan2(nx, np.maximum(nz, 1e-3)) + turn, np.arcsin(np.clip(ny, -1, 1))
        tx, ty = (450 + lon * r * 1.2).astype(np.float32), (200 + lat * r).astype(np.float32)
        skin = (
            np.array(srgb_decode(np.float32((0.78, 0.6, 0.52))))
            * (1 + cv2.remap(pores.astype(np.float32), tx, ty, cv2.INTER_CUBIC))[..., None]
        )
        light = np.clip(0.75 * nz - 0.45 * nx - 0.2 * ny, 0.08, None)[..., None]
        cover = np.zeros((h, w))
        where = []
        for a, b in dots:
            far = r * np.hypot((lon - a) * np.cos(lat), lat - b)
            cover = np.maximum(cover, np.clip(3.4 - far, 0, 1) * inside)
            where.append((cx + r * np.sin(a - turn) * np.cos(b), cy + r * np.sin(b)))
        soft = cv2.GaussianBlur(cover.astype(np.float32), (0, 0), 0.6)[..., None]
        ball = np.clip((1 - np.hypot(nx, ny)) * r + 0.5, 0, 1)[..., None]
        back = np.float32((0.05, 0.06, 0.08))
        clean = cv2.GaussianBlur((skin * light * ball + back * (1 - ball)).astype(np.float32), (0, 0), 0.5)
        truth.append(clean)
        plate.append(grained(clean * (1 - 0.85 * soft), rng))
        marks.append(soft[..., 0])
        at.append(where)
    none = np.zeros((frames, h, w), np.float32)
    return MarkTake(np.stack(plate), np.stack(truth), np.stack(marks), none, len(dots), np.array(at))
