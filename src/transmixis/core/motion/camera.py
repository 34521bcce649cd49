"""How the whole picture moves between two frames (the camera's motion), robust to people who walk through.

Corners are followed by sparse optical flow (Lucas & Kanade, pyramidal) forwards and backwards (Kalal, Mikolajczyk, Matas,
2010). Movements are proposed by single points and by pairs; the one shared at the most places of the frame wins, so that a
well-textured person does not outvote a plain wall. Phase correlation and image alignment follow the people instead.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np

from transmixis.core.motion.backdrop import Backdrop
from transmixis.core.motion.similarity import Similarity, fit_similarity
from transmixis.core.types import Array, Mask

AGREE = 0.3  # px: points within this of a movement share it
PLACES = (24, 14)  # the frame's division into places, across and down
REGIONS = (5, 4)  # and into regions
PAIRS = 160  # movements proposed by pairs of points
POINTS = 480
LEAST = 12  # points that must be followed
LEAST_PLACES = 6  # places that must share the movement
EDGE = 0.35  # weight of a movement that no place at the frame's edges shares, over one that all of them do
RIVAL = 0.45  # of the best movement's score: another one that reaches it competes with it
APART = 1.0  # px: two movements nearer than this are one
BIAS = 0.005  # px: what interpolation adds to the error of every shift, seen on shifted pictures (docs/limits.md)
SIGNIFICANT = 4.0  # standard errors: less rotation or growth than this is taken for none (followed points err alike nearby)


@dataclass(frozen=True)
class Anchor:
    """A frame to measure others against: its (h, w) uint8 picture from `grey_of`, its corners (n, 2) as OpenCV
    counts pixels (centres are whole numbers), and its screen if it is a
    plate with one."""

    grey: Array
    corners: Array
    backdrop: Backdrop | None = None


@dataclass(frozen=True)
class Move:
    """Motion of a frame against its anchor, about the frame's centre: px, degrees anticlockwise as seen, factor.

    `error` is the standard error of x and y together, px; `points` agree. Falsy, with a reason, when not measured.
    """

    x: float = 0.0
    y: float = 0.0
    turn: float = 0.0
    grow: float = 1.0
    error: float = 0.0
    points: int = 0
    reason: str = ""

    def __bool__(self) -> bool:
        return not self.reason

    @property
    def length(self) -> float:
        return float(np.hypot(self.x, self.y))

    def similarity(self, shape: tuple[int, ...]) -> Similarity:
        """The same as a transform of a frame of `shape` (h, w)."""
        return Similarity(self.x, self.y, self.turn, self.grow, (shape[1] / 2, shape[0] / 2))


def anchor_of(grey: Array, *, where: Mask | None = None, points: int = POINTS) -> Anchor:
    """The corners of a picture from all over: each of eight parts gives its share, so that one busy part does not take all."""
    h, w = grey.shape
    found = []
    for j in range(2):
        for i in range(4):
            y, x = j * h // 2, i * w // 4
            part = np.ascontiguousarray(grey[y : y + h // 2, x : x + w // 4])
            mask = None if where is None else where[y : y + h // 2, x : x + w // 4].astype(np.uint8)
            p = cv2.goodFeaturesToTrack(part, max(1, points // 8), 0.02, 7, mask=mask, blockSize=7)
            if p is not None:
                found.append(p.reshape(-1, 2) + np.array([x, y], np.float32))
    return Anchor(grey, np.concatenate(found) if found else np.empty((0, 2), np.float32))


def measure_move(anchor: Anchor, grey: Array, *, only_shift: bool = False) -> Move:
    """Motion of `grey` (from `grey_of`) against the anchor. Rotation and growth are 0 and 1 where they are not significant."""
    return follow(anchor, grey, only_shift=only_shift).move


@dataclass(frozen=True)
class Followed:
    """The camera's motion; the median motion (x, y) px of what moves otherwise with its share of the points (3,); and a movement
    that competes with the camera's: its shift (x, y) px and its share of the points, else zeros."""

    move: Move
    others: Array
    rival: Array = field(default_factory=lambda: np.zeros(3))


