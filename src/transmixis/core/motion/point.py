"""Points, followed as small surfaces that shift, turn and grow. Positions are (x, y) px, pixel centres at +0.5."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from itertools import pairwise

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.follow import STRETCH, Way, follow
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

HALF_SIDE = 15  # px: a usual pattern
REACH = 40  # px from where it was expected
HELD = 400_000_000  # bytes of frames that are held while all points pass over them
THREADS = min(4, os.cpu_count() or 1)
SIZES = (6, 9, 13, 20)  # px, half the side of patterns that are tried
NEAR = 3  # frames before and after the reference on which they are
SOUND = 0.2  # px of error: a pattern that is worse says nothing of the others
AGREES = 0.25  # px

BLURRED = 3.0  # px of smear: a sharper frame is a better reference
LIKE = 0.8  # likeness that such a frame must have

Look = Callable[[int], Array]  # the linear frame with this number, from 0


def about_point(picture: Array, at: Array, half: int, model: str = "position", told: Array | None = None) -> Surface:
    """The square (2 half + 1) px about the point `at` (2,) of `picture` (h, w, channels), ready to be found in other frames; its error is
    told there, or at `told` (2,). Raises UserError where there is too little to follow."""
    corners = np.asarray(at) + (half + 0.5) * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    h, w = picture.shape[0], picture.shape[1]
    mask = np.zeros((h, w), np.float32)
    (left, top), (right, bottom) = np.floor(corners[0]).astype(int), np.ceil(corners[2]).astype(int)
    left, top, right, bottom = max(left, 0), max(top, 0), min(right, w), min(bottom, h)
    if right > left and bottom > top:  # the square alone is filled, not the picture
        mask[top:bottom, left:right] = fill_shape(corners - (left, top), bottom - top, right - left)
    return Surface(picture, corners, mask, model, np.asarray(at if told is None else told, np.float64).reshape(1, 2))


def follow_points(
    picture: Look,
    points: Array,
    reference: int,
    frames: int,
    half: int = HALF_SIDE,
    reach: int = REACH,
    progress: Progress | None = None,
) -> Array:
    """Where `points` (k, 2) of frame `reference` are in the frames 0..frames - 1: (frames, k, 2), nan where lost or not to be read.

    `picture(i)` gives a linear frame. Raises UserError where the reference frame cannot be read, or shows too little at a point.
    """
    first = picture(reference)
    patterns = [about_point(first, p, half, "similarity") for p in points]
    out = np.full((frames, len(points), 2), np.nan)
    for k, found in enumerate(follow_patterns(picture, patterns, reference, frames, reach, progress)):
        for i, laid in enumerate(found):
            if not laid.lost:
                out[i, k] = moved_points(laid.matrix, points[k])[0]
    return out


def follow_patterns(
    picture: Look, patterns: Sequence[Surface], reference: int, frames: int, reach: int = REACH, progress: Progress | None = None
) -> list[list[Laid]]:
    """Each pattern of frame `reference` in the frames 0..frames - 1. A frame is read once for all of them."""
    return _followed(picture, patterns, reference, frames, reach, progress)[0]


def follow_presses(
    picture: Look, places: Sequence[Array], halves: Sequence[int], reference: int, frames: int, reach: int = REACH,
    progress: Progress | None = None,
) -> list[list[Laid]]:  # fmt: skip
    """The things at `places` (2,) of frame `reference` in the frames 0..frames - 1, as matrices from the reference. Where the reference is
    smeared by its motion, the pattern is taken from the sharpest frame of the path instead, and the reference is one of those in which it
    is found. Raises UserError where there is too little to follow."""
    first = picture(reference)
    patterns = [about_point(first, p, half, "similarity") for p, half in zip(places, halves, strict=True)]
    found, shares = _followed(picture, patterns, reference, frames, reach, progress)
    for k, place in enumerate(places):
        sharp = _sharpest(found[k], np.asarray(place), reference, shares[k])
        if sharp is None:
            continue
        there = moved_points(found[k][sharp].matrix, place)[0]
        try:
            pattern = about_point(picture(sharp), there, halves[k], "similarity")
        except UserError:
            continue
        (again,), _ = _followed(picture, [pattern], sharp, frames, reach, progress)
        if not again[reference].lost and sum(f.lost for f in again) <= sum(f.lost for f in found[k]):
            back = np.linalg.inv(again[reference].matrix)
            own = again[reference].error
            found[k] = [f if f.lost else replace(f, matrix=f.matrix @ back, error=float(np.hypot(f.error, own))) for f in again]
            found[k][reference] = replace(again[reference], matrix=np.eye(3))
    return found


def _sharpest(found: list[Laid], place: Array, reference: int, share: float | None) -> int | None:
    """The frame in which it moves least, if the reference is smeared much more."""
    at = np.array([(np.nan, np.nan) if f.lost else moved_points(f.matrix, place)[0] for f in found])
    if share is None or len(at) < 3:
        return None
    speed = np.full(len(at), np.nan)
    speed[1:-1] = np.hypot(*(at[2:] - at[:-2]).T) / 2
    ends = [(0, at[1] - at[0]), (len(at) - 1, at[-1] - at[-2])]
    for i, move in ends:
        speed[i] = np.hypot(*move)
    own = float(speed[reference]) * share
    if not np.isfinite(own) or own < BLURRED:
        return None
    speed[[f.alike < LIKE for f in found]] = np.nan
    if not np.isfinite(speed).any():
        return None
    best = int(np.nanargmin(speed))
    return best if speed[best] * share < own / 2 else None


def _followed(
    picture: Look, patterns: Sequence[Surface], reference: int, frames: int, reach: int, progress: Progress | None
) -> tuple[list[list[Laid]], list[float | None]]:
    """The patterns in all frames, and the share of time that the shutter is open as each tells it."""
    progress = progress or Progress()
    out = [[Laid(np.eye(3), 1.0, 1.0, 0.0)] * frames for _ in patterns]
    shares: list[float | None] = [None] * len(patterns)
    done = 1
    with ThreadPoolExecutor(THREADS) as pool:
        for order in (range(reference + 1, frames), range(reference - 1, -1, -1)):
            ways = [Way(np.eye(3), np.eye(3), at=reference) for _ in patterns]
            for part, held in _parts(picture, order):

                def one(k: int, part: range = part, held: Look = held, ways: list[Way] = ways) -> None:
                    found, ways[k] = follow(patterns[k], held, part, ways[k], reach, _Quiet(progress))
                    for i, laid in zip(part, found, strict=True):
                        out[k][i] = laid

                for k, _ in enumerate(pool.map(one, range(len(patterns)))):
                    progress.at(done + len(part) * (k + 1) / len(patterns), frames, "following the points")
                done += len(part)
            shares = [w.shutter.share if s is None else s for w, s in zip(ways, shares, strict=True)]
    return out, shares


class _Quiet(Progress):
    """Says nothing of its own, but stops with another."""

    def __init__(self, other: Progress) -> None:
        super().__init__()
        self._stop = other._stop


def _parts(picture: Look, order: range) -> Iterator[tuple[range, Look]]:
    """Stretches of frames, each held while it is looked at, with the two frames before it; what cannot be read, or is not held any more,
    says so when it is asked for."""
    at = 0
    before = {i: _read(picture, i) for i in [order.start - order.step] if len(order)}
    while at < len(order):
        held: dict[int, Array | UserError] = {}
        for i in order[at : at + STRETCH]:
            held[i] = _read(picture, i)
            if sum(f.nbytes for f in held.values() if not isinstance(f, UserError)) > HELD:
                break

        def look(i: int, held: dict[int, Array | UserError] = {**before, **held}) -> Array:  # noqa: B006
            frame = held.get(i, UserError(f"Frame {i + 1} is not at hand any more."))
            if isinstance(frame, UserError):
                raise frame
            return frame

        yield order[at : at + len(held)], look
        at += len(held)
        before = dict([*before.items(), *held.items()][-2:])


def _read(picture: Look, i: int) -> Array | UserError:
    try:
        return np.asarray(picture(i))
    except UserError as e:
        return e


def proposed_half(picture: Look, at: Array, reference: int, frames: int, reach: int = REACH) -> int:
    """Half the side, px, of the largest pattern that still moves as the thing itself does over the frames next to the reference: larger
    ones are surer as long as what lies behind is not in them. Raises UserError where there is too little to follow at any size."""
    first = picture(reference)
    ways = [[i for i in (reference + d * sign for d in range(1, NEAR + 1)) if 0 <= i < frames] for sign in (1, -1)]
    held = {i: picture(i) for way in ways for i in way}
    tried: list[tuple[int, Array, Array]] = []
    said: UserError | None = None
    for half in SIZES:
        try:
            pattern = about_point(first, at, half, "similarity")
        except UserError as e:
            said = e
            continue
        tried.append((half, *_near(pattern, held.__getitem__, ways, np.asarray(at), reach)))
    if not tried:
        assert said is not None
        raise said
    if not held:
        return tried[-1][0]
    agree = [_agree(a, b) for a, b in pairwise(tried)]
    if True in agree:  # two sizes that say the same are no chance, one alone may have gone astray
        best = agree.index(True)
        while best < len(agree) and agree[best]:
            best += 1
        return tried[best][0]
    worth = [float(np.median(np.where(np.isfinite(e), e, 99))) for _, _, e in tried]
    return tried[next((k for k, w in enumerate(worth) if w < SOUND), int(np.argmin(worth)))][0]


def _agree(one: tuple[int, Array, Array], two: tuple[int, Array, Array]) -> bool:
    """True if patterns of two sizes lie at the same places in most of the frames in which the smaller is known."""
    apart = np.hypot(*(one[1] - two[1]).T)
    within = np.maximum(AGREES, 3 * np.hypot(one[2], two[2]))
    known = np.isfinite(one[1][:, 0])
    return bool(known.any()) and float((np.isfinite(apart) & (apart < within))[known].mean()) >= 0.75


def _near(pattern: Surface, picture: Look, ways: list[list[int]], at: Array, reach: int) -> tuple[Array, Array]:
    """Places (n, 2) and errors (n,) px of a pattern in the frames of both ways; nan where it is lost."""
    places, errors = [], []
    for way in ways:
        for laid in follow(pattern, picture, way, Way(np.eye(3), np.eye(3)), reach)[0]:
            places.append((np.nan, np.nan) if laid.lost else moved_points(laid.matrix, at)[0])
            errors.append(np.nan if laid.lost else laid.error)
    return np.array(places).reshape(-1, 2), np.array(errors)
