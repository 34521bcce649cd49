"""Made clips of a flat picture that turns before the camera, with glare that moves otherwise and somebody who walks past; its corners'
truth is exact. Drawn at twice the size in linear light, coded to 8 bit."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from keyplates import srgb_decode, srgb_encode
from pointclips import texture

FINE = 2


@dataclass(frozen=True)
class SurfaceClip:
    """`frames` (n, h, w, 3) linear; `corners` (4, 2) px of the region in frame 0; `truth` (n, 3, 3) from frame 0's px to the frame's."""

    frames: list[np.ndarray] = field(repr=False)
    corners: np.ndarray
    truth: np.ndarray = field(repr=False)


def surface_clip(
    seed: int = 1, size: tuple[int, int] = (270, 480), frames: int = 30, yaw: float = 33.0, glare: bool = True, passer: bool = True,
    light: float = 0.2, noise: float = 1.5,
) -> SurfaceClip:  # fmt: skip
    """`yaw` degrees either way; `glare` saturates; `passer` covers a third; `light`: gain 1 ± light; `noise` 8-bit levels."""
    h, w = size
    dice = np.random.default_rng(seed)
    side = int(0.62 * h) * FINE
    flat = texture(seed + 40, side)
    ground = cv2.GaussianBlur(texture(seed + 80, 2 * w), (0, 0), 2.0)[: h * FINE, : w * FINE]
    person = texture(seed + 120, h * FINE)[:, : int(0.2 * h) * FINE] * 0.8
    out, ways = [], []
    for n in range(frames):
        m = _way(n, size, yaw, side)
        total = ground.copy()
        seen = cv2.warpPerspective(np.ones(flat.shape[:2], np.float32), _drawn(m), (w * FINE, h * FINE))
        moved = cv2.warpPerspective(
            flat, _drawn(m), (w * FINE, h * FINE), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
        )
        total = total * (1 - seen[..., None]) + moved * seen[..., None]
        total *= 1 + light * np.sin(2 * np.pi * n / 19)
        if glare:
            ys, xs = np.mgrid[0 : h * FINE, 0 : w * FINE] / FINE
            x, y = w / 2 + 0.25 * h * np.sin(n / 5.0), h / 2 + 0.2 * h * np.cos(n / 7.0)
            spot = 1.6 * np.exp(-(((xs - x) / (0.11 * h)) ** 2 + ((ys - y) / (0.08 * h)) ** 2))
            total += (spot * seen)[..., None].astype(np.float32)
        if passer:
            x = int((-0.2 * h + (w + 0.2 * h) * n / max(frames - 1, 1)) * FINE)
            a, b = max(0, x), min(w * FINE, x + person.shape[1])
            if b > a and n > 0:
                total[:, a:b] = person[:, a - x : b - x]
        total = cv2.resize(total, (w, h), interpolation=cv2.INTER_AREA)
        grain = noise / 255 * 1.8 * np.sqrt(np.maximum(total, 0.02) / 0.2)
        code = srgb_encode(np.clip(total + grain * dice.standard_normal(total.shape), 0, 1).astype(np.float32))
        out.append(srgb_decode(np.round(code * 255).astype(np.float32) / 255))
        ways.append(m)
    corners = np.array([[0, 0], [side, 0], [side, side], [0, side]], float) / FINE
    inner = corners.mean(axis=0) + 0.92 * (corners - corners.mean(axis=0))
    first = ways[0]
    truth = np.array([m @ np.linalg.inv(first) for m in ways])
    region = np.c_[inner, np.ones(4)] @ first.T
    return SurfaceClip(out, region[:, :2] / region[:, 2:], truth / truth[:, 2:, 2:])


def _way(t: float, size: tuple[int, int], yaw: float, side: int) -> np.ndarray:
    """From the flat picture's px (as in the frame's size) to the frame."""
    h, w = size
    a = np.radians(yaw) * np.sin(2 * np.pi * t / 37)
    focal, far = 1.2 * w, 1.2 * w
    half = side / FINE / 2
    place = np.array([[1, 0, -half], [0, 1, -half], [0, 0, 0], [0, 0, 1.0]])
    turn = np.array([[np.cos(a), 0, np.sin(a), 0], [0, 1, 0, 0], [-np.sin(a), 0, np.cos(a), 0], [0, 0, 0, 1]])
    shift = np.eye(4)
    shift[:3, 3] = (0.1 * w * np.sin(2 * np.pi * t / 29), 0.06 * h * np.sin(2 * np.pi * t / 23 + 1), far)
    camera = np.array([[focal, 0, w / 2, 0], [0, focal, h / 2, 0], [0, 0, 1, 0]])
    return np.asarray(camera @ shift @ turn @ place)


def _drawn(m: np.ndarray) -> np.ndarray:
    """The same for OpenCV, at the size it is drawn."""
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    return np.linalg.inv(shift) @ np.diag([FINE, FINE, 1.0]) @ m @ np.diag([1 / FINE, 1 / FINE, 1.0]) @ shift
