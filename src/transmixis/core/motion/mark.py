"""Painted marks, followed by their colour: the middle of what is bright in one colour, as a dab of paint on a tip.

A mark of a few pixels has no pattern, but a colour that its surroundings lack. How much of a pixel is the mark is told along the mark's
own direction of colour, with the surroundings' taken out; a pixel that is half mark, or a mark smeared by its motion, then counts by its
share of light, so that the middle is right to a fraction of a pixel. Positions are (x, y) px, pixel centres at +0.5; pictures linear.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.errors import UserError
from transmixis.core.motion.follow import Again, Way
from transmixis.core.motion.frame import streak
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.smear import through_blur
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

LOOKED = 24  # px about the mark in which its surroundings are learnt
FADED, BRIGHTER = 0.35, 3.0  # of the mark's light: beyond these it is another thing, or most of it hidden
SIGMAS = 3.0  # of the surroundings' scatter: what stands out
FAINT = 0.08  # of a pixel: less is no mark, however smeared
KEPT = 1.0  # of the surroundings' scatter
NEAR = 10.0  # px that count as much as e times the light
PRESSED = 8.0  # px from the mark that a press may be
MOST = 30  # patches that are looked at
COARSE = 0.6  # likeness that a fit must have to be better than the middle of the light
BESIDE = 2.0  # px that it may lie beside it
SMEARED = 6.0  # px a frame: what moves faster is looked for as a streak too
LONGEST = 40.0  # px of half a streak
GRAIN = 0.003  # linear: less than any camera's scatter
WIDER = 1.5  # the reach grows by this with every frame that it is lost
WIDEST = 4.0


@dataclass(frozen=True)
class Seen:
    """Where a mark is: `at` (x, y) px, `error` px (standard deviation), `alike` its light beside the reference's, 1: the same. Where it
    is lost `why` says why."""

    at: tuple[float, float]
    error: float = float("nan")
    alike: float = 0.0
    why: str = ""

    @property
    def lost(self) -> bool:
        return bool(self.why)


class Mark:
    """A mark as it looks in its reference frame."""

    def __init__(self, picture: Array, at: Array, colour: Array) -> None:
        """`picture` (h, w, 3), the mark lies near `at` (2,) and has about the linear `colour` (3,). Raises UserError where nothing has that
        colour there."""
        box, corner = _cut(picture, at, LOOKED)
        if min(box.shape[:2]) < 6:
            raise UserError("The mark lies outside of the frame; press on it.")
        self.direction = _told_by(np.asarray(colour, np.float64), box)
        place = np.asarray(at, np.float64) - corner
        for _ in range(2):  # the paint's own colour is surer than the one that was named
            share = _share(box, self.direction)
            patch = _patch_at(share, place)
            if patch is None:
                raise UserError("Nothing of that colour is there to be followed; press on the mark itself.")
            self.direction = _told_by(box[patch].mean(axis=0), box[~ndimage.binary_dilation(patch, iterations=3)])
        share = _share(box, self.direction)
        patch = _patch_at(share, place)
        self.light = 1.0
        found = None if patch is None else _middle(share, patch, corner, self.light)
        if found is None:
            raise UserError("Nothing of that colour is there to be followed; press on the mark itself.")
        self.light = found.alike
        ys, xs = np.nonzero(ndimage.binary_dilation(patch, iterations=3))
        self.rim = (ys + int(corner[1]), xs + int(corner[0]))
        self.offset = np.asarray(at, np.float64) - found.at  # what was pressed, beside the mark's middle

    def surface(self, picture: Array) -> Surface:
        """The mark and its rim as a pattern."""
        mask = np.zeros(picture.shape[:2], np.float32)
        ys, xs = self.rim
        mask[ys, xs] = 1
        corners = np.array(
            [[xs.min(), ys.min()], [xs.max() + 1, ys.min()], [xs.max() + 1, ys.max() + 1], [xs.min(), ys.max() + 1.0]]
        )
        return Surface(picture, corners, mask, "position")

    def find(self, picture: Array, expected: Array, reach: float, move: Array | None = None) -> Seen:
        """The mark near `expected` (2,) in another frame, where it moves by about `move` px a frame."""
        middle = expected - self.offset
        x, y = (float(v) for v in expected)
        box, corner = _cut(picture, middle, reach + LOOKED / 2)
        if min(box.shape[:2]) < 6:
            return Seen((x, y), why="it lies outside of the frame")
        share = _share(box, self.direction)
        found = self._best(share, ndimage.gaussian_filter(share, 1.0), corner, middle)
        if move is not None and np.hypot(*move) > SMEARED:
            x_half, y_half = (float(np.clip(v / 2, -LONGEST, LONGEST)) for v in move)
            smooth = cv2.filter2D(ndimage.gaussian_filter(share, 1.0), -1, streak(x_half, y_half))
            along = self._best(share, smooth, corner, middle)
            found = min((f for f in (found, along) if f is not None), key=lambda f: _odd(f, middle), default=None)
        if found is None:
            return Seen((x, y), why="its colour is not to be seen here")
        return Seen((found.at[0] + float(self.offset[0]), found.at[1] + float(self.offset[1])), found.error, found.alike)

    def _best(self, share: Array, soft: Array, corner: Array, expected: Array) -> Seen | None:
        """The patch of the mark's colour with the most likely light, near ones before far ones."""
        best, worth = None, np.inf
        for y, x in _peaks(soft):
            patch = _patch_of(share, soft, y, x)
            seen = _middle(share, patch, corner, self.light)
            if seen is None or not FADED < seen.alike < BRIGHTER:
                continue
            odd = _odd(seen, expected)
            if odd < worth:
                best, worth = seen, odd
        return best


