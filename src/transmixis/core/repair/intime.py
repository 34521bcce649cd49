"""Borrowing in time: what a frame hides, from the frames of the take that show it, laid over one another, evened, and averaged where they agree."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import cv2
import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.repair.backing import Backing, carried_on, light_of, looked_up
from transmixis.core.repair.fusing import fused
from transmixis.core.repair.laying import WIDER, Box, bounds, spread
from transmixis.core.repair.parallax import aside
from transmixis.core.repair.quiet import quietened
from transmixis.core.types import Array, Mask, Rgb

APART, CLOSE = 24, 8  # frames from one anchor to the next; where near things pass far ones, which few frames show alike
FAR = (
    30,
    38,
    48,
    60,
    76,
    96,
    120,
    152,
    192,
    240,
    300,
    380,
    480,
)  # frames from the anchor that are looked at beside those near it
NEAR, NEARER = 10.0, 4.0  # frames: those nearer in time count more, half as much so far away; the same for CLOSE anchors
FARTHEST = 24  # frames from a CLOSE anchor that are looked at
SHARP = 2.0  # how much more a sharper frame counts
ROOM = 24  # px about what is hidden that are known too, for its light and its border
FULL, ENOUGH = 2.0, 5.0  # frames averaged: up to so many their grain is taken out, from so many on it is little
MOST = 20_000_000  # places times frames that are held at once: 320 MB
LARGEST = 2.5  # frames' areas: more of the background is not kept at once

Look = Callable[[int], tuple[Rgb, Mask]]


def anchors(length: int, apart: int = APART) -> list[int]:
    """The frames at which background is gathered, so that every frame lies between two of them or beside one."""
    count = max(1, round(length / apart))
    return [round((k + 0.5) * length / count + 0.5) for k in range(count)]


def told_of(length: int, anchor: int, all_: Sequence[int]) -> tuple[int, int]:
    """The first and last frame that an anchor's background serves: up to the anchors beside it."""
    k = list(all_).index(anchor)
    return (1 if k == 0 else all_[k - 1]), (length if k == len(all_) - 1 else all_[k + 1])


def looked_at(length: int, anchor: int, first: int, last: int, depths: bool = False) -> list[int]:
    """The frames that are looked at for an anchor's background: all that it serves, and some further ones; no far ones where there are `depths`."""
    steps = range(CLOSE, FARTHEST + 1, 4) if depths else FAR
    far = [anchor + s * d for d in steps for s in (-1, 1)]
    return sorted({*range(first, last + 1), *(n for n in far if 1 <= n <= length)})


def wanted(look: Look, matrices: Mapping[int, Array], serves: Sequence[int], shape: tuple[int, int]) -> tuple[Mask, int, int]:
    """The places of the anchor that the frames it `serves` want to know: a mask with the px (left, top) at which it begins; empty where nothing is hidden."""
    every: list[tuple[Array, Mask]] = []
    for n in serves:
        if n in matrices:
            hidden = look(n)[1]
            if hidden.any():
                every.append((np.linalg.inv(matrices[n]), spread(hidden, 2 * ROOM + 1)))
    if not every:
        return np.zeros((0, 0), bool), 0, 0
    left, top, right, bottom = _around(every, shape)
    out = np.zeros((bottom - top, right - left), bool)
    shift = np.array([[1, 0, -left - 0.5], [0, 1, -top - 0.5], [0, 0, 1.0]])
    whole = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    for back, mask in every:
        laid = cv2.warpPerspective(
            mask.astype(np.uint8), shift @ back @ whole, (out.shape[1], out.shape[0]), flags=cv2.INTER_NEAREST
        )
        out |= laid > 0
    return spread(out, 5), left, top  # nothing is lost at its border by going back and forth


def _around(every: Sequence[tuple[Array, Mask]], shape: tuple[int, int]) -> Box:
    corners = []
    for back, mask in every:
        box = bounds([mask])
        assert box is not None
        x0, y0, x1, y1 = box
        corners.append(moved_points(back, np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float)))
    low, high = np.floor(np.vstack(corners).min(axis=0)), np.ceil(np.vstack(corners).max(axis=0))
    h, w = shape
    middle, room = np.array([w, h]) / 2, LARGEST**0.5 * np.array([w, h]) / 2
    (left, top), (right, bottom) = np.maximum(low - 3, middle - room), np.minimum(high + 3, middle + room)
    return int(left), int(top), max(int(right), int(left) + 1), max(int(bottom), int(top) + 1)


