"""Similarity transforms in the plane (position, rotation, one scale) fitted to pairs of points in closed form.

Positions and angles are those of core.motion.motion. OpenCV counts pixel centres as whole numbers: `HALF` and `index_matrix` lead there.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array

HALF = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])  # from pixels whose centres are whole numbers to ours


@dataclass(frozen=True)
class Similarity:
    """p becomes grow * R(turn) * (p - pivot) + pivot + (x, y). Pixels, x right, y down, centres at +0.5; `turn` degrees, anticlockwise
    as seen."""

    x: float = 0.0
    y: float = 0.0
    turn: float = 0.0
    grow: float = 1.0
    pivot: tuple[float, float] = (0.0, 0.0)

    @property
    def matrix(self) -> Array:
        """(2, 3) float64 that maps (x, y, 1)."""
        way = math.radians(-self.turn)  # y points down
        c, s = self.grow * math.cos(way), self.grow * math.sin(way)
        px, py = self.pivot
        return np.array([[c, -s, px + self.x - c * px + s * py], [s, c, py + self.y - s * px - c * py]])

    @property
    def index_matrix(self) -> Array:
        """The same for pictures whose pixel centres are whole numbers, as OpenCV has them."""
        return np.asarray((np.linalg.inv(HALF) @ np.vstack([self.matrix, [0, 0, 1]]) @ HALF)[:2])

    def apply(self, points: Array) -> Array:
        """(n, 2) points moved."""
        m = self.matrix
        return np.asarray(points) @ m[:, :2].T + m[:, 2]

    def about(self, pivot: tuple[float, float]) -> Similarity:
        """The same transform written about another pivot."""
        moved = self.apply(np.array([pivot]))[0]
        return Similarity(float(moved[0] - pivot[0]), float(moved[1] - pivot[1]), self.turn, self.grow, pivot)

    def scaled(self, scale: float) -> Similarity:
        """The same motion in a picture resized by `scale`."""
        px, py = self.pivot
        return Similarity(self.x * scale, self.y * scale, self.turn, self.grow, (px * scale, py * scale))

    def inverse(self) -> Similarity:
        """The transform that takes it back."""
        back = Similarity(0.0, 0.0, -self.turn, 1 / self.grow, self.pivot)
        shift = back.apply(np.array([[self.pivot[0] - self.x, self.pivot[1] - self.y]]))[0] - np.array(self.pivot)
        return Similarity(float(shift[0]), float(shift[1]), -self.turn, 1 / self.grow, self.pivot)

    def after(self, first: Similarity) -> Similarity:
        """This transform done after `first`, written about the pivot of `first`."""
        pivot = np.array([first.pivot])
        moved = self.apply(first.apply(pivot))[0] - pivot[0]
        return Similarity(float(moved[0]), float(moved[1]), self.turn + first.turn, self.grow * first.grow, first.pivot)


def fit_similarity(
    source: Array, target: Array, weights: Array | None = None, pivot: tuple[float, float] = (0.0, 0.0)
) -> Similarity:
    """Least-squares similarity from `source` to `target`, both (n, 2) with n >= 2 (Umeyama, 1991).

    In the plane a rotation with scale is a complex factor, so the closed form needs no decomposition; a mirror image is
    never returned. Raises UserError when all source points coincide.
    """
    w = np.ones(len(source)) if weights is None else np.asarray(weights, np.float64)
    w = w / w.sum()
    a, b = np.asarray(source, np.float64), np.asarray(target, np.float64)
    ma, mb = w @ a, w @ b
    za, zb = (a - ma) @ np.array([1, 1j]), (b - mb) @ np.array([1, 1j])
    size = float(w @ np.abs(za) ** 2)
    if size < 1e-12:
        raise UserError("The points lie on one spot, so rotation and scale cannot be told; choose points further apart.")
    factor = complex(w @ (np.conj(za) * zb)) / size
    turn, grow = -math.degrees(math.atan2(factor.imag, factor.real)), abs(factor)
    about = Similarity(float(mb[0] - ma[0]), float(mb[1] - ma[1]), turn, grow, (float(ma[0]), float(ma[1])))
    return about.about(pivot)


def turn_words(turn: float) -> str:
    """An angle as people say it."""
    return f"{abs(turn):.2f}° {'clockwise' if turn < 0 else 'anticlockwise'}"
