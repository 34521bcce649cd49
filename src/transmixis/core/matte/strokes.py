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
from transmixis.core.types import Array, Mask, Matte, Rgb

WORK = 640  # px: a wider frame's border is found smaller first
COLOURS = 6  # at most, on each side
FLOOR = 4.0  # CIELAB units: spread that every colour has at least
FLAT = 0.06  # what a pixel of plain picture is worth of a way, against an edge of one CIELAB unit
LENGTH = 3.0  # what a pixel of border costs where there is no edge
LENGTH_ON = 6.0  # and where it was carried: nothing new is thought of there
COLOUR, PLACE = 1.0, 2.0  # how much the colours and the ways count
MOST = 6.0  # natural logarithm of odds: more is not believed of a colour
PRIOR, PRIOR_WIDE = 2.0, 4.0  # how much it counts where a carried border lay, and over how many px
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
    """What the strokes cut out: its `mask` and a `matte` with a narrow soft edge (h, w); `odds` (h, w), above 0 where colours speak for keeping."""

    mask: Mask
    matte: Matte
    odds: Array


def cut_by_strokes(frame: Rgb, strokes: Strokes, before: Matte | None = None, doubt: float = 0.0) -> Cutting:
    """Cut a thing out of a (h, w, 3) scene linear frame. `before`: where it is thought to be (0..1), as carried from another frame, trusted
    but for a border `doubt` px wide. Raises UserError where there is no stroke of a side, and nothing was carried."""
    h, w = frame.shape[:2]
    k = max(1.0, w / WORK)
    size = (max(8, round(w / k)), max(8, round(h / k)))
    keep, leave = (_drawn(lines, strokes.width / k, size, k) for lines in (strokes.keep, strokes.leave))
    start = None if before is None else cv2.resize(before, size, interpolation=cv2.INTER_AREA)
    if start is None and not (keep.any() and leave.any()):
        raise UserError("Draw a stroke on what is to be kept and one on what is to be left.")
    lab = linear_to_lab(cv2.resize(frame, size, interpolation=cv2.INTER_AREA))
    if start is not None:
        keep, leave = _carried(start, doubt / k, keep, leave)
    mask, odds = _settled(lab, keep, leave, start)
    whole = cv2.resize(mask.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR) > 0.5
    if k > 1:
        large = [cv2.resize(m.astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST) > 0 for m in (keep, leave)]
        whole = _tidy(_finer(frame, whole, k), large[0], large[1])  # a neck may have been cut there
    return Cutting(whole, softened(whole), cv2.resize(odds.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR))


def _drawn(lines: Sequence[Array], width: float, size: tuple[int, int], k: float) -> Mask:
    out = np.zeros(size[::-1], np.uint8)
    for line in lines:
        p = np.asarray(line, np.float64).reshape(-1, 2)
        p = np.clip(p[np.isfinite(p).all(axis=1)] / k - 0.5, -OUTSIDE, OUTSIDE)  # a broken document may hold anything
        if len(p):
            cv2.polylines(out, [np.round(p).astype(np.int32)], False, 1, max(1, round(width)))
    return out > 0


def _carried(start: Array, doubt: float, keep: Mask, leave: Mask) -> tuple[Mask, Mask]:
    """What is sure of a carried matte: all but a border as wide as its doubt."""
    solid = (start > 0.5).astype(np.uint8)
    inner = cv2.distanceTransform(solid, cv2.DIST_L2, 5) > doubt
    outer = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) > doubt
    return (keep | inner) & ~leave, (leave | outer) & ~keep


def _settled(lab: Array, keep: Mask, leave: Mask, start: Array | None) -> tuple[Mask, Array]:
    near = _nearness(lab, keep, leave) if start is None else np.zeros(keep.shape)
    believed = 0.0 if start is None else np.clip(_signed(start) / PRIOR_WIDE, -1, 1)
    inside, outside = (keep, leave) if start is None else (start > 0.5, start < 0.5)
    steps = stepped(lab, noise=1.0)
    mask, odds = keep, np.zeros(keep.shape)
    for _ in range(ROUNDS if start is None else 1):
        odds = np.clip(_odds(lab, inside) - _odds(lab, outside), -MOST, MOST)
        value = COLOUR * odds + PLACE * near + PRIOR * believed
        for_keep, for_leave = np.maximum(value, 0), np.maximum(-value, 0)
        for_keep[keep], for_leave[leave] = HARD, HARD
        for_keep[leave], for_leave[keep] = 0, 0
        mask = _tidy(cut(for_leave, for_keep, steps, LENGTH if start is None else LENGTH_ON), keep, leave)
        inside, outside = mask, ~mask
    return mask, odds


def _signed(matte: Matte) -> Array:
    """Distance (h, w) px from a matte's border, above 0 inside."""
    solid = (matte > 0.5).astype(np.uint8)
    return np.asarray(cv2.distanceTransform(solid, cv2.DIST_L2, 5) - cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5))


def _odds(lab: Array, where: Mask) -> Array:
    """Logarithm (h, w) of how likely each pixel's colour is among those of the pixels `where`."""
    sample = lab[where][:: max(1, int(where.sum()) // 4000)].astype(np.float32)
    k = int(np.clip(len(sample) // 60, 1, COLOURS))
    rule = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 12, 0.5)
    cv2.setRNGSeed(1)  # the same strokes always cut the same
    _, label, middle = cv2.kmeans(sample, k, np.zeros((len(sample), 1), np.int32), rule, 1, cv2.KMEANS_PP_CENTERS)
    best = np.full(lab.shape[:2], -1e6, np.float32)
    for j in range(k):
        own = sample[label[:, 0] == j]
        cov = (np.cov(own.T) if len(own) > 8 else np.zeros((3, 3))) + np.eye(3) * FLOOR**2
        white = np.linalg.inv(np.linalg.cholesky(cov))
        off = cv2.transform(lab, np.hstack([white, -white @ middle[j][:, None].astype(np.float64)]))
        weight = np.log(max(len(own), 1) / len(sample)) - 0.5 * float(np.linalg.slogdet(cov)[1])
        best = np.logaddexp(best, weight - 0.5 * cv2.transform(off * off, np.ones((1, 3))))
    return np.asarray(best)


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


def _finer(frame: Rgb, mask: Mask, k: float) -> Mask:
    """The border found again at full size, in a band as wide as the smaller grid leaves open."""
    doubt = 2.0 * k + 1
    solid = mask.astype(np.uint8)
    sure_in = cv2.distanceTransform(solid, cv2.DIST_L2, 5) > doubt
    sure_out = cv2.distanceTransform(1 - solid, cv2.DIST_L2, 5) > doubt
    if sure_in.all() or sure_out.all():
        return mask
    ys, xs = np.nonzero(~sure_out)
    box = (slice(max(0, ys.min() - 2), ys.max() + 3), slice(max(0, xs.min() - 2), xs.max() + 3))
    lab = linear_to_lab(np.ascontiguousarray(frame[box]))
    value = np.zeros(lab.shape[:2])
    value[sure_in[box]], value[sure_out[box]] = HARD, -HARD
    out = np.zeros_like(mask)
    out[box] = cut(np.maximum(-value, 0), np.maximum(value, 0), stepped(lab, noise=1.0), LENGTH)
    return out


def softened(mask: Mask) -> Matte:
    """A mask with a narrow soft edge (h, w)."""
    return np.asarray(cv2.GaussianBlur(mask.astype(np.float32), (0, 0), SOFT), np.float32)