def gathered(
    look: Look, matrices: Mapping[int, Array], anchor: int, want: Mask, left: int, top: int, law: Array, depths: bool = False
) -> Backing:
    """The background in the anchor's place and light, where it is wanted (h, w, beginning at `left`, `top`), from the frames of `matrices`; `law` (3, 2) is
    the noise of one. `depths`: what lies nearer and farther is laid aside by flow."""
    picture, hidden = look(anchor)
    y, x = np.nonzero(want)
    places = np.stack([x + left + 0.5, y + top + 0.5], 1)
    near = sorted(matrices, key=lambda n: abs(n - anchor))
    frames = near[:: max(1, -(-len(near) * len(places) // MOST))]  # of a large place fewer, near and far alike
    values = np.zeros((len(frames), len(places), 3), np.float32)
    weights = np.zeros((len(frames), len(places)), np.float32)
    sharp = np.zeros(len(frames))
    base, seen = sampled_at(picture, hidden, np.eye(3), places)
    own = _laid(base, seen, want)
    for k, n in enumerate(frames):
        source, gone = (picture, hidden) if n == anchor else look(n)
        v, there = (base, seen) if n == anchor else sampled_at(source, gone, matrices[n], places)
        both = _laid(v, there, want)
        gain = light_of(both[0], own[0], both[1] & own[1]) if n != anchor else np.ones(3, np.float32)
        u = aside(both[0] * gain, own[0], both[1] & own[1]) if depths and n != anchor else None
        if u is not None:  # what is nearer or farther than the surface
            v, there = sampled_at(source, gone, matrices[n], places + u[:, want].T)
            both = _laid(v, there, want)
        values[k], weights[k] = v * gain, there / (1 + abs(n - anchor) / (NEARER if depths else NEAR))
        sharp[k] = _detail(both[0] * gain, both[1] & own[1], own[0])
    known = np.isfinite(sharp)
    weights *= np.where(known, np.clip(np.nan_to_num(sharp, nan=1.0), 0.2, 1.2) ** SHARP, 1.0).astype(np.float32)[:, None]
    mean, count = fused(values, weights, law)
    out, many = np.zeros((*want.shape, 3), np.float32), np.zeros(want.shape, np.float32)
    out[want], many[want] = mean, count
    return _without_grain(Backing(out, many, left, top, law))


def _without_grain(b: Backing) -> Backing:
    """Where few frames were averaged their grain is taken out, else it would stand still in all that it is laid into."""
    few = b.known & (b.count < ENOUGH)
    if not few.any():
        return b
    quiet, rest = quietened(
        np.ascontiguousarray(carried_on(b.picture, b.known)), b.law / np.maximum(np.median(b.count[few]), 1), far=5
    )
    share = np.clip((ENOUGH - b.count) / (ENOUGH - FULL), 0, 1) * few  # all of it up to FULL frames, none from ENOUGH on
    picture = b.picture + share[..., None] * (quiet - b.picture)
    count = np.where(few, b.count / np.maximum(1 - share * (1 - rest), 0.02), b.count)
    return replace(b, picture=picture.astype(np.float32), count=count.astype(np.float32))


def sampled_at(picture: Rgb, hidden: Mask, matrix: Array, places: Array) -> tuple[Array, Mask]:
    """What a frame shows of places (n, 2) px of the anchor, and where it shows them."""
    h, w = hidden.shape
    at = moved_points(matrix, places)
    rim = 0.0 if np.array_equal(matrix, np.eye(3)) else 1.0
    inside = (at[:, 0] > rim) & (at[:, 1] > rim) & (at[:, 0] < w - rim) & (at[:, 1] < h - rim)
    values, there = np.zeros((len(places), 3), np.float32), np.zeros(len(places), bool)
    if not inside.any():
        return values, there
    low, high = np.floor(at[inside].min(axis=0)).astype(int) - 8, np.ceil(at[inside].max(axis=0)).astype(int) + 8
    x0, y0, x1, y1 = max(0, low[0]), max(0, low[1]), min(w, high[0]), min(h, high[1])
    p = at[inside]
    if np.array_equal(matrix, np.eye(3)):
        ij = np.floor(p).astype(int)
        values[inside] = picture[ij[:, 1], ij[:, 0]]
    else:
        values[inside] = Splined(np.ascontiguousarray(picture[y0:y1, x0:x1])).at(p - (x0, y0))[0]
    there[inside] = ~looked_up(spread(hidden, WIDER + 2), p, True)
    return values, there


def _laid(values: Array, there: Mask, want: Mask) -> tuple[Rgb, Mask]:
    out, known = np.zeros((*want.shape, 3), np.float32), np.zeros(want.shape, bool)
    out[want], known[want] = values, there
    return out, known


def _detail(picture: Rgb, both: Mask, other: Rgb) -> float:
    """How much detail a picture has against another where both are known; nan where too little is."""
    inner = cv2.erode(both.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    if inner.sum() < 400:
        return float("nan")
    a, b = (cv2.Laplacian(cv2.GaussianBlur(p.mean(axis=2), (0, 0), 1.0), cv2.CV_32F)[inner].std() for p in (picture, other))
    return float(a / max(b, 1e-6))
