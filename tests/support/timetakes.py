"""Made takes whose background other frames show, with the truth: a sign before a wall past which the camera trucks (the wall in perspective), a person who
stands still for a third of a locked take, and a pole that dips in and out. Photographs as textures, linear light, grain as of a sensor."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode
from rigtakes import grained

Array = np.ndarray
SIZE = (216, 384)


@dataclass(frozen=True)
class TimeTake:
    """`plate`, `truth` (n, h, w, 3) linear, the truth without grain; `gone` (n, h, w) 0..1 what must go, loosely; `shown` (n, h, w) bool: hidden there, and
    seen in some frame."""

    plate: Array = field(repr=False)
    truth: Array = field(repr=False)
    gone: Array = field(repr=False)
    shown: Array = field(repr=False)


@cache
def _wall(name: str, scale: float) -> Array:
    picture = getattr(skimage.data, name)()[..., :3]
    linear = np.asarray(srgb_decode(picture.astype(np.float32) / 255), np.float32)
    size = (round(linear.shape[1] * scale), round(linear.shape[0] * scale))
    return np.asarray(cv2.resize(linear, size, interpolation=cv2.INTER_AREA))


def seen_through(texture: Array, matrix: Array, size: tuple[int, int]) -> Array:
    """The texture as `matrix` (texture px to frame px) lays it into a frame (h, w, 3), drawn twice as fine."""
    h, w = size
    twice = np.diag([2.0, 2.0, 1.0]) @ matrix
    half = np.array([[1, 0, -0.5], [0, 1, -0.5], [0, 0, 1.0]])
    big = cv2.warpPerspective(
        texture, half @ twice @ np.linalg.inv(half), (2 * w, 2 * h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT
    )
    return np.clip(cv2.GaussianBlur(cv2.resize(big, (w, h), interpolation=cv2.INTER_AREA), (0, 0), 0.5), 0.003, 1)


def wall_matrix(t: float) -> Array:
    """The wall at a time of the trucking take: it passes by, leans and grows a little."""
    lean = np.array([[1, 0, 0], [0, 1, 0], [2.5e-4 + 4e-6 * t, 0, 1]])
    c, s = np.cos(0.002 * t), np.sin(0.002 * t)
    turn = (1.02 + 0.003 * t) * np.array([[c, -s, 0], [s, c, 0], [0, 0, 1 / (1.02 + 0.003 * t)]])
    return np.array([[1, 0, -60 - 2.6 * t], [0, 1, -40 + 0.3 * t], [0, 0, 1.0]]) @ turn @ lean


def _loose(cover: Array) -> Array:
    return np.asarray(cv2.dilate((cover > 0.01).astype(np.uint8), np.ones((5, 5), np.uint8)), np.float32)


def _shown(gone: Array, ways: list[Array]) -> Array:
    """Which of the hidden places some other frame shows: `ways` lead from the wall to each frame."""
    n, h, w = gone.shape
    out = np.zeros(gone.shape, bool)
    y, x = np.mgrid[0:h, 0:w] + 0.5
    for i in range(n):
        at = np.argwhere(gone[i] > 0)
        p = np.stack([x[at[:, 0], at[:, 1]], y[at[:, 0], at[:, 1]], np.ones(len(at))])
        for j in range(n):
            q = ways[j] @ np.linalg.inv(ways[i]) @ p
            u, v = np.round(q[:2] / q[2] - 0.5).astype(int)
            ok = (u >= 2) & (v >= 2) & (u < w - 2) & (v < h - 2)
            ok[ok] = gone[j][v[ok], u[ok]] == 0
            out[i][at[ok, 0], at[ok, 1]] = True
    return out


def _made(behind: list[Array], covers: list[Array], ways: list[Array], light: Array, seed: int) -> TimeTake:
    rng = np.random.default_rng(seed)
    dark = np.float32((0.25, 0.03, 0.03))
    truth = [b * g for b, g in zip(behind, light, strict=True)]
    plate = [grained(t * (1 - c[..., None]) + c[..., None] * dark * g, rng) for t, c, g in zip(truth, covers, light, strict=True)]
    gone = np.stack([_loose(c) for c in covers])
    return TimeTake(np.stack(plate), np.stack(truth), gone, _shown(gone, ways))


@cache
def truck_take(frames: int = 24, drift: float = 0.12, seed: int = 3) -> TimeTake:
    """The camera trucks past a wall; a sign stands nearer, so that it passes it by. The exposure drifts."""
    h, w = SIZE
    y, x = np.mgrid[0:h, 0:w] + 0.5
    ways = [wall_matrix(t) for t in range(frames)]
    behind = [seen_through(_wall("coffee", 1.3), m, SIZE) for m in ways]
    covers = []
    for t in range(frames):
        left = 250 - 6.5 * t
        plate = np.clip(16 - np.abs(x - left), 0, 1) * np.clip(22 - np.abs(y - 80), 0, 1)
        post = np.clip(4 - np.abs(x - left), 0, 1) * np.clip(y - 80, 0, 1)
        covers.append(np.maximum(plate, post))
    return _made(behind, covers, ways, np.exp2(drift * np.linspace(-0.5, 0.5, frames)).astype(np.float32), seed)


@cache
def person_take(frames: int = 24, seed: int = 4) -> TimeTake:
    """A locked camera; somebody stands still for a third of it and then walks off slowly."""
    h, w = SIZE
    y, x = np.mgrid[0:h, 0:w] + 0.5
    still = seen_through(_wall("chelsea", 1.5), np.array([[1, 0, -60], [0, 1, -30], [0, 0, 1.0]]), SIZE)
    covers = []
    for t in range(frames):
        at = 150 + 9.0 * max(0, t - frames // 3)
        covers.append(np.clip(1.2 * (1 - ((x - at) / 20) ** 2 - ((y - 120) / 66) ** 2) * 10, 0, 1))
    return _made([still] * frames, covers, [np.eye(3)] * frames, np.ones(frames, np.float32), seed)
