"""Finding the marks on a surface: small things alike in colour that stand out from what is the same all about them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.types import Array, Mask, Rgb

SOFT = 0.8  # px: takes grain down before anything is looked for
STANDS_OUT, JOINS = 6.0, 3.0  # of the surface's own scatter: what begins a mark, and what belongs to it
FAINTEST = 6.0  # 8-bit levels that a mark differs by at least
SCATTER = 0.6  # levels: less than any surface scatters
LEAST = 6  # px of a mark
ABOUT = 3.0  # sizes of the largest mark over which the surface is told: it must fill less than half of that
BESIDE = (3, 7)  # px beyond a mark in which the surface must be seen
PLAIN = 0.8  # of that which must be surface
ALIKE, FAINTER, STRONGER = (
    0.14,
    0.4,
    2.5,
)  # how far a mark's colour may lean from that of the others, of one, and how much fainter or stronger it may be
SURFACE_ALIKE = 0.45  # and the surface's about it, of its own


@dataclass(frozen=True)
class Found:
    """A mark in a frame: its middle `at` (x, y) px, the `box` (x0, y0, x1, y1) px about it, how its colour differs from the surface's (3,), and the `surface` there (3,), both in 8-bit
    levels as shown; `mask` (h, w) which px of the box show it."""

    at: tuple[float, float]
    box: tuple[int, int, int, int]
    colour: Array
    surface: Array
    mask: Mask = field(repr=False)

    @property
    def size(self) -> float:
        """Its longer side, px."""
        x0, y0, x1, y1 = self.box
        return float(max(x1 - x0, y1 - y0))


@dataclass(frozen=True)
class Seen:
    """A frame as it is looked at for marks: `shown` (h, w, 3) levels, the `surface` (h, w, 3) without anything small on it, and how far each px stands `out` of it (h, w), in scatters."""

    shown: Array
    surface: Array
    out: Array

    def part(self, box: tuple[slice, slice]) -> Seen:
        """A part of the frame."""
        return Seen(self.shown[box], self.surface[box], self.out[box])


def seen(picture: Rgb, largest: float) -> Seen:
    """A linear (h, w, 3) frame, for marks up to `largest` px."""
    shown = np.asarray(linear_to_srgb(np.clip(picture, 0, 1)) * 255, np.float32)
    soft = cv2.GaussianBlur(shown, (0, 0), SOFT)
    surface = _median(soft, ABOUT * largest)
    off = np.abs(soft - surface).max(axis=2)
    scatter = np.maximum(1.4826 * _median(off[..., None], ABOUT * largest)[..., 0], SCATTER)
    return Seen(
        shown, surface, np.where(off > FAINTEST, off / scatter, np.minimum(off / scatter, JOINS - 0.1)).astype(np.float32)
    )


def _median(x: Array, across: float) -> Array:
    """Median over so many px, by 8-bit levels of a smaller picture, finely: between its levels it is averaged."""
    h, w = x.shape[:2]
    factor = max(1.0, across / 21)
    size = (max(8, round(w / factor)), max(8, round(h / factor)))
    small = cv2.resize(np.ascontiguousarray(x), size, interpolation=cv2.INTER_AREA)
    small = small[..., None] if small.ndim == 2 else small
    low, high = small.min(axis=(0, 1)), small.max(axis=(0, 1))
    eight = ((small - low) / np.maximum(high - low, 1e-3) * 255 + 0.5).astype(np.uint8)
    k = min(21, (min(size) - 1) | 1) | 1
    mid = np.dstack([cv2.medianBlur(np.ascontiguousarray(eight[..., c]), k) for c in range(eight.shape[2])])
    back = cv2.GaussianBlur(mid.astype(np.float32), (0, 0), 2).reshape(mid.shape) / 255 * np.maximum(high - low, 1e-3) + low
    return np.asarray(cv2.resize(back, (w, h), interpolation=cv2.INTER_LINEAR)).reshape(h, w, -1)


def find_marks(frame: Seen, largest: float, where: Mask | None = None) -> list[Found]:
    """All that may be a mark up to `largest` px across, `where` (h, w) it is looked for."""
    grown = frame.out > JOINS
    labels, count = ndimage.label(grown, np.ones((3, 3)))
    out: list[Found] = []
    if not count:
        return out
    strong = ndimage.maximum(frame.out, labels, np.arange(1, count + 1))
    for k, part in enumerate(ndimage.find_objects(labels)):
        if strong[k] < STANDS_OUT or part is None:
            continue
        ys, xs = part
        if max(ys.stop - ys.start, xs.stop - xs.start) > largest:
            continue
        own = labels[part] == k + 1
        if own.sum() < LEAST or (where is not None and not where[part][own].all()):
            continue
        found = _told(frame, part, own, labels, k + 1)
        if found is not None:
            out.append(found)
    return out


def _told(frame: Seen, part: tuple[slice, slice], own: Mask, labels: Array, k: int) -> Found | None:
    """What stands out as a mark; None if it is not on a surface that goes on about it."""
    ys, xs = part
    h, w = labels.shape
    room = BESIDE[1] + 1
    y0, y1, x0, x1 = max(0, ys.start - room), min(h, ys.stop + room), max(0, xs.start - room), min(w, xs.stop + room)
    box = (slice(y0, y1), slice(x0, x1))
    away = cv2.distanceTransform((labels[box] != k).astype(np.uint8), cv2.DIST_L2, 5)
    ring = (away >= BESIDE[0]) & (away <= BESIDE[1])
    if ring.sum() < 12 or (frame.out[box][ring] <= JOINS).mean() < PLAIN:
        return None
    weight = np.where(own, frame.out[part], 0)
    y, x = ndimage.center_of_mass(weight)
    off = (frame.shown - frame.surface)[part][own]
    core = weight[own] >= 0.6 * weight.max()
    return Found(
        (xs.start + float(x) + 0.5, ys.start + float(y) + 0.5), (xs.start, ys.start, xs.stop, ys.stop),
        off[core].mean(axis=0), frame.surface[part][own].mean(axis=0), np.asarray(own),
    )  # fmt: skip


def alike(found: Sequence[Found], colour: Array | None = None) -> Array:
    """Which of them (n,) are alike in colour and lie on a like surface: the largest such group, or that whose colour is the one given (levels as shown)."""
    if not found:
        return np.zeros(0, bool)
    d = np.array([f.colour for f in found])
    s = np.array([f.surface for f in found])
    size = np.maximum(np.linalg.norm(d, axis=1), 1.0)
    if colour is not None:
        wanted = np.asarray(colour, float) - s
        return _near(
            d / size[:, None],
            wanted / np.maximum(np.linalg.norm(wanted, axis=1), 1.0)[:, None],
            size,
            np.linalg.norm(wanted, axis=1),
        )
    best = np.zeros(len(found), bool)
    for k in range(len(found)):
        near = _near(d / size[:, None], d[k] / size[k], size, size[k])
        near &= np.linalg.norm(s - s[k], axis=1) < SURFACE_ALIKE * max(float(np.linalg.norm(s[k])), 30.0)
        if near.sum() > best.sum():
            best = near
    return best


def _near(leans: Array, lean: Array, size: Array, like: Array | float) -> Array:
    """Which colours lean the same way and are about as strong."""
    return np.asarray((np.linalg.norm(leans - lean, axis=1) < ALIKE) & (size > FAINTER * like) & (size < STRONGER * like))
