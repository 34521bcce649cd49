"""A camera that is known at a frame: where it stands, where it looks, and its lens.

x right, y down, z forward; a point X of the place is R X + t before the camera. Pixels as in core.motion.motion. The lens has two terms of
radial distortion (Brown, 1966): what lies r from the middle, in focal lengths, is seen at r (1 + k1 r² + k2 r⁴).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from transmixis.core.types import Array

ROUNDS = 50  # of undoing the distortion: each takes a factor of the distortion off
DONE = 1e-13  # focal lengths


@dataclass(frozen=True)
class Camera:
    """`focal` px; `middle` (x, y) px; `turn` (3, 3) and `shift` (3,) lead from the place to the camera. `error` px (reprojection, rms);
    nan: not told. Where it is not `known`, `why` says why."""

    focal: float
    middle: tuple[float, float]
    turn: Array
    shift: Array
    k1: float = 0.0
    k2: float = 0.0
    known: bool = True
    error: float = float("nan")
    why: str = ""

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
        return np.asarray(self.middle + self.focal * flat * self._grown(flat))

    def directions(self, pixels: Array) -> Array:
        """(n, 3) unit directions in the place that pixels (n, 2) look along."""
        seen = (np.asarray(pixels, np.float64).reshape(-1, 2) - self.middle) / self.focal
        flat = seen
        for _ in range(ROUNDS):
            better = seen / self._grown(flat)
            done = float(np.abs(better - flat).max(initial=0.0)) < DONE
            flat = better
            if done:
                break
        ray = np.c_[flat, np.ones(len(flat))] @ self.turn
        return np.asarray(ray / np.linalg.norm(ray, axis=1, keepdims=True))

    def scaled(self, by: float) -> Camera:
        """The same camera for pictures `by` times the size."""
        x, y = self.middle
        return Camera(
            self.focal * by, (x * by, y * by), self.turn, self.shift, self.k1, self.k2, self.known, self.error * by, self.why
        )

    def _grown(self, flat: Array) -> Array:
        r2 = (flat**2).sum(axis=1, keepdims=True)
        return np.asarray(1 + self.k1 * r2 + self.k2 * r2**2)
