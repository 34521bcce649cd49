"""A flat surface followed from a reference frame: the perspective that lays the reference over each frame, found on the light itself.

Direct alignment (Lucas & Kanade, 1981) in its inverse compositional form (Baker & Matthews, 2004), always against the reference, so that
nothing adds up; with a smooth change of light taken out (gain with a slope across the surface, and an offset), and with Tukey's weights per
pixel, so that glare and passers-by do not pull. Positions are (x, y) px of the frame, pixel centres at +0.5.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from scipy import linalg

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.types import Array, Matte

LEVELS = (4, 2, 1)  # px of the frame for one of the level's
ROUNDS = 40
MOST_SMEARS = 32  # that are held
LARGEST_STEP = 2.0  # px of a level
OPEN = 8.0  # times as wide the weights begin, halved with every round
BLOCKS = 6  # to a side, in which what is left over may hang together
DONE = 2e-3  # px: a step that moves no corner by more ends the fit
MOST = 40_000  # pixels of the surface that are used
LEAST = 60
SPARE = 1e-9
TUKEY = 4.685  # times the spread: 95 % as good as least squares on plain noise (Huber, 1981)
ALIKE = 0.5  # correlation below which the surface is lost
SEEN = 0.25  # of the surface that must be seen
LIGHT = 4  # columns for gain, its slopes to the right and down, and an offset
MODELS = {"position": 2, "similarity": 4, "affine": 6, "perspective": 8}


@dataclass(frozen=True)
class Laid:
    """How the reference lies over a frame: `matrix` (3 x 3) maps reference px to frame px. `alike` is the correlation, `seen` the share
    of the surface that agrees, `error` the error of its corners as the fit tells, px rms. `why` says what is wrong where it is lost."""

    matrix: Array
    alike: float = 0.0
    seen: float = 0.0
    error: float = float("nan")
    why: str = ""
    weights: Array | None = field(default=None, compare=False)

    @property
    def lost(self) -> bool:
        return bool(self.why)


@dataclass(frozen=True)
class _Level:
    """The surface at one size: its pixels, what they look like, and how that answers to the parameters."""

    scale: float
    points: Array  # px of the reference frame
    values: Array
    columns: Array  # (n * channels, parameters + LIGHT)
    blocks: Array  # (n,) which block of the surface a pixel lies in


class Surface:
    """A region of a reference picture, ready to be found in other frames."""

    def __init__(self, picture: Array, corners: Array, mask: Matte, model: str = "perspective") -> None:
        """`picture` (h, w, 3) linear, `corners` (k, 2) px of the region, `mask` (h, w) its pixels without hold-outs. Raises UserError
        where there is too little to follow."""
        self.corners = np.asarray(corners, np.float64).reshape(-1, 2)
        self.parameters = MODELS[model]
        middle = self.corners.mean(axis=0)
        reach = max(float(np.abs(self.corners - middle).max()), 1.0)
        self.frame = np.array([[1 / reach, 0, -middle[0] / reach], [0, 1 / reach, -middle[1] / reach], [0, 0, 1]])
        self.unit = np.linalg.inv(self.frame)
        frame = Frame(picture, self.corners, 8)
        self._shown, self._model = (picture, mask), model
        self._smears: dict[tuple[float, float], Surface] = {}
        self.levels = [lv for s in LEVELS if (lv := self._level(frame, mask, s)) is not None]
        self._whole, self._to_whole = frame.level(1), frame.to_level(1)
        self._mask = Splined(frame.cropped(mask))
        if not self.levels:
            raise UserError("The surface is too small to be followed: it needs some 60 pixels; draw it larger.")
        if self._blind():
            raise UserError("The surface shows too little to be followed; draw it where there is more to see.")

    def _level(self, frame: Frame, mask: Matte, scale: int) -> _Level | None:
        splined, light = frame.level(scale), shrunk(frame.cropped(mask), scale)
        ys, xs = np.nonzero(light > 0.95)
        if len(ys) < LEAST:
            return None
        if len(ys) > MOST:
            keep = np.linspace(0, len(ys) - 1, MOST).astype(int)
            ys, xs = ys[keep], xs[keep]
        points = np.stack([xs + 0.5, ys + 0.5], 1)
        values, _ = splined.at(points)
        right, down = splined.slopes(points)
        own = moved_points(np.linalg.inv(frame.to_level(scale)), points)
        u, v = (own @ self.frame[:2, :2].T + self.frame[:2, 2]).T
        unit = self.unit[0, 0] / scale  # px of the level for one of the surface's own units
        du, dv = right * unit, down * unit
        one = np.ones_like(u)
        # each model's moves are the next one's first: position; turn and size; stretch and shear; perspective
        sides = ((one, 0), (0, one), (u, v), (-v, u), (u, -v), (v, u), (u * u, u * v), (u * v, v * v))
        moves = [du * _col(a) + dv * _col(b) for a, b in sides[: self.parameters]]
        grey = values
        light_columns = [grey, grey * _col(u), grey * _col(v), np.broadcast_to(_col(one), grey.shape)]
        columns = np.stack([m.ravel() for m in (*moves, *light_columns)], 1).astype(np.float64)
        return _Level(float(scale), own, values, columns, _blocks(own))

    def smeared(self, move: Array) -> Surface:
        """The same surface as it looks if it moves by `move` (x, y px of the reference frame) while the shutter is open, evenly."""
        x, y = (round(4 * float(v)) / 4 for v in move)
        if (x, y) not in self._smears:
            picture, mask = self._shown
            room = int(np.ceil(max(abs(x), abs(y)))) + 12
            part = Frame(picture, self.corners, room)
            box = (slice(part.top, part.bottom), slice(part.left, part.right))
            soft = np.array(picture, np.float32)  # outside of the part nobody looks
            streaked = cv2.filter2D(
                np.ascontiguousarray(picture[box], np.float32), -1, _streak(x, y), borderType=cv2.BORDER_REPLICATE
            )
            soft[box] = streaked.reshape(soft[box].shape)  # of one channel the filter gives none
            made = Surface(soft, self.corners, mask, self._model)
            made._shown = self._shown  # the soft picture itself is not held
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
        mask, _ = self._mask.at(moved_points(self._to_whole, own))
        weight = ((mask[:, 0] > 0.5) & inside).astype(np.float32).reshape(h, w)
        if weight.sum() < 16:
            return None
        look = values.reshape(h, w, -1)
        return np.ascontiguousarray(look), np.repeat(weight[..., None], look.shape[2], 2), left, top

    def _blind(self) -> bool:
        """True where some direction of the motion changes nothing that is seen."""
        columns = self.levels[-1].columns
        a = columns[:, : self.parameters]
        size = np.linalg.norm(a, axis=0)
        if (size < 1e-6).any():
            return True
        values = np.linalg.eigvalsh((a / size).T @ (a / size))
        return bool(values[0] < 1e-6)

    def lay(self, frame: Frame, start: Array) -> Laid:
        """The matrix near `start` that lays the reference over the frame. Coarse looks settle the simpler moves, fine ones all."""
        start = np.asarray(start, np.float64)
        matrix, out = start, None
        for i, level in enumerate(self.levels):
            free = self.parameters if level is self.levels[-1] else min(self.parameters, 2 * (i + 1))
            found = self._fit(frame, level, matrix, free)
            if not found.lost and np.isfinite(found.matrix).all() and not _torn(found.matrix, self.corners):
                matrix, out = found.matrix, found
            elif level is self.levels[-1]:
                return Laid(start, found.alike, found.seen, why=found.why or "it cannot be found here")
        assert out is not None
        return out

    def _fit(self, frame: Frame, level: _Level, matrix: Array, free: int) -> Laid:
        splined, to_level = frame.level(int(level.scale)), frame.to_level(int(level.scale))
        columns = np.concatenate([level.columns[:, :free], level.columns[:, self.parameters :]], 1)
        light: Array = np.zeros(LIGHT)
        for turn in range(ROUNDS):
            seen, inside = splined.at(moved_points(to_level @ matrix, level.points))
            if inside.sum() < LEAST / 2:
                return Laid(matrix, why="it lies outside of the frame")
            rest = seen - level.values
            # not yet in place even what fits is far off: the few pixels of a small mark must not be taken for strangers
            weights = _trust(rest - (columns[:, free:] @ light).reshape(rest.shape), inside, max(1.0, OPEN * 0.5**turn))
            w = np.repeat(weights, rest.shape[1])
            weighted = columns * w[:, None]
            normal = weighted.T @ columns + SPARE * np.eye(columns.shape[1]) * max(w.sum(), 1)
            answer = linalg.solve(normal, weighted.T @ rest.ravel().astype(np.float64), assume_a="pos")
            light = answer[free:]
            step = answer[:free] / (1 + light[0] if abs(1 + light[0]) > 0.2 else 1.0)
            new = self._stepped(matrix, step, 1.0)
            off = self._apart(new, matrix)
            if off > LARGEST_STEP * level.scale:  # the law holds near by only
                new = self._stepped(matrix, step, LARGEST_STEP * level.scale / off)
            matrix = new
            if (off < DONE * level.scale and OPEN * 0.5**turn <= 1) or not np.isfinite(matrix).all():
                break
        if not np.isfinite(matrix).all():
            return Laid(matrix, why="it cannot be found here")
        return self._told(matrix, level, columns, free, seen, inside, rest, weights, normal, light)

    def _stepped(self, matrix: Array, step: Array, share: float) -> Array:
        new = matrix @ np.linalg.inv(self.unit @ _matrix(step * share) @ self.frame)
        return np.asarray(new / new[2, 2])

    def _apart(self, a: Array, b: Array) -> float:
        with np.errstate(all="ignore"):
            return float(np.abs(moved_points(a, self.corners) - moved_points(b, self.corners)).max())

    def _told(
        self, matrix: Array, level: _Level, columns: Array, free: int, seen: Array, inside: Array, rest: Array, weights: Array,
        normal: Array, light: Array,
    ) -> Laid:  # fmt: skip
        mending = rest - (columns[:, free:] @ light).reshape(rest.shape)
        share = float(weights.sum() / len(weights))
        spread = _spread(columns, mending * weights[:, None], normal, level.blocks)[:free, :free]
        error = _corner_error(spread, self, free)
        w = weights[inside]
        alike = _correlation(seen[inside], level.values[inside], w)
        why = ""
        if share < SEEN:
            why = "most of it is hidden or outside"
        elif alike < ALIKE:
            why = "nothing here looks like it"
        shown = np.zeros(len(weights), np.float32)
        shown[:] = weights
        return Laid(matrix, alike, share, error, why, shown)


class Frame:
    """The part of a frame about some places, at the sizes that are asked for; what lies outside of the part is not there."""

    def __init__(self, picture: Array, about: Array, room: int) -> None:
        """`about` (k, 2) px, `room` px around them."""
        h, w = picture.shape[:2]
        low, high = about.min(axis=0) - room, about.max(axis=0) + room
        coarsest = LEVELS[0]
        # the part begins on a whole pixel of every level
        self.left, self.top = (int(np.clip(v // coarsest * coarsest, 0, m)) for v, m in zip(low, (w, h), strict=True))
        self.right, self.bottom = (int(np.clip(np.ceil(v), 0, m)) for v, m in zip(high, (w, h), strict=True))
        self.part = np.asarray(self.cropped(picture), np.float32)
        self.part = self.part[..., :3] if self.part.ndim == 3 else self.part
        self._levels: dict[int, Splined] = {}

    @property
    def empty(self) -> bool:
        """True where too little of it lies in the frame."""
        return bool(min(self.part.shape[:2]) < 2 * LEVELS[0])

    def cropped(self, picture: Array) -> Array:
        """The same part of another picture."""
        return picture[self.top : self.bottom, self.left : self.right]

    def to_level(self, scale: int) -> Array:
        """From px of the frame to px of a level."""
        return np.array([[1 / scale, 0, -self.left / scale], [0, 1 / scale, -self.top / scale], [0, 0, 1.0]])

    def level(self, scale: int) -> Splined:
        if scale not in self._levels:
            self._levels[scale] = Splined(shrunk(self.part, scale))
        return self._levels[scale]


def shrunk(picture: Array, scale: int) -> Array:
    """Means of `scale` x `scale` px, so that positions divide by it; what is left over at the right and bottom is dropped."""
    if scale == 1:
        return picture
    h, w = picture.shape[0] // scale, picture.shape[1] // scale
    part = np.ascontiguousarray(picture[: h * scale, : w * scale], np.float32)
    return np.asarray(cv2.resize(part, (w, h), interpolation=cv2.INTER_AREA))


def _streak(x: float, y: float) -> Array:
    """A line from (-x / 2, -y / 2) to (x / 2, y / 2) as a kernel that sums to 1."""
    reach = int(np.ceil(max(abs(x), abs(y)) / 2)) + 1
    kernel = np.zeros((2 * reach + 1, 2 * reach + 1))
    t = (np.arange(256) + 0.5) / 256 - 0.5
    u, v = reach + t * x, reach + t * y
    i, j = np.floor(u).astype(int), np.floor(v).astype(int)
    a, b = u - i, v - j
    for dj, di, w in ((0, 0, (1 - a) * (1 - b)), (0, 1, a * (1 - b)), (1, 0, (1 - a) * b), (1, 1, a * b)):
        np.add.at(kernel, (np.minimum(j + dj, 2 * reach), np.minimum(i + di, 2 * reach)), w)
    return np.asarray(kernel / kernel.sum(), np.float32)


def _col(a: Array | float) -> Array | float:
    return a[:, None] if isinstance(a, np.ndarray) else a


def _matrix(p: Array) -> Array:
    """The small perspective of parameters, in the surface's own units."""
    q = np.zeros(8)
    q[: len(p)] = p
    return np.array([[1 + q[2] + q[4], -q[3] + q[5], q[0]], [q[3] + q[5], 1 + q[2] - q[4], q[1]], [-q[6], -q[7], 1]])


