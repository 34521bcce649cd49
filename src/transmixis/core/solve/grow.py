"""A camera's path with parallax: from the best pair of frames on, frame after frame by where known points are seen, adjusted as it grows.

The pair by the essential matrix (Nistér, 2004), frames by pose from points (random samples, then adjusted), points by the rays that meet.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.bending import flat_of
from transmixis.core.progress import Progress
from transmixis.core.solve.bundle import Bundle, adjusted
from transmixis.core.types import Array

PAIRS = 14  # frames among which a pair is looked for
SHARED = 30  # tracks that a pair must share
NEAR = 2.0  # px that a point may be seen beside where it is found, while frames are added
WRONG = 1.0  # px at the end
ANGLE = 0.8  # degrees between rays, from which on a point's depth is told
LEAST = 12  # points that a frame's pose needs
LASTS = 0.8  # of the frames in which a feature was followed that it must fit
STEADY = 2.0  # times what the quarter that fits best leaves over: points that do so by more slide
FEW = 40  # steady points that tell a lens
ALMOST = 0.9  # of all: then there is nothing to part
ROUNDS = 100  # a focal length goes slowly
SEED = 5
MORE = 1.25  # times the frames of the last adjustment, until the next


@dataclass
class Scene:
    """What is known so far. `known` (n,) frames, `solid` (m,) points."""

    turns: Array
    shifts: Array
    points: Array
    known: Array
    solid: Array
    lens: Array
    middle: Array
    places: Array  # (n, m, 2) px, nan where not seen
    zooms: Array | None = None  # (n,) of the focal length, where it changes; a guess until adjusted
    doubt: bool = False  # another path explains it as well

    @classmethod
    def unknown(cls, places: Array, focal: float, middle: Array, zooms: Array | None) -> Scene:
        """Of tracks `places` (n, m, 2), before anything is known."""
        n, m = places.shape[:2]
        return cls(
            np.tile(np.eye(3), (n, 1, 1)), np.zeros((n, 3)), np.zeros((m, 3)), np.zeros(n, bool), np.zeros(m, bool),
            np.array([focal, 0.0, 0.0]), np.asarray(middle, np.float64), places, zooms,
        )  # fmt: skip

    def __post_init__(self) -> None:
        self.followed = np.isfinite(self.places[..., 0]).sum(axis=0)  # frames in which each was, before anything is taken out
        self._guess = np.ones(len(self.known)) if self.zooms is None else self.zooms.copy()

    def bundle(self) -> Bundle:
        """All that is seen of solid points in known frames."""
        frames, ids = np.flatnonzero(self.known), np.flatnonzero(self.solid)
        seen = np.isfinite(self.places[np.ix_(frames, ids)][..., 0]).T
        j, i = np.nonzero(seen)
        at = self.places[frames[i], ids[j]]
        zooms = None if self.zooms is None else self.zooms[frames]
        return Bundle(self.turns[frames], self.shifts[frames], self.points[ids], self.lens, self.middle, i, j, at, zooms, frames)

    def taken(self, b: Bundle) -> None:
        frames, ids = np.flatnonzero(self.known), np.flatnonzero(self.solid)
        self.turns[frames], self.shifts[frames], self.points[ids], self.lens = b.turns, b.shifts, b.points, b.lens
        if self.zooms is not None:
            self.zooms[frames] = b.zooms
            near = np.abs(np.arange(len(self.zooms))[:, None] - frames).argmin(axis=1)
            self.zooms = np.where(self.known, self.zooms, self._guess * (self.zooms / self._guess)[frames][near])

    @property
    def focals(self) -> Array:
        """(n,) px."""
        return float(self.lens[0]) * (np.ones(len(self.known)) if self.zooms is None else self.zooms)

    def flat(self) -> Array:
        """(n, m, 2) directions of what is seen, x / z and y / z."""
        if self.zooms is not None:
            return (self.places - self.middle) / self.focals[:, None, None]
        return flat_of(self.places, float(self.lens[0]), self.middle, float(self.lens[1]), float(self.lens[2]))


def start_pair(places: Array, progress: Progress | None = None) -> tuple[int, int]:
    """The two frames that tell most of depth: the largest rest that no flat perspective explains, times the root of the tracks they
    share. Raises UserError where no two share enough."""
    n = len(places)
    frames = np.unique(np.linspace(0, n - 1, min(n, PAIRS)).round().astype(int))
    best, worth = (0, 0), 0.0
    for x, i in enumerate(frames):
        if progress is not None:
            progress.check()
        for j in frames[x + 1 :]:
            both = np.isfinite(places[i, :, 0]) & np.isfinite(places[j, :, 0])
            if both.sum() < SHARED:
                continue
            left = flat_rest(places[i, both], places[j, both])
            if left * np.sqrt(both.sum()) > worth:
                best, worth = (int(i), int(j)), float(left * np.sqrt(both.sum()))
    if worth == 0:
        raise UserError(f"No two frames share {SHARED} features that show depth; a longer or more textured take can be solved.")
    return best


def flat_rest(a: Array, b: Array) -> float:
    """px, the median that points lie beside the perspective that most of them share; infinite where there is none."""
    cv2.setRNGSeed(SEED)
    m, _ = cv2.findHomography(a, b, cv2.LMEDS)
    if m is None:
        return float("inf")
    q = np.c_[a, np.ones(len(a))] @ m.T
    return float(np.median(np.hypot(*(q[:, :2] / q[:, 2:] - b).T)))


def grown(
    places: Array,
    focal: float,
    middle: Array,
    *,
    free: bool,
    bend: bool,
    zooms: Array | None = None,
    progress: Progress | None = None,
) -> Scene:
    """The scene of tracks `places` (n, m, 2). `free`: the focal length is only a beginning; with `zooms` (n,), of it, so are these.
    Raises UserError where it cannot be begun."""
    progress = progress or Progress()
    n = len(places)
    first, second = start_pair(places, progress)
    scene = Scene.unknown(places, focal, middle, zooms)
    _begun(scene, first, second, progress)
    tried: set[int] = set()
    due = 0.0  # frames from which on all are adjusted again
    while True:
        progress.at(float(scene.known.sum()), n, "solving the camera")
        counts = np.where(scene.known, -1, np.isfinite(places[:, scene.solid, 0]).sum(axis=1))
        counts[list(tried)] = -1
        k = int(np.argmax(counts))
        if counts[k] < LEAST:
            break
        if not _posed(scene, k):
            tried.add(k)
            continue
        tried.clear()
        _points(scene, progress)
        if scene.known.sum() >= due:
            _adjust(scene, progress, free=free and scene.known.sum() >= 4, bend=bend and scene.known.sum() >= 8, rounds=6)
            due = max(scene.known.sum() + 1, MORE * scene.known.sum())
    for limit in (NEAR, WRONG, WRONG):
        _adjust(scene, progress, free=free, bend=bend, rounds=20)
        cleaned(scene, limit)
        _points(scene, progress)
    _adjust(scene, progress, free=free, bend=bend, rounds=30)
    cleaned(scene, WRONG)
    if free or bend:
        _lens_of_the_steady(scene, progress, free=free, bend=bend)
    return scene


def _lens_of_the_steady(scene: Scene, progress: Progress, *, free: bool, bend: bool) -> None:
    """The lens by the points that stay on their things. What is no corner of one thing (an edge before what lies behind it, soft earth)
    slides by little and evenly, which fits a camera with another lens better than this one without: two fifths of such points made
    a coded take's focal length 3 % too short. All else is adjusted to the lens found so."""
    b = scene.bundle()
    rms = np.sqrt(np.bincount(b.ids, (b.off() ** 2).sum(axis=1)) / np.maximum(np.bincount(b.ids), 1))
    steady = rms <= STEADY * np.quantile(rms, 0.25)
    if steady.sum() < FEW or steady.mean() > ALMOST:
        return
    own = steady[b.ids]
    part = replace(b, points=b.points[steady], cams=b.cams[own], ids=(np.cumsum(steady) - 1)[b.ids[own]], at=b.at[own])
    if len(np.unique(part.cams)) < len(b.turns):
        return
    zoom = free and scene.zooms is not None
    part = adjusted(part, rounds=ROUNDS, focal=free, bend=bend, zoom=zoom, progress=progress)
    scene.taken(replace(b, turns=part.turns, shifts=part.shifts, lens=part.lens, zooms=part.zooms))
    _adjust(scene, progress, free=False, bend=False, rounds=30)
    cleaned(scene, WRONG)


