"""Pairs of made takes of one scene: a textured figure that sways before a still wall; the second take is a little off in pose, place, size and light."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

SIZE = (180, 240)
COUNT = 24


@dataclass(frozen=True)
class Off:
    """What the second take is off by: the figure's shift px, turn degrees, phase of its sway; the camera's shift px and size; light."""

    shift: tuple[float, float] = (8.0, 3.0)
    turn: float = 4.0
    phase: float = 0.3
    camera: tuple[float, float] = (1.5, -1.0)
    grow: float = 1.012
    light: tuple[float, float, float] = (0.95, 0.97, 1.02)


def _texture(seed: int, shape: tuple[int, int], fine: float) -> np.ndarray:
    dice = np.random.default_rng(seed)
    x = sum(cv2.GaussianBlur(dice.standard_normal((*shape, 3)).astype(np.float32), (0, 0), s) * s for s in (fine, 4 * fine))
    return np.asarray(x / x.std(), np.float32)


WALL = np.clip(0.22 + 0.05 * _texture(1, (260, 340), 1.5), 0.02, 1)
CLOTH = np.clip(np.float32([0.45, 0.2, 0.12]) * (1 + 0.25 * _texture(2, (150, 90), 1.2)), 0.01, 1)


def frame(n: int, off: Off | None, seed: int) -> np.ndarray:
    """Frame `n` of a take, (h, w, 3) linear, with a little grain."""
    t = n / 24
    phase = 0.0 if off is None else off.phase
    dx, dy, turn = (0.0, 0.0, 0.0) if off is None else (*off.shift, off.turn)
    sway = 10 * np.sin(2 * np.pi * 0.8 * t + phase)
    lean = 5 * np.sin(2 * np.pi * 0.6 * t + phase) + turn
    h, w = SIZE
    c, s = np.cos(np.radians(lean)), np.sin(np.radians(lean))
    place = np.array([[c, s, 170 + sway + dx], [-s, c, 130 + dy], [0, 0, 1]]) @ np.array([[1, 0, -45], [0, 1, -75], [0, 0, 1.0]])
    big = WALL.copy()
    matte = np.zeros((150, 90), np.float32)
    cv2.ellipse(matte, (45, 75), (36, 66), 0, 0, 360, 1.0, -1, cv2.LINE_AA)
    a = cv2.warpPerspective(matte, place, (340, 260), flags=cv2.INTER_LINEAR)[..., None]
    big = (
        big * (1 - a) + cv2.warpPerspective(CLOTH, place, (340, 260), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE) * a
    )
    k, x, y = (1.0, 0.0, 0.0) if off is None else (off.grow, *off.camera)
    view = np.array([[k, 0, -50 * k + x - (k - 1) * 120], [0, k, -40 * k + y - (k - 1) * 90], [0, 0, 1.0]])
    out = cv2.warpPerspective(big.astype(np.float32), view, (w, h), flags=cv2.INTER_CUBIC)
    out = out * np.float32((1, 1, 1) if off is None else off.light)
    return np.maximum(out + np.random.default_rng((seed, n)).normal(0, 0.003, out.shape), 0).astype(np.float32)


PAIRS = {
    "a little off": Off(),
    "far off": Off(shift=(16.0, -5.0), turn=-7.0, phase=0.5),
    "turned, lighter": Off(shift=(-6.0, 4.0), turn=9.0, phase=0.1, light=(1.06, 1.05, 1.0)),
    "camera moved": Off(shift=(5.0, 0.0), turn=3.0, camera=(5.0, 3.0), grow=0.98),
}


def takes(off: Off) -> tuple[list[np.ndarray], list[np.ndarray]]:
    """Both takes, frames 1..COUNT."""
    return [frame(n, None, 1) for n in range(1, COUNT + 1)], [frame(n, off, 2) for n in range(1, COUNT + 1)]