def follow_mark(
    mark: Mark, surface: Surface, picture: Callable[[int], Array], at: Array, frames: Sequence[int], reach: float,
    progress: Progress | None = None, way: Way | None = None,
) -> list[Laid]:  # fmt: skip
    """A mark from `at` (2,) of its reference frame on through frames, one after the other; `way`: where it was in the two before them.
    Its colour says where it is, and `surface`, the mark and its rim as a pattern, how it lies there to the last fraction of a pixel,
    through the frame's blur too."""
    found: list[Laid] = []
    way = way or Way(np.eye(3), np.eye(3))
    last, before = (moved_points(m, at)[0] for m in (way.last, way.before))
    lost = way.lost
    for i, n in enumerate(frames):
        if progress is not None:
            progress.at(i, len(frames), f"following the mark, frame {n}")
        try:
            seen = mark.find(picture(n), last + (last - before), reach * min(WIDER**lost, WIDEST), last - before)
        except UserError as e:
            seen = Seen((float(last[0]), float(last[1])), why=str(e))
        shift = np.array([[1, 0, seen.at[0] - at[0]], [0, 1, seen.at[1] - at[1]], [0, 0, 1.0]])
        found.append(Laid(shift, COARSE, 1.0, seen.error, seen.why))
        if seen.lost:
            before, lost = last, lost + 1
        else:
            here = np.array(seen.at)
            before, last, lost = (last if lost == 0 else here), here, 0
    again = Again(picture)
    for i, n in enumerate(frames):
        if not found[i].lost:
            laid = again.laid(surface, n, found[i].matrix)
            if not laid.lost and laid.alike > COARSE and np.abs(laid.matrix - found[i].matrix)[:2, 2].max() < BESIDE:
                found[i] = laid
    begin = np.full((3, 3), np.nan) if way.lost else way.last
    return through_blur(surface, frames, found, begin, again.laid, None, progress)[0]


