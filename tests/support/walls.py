"""Walls with detail of several sizes, and how they look through a known motion."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined


def wall(seed: int = 1, size: tuple[int, int] = (120, 160)) -> np.ndarray:
    """A picture with detail of several sizes, linear light about 0.3."""
    rng = np.random.default_rng(seed)
    out = np.zeros((*size, 3), np.float32)
    for sigma, amount in ((1.2, 0.5), (3, 1.2), (8, 3.0)):
        noise = rng.standard_normal((*size, 3)).astype(np.float32)
        out += amount * cv2.GaussianBlur(noise, (0, 0), sigma)
    return np.clip(0.3 + 0.1 * out, 0.02, None)


def seen_through(picture: np.ndarray, matrix: np.ndarray) -> np.ndarray:
    """The picture as `matrix` moves it, by the splines that know positions between pixels."""
    ys, xs = np.mgrid[0 : picture.shape[0], 0 : picture.shape[1]]
    back = moved_points(np.linalg.inv(matrix), np.stack([xs.ravel() + 0.5, ys.ravel() + 0.5], 1))
    values, _ = Splined(picture).at(np.clip(back, 0.5, [picture.shape[1] - 0.5, picture.shape[0] - 0.5]))
    return values.reshape(picture.shape)
