"""A thing cut out by strokes: some on what is kept, some on what is left.

Two things speak for a side: the colours under its strokes, and how near its strokes are when every edge of the picture counts as a long way
(geodesic distance: Bai & Sapiro, 2007; joined with a cut: Price, Morse, Cohen, 2010). The cheapest border between the two (core.matte.cut) is found, the colours are
learnt anew from what lies on either side of it, and it is found again. In the end only what a stroke of *keep* touches stays, and holes
without a stroke of *leave* are closed.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from skimage.graph import MCP_Geometric

from transmixis.core.colour.lab import linear_to_lab
from transmixis.core.errors import UserError
from transmixis.core.matte.cut import cut, stepped
from transmixis.core.matte.subject import colour_distance
from transmixis.core.types import Array, Mask, Matte, Rgb

WORK = 640  # px: a wider frame's border is found smaller first
COLOURS = 6  # at most, on each side
FLOOR = 4.0  # CIELAB units: spread that every colour has at least
FLAT = 0.06  # what a pixel of plain picture is worth of a way, against an edge of one CIELAB unit
LENGTH = 3.0  # what a pixel of border costs where there is no edge
LENGTH_ON = 6.0  # and where it was carried: nothing new is thought of there
PLACE = 2.0  # how much the ways count beside the colours
MOST = 6.0  # natural logarithm of odds: more is not believed of a colour
PRIOR, PRIOR_WIDE = 2.0, 4.0  # how much it counts where a carried border lay, and over how many px
FINE = 1920  # px: a wider frame's border is found no finer
ROUNDS = 3
SOFT = 0.7  # px: sigma of the edge that a cut gets
HARD = 1e6
OUTSIDE = 1e5  # px: further out a stroke need not go


@dataclass(frozen=True)
class Strokes:
    """Lines drawn by hand, each (n, 2) px of the frame, as wide as `width` px."""

    keep: Sequence[Array]
    leave: Sequence[Array]
    width: float = 6.0


@dataclass(frozen=True)
class Cutting:
    """What was cut out: its `mask` and a `matte` with a narrow soft edge (h, w)."""

    mask: Mask
    matte: Matte


def cut_by_strokes(frame: Rgb, strokes: Strokes, before: Matte | None = None, doubt: float = 0.0) -> Cutting:
    """Cut a thing out of a (h, w, 3) scene linear frame. `before`: where it is thought to be (0..1), as carried from another frame, trusted
    but for a border `doubt` px wide. Raises UserError where there is no stroke of a side, and nothing was carried."""
    h, w = frame.shape[:2]
    k = max(1.0, w / WORK)
    size = (max(8, round(w / k)), max(8, round(h / k)))
    keep, leave = (_drawn(lines, strokes.width / k, size, k) for lines in (strokes.keep, strokes.leave))
    start = None if before is None else cv2.resize(before, size, interpolation=cv2.INTER_AREA)
    if start is not None:
        inner, outer = _sure(start > 0.5, doubt / k)
        keep, leave = (keep | inner) & ~leave, (leave | outer) & ~keep
    elif not (keep.any() and leave.any()):
        raise UserError("Draw a stroke on what is to be kept and one on what is to be left.")
    mask = _settled(linear_to_lab(cv2.resize(frame, size, interpolation=cv2.INTER_AREA)), keep, leave, start)
    if k > 1:
        mask = _finer(frame, mask, keep, leave)
    return Cutting(mask, softened(mask))


def _drawn(lines: Sequence[Array], width: float, size: tuple[int, int], k: float) -> Mask:
    out = np.zeros(size[::-1], np.uint8)
    for line in lines:
        p = np.asarray(line, np.float64).reshape(-1, 2)
        p = np.clip(p[np.isfinite(p).all(axis=1)] / k - 0.5, -OUTSIDE, OUTSIDE)  # a broken document may hold anything
        if len(p):
            cv2.polylines(out, [np.round(p).astype(np.int32)], False, 1, max(1, round(width)))
    return out > 0


def _sure(mask: Mask, px: float) -> tuple[Mask, Mask]:
    """What lies further than so many px inside a mask's border, and outside."""
    depth = _depth(mask)
    return depth > px, depth < -px


def _depth(mask: Mask) -> Array:
    """Distance (h, w) px from a mask's border, above 0 inside."""
    solid = mask.astype(np.uint8)
    return np.asarray(cv2.distanceTransform(solid, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5))


def _settled(lab: Array, keep: Mask, leave: Mask, start: Array | None) -> Mask:
    """The cheapest division of a picture (h, w, 3): from strokes alone found again as the colours are learnt; from a carried matte once, near it."""
    steps = stepped(lab, noise=1.0)
    if start is not None:
        believed = PRIOR * np.clip(_depth(start > 0.5) / PRIOR_WIDE, -1, 1)
        return _divided(_odds(lab, start > 0.5, start < 0.5) + believed, keep, leave, steps, LENGTH_ON)
    near, inside, outside = PLACE * _nearness(lab, keep, leave), keep, leave
    for _ in range(ROUNDS):
        inside = _divided(_odds(lab, inside, outside) + near, keep, leave, steps, LENGTH)
        outside = ~inside
    return inside


