"""One point followed from a pattern: found to the pixel by correlation, then to a fraction of it by least squares.

The pattern is laid over the picture with a gain and an offset of its own (light changes), after Lucas & Kanade, 1981, with the
pattern's gradient kept (Baker & Matthews, 2004). Pictures are one channel; positions are (x, y) px, pixel centres at +0.5.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.types import Array

ROUNDS = 12
ENOUGH = 1e-3  # px: a step this small ends the fit
MARGIN = 12  # px of spline kept around the square: the fit moves a few
LIKE = 0.5  # correlation below which the pattern is lost


@dataclass(frozen=True)
class Found:
    """Where the pattern lies, how alike it is there (correlation -1..1), and its error (px, standard deviation) as the fit tells."""

    x: float
    y: float
    alike: float
    error: float

    @property
    def lost(self) -> bool:
        """True where the pattern is not to be seen."""
        return not self.alike >= LIKE


class _Part:
    """A piece of a picture about a position as a cubic spline; beyond the border the border's pixels."""

    def __init__(self, picture: Array, x: float, y: float, half: int) -> None:
        self.left, self.top = int(np.floor(x)) - half - MARGIN, int(np.floor(y)) - half - MARGIN
        self.half, size = half, 2 * (half + MARGIN) + 2
        rows = np.clip(np.arange(self.top, self.top + size), 0, picture.shape[0] - 1)
        columns = np.clip(np.arange(self.left, self.left + size), 0, picture.shape[1] - 1)
        part = np.asarray(picture[np.ix_(rows, columns)], np.float64)
        self._spline = ndimage.spline_filter(part, order=3, mode="nearest")

    def holds(self, x: float, y: float) -> bool:
        """True if the square about this position lies in the piece, clear of its border."""
        reach = MARGIN - 4
        return abs(x - self.left - self.half - MARGIN) < reach and abs(y - self.top - self.half - MARGIN) < reach

    def square(self, x: float, y: float) -> Array:
        """The square (2 half + 1) about a position."""
        n = 2 * self.half + 1
        j, down = divmod(y - 0.5 - self.top - self.half, 1)
        i, right = divmod(x - 0.5 - self.left - self.half, 1)
        i, j = int(i) - 1, int(j) - 1
        lines = sum(w * self._spline[j + k : j + k + n, i : i + n + 3] for k, w in enumerate(_weights(down)))
        return np.asarray(sum(w * lines[:, k : k + n] for k, w in enumerate(_weights(right))))


def _weights(t: float) -> tuple[float, float, float, float]:
    """The cubic B-spline's four weights at a fraction 0..1; the same for a whole square, which is why it is quick."""
    return (1 - t) ** 3 / 6, (4 - 6 * t**2 + 3 * t**3) / 6, (1 + 3 * t + 3 * t**2 - 3 * t**3) / 6, t**3 / 6


def cut(picture: Array, x: float, y: float, half: int) -> Array:
    """The square (2 half + 1) about a position, by cubic spline; beyond the border the border's pixels."""
    return _Part(picture, x, y, half).square(x, y)


class Pattern:
    """A square of a picture about a point, ready to be found in others."""

    def __init__(self, picture: Array, x: float, y: float, half: int) -> None:
        self.half = half
        self.square = cut(picture, x, y, half)
        gy, gx = np.gradient(_Part(picture, x, y, half + 1).square(x, y))
        inner = (slice(1, -1), slice(1, -1))
        self.columns = np.stack([gx[inner].ravel(), gy[inner].ravel(), self.square.ravel(), np.ones(self.square.size)], axis=1)
        inverse = np.linalg.pinv(self.columns.T @ self.columns, hermitian=True)
        self._solve = inverse @ self.columns.T
        self._spread = np.sqrt(np.maximum(np.diag(inverse)[:2], 0))

    def fit(self, picture: Array, x: float, y: float) -> Found:
        """The position near (x, y), from there on by least squares. Far off it finds nothing or something else: search first."""
        rest = np.zeros(self.square.size)
        part = _Part(picture, x, y, self.half)
        for _ in range(ROUNDS):
            if not part.holds(x, y):
                part = _Part(picture, x, y, self.half)
            seen = part.square(x, y).ravel()
            a = self._solve @ seen
            gain = a[2] if abs(a[2]) > 0.2 else 1.0
            dx, dy = -a[0] / gain, -a[1] / gain
            length = float(np.hypot(dx, dy))
            if length > 1:  # the law holds near by only
                dx, dy = dx / length, dy / length
            x, y = x + dx, y + dy
            rest = seen - self.columns @ a
            if length < ENOUGH:
                break
        seen = part.square(x, y)
        noise = float(np.sqrt((rest**2).sum() / max(rest.size - 4, 1)))
        error = float(noise * np.sqrt(self._spread[0] * self._spread[1]))
        return Found(x, y, _alike(seen, self.square), error)

    def search(self, picture: Array, x: float, y: float, reach: int) -> tuple[float, float]:
        """The position within `reach` px of (x, y), to the pixel, where the pattern is most alike."""
        wide = cut(picture, x, y, self.half + reach).astype(np.float32)
        score = cv2.matchTemplate(wide, self.square.astype(np.float32), cv2.TM_CCOEFF_NORMED)
        j, i = np.unravel_index(int(np.argmax(np.nan_to_num(score, nan=-1.0))), score.shape)
        return x + float(i) - reach, y + float(j) - reach

    def find(self, picture: Array, x: float, y: float, reach: int) -> Found:
        """Searched, then fitted."""
        return self.fit(picture, *self.search(picture, x, y, reach))


def _alike(a: Array, b: Array) -> float:
    u, v = a - a.mean(), b - b.mean()
    whole = float(np.sqrt((u * u).sum() * (v * v).sum()))
    return float((u * v).sum() / whole) if whole > 0 else 0.0


def follow(pictures: list[Array], x: float, y: float, half: int, reach: int) -> list[Found]:
    """A point through pictures: its pattern from the first, looked for from where it was and where it was going."""
    pattern = Pattern(pictures[0], x, y, half)
    out = [Found(x, y, 1.0, 0.0)]
    way = (0.0, 0.0)
    for picture in pictures[1:]:
        last = out[-1]
        found = pattern.find(picture, last.x + way[0], last.y + way[1], reach)
        if found.lost:
            found = Found(last.x + way[0], last.y + way[1], found.alike, found.error)
        else:
            way = (found.x - last.x, found.y - last.y)
        out.append(found)
    return out