def _begun(scene: Scene, first: int, second: int, progress: Progress) -> None:
    both = np.isfinite(scene.places[first, :, 0]) & np.isfinite(scene.places[second, :, 0])
    flat = scene.flat()
    a, b = flat[first, both], flat[second, both]
    cv2.setRNGSeed(SEED)
    e, near = cv2.findEssentialMat(a, b, np.eye(3), cv2.USAC_MAGSAC, 0.9999, 1.0 / float(scene.focals[first]))
    if e is None or e.shape != (3, 3):
        raise UserError(
            "The features of no two frames agree on one motion of the camera; hold out what moves, or choose another take."
        )
    # at its own limit it would throw away what lies far off beside a small move
    _, turn, shift, *_ = cv2.recoverPose(e, a, b, np.eye(3), distanceThresh=1e9, mask=near)
    scene.turns[second], scene.shifts[second] = turn, shift.ravel()
    scene.known[[first, second]] = True
    _points(scene, progress)
    if scene.solid.sum() < LEAST:
        raise UserError("The camera moves too little beside how far things are; no depth can be told.")
    _adjust(scene, progress, free=False, bend=False, rounds=15)


def _posed(scene: Scene, k: int) -> bool:
    """Frame k by the points it sees."""
    seen = scene.solid & np.isfinite(scene.places[k, :, 0])
    flat = scene.flat()[k, seen]
    points = scene.points[seen]
    near = np.flatnonzero(scene.known)[np.argmin(np.abs(np.flatnonzero(scene.known) - k))]
    r0, _ = cv2.Rodrigues(scene.turns[near])
    t0 = scene.shifts[near].reshape(3, 1).copy()
    cv2.setRNGSeed(SEED)
    limit = NEAR / float(scene.focals[k])
    ok, r, t, within = cv2.solvePnPRansac(
        points, flat, np.eye(3), np.empty(0), r0, t0, True, 200, 2 * limit, 0.999, flags=cv2.SOLVEPNP_ITERATIVE
    )
    if not ok or within is None or len(within) < LEAST:
        return False
    turn, _ = cv2.Rodrigues(r)
    scene.turns[k], scene.shifts[k] = turn, t.ravel()
    scene.known[k] = True
    return True