def follow(anchor: Anchor, grey: Array, *, only_shift: bool = False, known: Move | None = None) -> Followed:
    """Follow the anchor's corners into `grey`, and tell the camera's motion from that of others. `known`: the camera's motion, as
    read otherwise; then only the others' is told."""
    nothing = np.zeros(3)
    if len(anchor.corners) < LEAST:
        return Followed(Move(reason="too little texture to measure the camera by"), nothing)
    at, there = _followed_both_ways(anchor, grey)
    if len(at) < LEAST:
        return Followed(Move(reason="too few points can be followed", points=len(at)), nothing)
    h, w = grey.shape
    rival = nothing
    if known is not None:
        off = np.linalg.norm(known.similarity(grey.shape).apply(at) - there, axis=1)
        move, near = known, off < max(AGREE, 3 * known.error)
    else:
        shared = _shared_movement(at, there, grey.shape, only_shift=only_shift)
        if shared is None or shared[0].sum() < 8:
            agree = 0 if shared is None else int(shared[0].sum())
            return Followed(Move(reason="the points do not agree on one movement", points=agree), nothing)
        near, rival = shared
        move = _fitted(at[near], there[near], (w / 2, h / 2), only_shift=only_shift)
    own = there - move.similarity(grey.shape).apply(at)
    moving = np.linalg.norm(own, axis=1) > 2 * AGREE
    others = np.array([*np.median(own[moving], axis=0), moving.mean()]) if moving.sum() >= 6 else nothing
    return Followed(move, others, rival)


def _followed_both_ways(anchor: Anchor, grey: Array) -> tuple[Array, Array]:
    """Where points were and are, px with centres at +0.5."""
    crit = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 30, 0.003)
    start = anchor.corners.reshape(-1, 1, 2)
    size = {"winSize": (21, 21), "maxLevel": 3, "criteria": crit}
    there, ok1, _ = cv2.calcOpticalFlowPyrLK(anchor.grey, grey, start, np.empty(0), **size)  # type: ignore[call-overload]
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(grey, anchor.grey, there, np.empty(0), **size)  # type: ignore[call-overload]
    a, b, c = start.reshape(-1, 2), np.asarray(there).reshape(-1, 2), np.asarray(back).reshape(-1, 2)
    good = (ok1.ravel() > 0) & (ok2.ravel() > 0) & (np.linalg.norm(c - a, axis=1) < 0.3)
    h, w = grey.shape
    inside = (b[:, 0] > 4) & (b[:, 1] > 4) & (b[:, 0] < w - 5) & (b[:, 1] < h - 5)
    return a[good & inside].astype(np.float64) + 0.5, b[good & inside].astype(np.float64) + 0.5


def _shared_movement(at: Array, there: Array, shape: tuple[int, ...], *, only_shift: bool) -> tuple[Mask, Array] | None:
    """Mask of the points that share the movement found at the most places of the frame, those at its edges before all, since
    what is filmed stands in the middle; and a movement (x, y px, share of the points) that competes with it, else zeros. None if
    no movement is shared."""
    factors, shifts = _proposed(at, there, only_shift=only_shift)
    z, t = at @ np.array([1, 1j]), there @ np.array([1, 1j])
    off = np.abs(factors[:, None] * z[None] + shifts[:, None] - t[None])  # (movements, points)
    agree = off < AGREE
    fine = _places(agree, at, shape, PLACES)
    # a person is compact: what is shared all over the frame counts for more
    spread_out = np.where(fine >= LEAST_PLACES, fine * _places(agree, at, shape, REGIONS), 0)
    score = spread_out * (EDGE + (1 - EDGE) * _at_edges(agree, at, shape))
    if score.max() == 0:
        return None
    best = np.flatnonzero(score >= 0.85 * score.max())
    # what the camera does is shared closely by all that stands still; a body's parts each move in their own way
    spread = [float(off[i][agree[i]].mean()) for i in best]
    near = agree[best[int(np.argmin(spread))]]
    for _ in range(4):
        off_now = _offsets(at[near], there[near], at, there, only_shift=only_shift)
        limit = min(AGREE, max(0.06, 3.5 * float(np.median(off_now[near]))))
        again = off_now < limit
        if again.sum() < 8 or (again == near).all():
            break
        near = again
    return near, _rival(near, agree, spread_out, at, there)


