"""Features of a whole take: found all over the frame, followed from frame to frame, and each then fitted against its first sighting.

Flow from frame to frame adds its errors up, and a point then slides by several tenths of a pixel over a take; an affine fit against the
first sighting does not. Positions are (x, y) px, pixel centres at +0.5.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from transmixis.core.errors import UserError
from transmixis.core.motion import fit
from transmixis.core.motion.features import coded8
from transmixis.core.motion.sampling import Splined
from transmixis.core.progress import Progress
from transmixis.core.types import Array, Mask

HALF = 8  # px, half the side of what is fitted
CELLS = (14, 8)  # the frame's division, across and down, in each of which features are wanted
BORDER = HALF + 4
AGREE = 0.5  # px, flow forwards and backwards (Kalal, Mikolajczyk, Matas, 2010)
BESIDE = 1.5  # px that the fit may lie beside the flow
ALIKE = 0.8  # correlation with the first sighting
SHORTEST = 3  # frames
PLAIN = 0.01  # of the strongest corner: less is no feature
KEPT_EVERY = 3.0  # s
ROUNDS, OPEN, STEP, DONE = 12, 4.0, 1.0, 3e-3
WINDOW = {"winSize": (21, 21), "maxLevel": 3, "criteria": (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 30, 0.01)}


@dataclass(frozen=True)
class Tracks:
    """`places` (frames, k, 2) px, nan where not seen; `errors` (frames, k) px as each fit tells."""

    places: Array
    errors: Array

    @property
    def count(self) -> int:
        return int(self.places.shape[1])


class _Sighted:
    """What a track looked like when it was first seen, ready to be fitted; tables as core.motion.fit has them."""

    def __init__(self, spline: Splined, at: Array) -> None:
        side = np.arange(-HALF, HALF + 1)
        ys, xs = np.floor(at[1]).astype(int) + side, np.floor(at[0]).astype(int) + side
        gy, gx = (g.ravel() for g in np.meshgrid(ys, xs, indexing="ij"))
        self.points = np.stack([gx + 0.5, gy + 0.5], 1)
        reach = HALF + 0.5
        self.own = (self.points - at) / reach
        values, right, down = spline.pixels(gy, gx)
        self.values = values
        self.columns, self.products = fit.answers(values, right * np.float32(reach), down * np.float32(reach), self.own, 6)
        self.frame = np.array([[1 / reach, 0, -at[0] / reach], [0, 1 / reach, -at[1] / reach], [0, 0, 1]])
        self.unit = np.linalg.inv(self.frame)
        self.corners = at + reach * np.array([[-1.0, -1], [1, -1], [1, 1], [-1, 1]])
        self.at, self.matrix, self.misses = np.asarray(at), np.eye(3), 0


Half = Mapping[str, Array]


def follow_all(
    picture: Callable[[int], Array],
    frames: int,
    holdout: Callable[[int], Mask | None] | None = None,
    progress: Progress | None = None,
    *,
    half: Half | None = None,
    keep: Callable[[Half], None] | None = None,
    every: float = KEPT_EVERY,
) -> Tracks:
    """Features of the frames 0..frames - 1. `picture(i)` gives a linear frame (h, w, 3), `holdout(i)` what does not count. What there is
    so far is given to `keep` every so many seconds, and at the end; with it as `half` the work goes on from there, to the same result."""
    progress = progress or Progress()
    work = _Work.resumed(half, picture, frames) if half else _Work()
    broken: UserError | None = None
    kept = time.monotonic()
    for i in range(work.done, frames):
        progress.at(i, frames, "following features")
        try:
            linear = np.asarray(picture(i), np.float32)
        except UserError as e:  # one damaged frame ends no job: features are found again in the next
            broken = broken or e
            continue
        work.follow(i, linear, holdout(i) if holdout is not None else None)
        if keep is not None and (time.monotonic() - kept >= every or i == frames - 1):
            keep(work.half())
            kept = time.monotonic()
    if work.last is None and broken is not None:
        raise broken
    return _table([s for s in work.seen if len(s) >= SHORTEST], frames)


class _Work:
    """What is known after some frames: of each track where it was `seen` (frame to place and error), and those that are `alive`."""

    def __init__(self) -> None:
        self.done = 0  # frames
        self.seen: list[dict[int, tuple[float, float, float]]] = []
        self.alive: list[tuple[int, _Sighted]] = []
        self.flow = np.zeros((0, 2), np.float32)  # where those alive lie in the last frame, counted from whole pixels
        self.last: Array | None = None

    def follow(self, i: int, linear: Array, barred: Mask | None) -> None:
        """One more frame."""
        grey = _grey(linear)
        spline = Splined(linear[..., :3].mean(axis=2))
        if self.last is not None and len(self.alive):
            there, ok = _flow(self.last, grey, self.flow)
            ok &= _inside(there, grey.shape, barred)
            kept: list[tuple[int, _Sighted]] = []
            places = []
            for (k, s), p, good in zip(self.alive, there.astype(np.float64) + 0.5, ok, strict=True):
                found = _fitted(spline, s, p) if good else None
                if found is None:
                    s.misses += 1
                if good and s.misses < SHORTEST:
                    if found is not None:
                        s.misses = 0
                        self.seen[k][i] = found
                        p = np.array(found[:2])
                    kept.append((k, s))
                    places.append(p - 0.5)
            self.alive, self.flow = kept, np.array(places, np.float32).reshape(-1, 2)
        for at in _new(grey, self.flow, barred):
            self.seen.append({i: (float(at[0]), float(at[1]), 0.0)})
            self.alive.append((len(self.seen) - 1, _Sighted(spline, at)))
            self.flow = np.vstack([self.flow, (at - 0.5).astype(np.float32)[None]])
        self.last, self.done = grey, i + 1

    def half(self) -> Half:
        """All that the work goes on from, as plain arrays."""
        rows = [(k, i, *where) for k, s in enumerate(self.seen) for i, where in s.items()]
        return {
            "done": np.array(self.done), "seen": np.array(rows, np.float64).reshape(-1, 5), "flow": self.flow,
            "alive": np.array([k for k, _ in self.alive], np.int64), "misses": np.array([s.misses for _, s in self.alive], np.int64),
            "matrix": np.array([s.matrix for _, s in self.alive]).reshape(-1, 3, 3),
        }  # fmt: skip

    @classmethod
    def resumed(cls, half: Half, picture: Callable[[int], Array], frames: int) -> _Work:
        """The work as it stood; from the beginning if what was kept is not whole."""
        try:
            out = cls()
            out.done, out.flow = int(half["done"]), np.asarray(half["flow"], np.float32)
            for k, i, x, y, error in half["seen"].tolist():
                if int(k) == len(out.seen):
                    out.seen.append({})
                out.seen[int(k)][int(i)] = (x, y, error)
            if not 0 < out.done <= frames or len(half["alive"]) != len(out.flow):
                return cls()
            if out.done < frames:
                out._look_again(half, picture)
        except (KeyError, ValueError, IndexError, TypeError, UserError):
            return cls()
        return out

    def _look_again(self, half: Half, picture: Callable[[int], Array]) -> None:
        """The first sightings of what is alive, and the last frame."""
        by_frame: dict[int, list[int]] = {}
        for n, k in enumerate(half["alive"].tolist()):
            by_frame.setdefault(min(self.seen[k]), []).append(n)
        sighted: dict[int, _Sighted] = {}
        for i, its in sorted(by_frame.items()):
            spline = Splined(np.asarray(picture(i), np.float32)[..., :3].mean(axis=2))
            for n in its:
                k = int(half["alive"][n])
                s = _Sighted(spline, np.array(self.seen[k][i][:2]))
                s.matrix, s.misses = np.array(half["matrix"][n]), int(half["misses"][n])
                sighted[n] = s
        self.alive = [(int(k), sighted[n]) for n, k in enumerate(half["alive"])]
        self.last = _grey(np.asarray(picture(self.done - 1), np.float32))


def _grey(linear: Array) -> Array:
    return np.asarray(cv2.cvtColor(coded8(linear), cv2.COLOR_RGB2GRAY))


def _flow(one: Array, two: Array, points: Array) -> tuple[Array, Array]:
    start = points.reshape(-1, 1, 2)
    there, a, _ = cv2.calcOpticalFlowPyrLK(one, two, start, np.empty(0), **WINDOW)  # type: ignore[call-overload]
    back, b, _ = cv2.calcOpticalFlowPyrLK(two, one, there, np.empty(0), **WINDOW)  # type: ignore[call-overload]
    near = np.linalg.norm(np.asarray(back).reshape(-1, 2) - points, axis=1) < AGREE
    return np.asarray(there).reshape(-1, 2), (a.ravel() > 0) & (b.ravel() > 0) & near


def _inside(points: Array, shape: tuple[int, ...], barred: Mask | None) -> Array:
    h, w = shape[:2]
    x, y = points.T
    good = (x > BORDER) & (y > BORDER) & (x < w - 1 - BORDER) & (y < h - 1 - BORDER)
    if barred is not None:
        j, i = np.clip(np.round(y).astype(int), 0, h - 1), np.clip(np.round(x).astype(int), 0, w - 1)
        good &= ~barred[j, i]
    return np.asarray(good)


def _new(grey: Array, flow: Array, barred: Mask | None) -> list[Array]:
    """Corners in the cells that have none, at the middles of pixels."""
    h, w = grey.shape
    strength = cv2.cornerMinEigenVal(grey, 7)
    strength[:BORDER] = strength[-BORDER:] = 0
    strength[:, :BORDER] = strength[:, -BORDER:] = 0
    if barred is not None:
        strength[cv2.dilate(barred.astype(np.uint8), np.ones((2 * HALF + 1,) * 2, np.uint8)) > 0] = 0
    for x, y in flow:
        cv2.circle(strength, (round(float(x)), round(float(y))), 2 * HALF, (0.0,), -1)
    least = PLAIN * float(np.quantile(strength, 0.999))
    full = np.zeros(CELLS[::-1], bool)
    for x, y in flow:
        full[min(int(y / h * CELLS[1]), CELLS[1] - 1), min(int(x / w * CELLS[0]), CELLS[0] - 1)] = True
    out = []
    for j, i in np.argwhere(~full):
        y0, y1 = h * j // CELLS[1], h * (j + 1) // CELLS[1]
        x0, x1 = w * i // CELLS[0], w * (i + 1) // CELLS[0]
        part = strength[y0:y1, x0:x1]
        y, x = np.unravel_index(int(np.argmax(part)), part.shape)
        if part[y, x] > max(least, 1e-6):
            out.append(np.array([x0 + x + 0.5, y0 + y + 0.5]))
            cv2.circle(strength, (x0 + int(x), y0 + int(y)), HALF, (0.0,), -1)
    return out


def _fitted(spline: Splined, s: _Sighted, expected: Array) -> tuple[float, float, float] | None:
    """Place and error px of a feature in a frame; None where it is not like its first sighting, or not where the flow says."""
    start = s.matrix.copy()
    start[:2, 2] += expected - (start[:2, :2] @ s.at + start[:2, 2])
    matrix, alike, error = _one(
        spline.spline, start, s.points, s.own, s.values, s.columns, s.products, s.corners, s.frame, s.unit
    )
    at = matrix[:2, :2] @ s.at + matrix[:2, 2]
    stretch = float(np.linalg.det(matrix[:2, :2]))
    if not (alike > ALIKE and np.hypot(*(at - expected)) < BESIDE and 0.2 < stretch < 5):
        return None
    s.matrix = matrix
    return float(at[0]), float(at[1]), error * (HALF + 0.5)


@njit(cache=True, nogil=True)
def _one(spline, start, points, own, values, columns, products, corners, frame, unit):  # type: ignore[no-untyped-def]
    n, size = len(points), columns.shape[1]
    seen, inside, weights = np.empty_like(values), np.empty(n, np.bool_), np.empty(n, np.float32)
    normal, light = np.empty((size, size)), np.empty(4)
    everywhere = np.zeros((0, 0), np.bool_)
    matrix, ok = fit.rounds(
        spline, everywhere, np.eye(3), start, points, own, values, columns, products, corners, frame, unit, ROUNDS, OPEN, STEP, DONE,
        n / 2, seen, inside, weights, normal, light, (0,),
    )  # fmt: skip
    if not ok or not np.isfinite(matrix).all():
        return matrix, 0.0, 0.0
    blocks = np.zeros(n, np.int64)
    alike, _ = fit.told(seen, values, own, columns, light, weights, blocks, 1)
    rest = 0.0
    for k in range(n):
        gain = 1 + light[0] + light[1] * own[k, 0] + light[2] * own[k, 1]
        for c in range(values.shape[1]):
            rest += weights[k] * (seen[k, c] - values[k, c] * gain - light[3]) ** 2
    inverse = np.linalg.inv(normal)
    variance = rest / max(weights.sum() * values.shape[1] - size, 1.0)
    return matrix, alike, np.sqrt(max((inverse[0, 0] + inverse[1, 1]) / 2 * variance, 0.0))


def _table(seen: list[dict[int, tuple[float, float, float]]], frames: int) -> Tracks:
    places, errors = np.full((frames, len(seen), 2), np.nan), np.full((frames, len(seen)), np.nan)
    for k, s in enumerate(seen):
        for i, (x, y, e) in s.items():
            places[i, k], errors[i, k] = (x, y), e
    return Tracks(places, errors)
