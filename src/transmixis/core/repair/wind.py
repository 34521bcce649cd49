"""How what lies behind a rig has moved, told from around it: smooth flow of windows (Lucas & Kanade, 1981), coarse to fine, in which what
is hidden does not count; then carried through what is hidden by the best linear estimate from around it (kriging: Matheron, 1963), whose reach is
chosen by hiding other places of the same form."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from scipy.linalg import cho_factor, cho_solve

from transmixis.core.types import Array, Mask

# size at which is looked, 1 / so many px; softening there, px; window there, px (gaussian sigmas); rounds
LEVELS = ((4, 0.8, 6.0, 4), (2, 0.8, 8.0, 3), (1, 0.8, 11.0, 2), (1, 0.5, 7.0, 2))
OWN = 0.3  # of how far a window's px are off: so much is not odd in it
FARTHEST = 2.0  # px of a level that one round may move by
LINE = 30_000  # points that are read at once
STEP = 8  # px between the places at which flow is kept
SEEN = 0.75  # of a window that must be seen
AROUND = 60  # px about what is hidden that tells of it
REACHES, DOUBTS = (16.0, 24.0, 32.0, 45.0, 64.0, 90.0, 128.0), (1e-3, 1e-2, 1e-1)
ODD = 6.0  # times the median of how far the places are off what the others tell: such a one is wrong
FEW = 24  # places: from fewer nothing is told
MOST = 700  # places; more bring nothing but time


def flow(reference: Array, now: Array, seen: Array, start: Array) -> Array:
    """(2, h, w) px: where in `reference` (h, w) lies what `now` (h, w) shows at each px, both coded luma in the same light; it counts by `seen` (h, w)
    0..1. `start` (2, h, w) is what is known before."""
    h, w = now.shape
    u: Array = np.asarray(start, np.float32)
    for scale, soft, window, rounds in LEVELS:
        size = (max(8, w // scale), max(8, h // scale))
        weight = _sized(seen, size)
        a = cv2.GaussianBlur(_sized(reference, size), (0, 0), soft)
        b = _softened(_sized(now * seen, size), weight, soft)
        factor = np.array([size[0] / w, size[1] / h], np.float32)[:, None, None]
        small = np.stack([_sized(v, size) for v in u]) * factor
        for _ in range(rounds):
            small += _step(a, b, weight, small, window)
        u = np.stack([cv2.resize(v, (w, h), interpolation=cv2.INTER_CUBIC) for v in small]) / factor
    return np.asarray(u, np.float32)


def _sized(x: Array, size: tuple[int, int]) -> Array:
    if (x.shape[1], x.shape[0]) == size:
        return np.asarray(x, np.float32)
    return np.asarray(cv2.resize(np.asarray(x, np.float32), size, interpolation=cv2.INTER_AREA))


def _softened(x: Array, weight: Array, sigma: float) -> Array:
    """What is seen, softened; what is hidden has no part in it (`x` is weighted already)."""
    return np.asarray(cv2.GaussianBlur(x, (0, 0), sigma) / np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3))


def _step(a: Array, b: Array, weight: Array, u: Array, window: float) -> Array:
    """By how much the flow is off: the least squares of each window, places that differ by much counting little."""
    h, w = b.shape
    x, y = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    there = cv2.remap(a, x + u[0], y + u[1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT)
    gx, gy = cv2.Sobel(there, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(there, cv2.CV_32F, 0, 1, scale=1 / 8)
    off = b - there
    middle = float(np.median(np.abs(off[weight > 0.5]))) * 1.4826 if (weight > 0.5).any() else 1.0
    local = cv2.GaussianBlur(np.abs(off) * weight, (0, 0), window) / np.maximum(cv2.GaussianBlur(weight, (0, 0), window), 1e-3)
    spread = np.maximum(OWN * local, middle)  # what moves otherwise as a whole is not odd
    counts = weight / (1 + off * off / np.maximum(9 * spread * spread, 1e-10))

    def over(v: Array) -> Array:
        return np.asarray(cv2.GaussianBlur(v * counts, (0, 0), window))

    xx, xy, yy, xo, yo = over(gx * gx), over(gx * gy), over(gy * gy), over(gx * off), over(gy * off)
    little = 1e-3 * float((xx + yy).mean()) + 1e-12  # a plain window stays where it is
    xx, yy = xx + little, yy + little
    det = xx * yy - xy * xy
    d = np.stack([(yy * xo - xy * yo) / det, (xx * yo - xy * xo) / det])
    return np.asarray(d * np.minimum(1, FARTHEST / np.maximum(np.hypot(d[0], d[1]), 1e-9)), np.float32)


def grid_of(shape: tuple[int, int]) -> tuple[Array, Array]:
    """The places (gh, gw) x and y px at which flow is kept."""
    y, x = np.mgrid[STEP // 2 : shape[0] : STEP, STEP // 2 : shape[1] : STEP].astype(np.float64)
    return x, y


def on_grid(values: Array) -> Array:
    """(..., h, w) at the grid's places."""
    return np.asarray(values[..., STEP // 2 :: STEP, STEP // 2 :: STEP])


def off_grid(values: Array, shape: tuple[int, int]) -> Array:
    """(2, gh, gw) at the grid's places read at every px of `shape`."""
    h, w = shape
    both = np.ascontiguousarray(np.moveaxis(values, 0, 2), np.float32)
    to = np.array([[1 / STEP, 0, -(STEP // 2) / STEP], [0, 1 / STEP, -(STEP // 2) / STEP]])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    return np.ascontiguousarray(np.moveaxis(cv2.warpAffine(both, to, (w, h), flags=flags, borderMode=cv2.BORDER_REPLICATE), 2, 0))


def read_grid(values: Array, points: Array) -> Array:
    """(n, 2) of values (2, gh, gw) at the grid's places, read at points (n, 2) px."""
    both = np.ascontiguousarray(np.moveaxis(values, 0, 2), np.float32)
    at = ((np.asarray(points, np.float64) - 0.5 - STEP // 2) / STEP).astype(np.float32)
    out = np.zeros((len(at), 2), np.float32)
    for k in range(0, len(at), LINE):  # no picture of remap's may be larger
        part = at[k : k + LINE]
        out[k : k + LINE] = cv2.remap(both, part[:, None, 0], part[:, None, 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)[
            :, 0
        ]
    return out


@dataclass(frozen=True)
class Bridge:
    """Carries flow into what is hidden: from the grid's places `known` (gh, gw) to those of `hidden`; `reach` px that it goes on alike, `doubt` of
    what is measured, of its variance; `off` px that it missed other places of the same form by, in the median, when they were hidden."""

    known: Mask
    hidden: Mask
    reach: float
    doubt: float
    off: float

    def over(self, flow_: Array) -> Array:
        """The flow (2, gh, gw) with what is hidden told from around it."""
        out = flow_.astype(np.float64)
        known = _sound(flow_, self.known, self.reach, self.doubt)
        if known.sum() < FEW or not self.hidden.any():
            out[:, self.hidden] = 0
            return out
        weights = _weights(_places(known), _places(self.hidden), self.reach, self.doubt)
        out[:, self.hidden] = flow_[:, known] @ weights
        return out


def bridge(hidden_px: Mask, moving: Array, flows: Sequence[Array]) -> Bridge:
    """How flow is carried into `hidden_px` (h, w): from what `moving` (h, w) 0..1 says moves about it. `flows` (2, gh, gw) of some frames choose how
    far it goes on alike."""
    known, hidden = _parted(hidden_px, moving)
    held = _others(on_grid(hidden_px.astype(np.uint8)) > 0, known)
    if not held or not flows:
        return Bridge(known, hidden, REACHES[2], DOUBTS[1], float("nan"))
    told = {}
    for reach in REACHES:
        for doubt in DOUBTS:
            off = [e for m in held for e in _missed(known, m, reach, doubt, flows)]
            told[reach, doubt] = float(np.mean(off)) if off else float("inf")
    best = min(told, key=lambda k: told[k])
    return Bridge(known, hidden, *best, told[best])


def bridge_at(hidden_px: Mask, moving: Array, reach: float, doubt: float) -> Bridge:
    """The same where reach and doubt were chosen before, for what is hidden in another frame."""
    return Bridge(*_parted(hidden_px, moving), reach, doubt, float("nan"))


def _parted(hidden_px: Mask, moving: Array) -> tuple[Mask, Mask]:
    """The grid's places that tell of what is hidden, and those that are."""
    open_ = (~hidden_px).astype(np.float32)
    seen = on_grid(cv2.GaussianBlur(open_, (0, 0), LEVELS[-1][2])) > SEEN
    near = on_grid(cv2.dilate(hidden_px.astype(np.uint8), np.ones((2 * AROUND + 1, 2 * AROUND + 1), np.uint8))) > 0
    within = np.zeros_like(seen)
    within[1:-1, 1:-1] = True
    known = seen & within & near & (on_grid(open_) > 0.5) & (on_grid(moving) > 0.5)
    hidden = ~seen & (on_grid(cv2.dilate(hidden_px.astype(np.uint8), np.ones((2 * STEP + 1, 2 * STEP + 1), np.uint8))) > 0)
    rows = np.flatnonzero(known.ravel())
    if len(rows) > MOST:
        known = np.zeros(known.size, bool)
        known[rows[:: -(-len(rows) // MOST)]] = True
        known = known.reshape(seen.shape)
    return known, hidden


def _others(hidden: Mask, known: Mask) -> list[Mask]:
    """Places of the same form elsewhere, all of which are known."""
    ys, xs = np.nonzero(hidden)
    if not len(xs):
        return []
    out = []
    wide = int(np.ptp(xs)) + 1
    for dx in {sign * max(3, round(f * min(wide, 24))) for f in (0.5, 0.8, 1.2) for sign in (-1, 1)}:
        m = np.zeros_like(known)
        ok = (xs + dx >= 0) & (xs + dx < known.shape[1])
        m[ys[ok], xs[ok] + dx] = True
        m &= known
        if m.sum() >= FEW // 2:
            out.append(m)
    return out


def _missed(known: Mask, hidden: Mask, reach: float, doubt: float, flows: Sequence[Array]) -> list[float]:
    rest = known & (cv2.dilate(hidden.astype(np.uint8), np.ones((3, 3), np.uint8)) == 0)
    if rest.sum() < FEW:
        return []
    weights = _weights(_places(rest), _places(hidden), reach, doubt)
    return [float(np.median(np.abs(f[:, rest] @ weights - f[:, hidden]))) for f in flows]


def _places(which: Mask) -> Array:
    y, x = np.nonzero(which)
    return np.stack([x, y], 1) * float(STEP)


def _alike(a: Array, b: Array, reach: float) -> Array:
    return np.asarray(np.exp(-((a[:, None] - b[None]) ** 2).sum(axis=2) / (2 * reach * reach)))


def _weights(known: Array, hidden: Array, reach: float, doubt: float) -> Array:
    """(known, hidden): what each known place has to say at each hidden one."""
    k = _alike(known, known, reach) + doubt * np.eye(len(known))
    return np.asarray(cho_solve(cho_factor(k), _alike(known, hidden, reach)))


def _sound(flow_: Array, known: Mask, reach: float, doubt: float) -> Mask:
    """The known places without those that are off what all others tell of them."""
    places = _places(known)
    if len(places) < FEW:
        return known
    k = _alike(places, places, reach) + max(doubt, 1e-3) * np.eye(len(places))
    inverse = cho_solve(cho_factor(k), np.eye(len(places)))
    left = np.abs(flow_[:, known] @ inverse) / np.diag(inverse)  # each left out in turn
    odd = (left > ODD * np.median(left, axis=1, keepdims=True) + 1e-6).any(axis=0)
    out = known.copy()
    out[known] = ~odd
    return out