def _at_edges(agree: Mask, at: Array, shape: tuple[int, ...]) -> Array:
    """Share of the places along the frame's left, upper and right edge that have points and share each movement."""
    across, down = PLACES
    u, v = (at[:, 0] // (shape[1] / across)).astype(int), (at[:, 1] // (shape[0] / down)).astype(int)
    edge = (u < 2) | (u >= across - 2) | (v < 2)
    if edge.sum() < 4:
        return np.ones(len(agree))
    most = _places(np.ones((1, int(edge.sum())), bool), at[edge], shape, PLACES)[0]
    return np.asarray(_places(agree[:, edge], at[edge], shape, PLACES) / most)


def _rival(near: Mask, agree: Mask, score: Array, at: Array, there: Array) -> Array:
    """The best other movement, if nearly as much of the frame shares it."""
    shared = (agree & near[None]).sum(axis=1)
    own = float(score[shared > 0.7 * agree.sum(axis=1)].max(initial=0.0))
    other = np.where((shared < 0.3 * agree.sum(axis=1)) & (score > RIVAL * own), score, 0)
    if other.max() == 0:
        return np.zeros(3)
    mask = agree[int(np.argmax(other))] & ~near
    if mask.sum() < 8:
        return np.zeros(3)
    shift = np.median(there[mask] - at[mask], axis=0)
    if np.hypot(*(shift - np.median(there[near] - at[near], axis=0))) < APART:
        return np.zeros(3)
    return np.array([*shift, mask.mean()])


def _proposed(at: Array, there: Array, *, only_shift: bool) -> tuple[Array, Array]:
    """Movements as complex factor and shift: one of each point alone, and of pairs of points that lie far apart."""
    z, t = at @ np.array([1, 1j]), there @ np.array([1, 1j])
    n = len(z)
    step = max(1, n // 240)
    factors, shifts = np.ones(len(z[::step]), complex), (t - z)[::step]
    if only_shift:
        return factors, shifts
    rng = np.random.default_rng(7)
    i = rng.integers(0, n, PAIRS)
    j = (i + rng.integers(n // 4 + 1, max(n // 4 + 2, 3 * n // 4), PAIRS)) % n
    apart = np.abs(z[j] - z[i]) > 0.15 * np.abs(z).max()
    f = (t[j] - t[i])[apart] / (z[j] - z[i])[apart]
    sane = (np.abs(np.abs(f) - 1) < 0.2) & (np.abs(np.angle(f)) < 0.35)
    return np.concatenate([factors, f[sane]]), np.concatenate([shifts, (t[i][apart] - f * z[i][apart])[sane]])


def _places(agree: Mask, at: Array, shape: tuple[int, ...], grid: tuple[int, int]) -> Array:
    """How many different cells of a grid (across, down) over the frame share each movement."""
    cell = (at[:, 1] // (shape[0] / grid[1])).astype(int) * grid[0] + (at[:, 0] // (shape[1] / grid[0])).astype(int)
    order = np.argsort(cell, kind="stable")
    starts = np.flatnonzero(np.r_[True, np.diff(cell[order]) > 0])
    return np.asarray(np.logical_or.reduceat(agree[:, order], starts, axis=1).sum(axis=1))


def _offsets(a: Array, b: Array, at: Array, there: Array, *, only_shift: bool) -> Array:
    if only_shift or np.ptp(a, axis=0).max() < 1:
        moved = at + np.median(b - a, axis=0)
    else:
        moved = fit_similarity(a, b).apply(at)
    return np.asarray(np.linalg.norm(moved - there, axis=1))


def _fitted(a: Array, b: Array, centre: tuple[float, float], *, only_shift: bool) -> Move:
    """Motion about the centre with its error; a plain shift (the median) unless rotation or growth are significant."""
    middle = np.median(b - a, axis=0)
    spread = 1.4826 * np.median(np.abs(b - a - middle), axis=0)
    n = len(a)
    plain = Move(
        float(middle[0]), float(middle[1]), error=float(np.hypot(1.2533 * np.hypot(*spread) / np.sqrt(n), BIAS)), points=n
    )
    radius = float(np.sqrt(((a - a.mean(axis=0)) ** 2).sum(axis=1).mean()))
    if only_shift or radius < 10:
        return plain
    full = fit_similarity(a, b, pivot=centre)
    rest = np.linalg.norm(full.apply(a) - b, axis=1)
    # points near each other err alike, so they count for a quarter of as many
    sigma = 2 * float(np.sqrt((rest**2).sum() / max(2 * n - 4, 1)))
    turn_error = sigma / (radius * np.sqrt(n))
    change = max(abs(np.radians(full.turn)), abs(full.grow - 1))
    if change < max(SIGNIFICANT * turn_error, 2e-5):
        return plain
    reach = float(np.hypot(*(a.mean(axis=0) - np.array(centre))))  # the centre is told by points that lie elsewhere
    error = float(np.hypot(np.hypot(sigma * np.sqrt(2 / n), reach * turn_error), BIAS))
    return Move(full.x, full.y, full.turn, full.grow, error, n)


def measure_shift(reference: Array, grey: Array, *, where: Mask | None = None) -> Move:
    """Plain shift of `grey` against `reference`, both from `grey_of`, read `where` (h, w) is true."""
    return measure_move(anchor_of(reference, where=where), grey, only_shift=True)
