"""A flat surface followed from a reference frame: the perspective that lays the reference over each frame, found on the light itself.

Direct alignment (Lucas & Kanade, 1981) in its inverse compositional form (Baker & Matthews, 2004), always against the reference, so that
nothing adds up; with a smooth change of light taken out (gain with a slope across the surface, and an offset), and with Tukey's weights per
pixel, so that glare and passers-by do not pull. Positions are (x, y) px of the frame, pixel centres at +0.5.
"""

from __future__ import annotations

from collections.abc import Sequence
from copy import copy

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.features import Features, features_of
from transmixis.core.motion.frame import LEVELS, Frame, shrunk
from transmixis.core.motion.level import LEAST, NOT_FOUND, Laid, Level, Shape, level_of
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.types import Array, Matte

MOST_SMEARS = 32  # that are held
OPEN = 8.0  # times as wide the weights begin, halved with every round
OPEN_NEAR = 2.0  # the same where a coarser look has brought it near
MOST = 10_000  # pixels of the surface that are used
FINEST = 200_000  # in the last look
LARGE = 80  # px: the light of a surface this wide is evened from place to place
MARGIN = 8  # px about the surface, so that its border pixels have slopes
WITHIN = 0.95  # of a pixel that must be the surface's
STRANGE, STRANGE_LARGE = 0.1, 0.35  # see Surface.stranger
MODELS = {"position": 2, "similarity": 4, "affine": 6, "perspective": 8}


class Surface:
    """A region of a reference picture, ready to be found in other frames."""

    def __init__(
        self, picture: Array, corners: Array, mask: Matte, model: str = "perspective", told: Array | None = None
    ) -> None:
        """`picture` (h, w, 3) linear, `corners` (k, 2) px of the region, `mask` (h, w) its pixels without hold-outs, `told` (j, 2) px where
        its error is told (else at the corners). Raises UserError where there is too little to follow."""
        self.corners = np.ascontiguousarray(corners, np.float64).reshape(-1, 2)
        self.parameters = MODELS[model]
        self.shape = Shape.about(self.corners, told)
        frame = Frame(picture, self.corners, MARGIN)
        if frame.empty:
            raise UserError("What is to be followed lies outside of the frame; set it where it is seen.")
        self._picture, self._where = picture, mask
        self._features: Features | None = None
        self._smears: dict[tuple[float, float], Surface] = {}
        own_mask = np.asarray(frame.cropped(mask), np.float32)
        self._evened = float(own_mask.sum()) > LARGE**2
        clear = frame.clear(1)
        if self._evened and clear.size:
            own_mask = own_mask * clear
        free = min(self.parameters, 2)  # coarse looks settle the simpler moves, fine ones all
        self.levels: list[Level] = []
        for scale in LEVELS:
            level = self._level(frame, own_mask, scale, self.parameters if scale == LEVELS[-1] else free, MOST)
            if level is not None:
                self.levels.append(level)
                free = min(self.parameters, free + 2)
        if self.levels and self.levels[-1].scale == 1 and own_mask.sum() > MOST:  # the last fraction of a pixel needs all of them
            finest = self._level(frame, own_mask, 1, self.parameters, FINEST)
            assert finest is not None
            self.levels.append(finest)
        self._whole, self._to_whole = frame.level(1), frame.to_level(1)
        self._mask = own_mask
        if not self.levels:
            raise UserError("The surface is too small to be followed: it needs some 60 pixels; draw it larger.")
        if self._blind():
            raise UserError("The surface shows too little to be followed; draw it where there is more to see.")

    def _level(self, frame: Frame, mask: Array, scale: int, free: int, most: int) -> Level | None:
        ys, xs = np.nonzero(shrunk(mask, scale) > WITHIN)
        if len(ys) < LEAST:
            return None
        stride = int(np.ceil(np.sqrt(len(ys) / most)))
        keep = (ys % stride == 0) & (xs % stride == 0)
        return level_of(frame, self.shape, (ys[keep], xs[keep]), scale, stride, free, self._evened)

    def _with(self, levels: list[Level], whole: Splined) -> Surface:
        out = copy(self)
        out.levels, out._whole, out._smears = levels, whole, {}
        return out

    def thinned(self) -> Surface:
        """The same without its look at all pixels, for what need not be told to the last fraction of a pixel."""
        return self._with(self.levels[:-1], self._whole) if self._fine else self

    @property
    def _fine(self) -> bool:
        """True if the last look is one at all pixels after one at some."""
        return len(self.levels) > 1 and self.levels[-2].scale == self.levels[-1].scale

    def smeared(self, move: Array) -> Surface:
        """The same surface as it looks if it moves by `move` (x, y px of the reference frame) while the shutter is open, evenly."""
        x, y = (round(4 * float(v)) / 4 for v in move)
        if (x, y) not in self._smears:
            frame = Frame(self._picture, self.corners, MARGIN, (x, y))  # it is near: coarse looks are left out
            made = self._with([self.levels[-1].as_in(frame)], frame.level(1))
            if len(self._smears) >= MOST_SMEARS:
                self._smears.clear()
            self._smears[x, y] = made
        return self._smears[x, y]

    def patch(self, matrix: Array) -> tuple[Array, Array, int, int] | None:
        """What the surface looks like where `matrix` lays it: pixels (h, w, 3), which of them are it, and the left top
        px of the frame; None if that is too small or too large to look for."""
        there = moved_points(matrix, self.corners)
        left, top = (int(v) for v in np.floor(there.min(axis=0)))
        right, bottom = (int(v) for v in np.ceil(there.max(axis=0)))
        w, h = right - left, bottom - top
        if not (4 <= w <= 2000 and 4 <= h <= 2000):
            return None
        ys, xs = np.mgrid[top:bottom, left:right]
        own = moved_points(np.linalg.inv(matrix), np.stack([xs.ravel() + 0.5, ys.ravel() + 0.5], 1))
        values, inside = self._whole.at(moved_points(self._to_whole, own))
        mask, _ = Splined(self._mask).at(moved_points(self._to_whole, own))
        weight = ((mask[:, 0] > 0.5) & inside).astype(np.float32).reshape(h, w)
        if weight.sum() < 16:
            return None
        look = values.reshape(h, w, -1)
        return np.ascontiguousarray(look), np.repeat(weight[..., None], look.shape[2], 2), left, top

    @property
    def stranger(self) -> float:
        """How much less alike it may be all at once before something is before it: what is evened bears much in front of it."""
        return STRANGE_LARGE if self._evened else STRANGE

    def features(self) -> Features:
        """What of it can be found again after a large move; looked for when first asked."""
        if self._features is None:
            self._features = features_of(self._picture, self._where > WITHIN)
        return self._features

    def _blind(self) -> bool:
        """True where some direction of the motion changes nothing that is seen."""
        a = self.levels[-1].curvature()
        size = np.sqrt(np.maximum(np.diag(a), 0))
        if (size < 1e-6).any():
            return True
        return bool(np.linalg.eigvalsh(a / np.outer(size, size))[0] < 1e-6)

    def lay(self, frame: Frame, start: Array, sure: float = 0.0) -> Laid:
        """The matrix near `start` that lays the reference over the frame; without the look at all pixels if it is less alike than
        `sure` before that."""
        start = np.asarray(start, np.float64)
        matrix, out = start, None
        for k, level in enumerate(self.levels):
            last = level is self.levels[-1]
            if last and self._fine and (out is None or out.alike < sure):
                break
            before = None if out is None else (self.levels[k - 1], out)
            found = level.fitted(frame, matrix, _begin(self.levels, level, out), last, before)
            if not found.lost and np.isfinite(found.matrix).all() and not _torn(found.matrix, self.corners):
                matrix, out = found.matrix, found
            elif last:
                return Laid(start, found.alike, found.seen, why=found.why or NOT_FOUND)
        return out or Laid(start, why=NOT_FOUND)


