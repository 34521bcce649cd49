"""What a frame shows of the screen that it was filmed before: its seams, wrinkles and marks, without the subject.

Before a screen the subject has nearly all of the texture, so points that are followed follow the subject. What is on the screen is
faint, but there are a hundred thousand pixels of it (core.motion.align reads the camera's motion from them).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, TypeVar

import cv2
import numpy as np

from transmixis.core.matte.difference import ScreenKind
from transmixis.core.matte.screen import NoScreen, find_screen
from transmixis.core.motion.coding import coded
from transmixis.core.types import Array, Mask, Rgb

T = TypeVar("T")

SMALL = 240  # px: width at which the screen is looked for
LEAST_SCREEN = 0.15  # of the frame: less is a thing in the scene rather than what it is shot before
HOLE = 0.035  # of the width: what is smaller within the screen is a mark on it
WIDEST = 480  # px: width at which it is aligned; after the smoothing there is no finer detail to lose
SOFT = 1.3  # px at that width: takes the noise out, and lets positions between pixels be read linearly
COARSER = 0.6  # px of a coarser level: what it is smoothed by before it is made smaller
STANDS_OUT = 5.0  # deviations: gradients beyond are marks or seams
LEAST_MARKS = 150  # px
THIN = 4  # px: of the rest of the screen every so many are looked at when there are marks
# Folds and seams change each channel as its own code, grain changes all alike: channels weighed by their code tell the most
WEIGHTS = {"green": np.array([0.22, 0.53, 0.25], np.float32), "blue": np.array([0.18, 0.29, 0.53], np.float32)}


@dataclass(frozen=True)
class Backdrop:
    """What a frame shows of its screen: smoothed weighted code (h, w) at `scale` of the frame, where it is screen, and the frame's h, w.

    A frame is aligned twice or more often (with the anchor, with its neighbours), so what is made of it for that is kept."""

    luma: Array
    where: Array  # uint8 0 or 1
    scale: float
    size: tuple[int, int]
    kept: dict[tuple[str, int], Any] = field(default_factory=dict, compare=False, repr=False)

    def at(self, level: int) -> tuple[Array, Array]:
        """Luma and mask, `level` times smaller."""
        return self._once("level", level, lambda: _at_level(self, level))

    def to_follow(self, level: int) -> tuple[Array, Array, Array]:
        """Gradients (x, y) of the luma at a level, and which pixels are worth looking at there."""
        return self._once("to follow", level, lambda: _gradients(*self.at(level), level))

    def coarse(self, level: int) -> tuple[Array, Array]:
        """Luma less its slow change, and mask, `level` times smaller."""
        return self._once("coarse", level, lambda: (_without_slow(*self.at(level)), self.at(level)[1]))

    def _once(self, what: str, level: int, make: Callable[[], T]) -> T:
        if (what, level) not in self.kept:
            self.kept[what, level] = make()
        found: T = self.kept[what, level]
        return found


def _screen_of(linear: Rgb) -> tuple[Mask, ScreenKind] | None:
    """Where a small frame shows a screen and the marks on it, a step away from all else; None if it is no plate with a screen."""
    found = find_screen(linear)
    if isinstance(found, NoScreen) or found.share < LEAST_SCREEN:
        return None
    size = max(3, round(HOLE * linear.shape[1])) | 1
    kernel = np.ones((size, size), np.uint8)
    padded = np.pad(found.mask.astype(np.uint8), size, mode="edge")
    whole = cv2.morphologyEx(padded, cv2.MORPH_CLOSE, kernel)[size:-size, size:-size]
    inner = cv2.erode(whole, kernel, borderValue=1) > 0
    return (np.asarray(inner), found.kind) if inner.mean() > 0.05 else None


def backdrop_of(linear: Rgb) -> Backdrop | None:
    """The backdrop of a linear (h, w, 3) frame; None if it has no screen."""
    h, w = linear.shape[:2]
    small = cv2.resize(linear, (SMALL, max(2, round(SMALL * h / w))), interpolation=cv2.INTER_AREA) if w > SMALL else linear
    found = _screen_of(np.ascontiguousarray(small))
    if found is None:
        return None
    mask, kind = found
    scale = min(1.0, WIDEST / w)
    size = (max(2, round(w * scale)), max(2, round(h * scale)))
    colour = cv2.resize(linear, size, interpolation=cv2.INTER_AREA) if scale < 1 else linear
    luma = coded(colour) @ WEIGHTS[kind]
    where = cv2.resize(mask.astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)
    soft = cv2.GaussianBlur(luma, (0, 0), SOFT)
    return Backdrop(np.ascontiguousarray(soft, np.float32), np.ascontiguousarray(where), size[0] / w, (h, w))


def soft_at(level: int) -> float:
    """Smoothing of a level, in its own px: what it was smoothed by, and the averaging over its pixels."""
    return float(np.sqrt(SOFT**2 + ((COARSER * level) ** 2 + (level**2 - 1) / 12 if level > 1 else 0.0)) / level)


def _at_level(b: Backdrop, level: int) -> tuple[Array, Array]:
    if level == 1:
        return b.luma, b.where
    h, w = b.luma.shape
    size = (max(8, w // level), max(8, h // level))
    soft = cv2.GaussianBlur(b.luma, (0, 0), COARSER * level)
    inner = cv2.resize(b.where.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0.99
    return np.ascontiguousarray(cv2.resize(soft, size, interpolation=cv2.INTER_AREA)), inner.astype(np.uint8)


def _without_slow(x: Array, where: Array) -> Array:
    """A coarse picture less a smooth surface fitted to it where it is screen."""
    if where.sum() < 20:
        return x
    terms = slow_terms(*x.shape)
    inside = terms[where > 0]
    fit = np.linalg.solve(inside.T @ inside + 1e-9 * np.eye(10), inside.T @ x[where > 0].astype(np.float64))
    return np.asarray(x - terms @ fit)


@lru_cache(maxsize=8)
def slow_terms(h: int, w: int) -> Array:
    """(h, w, 10): all products of x and y up to the third order, both from -1 to 1."""
    v, u = np.meshgrid(np.linspace(-1, 1, h), np.linspace(-1, 1, w), indexing="ij")
    return np.stack([u**i * v**j for i in range(4) for j in range(4 - i)], -1)


def _gradients(x: Array, where: Array, level: int) -> tuple[Array, Array, Array]:
    gx, gy = np.zeros_like(x), np.zeros_like(x)
    gx[:, 1:-1] = (x[:, 2:] - x[:, :-2]) / 2
    gy[1:-1] = (x[2:] - x[:-2]) / 2
    inside = cv2.erode(where, np.ones((3, 3), np.uint8), borderValue=0)
    return gx, gy, _worth_it(gx, gy, inside, level) if level < 4 else inside


def _worth_it(gx: Array, gy: Array, inside: Array, level: int) -> Array:
    """The marks and seams, and a thin grid of the rest for the light. Without marks all of a coarser level, for what is faint."""
    size = np.hypot(gx, gy)
    usual = float(np.median(size[::3, ::3][inside[::3, ::3] > 0])) if inside.any() else 0.0
    marks = cv2.dilate(((size > STANDS_OUT / 1.18 * usual) & (inside > 0)).astype(np.uint8), np.ones((5, 5), np.uint8))
    if level > 1 and (marks * inside).sum() < LEAST_MARKS:
        return inside
    marks[::THIN, ::THIN] = 1
    return np.asarray(marks * inside)