def _divided(value: Array, keep: Mask, leave: Mask, steps: Sequence[Array], length: float) -> Mask:
    """The cheapest division where `value` speaks for keeping (above 0), and what lies under strokes is sure."""
    value = np.where(keep, HARD, np.where(leave, -HARD, value))
    return _tidy(cut(np.maximum(-value, 0), np.maximum(value, 0), steps, length), keep, leave)


def _odds(lab: Array, inside: Mask, outside: Mask) -> Array:
    """Natural logarithm (h, w) of how much likelier each pixel's colour is inside than outside, as far as it is believed."""
    return np.asarray(np.clip(_likely(lab, inside) - _likely(lab, outside), -MOST, MOST))


def _likely(lab: Array, where: Mask) -> Array:
    """Logarithm (h, w) of how likely each pixel's colour is among those of the pixels `where`."""
    sample = lab[where][:: max(1, int(where.sum()) // 4000)].astype(np.float32)
    if not len(sample):  # a thing that fills the frame leaves nothing outside
        return np.zeros(lab.shape[:2], np.float32)
    k = int(np.clip(len(sample) // 60, 1, COLOURS))
    rule = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 12, 0.5)
    cv2.setRNGSeed(1)  # the same strokes always cut the same
    _, label, middle = cv2.kmeans(sample, k, np.zeros((len(sample), 1), np.int32), rule, 1, cv2.KMEANS_PP_CENTERS)
    total = np.full(lab.shape[:2], -1e6, np.float32)
    for j in range(k):
        own = sample[label[:, 0] == j]
        cov = (np.cov(own.T) if len(own) > 8 else np.zeros((3, 3))) + np.eye(3) * FLOOR**2
        weight = np.log(max(len(own), 1) / len(sample)) - 0.5 * float(np.linalg.slogdet(cov)[1])
        total = np.logaddexp(total, weight - 0.5 * colour_distance(lab, middle[j], cov))
    return np.asarray(total)


def _nearness(lab: Array, keep: Mask, leave: Mask) -> Array:
    """-1..1 (h, w): how much nearer a stroke of keep is than one of leave, where edges are long ways."""
    calm = cv2.GaussianBlur(lab, (0, 0), 1.0)
    gx, gy = (cv2.Sobel(calm, cv2.CV_32F, dx, dy, ksize=3, scale=1 / 8) for dx, dy in ((1, 0), (0, 1)))
    cost = FLAT + np.sqrt((gx**2 + gy**2).sum(axis=2))
    to_keep, to_leave = (MCP_Geometric(cost).find_costs(np.argwhere(m))[0] for m in (keep, leave))
    return np.asarray((to_leave - to_keep) / np.maximum(to_leave + to_keep, 1e-6))


def _tidy(mask: Mask, keep: Mask, leave: Mask) -> Mask:
    """Only what a stroke of keep touches; holes without a stroke of leave closed."""
    count, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=4)
    touched = np.zeros(count, bool)
    touched[labels[keep & mask]] = True
    touched[0] = False
    out = touched[labels]
    count, labels = cv2.connectedComponents((~out).astype(np.uint8), connectivity=4)
    opened = np.zeros(count, bool)
    opened[labels[leave & ~out]] = True
    rim = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    opened[rim] = True
    opened[labels[out]] = True
    return np.asarray(out | ~opened[labels])


def _finer(frame: Rgb, small: Mask, keep: Mask, leave: Mask) -> Mask:
    """The border of a smaller division found again at full size (at most FINE px wide), in a band as wide as the smaller grid leaves open."""
    h, w = frame.shape[:2]
    k = max(1.0, w / FINE)
    size = (round(w / k), round(h / k))
    mask, keep, leave = (
        cv2.resize(m.astype(np.float32), size, interpolation=cv2.INTER_LINEAR) > 0.5 for m in (small, keep, leave)
    )
    sure_in, sure_out = _sure(mask, 2.0 * size[0] / small.shape[1] + 1)
    if sure_out.all():
        return np.zeros((h, w), bool)
    ys, xs = np.nonzero(~sure_out)
    box = (slice(max(0, ys.min() - 2), ys.max() + 3), slice(max(0, xs.min() - 2), xs.max() + 3))
    shown = frame if k == 1 else cv2.resize(frame, size, interpolation=cv2.INTER_AREA)
    lab = linear_to_lab(np.ascontiguousarray(shown[box]))
    # a neck may be cut there, so that what hung on it goes
    mask[box] = _divided(
        np.zeros(lab.shape[:2]), sure_in[box] | (keep[box] & mask[box]), sure_out[box], stepped(lab, noise=1.0), LENGTH
    )
    mask[sure_out] = False
    mask = _tidy(mask, keep, leave)
    return mask if k == 1 else cv2.resize(mask.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR) > 0.5


def softened(mask: Mask) -> Matte:
    """A mask with a narrow soft edge (h, w)."""
    return np.asarray(cv2.GaussianBlur(mask.astype(np.float32), (0, 0), SOFT), np.float32)
