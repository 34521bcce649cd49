"""The part of a frame in which something is looked for, at the sizes that are asked for. Positions are (x, y) px, pixel centres at +0.5."""

from __future__ import annotations

from functools import reduce

import cv2
import numpy as np

from transmixis.core.motion.sampling import Splined
from transmixis.core.types import Array

WHITE = 0.985  # of a picture that ends at 1
ENDS = 1.001
BESIDE_WHITE = 5  # px across: a cubic spline's reach
WHOLE = 0.9  # of a pixel that must be picture
NOWHERE = np.zeros((0, 0), np.bool_)
LEVELS = (4, 2, 1)  # px of the frame for one of the level's


class Frame:
    """The part of a frame about some places, at the sizes that are asked for; what lies outside of the part is not there."""

    def __init__(self, picture: Array, about: Array, room: int, smear: tuple[float, float] = (0.0, 0.0)) -> None:
        """`about` (k, 2) px, `room` px around them; `smear` (x, y) px: as it looks if all moves by so much while the shutter is open."""
        h, w = picture.shape[:2]
        low, high = about.min(axis=0) - room, about.max(axis=0) + room
        coarsest = LEVELS[0]
        # the part begins on a whole pixel of every level
        self.left, self.top = (int(np.clip(v // coarsest * coarsest, 0, m)) for v, m in zip(low, (w, h), strict=True))
        self.right, self.bottom = (int(np.clip(np.ceil(v), 0, m)) for v, m in zip(high, (w, h), strict=True))
        part = self._smeared(picture, smear) if any(smear) else np.asarray(self.cropped(picture), np.float32)
        self.part = part[..., :3] if part.ndim == 3 else part
        self._there = part[..., 3] if part.ndim == 3 and part.shape[2] == 4 else None  # alpha: elsewhere is no picture
        self._levels: dict[int, Splined] = {}
        self._clear: dict[int, Array] = {}
        self._light: Array | None = None
        self._white: float | None = None

    @property
    def empty(self) -> bool:
        """True where too little of it lies in the frame."""
        return bool(min(self.part.shape[:2]) < 2 * LEVELS[0])

    def _smeared(self, picture: Array, smear: tuple[float, float]) -> Array:
        """The part, smeared together with as much about it as comes in."""
        x, y = smear
        beside = int(np.ceil(max(abs(x), abs(y)))) + 2
        top, left = max(0, self.top - beside), max(0, self.left - beside)
        wide = np.ascontiguousarray(picture[top : self.bottom + beside, left : self.right + beside, ...], np.float32)
        soft = cv2.filter2D(wide, -1, streak(x, y), borderType=cv2.BORDER_REPLICATE).reshape(wide.shape)
        return soft[self.top - top :, self.left - left :][: self.bottom - self.top, : self.right - self.left]

    def cropped(self, picture: Array) -> Array:
        """The same part of another picture."""
        return picture[self.top : self.bottom, self.left : self.right]

    def to_level(self, scale: int) -> Array:
        """From px of the frame to px of a level."""
        return np.array([[1 / scale, 0, -self.left / scale], [0, 1 / scale, -self.top / scale], [0, 0, 1.0]])

    def level(self, scale: int) -> Splined:
        """The part at a size; the coarse ones in grey, which they have enough of."""
        if scale not in self._levels:
            self._levels[scale] = Splined(self.part if scale == 1 else shrunk(self._grey(), scale))
        return self._levels[scale]

    def there(self, scale: int) -> Array:
        """(h, w) which pixels of a level are picture; of no size where all are."""
        return NOWHERE if self._there is None else shrunk(self._there, scale) > WHOLE

    def clear(self, scale: int) -> Array:
        """As `there`, without what has lost its detail to white and what lies so near that a spline mixes it with that."""
        if scale not in self._clear:
            made = self.there(scale)
            if self.white < ENDS:
                lost = self._brightest() > self.white
                if lost.any():
                    wide = cv2.dilate(lost.astype(np.float32), np.ones((BESIDE_WHITE,) * 2, np.uint8))
                    kept = shrunk(1 - wide, scale) > WHOLE
                    made = made & kept if made.size else kept
            self._clear[scale] = made
        return self._clear[scale]

    @property
    def white(self) -> float:
        """What is brighter has lost its detail; a picture that goes beyond 1 has not."""
        if self._white is None:
            brightest = float(self.part.max(initial=0.0))
            self._white = WHITE if WHITE < brightest <= ENDS else float("inf")
        return self._white

    def _brightest(self) -> Array:
        """(h, w) of every pixel's channels."""
        channels = [self.part] if self.part.ndim == 2 else [self.part[..., c] for c in range(self.part.shape[2])]
        return np.asarray(reduce(np.maximum, channels))

    def _grey(self) -> Array:
        if self._light is None:
            channels = self.part.shape[2] if self.part.ndim == 3 else 1
            self._light = (
                cv2.transform(self.part, np.full((1, channels), 1 / channels, np.float32)) if channels > 1 else self.part
            )
        return self._light


def shrunk(picture: Array, scale: int) -> Array:
    """Means of `scale` x `scale` px, so that positions divide by it; what is left over at the right and bottom is dropped."""
    if scale == 1:
        return picture
    h, w = picture.shape[0] // scale, picture.shape[1] // scale
    part = np.ascontiguousarray(picture[: h * scale, : w * scale], np.float32)
    return np.asarray(cv2.resize(part, (w, h), interpolation=cv2.INTER_AREA))


def streak(x: float, y: float) -> Array:
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
