"""Two takes joined into one: the second brought to the size, place and light of the first, the jump taken up by warping both takes towards each other over some frames, and a short blend."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.build.codes import to_codes
from transmixis.core.build.over import with_alpha
from transmixis.core.build.place import fit_scale, placed, placing_matrix
from transmixis.core.build.warp import framed, thin_plate
from transmixis.core.errors import UserError
from transmixis.core.motion.camera import anchor_of, measure_move
from transmixis.core.motion.coding import grey_of
from transmixis.core.time.inbetween import Pair, flow_between, looked_up
from transmixis.core.types import Array, Mask

Frames = Callable[[int], Array]
LIKE = 0.25  # of a stop about the median: places that show the same in both takes
MOVED = 0.15  # px: what both takes lie apart by is only taken out from there on
DIFFERS = 0.03  # of the code: where something moves or jumps


@dataclass(frozen=True)
class Cut:
    """`last` frame of the first take and `first` of the second that follows it; `warp` frames on each side take up the jump, `blend` go over; `one_count` frames of the first take."""

    last: int
    first: int
    warp: int
    blend: int
    one_count: int


@dataclass(frozen=True)
class Fitted:
    """How the second take is brought to the first: `matrix` (3 x 3) and `gain` (3,)."""

    matrix: Array
    gain: Array


def fitted(one: Array, other: Array) -> Fitted:
    """How `other` must be moved, sized and lit to be `one`, from two frames of the same moment."""
    matrix = np.eye(3)
    move = measure_move(anchor_of(grey_of(one)), grey_of(other))
    if move:
        h, w = one.shape[:2]
        c, s = move.grow * np.cos(np.radians(move.turn)), move.grow * np.sin(np.radians(move.turn))
        x, y = w / 2, h / 2
        there = np.array([[c, s, x - c * x - s * y + move.x], [-s, c, y + s * x - c * y + move.y], [0, 0, 1.0]])
        corners = np.array([[0, 0, 1], [w, 0, 1], [w, h, 1], [0, h, 1]], float)
        if np.abs((corners @ (there - np.eye(3)).T)[:, :2]).max() > MOVED:
            matrix = np.linalg.inv(there)
    brought = placed(np.ascontiguousarray(other), matrix, (one.shape[0], one.shape[1]), "carry")
    soft = [np.log2(np.maximum(cv2.GaussianBlur(p[..., :3], (0, 0), 2.0), 1e-3)) for p in (one, brought)]
    apart = soft[0] - soft[1]
    middle = np.median(apart.reshape(-1, 3), axis=0)
    for _ in range(2):
        like = (np.abs(apart - middle) < LIKE).all(axis=2)
        if like.sum() < 100:
            break
        middle = np.median(apart[like], axis=0)
    return Fitted(matrix, np.asarray(2.0**middle, np.float32))


def brought(picture: Array, how: Fitted) -> Array:
    """A frame of the second take as the first would have it."""
    out = placed(np.ascontiguousarray(picture), how.matrix, (picture.shape[0], picture.shape[1]), "carry")
    out = np.array(out, np.float32)
    out[..., :3] *= how.gain
    return out


def alike(picture: Array, like: Array) -> Array:
    """A frame of another take as large as the first one's, which it fills; with an alpha if that has one."""
    size = (like.shape[0], like.shape[1])
    out = with_alpha(picture) if like.shape[2] == 4 else np.asarray(picture[..., :3], np.float32)
    shape = (out.shape[0], out.shape[1])
    if shape == size:
        return out
    matrix = placing_matrix(shape, size, 0, 0, fit_scale(shape, size), 0)
    return placed(np.ascontiguousarray(out), matrix, size, "carry")