def upright(outlines: Sequence[Array]) -> Array:
    """(4, 2) corners of the upright box about outlines (k, 2) each, from the left upper one clockwise."""
    every = np.vstack(list(outlines))
    (x0, y0), (x1, y1) = every.min(axis=0), every.max(axis=0)
    return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])


def surface_in(
    picture: Array, outlines: Sequence[Array], leave: Sequence[Array], model: str, there: Matte | None = None,
    told: Array | None = None,
) -> Surface:  # fmt: skip
    """The surface inside of outlines and outside of those that are left out; `there` (h, w): where it is not held out; `told` (k, 2) px
    where its error is told, else at its corners. Raises UserError where there is too little to follow."""
    h, w = picture.shape[:2]
    mask = np.zeros((h, w), np.float32)
    for outline in outlines:
        mask = np.maximum(mask, fill_shape(outline, h, w))
    for outline in leave:
        mask = np.minimum(mask, 1 - fill_shape(outline, h, w))
    if there is not None:
        mask = np.minimum(mask, there)
    return Surface(picture, upright(outlines), mask, model, told)


def _begin(levels: list[Level], level: Level, out: Laid | None) -> float:
    """How wide the weights begin."""
    if out is None:
        return OPEN
    return 1.0 if level is levels[-1] and levels[-2].scale == level.scale else OPEN_NEAR


def _torn(matrix: Array, corners: Array) -> bool:
    """True if the surface would be turned inside out or run through infinity."""
    depth = corners @ matrix[2, :2] + matrix[2, 2]
    return bool((depth <= 0.05).any() or matrix[0, 0] * matrix[1, 1] <= matrix[0, 1] * matrix[1, 0])
