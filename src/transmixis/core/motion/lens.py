"""How a lens bends a frame, as maps of where each pixel of one picture lies in the other; see core.motion.bending for the law.

A straightened picture has the same focal length and middle, or is `zoom` times as large about the middle, so that all of it lies within
the frame and bending it back gives all of the frame again.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.bending import bent, unbent
from transmixis.core.motion.pose import Camera
from transmixis.core.types import Array

EDGE = 64  # places along each side of the frame that are looked at
GRID = 24  # places across it
LEAST_SLOPE = 0.05  # of the law within the frame: below it, places fold over each other


@dataclass(frozen=True)
class Lens:
    """`focal` px, `middle` (x, y) px, two terms of radial distortion."""

    focal: float
    middle: tuple[float, float]
    k1: float
    k2: float = 0.0

    @classmethod
    def of(cls, camera: Camera) -> Lens:
        return cls(camera.focal, camera.middle, camera.k1, camera.k2)

    @property
    def straight(self) -> bool:
        return self.k1 == 0 and self.k2 == 0

    def seen(self, places: Array) -> Array:
        """Where places (n, 2) px of the straightened picture are seen by the lens."""
        flat = (np.asarray(places, np.float64) - self.middle) / self.focal
        return np.asarray(self.middle + self.focal * bent(flat, self.k1, self.k2))

    def straightened(self, places: Array) -> Array:
        """Where places (n, 2) px that the lens sees lie in the straightened picture; nan where no place is seen there."""
        flat = (np.asarray(places, np.float64) - self.middle) / self.focal
        return np.asarray(self.middle + self.focal * unbent(flat, self.k1, self.k2))

    def checked(self, size: tuple[int, int]) -> None:
        """Raise UserError if the law folds the frame of `size` (h, w) over itself, so that it has no inverse."""
        most = float(np.hypot(*(self._rim(size) - self.middle).T).max()) / self.focal
        r = np.linspace(0, 4 * most, 2000)
        q = r * r
        folded = np.flatnonzero(1 + q * (3 * self.k1 + q * 5 * self.k2) < LEAST_SLOPE)
        last = r[folded[0] - 1] if len(folded) else r[-1]
        if last * (1 + last**2 * (self.k1 + last**2 * self.k2)) < most:
            raise UserError(
                f"A lens with k1 {self.k1:g} and k2 {self.k2:g} at {self.focal:.0f} px folds the frame's corners over each other "
                "and cannot be taken out; look at the three figures again."
            )

    def bends(self, size: tuple[int, int]) -> float:
        """px that the corner that lies furthest from the middle of a frame (h, w) is bent by; beyond 0: inwards."""
        self.checked(size)
        h, w = size
        corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
        away, there = (np.hypot(*(p - self.middle).T) for p in (corners, self.straightened(corners)))
        k = int(np.argmax(away))
        return float(there[k] - away[k])

    def returns(self, size: tuple[int, int]) -> float:
        """px that a place of the frame (h, w) is off at most after it was straightened and bent again."""
        at = np.concatenate([self._rim(size), _middles((GRID, GRID)).reshape(-1, 2) * (size[1] / GRID, size[0] / GRID)])
        return float(np.hypot(*(self.seen(self.straightened(at)) - at).T).max())

    def inside(self, size: tuple[int, int]) -> float:
        """How much smaller (0..1) the straightened picture must be for all that a frame (h, w) sees to lie within the frame."""
        self.checked(size)
        h, w = size
        away = self.straightened(self._rim(size)) - self.middle
        room = np.where(away > 0, np.array([w, h]) - self.middle, np.asarray(self.middle))
        return min(1.0, 1 / float(np.max(np.abs(away) / room)))

    def _rim(self, size: tuple[int, int]) -> Array:
        h, w = size
        t = np.linspace(0, 1, EDGE)
        return np.concatenate([np.c_[t * w, 0 * t], np.c_[t * w, 0 * t + h], np.c_[0 * t, t * h], np.c_[0 * t + w, t * h]])

    def margin(self, size: tuple[int, int]) -> int:
        """px on each side of a frame (h, w) within which all lies, once straightened, that the frame shows."""
        self.checked(size)
        there = self.straightened(self._rim(size))
        beyond = max(-float(there.min()), float((there - (size[1], size[0])).max()), 0.0)
        return int(np.ceil(beyond)) + 2  # and what is sampled beside it

    @lru_cache(maxsize=4)  # noqa: B019  # of one lens all frames are alike
    def straight_map(self, size: tuple[int, int], zoom: float = 1.0) -> Array:
        """(h, w, 2): where each pixel's middle of the straightened picture, `zoom` times the size, is seen in the frame (h, w), px."""
        at = (_middles(size).reshape(-1, 2) - self.middle) / zoom + self.middle
        return _kept(self.seen(at).reshape(*size, 2))

    @lru_cache(maxsize=4)  # noqa: B019
    def bent_map(self, size: tuple[int, int], zoom: float = 1.0) -> Array:
        """(h, w, 2): where each pixel's middle of the frame lies in that straightened picture, px."""
        at = self.straightened(_middles(size).reshape(-1, 2))
        return _kept(((at - self.middle) * zoom + self.middle).reshape(*size, 2))


def _kept(made: Array) -> Array:
    """Handed out again and again, so not to be written to."""
    made.flags.writeable = False
    return made


def _middles(size: tuple[int, int]) -> Array:
    ys, xs = np.mgrid[0 : size[0], 0 : size[1]]
    return np.asarray(np.stack([xs, ys], axis=2) + 0.5)
