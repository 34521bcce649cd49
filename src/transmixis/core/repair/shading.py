"""Slow shading between a clean plate and its take: light that has not only changed but come to fall otherwise. A low polynomial over the picture, told beside what is hidden;
how high, by how well it tells other places that are hidden in turn (a border alone draws a patch's light astray)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.types import Array, Mask, Rgb

CELL = 16  # px
DARK, BRIGHT = 2e-3, 0.9  # linear: what is beyond tells nothing of light
ORDERS = (1, 2)
FEW = 8  # cells for each number that is told
TRIED = 12  # places that are hidden in turn
BETTER = 0.8  # of the error: a higher order must do so much better
LEAST = 0.004  # stops (a quarter of a level at middle grey): below it nothing is worth telling
BEYOND = 3  # cells
FAR = 4.0  # times the middle deviation: such a cell shows something else


@dataclass(frozen=True)
class Lit:
    """Cells of a picture that tell of its light: their places `at` (n, 2), -1..1 over the picture, and `stops` (n, 3) of the frame over the clean plate in its gain."""

    at: Array
    stops: Array


def lit_cells(frame: Rgb, clean: Rgb, seen: Mask) -> Lit:
    """The cells of a frame `seen` (h, w) that tell of its light over a clean plate (h, w, 3) that was brought to its gain."""
    a, b, m = _cells(clean), _cells(frame), _cells(seen.astype(np.float32)[..., None])[..., 0]
    use = (m > 0.999) & (np.minimum(a, b).min(axis=2) > DARK) & (np.maximum(a, b).max(axis=2) < BRIGHT)
    gh, gw = use.shape
    y, x = np.mgrid[0:gh, 0:gw]
    at = np.stack([(2 * x[use] + 1) / gw - 1, (2 * y[use] + 1) / gh - 1], 1)
    return Lit(at, np.log2(b[use] / a[use]))


def _cells(x: Array) -> Array:
    h, w = x.shape[:2]
    out = cv2.resize(np.ascontiguousarray(x, np.float32), (max(1, w // CELL), max(1, h // CELL)), interpolation=cv2.INTER_AREA)
    return np.asarray(out if out.ndim == 3 else out[..., None])


def order_told(frames: Sequence[Lit]) -> int:
    """How high a polynomial tells the light of frames best where it is hidden: 0 where one gain does."""
    best, least = 0, _missed(frames, 0)
    for order in ORDERS:
        off = _missed(frames, order)
        if off < BETTER * least - LEAST:
            best, least = order, off
    return best


def _missed(frames: Sequence[Lit], order: int) -> float:
    """Stops by which hidden places are missed, in the mean; those of one gain alone for order 0."""
    off = []
    for lit in frames:
        n = len(lit.at)
        if n < FEW * _numbers(ORDERS[-1]):
            continue
        for k in np.linspace(0, n - 1, TRIED).astype(int):
            away = ((lit.at - lit.at[k]) ** 2).sum(axis=1)
            hidden = away <= np.sort(away)[n // 8]  # an eighth of all that is seen, in one place
            told = _fitted(Lit(lit.at[~hidden], lit.stops[~hidden]), order)
            off.append(np.abs(np.median(lit.stops[hidden] - _basis(lit.at[hidden], order) @ told, axis=0)).mean())
    return float(np.mean(off)) if off else 0.0


def _numbers(order: int) -> int:
    return (order + 1) * (order + 2) // 2


def _basis(at: Array, order: int) -> Array:
    x, y = at[:, 0], at[:, 1]
    return np.stack([x**i * y**j for d in range(order + 1) for i in range(d, -1, -1) for j in (d - i,)], 1)


def _fitted(lit: Lit, order: int) -> Array:
    """(numbers, 3) of the polynomial, cells that show something else left out."""
    basis = _basis(lit.at, order)
    keep = np.ones(len(basis), bool)
    told = np.zeros((basis.shape[1], 3))
    for _ in range(4):
        told = np.linalg.lstsq(basis[keep], lit.stops[keep], rcond=None)[0]
        off = np.abs(lit.stops - basis @ told).max(axis=1)
        keep = off <= FAR * max(float(np.median(off)), 1e-4)
    return told


def shading(frame: Rgb, clean: Rgb, seen: Mask, order: int) -> Array:
    """(numbers, 3) stops of the polynomial that the frame is lit by over a clean plate in its gain; nothing where too little tells."""
    lit = lit_cells(frame, clean, seen)
    if order == 0 or len(lit.at) < FEW * _numbers(order):
        return np.zeros((0, 3), np.float32)
    return np.asarray(_fitted(lit, order), np.float32)


def gain_field(gain: Array, told: Array, shape: tuple[int, int]) -> Array:
    """What the clean plate is multiplied by: `gain` (3,) where there is no shading, else (h, w, 3)."""
    if not len(told):
        return np.asarray(gain, np.float32)
    order = next(o for o in ORDERS if _numbers(o) == len(told))
    h, w = shape
    gh, gw = max(2, h // CELL), max(2, w // CELL)
    y, x = np.mgrid[-BEYOND : gh + BEYOND, -BEYOND : gw + BEYOND]  # a little more, so that the border is told as the rest
    at = np.stack([(2 * x.ravel() + 1) / gw - 1, (2 * y.ravel() + 1) / gh - 1], 1)
    coarse = np.exp2(_basis(at, order) @ told).reshape(*x.shape, 3).astype(np.float32)
    to = np.array([[gw / w, 0, 0.5 * gw / w - 0.5 + BEYOND], [0, gh / h, 0.5 * gh / h - 0.5 + BEYOND]])
    fine = cv2.warpAffine(coarse, to, (w, h), flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP)
    return np.asarray(fine * np.asarray(gain, np.float32))