class Joined:
    """Frames of two takes as one. `one` and `other` give their frames, counted from 1; the other's are brought to the first one's. `named` are places (n, 2) px of the first take at the join and the same of the second, as they lie in the frames
    cut hard: the flow between the takes starts from them, so that what is too far for it is found."""

    def __init__(
        self, one: Frames, other: Frames, cut: Cut, how: Fitted | None = None, named: tuple[Array, Array] | None = None
    ) -> None:
        if cut.last < 1 or cut.first < 1 or cut.last > cut.one_count:
            raise UserError(
                f"The first take cannot be left at frame {cut.last} for frame {cut.first} of the second; they have no such frames."
            )
        self.one, self.cut = one, cut
        a, b = self._moment()
        first = one(a)
        self.how = how or fitted(first, alike(other(b), first))
        self.other: Frames = lambda n: brought(alike(other(n), first), self.how)
        self._named = named
        self._pair: Pair | None = None

    def _moment(self) -> tuple[int, int]:
        """Frames of both takes that stand for the same moment."""
        c = self.cut
        if c.last < c.one_count:
            return c.last + 1, c.first
        return (c.last, c.first - 1) if c.first > 1 else (c.last, c.first)

    @property
    def pair(self) -> Pair:
        """Both takes at the join, with the flow between them."""
        if self._pair is None:
            a, b = self._moment()
            one, other = self.one(a), self.other(b)
            self._pair = Pair(one, other, *self._starts((one.shape[0], one.shape[1])))
        return self._pair

    def _starts(self, size: tuple[int, int]) -> tuple[Array | None, Array | None]:
        """(h, w, 2) px each: where in the other take lies what each shows, by the places that were named."""
        if self._named is None:
            return None, None
        a, b = self._named
        plain = np.stack(np.meshgrid(np.arange(size[1]) + 0.5, np.arange(size[0]) + 0.5), -1)
        # a lookup in b for the places of a is the way there; the frame's border stays
        return tuple(np.asarray(thin_plate(*framed(q, p, size), size) - plain, np.float32) for p, q in ((a, b), (b, a)))  # type: ignore[return-value]

    def takes(self, n: int) -> tuple[int, int, float]:
        """Frame `n`: the first take's frame, the second's, and how much of the second; 0 for one that has no part."""
        c = self.cut
        a, b = n, c.first + n - c.last - 1
        share = 0.0 if n <= c.last else 1.0
        off = n - c.last - 0.5  # from the cut
        if c.blend > 0 and abs(off) < (c.blend + 1) / 2 and 1 <= a <= c.one_count and b >= 1:
            share = min(max(0.5 + off / (c.blend + 1), 0.0), 1.0)
        return (a if share < 1 else 0, b if share > 0 else 0, share)

    def hard(self, n: int) -> Array:
        """A frame as it is cut hard."""
        c = self.cut
        return self.one(n) if n <= c.last else self.other(c.first + n - c.last - 1)

    def at(self, n: int) -> Array:
        a, b, share = self.takes(n)
        to_b = self._way(n)
        parts = []
        if a:
            picture = self.one(a)
            parts.append((1 - share, self.pair.first_carried(picture, to_b) if to_b > 0 else picture))
        if b:
            picture = self.other(b)
            parts.append((share, self.pair.second_carried(picture, 1 - to_b) if to_b < 1 else picture))
        return np.asarray(sum(w * p for w, p in parts), np.float32)

    def _way(self, n: int) -> float:
        """Of the way from how the first take lies to how the second does, at frame `n`: 0 before the warp, 1 after it, smooth between."""
        c = self.cut
        if c.warp <= 0:
            return 0.0 if n <= c.last else 1.0
        t = min(max((n - c.last - 0.5) / (2 * c.warp) + 0.5, 0.0), 1.0)
        return t * t * (3 - 2 * t)


def jump(before: Array, now: Array, after: Array, where: Mask | None = None) -> float:
    """How far a frame is from what the two before it lead to, levels of 8 bit: `now`, carried on as it came from `before`, less `after`, in the mean over `where`."""
    back = flow_between(now, before)  # where in the frame before lies what this one shows
    carried = looked_up(now, back)  # a step like the last one
    off = np.abs(to_codes(after[..., :3]) - to_codes(carried[..., :3])).mean(axis=2) * 255
    return float(off[where].mean() if where is not None and where.any() else off.mean())


def stirs(frames: list[Array]) -> Mask:
    """Where anything moves or jumps over some frames."""
    codes = np.stack([cv2.GaussianBlur(to_codes(f[..., :3]).mean(axis=2), (0, 0), 1.5) for f in frames])
    moved = (codes.max(axis=0) - codes.min(axis=0)) > DIFFERS
    return np.asarray(cv2.dilate(moved.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0)