def _points(scene: Scene, progress: Progress) -> None:
    """Points from the rays of the known frames, where they meet at angle enough and are seen where they are found."""
    frames = np.flatnonzero(scene.known)
    flat = scene.flat()[frames]
    turns, shifts, focals = scene.turns[frames], scene.shifts[frames], scene.focals[frames]
    places = -np.einsum("nji,nj->ni", turns, shifts)
    for j in np.flatnonzero(~scene.solid):
        progress.check()
        seen = np.isfinite(flat[:, j, 0])
        if seen.sum() < 2:
            continue
        rays = np.c_[flat[seen, j], np.ones(seen.sum())]
        rays = np.einsum("nji,nj->ni", turns[seen], rays)
        rays /= np.linalg.norm(rays, axis=1, keepdims=True)
        if np.degrees(np.arccos(np.clip((rays @ rays[0]).min(), -1, 1))) < ANGLE:
            continue
        # the point nearest to all rays
        out = np.eye(3)[None] - rays[:, :, None] * rays[:, None, :]
        total = out.sum(axis=0)
        if np.linalg.cond(total) > 1e10:
            continue
        x = np.linalg.solve(total, np.einsum("nij,nj->i", out, places[seen]))
        there = np.einsum("nij,j->ni", turns[seen], x) + shifts[seen]
        if (there[:, 2] <= 0).any():
            continue
        off = np.linalg.norm(there[:, :2] / there[:, 2:] - flat[seen, j], axis=1) * focals[seen]
        if np.median(off) < NEAR:
            scene.points[j], scene.solid[j] = x, True


def _adjust(scene: Scene, progress: Progress, *, free: bool, bend: bool, rounds: int) -> None:
    zoom = free and scene.zooms is not None
    scene.taken(adjusted(scene.bundle(), rounds=rounds, focal=free, bend=bend, zoom=zoom, progress=progress))


def cleaned(scene: Scene, limit: float) -> None:
    """Take out what is seen elsewhere than it should be, and points of which too little is left: what moves on its own fits for a while,
    as if it were at another depth."""
    b = scene.bundle()
    frames, ids = np.flatnonzero(scene.known), np.flatnonzero(scene.solid)
    wrong = np.linalg.norm(b.off(), axis=1) > limit
    scene.places[frames[b.cams[wrong]], ids[b.ids[wrong]]] = np.nan
    left = np.isfinite(scene.places[scene.known][..., 0]).sum(axis=0)
    gone = scene.solid & ((left < 3) | (left < LASTS * scene.followed))
    scene.solid &= ~gone
    scene.places[:, gone] = np.nan