def _trust(rest: Array, inside: Array, wider: float) -> Array:
    """Tukey's weights per pixel from how far its colours are off (all channels together), `wider` by that factor."""
    size = np.sqrt((rest**2).mean(axis=1))
    usual = 1.4826 * float(np.median(size[inside])) + 1e-6
    r = size / (TUKEY * wider * usual)
    return np.where(inside & (r < 1), (1 - np.minimum(r, 1) ** 2) ** 2, 0.0)


def _blocks(points: Array) -> Array:
    """Which of BLOCKS x BLOCKS parts of the upright box about them points lie in."""
    low, size = points.min(axis=0), np.maximum(np.ptp(points, axis=0), 1e-6)
    i, j = np.minimum((points - low) / size * BLOCKS, BLOCKS - 1).astype(int).T
    return np.asarray(j * BLOCKS + i)


def _spread(columns: Array, pulls: Array, normal: Array, blocks: Array) -> Array:
    """Covariance of the parameters from how differently the blocks of the surface pull (cluster-robust; Liang & Zeger, 1986): what is
    left over hangs together within a block, by texture, by what is not quite flat, and so counts there as one."""
    channels = pulls.shape[1]
    scores = columns * pulls.ravel()[:, None]
    which = np.repeat(blocks, channels)
    count = int(blocks.max()) + 1
    by_block = np.stack([np.bincount(which, scores[:, k], minlength=count) for k in range(columns.shape[1])], 1)
    used = max(int((np.abs(by_block).sum(axis=1) > 0).sum()), 2)
    inverse = np.linalg.pinv(normal, hermitian=True)
    return np.asarray(inverse @ (by_block.T @ by_block) @ inverse * used / (used - 1))


def _correlation(a: Array, b: Array, w: Array) -> float:
    if w.sum() <= 0:
        return 0.0
    w = w[:, None] / w.sum()
    u, v = a - (w * a).sum(axis=0), b - (w * b).sum(axis=0)
    both = float((w * u * v).sum())
    size = float(np.sqrt((w * u * u).sum() * (w * v * v).sum()))
    return both / size if size > 0 else 0.0


def _torn(matrix: Array, corners: Array) -> bool:
    """True if the surface would be turned inside out or run through infinity."""
    depth = np.c_[corners, np.ones(len(corners))] @ matrix[2]
    return bool((depth <= 0.05).any() or np.linalg.det(matrix[:2, :2]) <= 0)


def _corner_error(spread: Array, surface: Surface, parameters: int) -> float:
    """Root of the mean variance of the corners, px."""
    own = moved_points(surface.frame, surface.corners)
    total = 0.0
    for u, v in own:
        j = np.array([[1, 0, u, -v, u, v, u * u, u * v], [0, 1, v, u, -v, u, u * v, v * v]])[:, :parameters]
        total += float(np.trace(j @ spread @ j.T))
    return float(np.sqrt(max(total, 0) / len(own))) * float(surface.unit[0, 0])
