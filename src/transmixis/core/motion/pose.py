"""A camera that is known at a frame: where it stands, where it looks, and its lens.

x right, y down, z forward; a point X of the place is R X + t before the camera. Pixels as in core.motion.motion. The lens has two terms of
radial distortion (Brown, 1966): what lies r from the middle, in focal lengths, is seen at r (1 + k1 r² + k2 r⁴).
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.motion.bending import bent, flat_of
from transmixis.core.types import Array


@dataclass(frozen=True)
class Camera:
    """`focal` px; `middle` (x, y) px; `turn` (3, 3) and `shift` (3,) lead from the place to the camera. `error` px (reprojection, rms);
    nan: not told. Where it is not `known`, `why` says why. `level`: y = 0 is the ground;
    `metres`: lengths are measured."""

    focal: float
    middle: tuple[float, float]
    turn: Array
    shift: Array
    k1: float = 0.0
    k2: float = 0.0
    known: bool = True
    error: float = float("nan")
    why: str = ""
    level: bool = False
    metres: bool = False

    @property
    def nbytes(self) -> int:
        """Bytes held, for the cache."""
        return int(self.turn.nbytes + self.shift.nbytes) + 96

    @property
    def place(self) -> Array:
        """(3,) where it stands."""
        return np.asarray(-self.turn.T @ self.shift)

    def project(self, points: Array) -> Array:
        """(n, 2) px where points (n, 3) of the place are seen; nan for those behind."""
        there = np.asarray(points, np.float64).reshape(-1, 3) @ self.turn.T + self.shift
        ahead = there[:, 2] > 0
        flat = there[:, :2] / np.where(ahead, there[:, 2], np.nan)[:, None]
        return np.asarray(self.middle + self.focal * bent(flat, self.k1, self.k2))

    def directions(self, pixels: Array) -> Array:
        """(n, 3) unit directions in the place that pixels (n, 2) look along."""
        flat = flat_of(np.asarray(pixels).reshape(-1, 2), self.focal, np.array(self.middle), self.k1, self.k2)
        ray = np.c_[flat, np.ones(len(flat))] @ self.turn
        return np.asarray(ray / np.linalg.norm(ray, axis=1, keepdims=True))

    def scaled(self, by: float) -> Camera:
        """The same camera for pictures `by` times the size."""
        x, y = self.middle
        return replace(self, focal=self.focal * by, middle=(x * by, y * by), error=self.error * by)
