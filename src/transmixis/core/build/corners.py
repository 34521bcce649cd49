"""How much darker a picture's corners are by its lens: told from what grows darker towards all of them alike, with how sure that is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.types import Array

CELLS = (18, 32)  # down and across
SECTORS = 8
SURE, SPREAD = 2.0, 0.35  # times its error that it must be; stops of error beyond which nothing is told
TURNS = 12
DARKEST = 1e-3  # light under which a cell tells nothing


@dataclass(frozen=True)
class Corners:
    """`stops` that the farthest corner is darker than the middle, as the fourth power of the cosine has it, with its `error`; `told` whether that is sure."""

    stops: float
    error: float

    @property
    def told(self) -> bool:
        return self.error <= SPREAD and (abs(self.stops) >= SURE * self.error or self.error <= SPREAD / 3)


def corners_of(pictures: Sequence[Array]) -> Corners | None:
    """Fitted to the brightness of some frames (h, w, 3 or 4) together: a slope across, one down, and the fall towards the corners; its error by leaving out an eighth of the frame at a time. None for what is too dark to be fitted."""
    rows = [_cells(p) for p in pictures]
    light = np.median(np.stack(rows), axis=0)
    known = light > DARKEST
    if known.sum() < 0.5 * known.size:
        return None
    y, x = ((np.arange(n) + 0.5) / n - 0.5 for n in CELLS)
    h, w = pictures[0].shape[:2]
    xx, yy = np.meshgrid(x * w, y * h)
    fall = _fall(xx, yy, w, h)
    basis = np.stack([np.ones_like(fall), xx / w, yy / h, -fall], -1)
    sector = (np.floor((np.arctan2(yy, xx) + np.pi) / (2 * np.pi) * SECTORS).astype(int)) % SECTORS
    logs = np.log2(np.maximum(light, DARKEST))
    whole = _fitted(basis[known], logs[known])
    parts = [_fitted(basis[m], logs[m]) for k in range(SECTORS) if (m := known & (sector != k)).sum() > 20]
    # the error of a jackknife: what leaving an eighth out changes, for all of them
    error = float(np.sqrt((len(parts) - 1) / len(parts) * np.sum((np.array(parts) - np.mean(parts)) ** 2))) if parts else np.inf
    return Corners(float(whole), error)


def _fall(xx: Array, yy: Array, w: int, h: int) -> Array:
    """Stops at places about the middle, 1 in the corner, by the law of core.finish.framing.vignetted."""
    k = (2**0.5 - 1) / ((w / 2) ** 2 + (h / 2) ** 2)
    return np.asarray(2 * np.log2(1 + k * (xx**2 + yy**2)))


def _cells(picture: Array) -> Array:
    """The median light of each cell."""
    light = luminance(np.maximum(picture[..., :3], 0))
    h, w = light.shape
    ys, xs = (np.linspace(0, n, c + 1).astype(int) for n, c in zip((h, w), CELLS, strict=True))
    return np.array(
        [
            [float(np.median(light[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)])) for x0, x1 in pairwise(xs)]
            for y0, y1 in pairwise(ys)
        ]
    )


def _fitted(basis: Array, logs: Array) -> float:
    """The fall in stops, by least squares in which what does not fit counts less and less (Tukey's biweight)."""
    weight = np.ones(len(logs))
    solved = np.zeros(basis.shape[1])
    for _ in range(TURNS):
        root = np.sqrt(weight)[:, None]
        solved = np.linalg.lstsq(basis * root, logs * root[:, 0], rcond=None)[0]
        off = logs - basis @ solved
        scale = 4.685 * max(1.4826 * float(np.median(np.abs(off))), 1e-3)
        weight = np.where(np.abs(off) < scale, (1 - (off / scale) ** 2) ** 2, 0)
    return float(solved[3])