def _cut(picture: Array, at: Array, room: float) -> tuple[Array, Array]:
    """The part of a picture about a place, and its left top corner."""
    h, w = picture.shape[:2]
    x0, y0 = (int(np.clip(np.floor(v - room), 0, n)) for v, n in zip(at, (w, h), strict=True))
    x1, y1 = (int(np.clip(np.ceil(v + room), 0, n)) for v, n in zip(at, (w, h), strict=True))
    return np.asarray(picture[y0:y1, x0:x1, :3], np.float32), np.array([x0, y0])


def _odd(seen: Seen, expected: Array) -> float:
    """How far a patch is from what was expected, in place and light."""
    return float(np.hypot(seen.at[0] - expected[0], seen.at[1] - expected[1])) / NEAR + abs(float(np.log(seen.alike)))


def _told_by(colour: Array, around: Array) -> Array:
    """The direction along which a colour is told from its surroundings best (Fisher, 1936), scaled so that the colour itself is 1 more than
    their mean."""
    pixels = around.reshape(-1, 3).astype(np.float64)
    mean = pixels.mean(axis=0)
    spread = np.cov(pixels.T) + np.eye(3) * (GRAIN**2 + 1e-4 * float(mean.mean()) ** 2)
    direction = np.linalg.solve(spread, colour - mean)
    return np.asarray(direction / max(float(direction @ (colour - mean)), 1e-9))


def _share(box: Array, direction: Array) -> Array:
    """How much of every pixel is the mark, its surroundings taken for what most of them are."""
    along = np.asarray(box @ direction.astype(np.float32))
    return along - np.float32(np.median(along))


def _patch_at(share: Array, place: Array) -> Array | None:
    """The pixels of the mark that lies within a few px of a place, if there is one."""
    soft = ndimage.gaussian_filter(share, 1.0)
    near = [
        (float(np.hypot(x + 0.5 - place[0], y + 0.5 - place[1])) - PRESSED * float(soft[y, x]), y, x) for y, x in _peaks(soft)
    ]
    near = [n for n in near if n[0] < PRESSED]
    return None if not near else _patch_of(share, soft, *min(near)[1:])


def _peaks(soft: Array) -> list[tuple[int, int]]:
    """Rows and columns of what stands out of its surroundings."""
    scatter = 1.4826 * float(np.median(np.abs(soft - np.median(soft)))) + 1e-6
    high = (soft == ndimage.maximum_filter(soft, size=5)) & (soft > max(SIGMAS * scatter, FAINT))
    ys, xs = np.nonzero(high)
    order = np.argsort(-soft[ys, xs])[:MOST]
    return [(int(ys[k]), int(xs[k])) for k in order]


def _patch_of(share: Array, soft: Array, y: int, x: int) -> Array:
    """The pixels that hang together with a peak, down to half of it."""
    label, _ = ndimage.label(soft > 0.5 * soft[y, x])
    return np.asarray(label == label[y, x])


def _middle(share: Array, patch: Array, corner: Array, light: float) -> Seen | None:
    """Of one patch, with a border about it, by its light over what lies round it."""
    wide = ndimage.binary_dilation(patch, iterations=2)
    ring = ndimage.binary_dilation(wide, iterations=3) & ~wide
    ground = float(np.median(share[ring])) if ring.any() else 0.0
    scatter = 1.4826 * float(np.median(np.abs(share[ring] - ground))) + 1e-4 if ring.any() else 1e-4
    ys, xs = np.nonzero(wide)
    over = share[ys, xs].astype(np.float64) - ground
    w = np.maximum(over - KEPT * scatter, 0)  # what may as well be surroundings does not pull
    total = float(w.sum())
    if total <= 0:
        return None
    x, y = float((w * (xs + 0.5)).sum() / total), float((w * (ys + 0.5)).sum() / total)
    counted = w > 0
    lever = float(np.sqrt((((xs + 0.5 - x) ** 2 + (ys + 0.5 - y) ** 2)[counted]).sum() / 2))
    return Seen((x + float(corner[0]), y + float(corner[1])), scatter * lever / total, float(over.sum()) / light)
