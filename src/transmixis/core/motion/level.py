"""A surface at one size: its pixels, what they look like, how that answers to a move, and one fit of it to a frame.

Small surfaces are taken as lit alike all over but for a slope (Lit); the light of large ones is evened from place to place (Evened).
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from transmixis.core.motion import evened, fit, slopes
from transmixis.core.motion.evened import Grid, Looks
from transmixis.core.motion.fit import LIGHT
from transmixis.core.motion.frame import Frame
from transmixis.core.types import Array

ROUNDS = 20
LAST_ROUNDS = 8  # with all pixels, where fewer have brought it within their noise
LARGEST_STEP = 2.0  # px of a level
BLOCKS = 6  # to a side, in which what is left over may hang together
CELLS = 20  # to a side, for which it is told how far they agree
LEAST_BLOCK = 5.0  # px: grain and what interpolation leaves hang together over some px
DONE = 5e-3  # px: a step that moves no corner by more ends the fit; the next would move it by a fraction of that
DONE_COARSE = 0.05  # px of a coarse level
DONE_ALL = 0.01  # px with all pixels, where a step is as long as it should be
LEAST = 60  # pixels
ALIKE = 0.5  # correlation below which the surface is lost
SEEN = 0.25  # of the surface that must be seen
OUTSIDE = "it lies outside of the frame"
NOT_FOUND = "it cannot be found here"


@dataclass(frozen=True)
class Laid:
    """How the reference lies over a frame: `matrix` (3 x 3) maps reference px to frame px. `alike` is the correlation, `seen` the share
    of the surface that agrees, `error` the error of its corners, or of the point, as the fit tells, px rms. `why` says what is wrong where it is lost. `seen_where` (CELLS, CELLS) is how
    far each part of the upright box about the surface agrees, 0 to 1, nan where nothing of it lies."""

    matrix: Array
    alike: float = 0.0
    seen: float = 0.0
    error: float = float("nan")
    why: str = ""
    weights: Array | None = field(default=None, compare=False)
    seen_where: Array | None = field(default=None, compare=False)

    @property
    def lost(self) -> bool:
        return bool(self.why)


@dataclass(frozen=True)
class Shape:
    """Corners (k, 2) px of a surface; `frame` (3 x 3) from px to its own units, about one to its middle, and `unit` back; `told` (j, 2) px
    the places whose error is told."""

    corners: Array
    frame: Array
    unit: Array
    told: Array

    @classmethod
    def about(cls, corners: Array, told: Array | None = None) -> Shape:
        middle = corners.mean(axis=0)
        reach = max(float(np.abs(corners - middle).max()), 1.0)
        frame = np.array([[1 / reach, 0, -middle[0] / reach], [0, 1 / reach, -middle[1] / reach], [0, 0, 1]])
        return cls(corners, frame, np.linalg.inv(frame), corners if told is None else np.ascontiguousarray(told, np.float64))

    @property
    def reach(self) -> float:
        """px in one of its own units."""
        return float(self.unit[0, 0])


@dataclass(frozen=True)
class Level:
    """`scale` px of the frame for one of the level's, `pixels` rows and columns of the level, (n,) each, of which every `stride`th was
    taken; the first `free` moves are looked for; `blocks` (n,) which part of the surface a pixel lies in."""

    shape: Shape
    scale: int
    pixels: tuple[Array, Array]
    stride: int
    free: int
    looks: Looks
    blocks: Array

    @cached_property
    def cells(self) -> Array:
        """(n,) which of CELLS x CELLS parts of the box about the surface a pixel lies in."""
        low, high = self.shape.corners.min(axis=0), self.shape.corners.max(axis=0)
        i, j = np.clip((self.looks.points - low) / (high - low) * CELLS, 0, CELLS - 1).astype(np.int64).T
        return np.asarray(j * CELLS + i)

    def as_in(self, frame: Frame) -> Level:
        """The same pixels as they look in another picture of the reference."""
        raise NotImplementedError

    def curvature(self) -> Array:
        """(free, free) how much every move changes what is seen."""
        raise NotImplementedError

    def fitted(self, frame: Frame, matrix: Array, begin: float, last: bool, before: tuple[Level, Laid] | None) -> Laid:
        """The matrix near another that lays it over a frame. `begin`: times as wide the weights begin; `before`: the coarser look."""
        raise NotImplementedError

    def _told(self, matrix: Array, weights: Array, share: float, normal: Array, alike: float, pulls: Array, last: bool) -> Laid:
        """What a fit is worth."""
        why = "most of it is hidden or outside" if share < SEEN else "nothing here looks like it" if alike < ALIKE else ""
        error, where = float("nan"), None
        if last and not why:
            shape = self.shape
            where = _mean_of(weights, self.cells)
            error = float(fit.corner_error(pulls, normal, shape.told, shape.frame, self.free)) * shape.reach
        return Laid(matrix, alike, share, error, why, weights, where)


@dataclass(frozen=True)
class Lit(Level):
    """Lit with a gain, its slopes and an offset; `columns` and `products` as of fit.answers."""

    columns: Array
    products: Array

    def as_in(self, frame: Frame) -> Lit:
        looks = looks_of(frame, self.shape, self.scale, self.pixels)
        columns, products = fit.answers(looks.values, looks.right, looks.down, looks.own, self.free)
        return replace(self, looks=looks, columns=columns, products=products)

    def curvature(self) -> Array:
        a = self.columns[:, : self.free].astype(np.float64)
        return np.asarray(a.T @ a)

    def fitted(self, frame: Frame, matrix: Array, begin: float, last: bool, before: tuple[Level, Laid] | None) -> Laid:
        looks, shape, scale = self.looks, self.shape, self.scale
        n, size = len(looks.points), self.columns.shape[1]
        seen, inside, weights = np.empty_like(looks.values), np.empty(n, np.bool_), np.empty(n, np.float32)
        normal, light = np.empty((size, size)), np.empty(LIGHT)
        matrix, there = fit.rounds(
            frame.level(scale).spline, frame.there(scale), frame.to_level(scale), np.ascontiguousarray(matrix), looks.points, looks.own,
            looks.values, self.columns, self.products, shape.corners, shape.frame, shape.unit, ROUNDS, begin, LARGEST_STEP * scale,
            (DONE if last else DONE_COARSE) * scale, LEAST / 2, seen, inside, weights, normal, light, (0,) * looks.values.shape[1],
        )  # fmt: skip
        if not there or not np.isfinite(matrix).all():
            return Laid(matrix, why=NOT_FOUND if there else OUTSIDE)
        alike, pulls = fit.told(seen, looks.values, looks.own, self.columns, light, weights, self.blocks, BLOCKS**2)
        return self._told(matrix, weights, float(weights.mean()), normal, float(alike), pulls, last)


@dataclass(frozen=True)
class Evened(Level):
    """Evened from place to place in neighbourhoods of `grid`."""

    grid: Grid

    def as_in(self, frame: Frame) -> Evened:
        return replace(self, looks=looks_of(frame, self.shape, self.scale, self.pixels))

    def curvature(self) -> Array:
        ones = np.ones(len(self.looks.points), np.float32)
        return np.asarray(slopes.normal(slopes.moments(self.looks.squares, ones, self.looks.own), 0.0, self.free))

    def fitted(self, frame: Frame, matrix: Array, begin: float, last: bool, before: tuple[Level, Laid] | None) -> Laid:
        scale, shape, lent = self.scale, self.shape, self._lent(before)
        done = DONE_ALL if lent is not None else DONE if last else DONE_COARSE
        made = evened.rounds(
            frame.level(scale).spline, frame.clear(scale), frame.to_level(scale), np.ascontiguousarray(matrix), self.looks, self.grid,
            self.free, shape.corners, shape.frame, shape.unit, ROUNDS if lent is None else LAST_ROUNDS, begin, LARGEST_STEP * scale,
            done * scale, LEAST / 2, frame.white, lent,
        )  # fmt: skip
        if made is None or not np.isfinite(made.matrix).all():
            return Laid(matrix, why=OUTSIDE if made is None else NOT_FOUND)
        alike, pulls = evened.told(made, self.looks, self.blocks, BLOCKS**2, self.free)
        return self._told(made.matrix, made.weights, made.share, made.normal, alike, pulls, last)

    def _lent(self, before: tuple[Level, Laid] | None) -> Array | None:
        """Weights of the look before, if it was as fine with fewer pixels."""
        if before is None or before[0].scale != self.scale or not isinstance(before[0], Evened):
            return None
        weights = before[1].weights
        if weights is None or len(weights) != len(before[0].looks.points):
            return None
        return before[0].grid.lent(weights, self.grid)


def level_of(frame: Frame, shape: Shape, pixels: tuple[Array, Array], scale: int, stride: int, free: int, even: bool) -> Level:
    """The level of a reference whose pixels (rows, columns) are given."""
    looks = looks_of(frame, shape, scale, pixels)
    blocks = _blocks(looks.points)
    if even:
        return Evened(shape, scale, pixels, stride, free, looks, blocks, Grid(*pixels, stride, scale))
    columns, products = fit.answers(looks.values, looks.right, looks.down, looks.own, free)
    return Lit(shape, scale, pixels, stride, free, looks, blocks, columns, products)


def looks_of(frame: Frame, shape: Shape, scale: int, pixels: tuple[Array, Array]) -> Looks:
    """What pixels of a level look like."""
    points = np.stack([pixels[1] + 0.5, pixels[0] + 0.5], 1) * scale + (frame.left, frame.top)
    own = points * shape.frame[0, 0] + shape.frame[:2, 2]
    values, right, down = frame.level(scale).pixels(*pixels)
    unit = np.float32(shape.reach / scale)  # px of the level for one of the surface's own units
    right, down = right * unit, down * unit
    return Looks(points, own, values, right, down, slopes.squares(right, down))


def _mean_of(weights: Array, cells: Array) -> Array:
    """(CELLS, CELLS) the mean weight of each cell; nan where it has no pixel."""
    count = np.bincount(cells, minlength=CELLS**2)
    total = np.bincount(cells, weights=weights, minlength=CELLS**2)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray((total / count).reshape(CELLS, CELLS), np.float32)


def _blocks(points: Array) -> Array:
    """Which of BLOCKS x BLOCKS parts of the upright box about them points lie in; of fewer, that are LEAST_BLOCK wide, if it is small."""
    low, size = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-6)
    count = np.clip(size // LEAST_BLOCK, 2, BLOCKS)
    i, j = np.minimum((points - low) / size * count, count - 1).astype(int).T
    return np.asarray(j * BLOCKS + i)
