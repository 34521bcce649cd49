"""Outlines whose points have identities: those of two pins brought together, and measured against the picture's edges."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from scipy import ndimage

from transmixis.core.errors import UserError
from transmixis.core.types import Array

Mark = tuple[int, float, float]  # identity, x, y px
LARGEST = 2**31  # identities are below
SIDE = 5.0  # px to either side in which an edge is looked for
STEP = 0.25  # px between samples across the outline
EVERY = 3.0  # px between places along it
FEW = 8  # places: fewer tell nothing
EDGE = 0.01  # in the curve of display: a weaker edge is none


def marks_of(points: Sequence[Sequence[float]]) -> tuple[Mark, ...]:
    """Points with identities; bare pairs get theirs by their order. Raises UserError for what is no outline."""
    out = []
    try:
        for i, p in enumerate(points):
            out.append((int(p[0]), float(p[1]), float(p[2])) if len(p) == 3 else (i + 1, float(p[0]), float(p[1])))
    except (TypeError, ValueError, LookupError, OverflowError):
        out = [(0, math.nan, math.nan)]
    if not all(math.isfinite(x) and math.isfinite(y) and abs(i) < LARGEST for i, x, y in out):
        raise UserError("An outline's points cannot be read; draw it anew.")
    return tuple(out)


def xy(marks: Sequence[Mark]) -> Array:
    """(n, 2) positions."""
    return np.array([(x, y) for _, x, y in marks], np.float64).reshape(-1, 2)


def at_places(marks: Sequence[Mark], points: Array) -> tuple[Mark, ...]:
    """The same points at other places."""
    return tuple((m[0], float(p[0]), float(p[1])) for m, p in zip(marks, points, strict=True))


def with_point(marks: Sequence[Mark], after: int, x: float, y: float, taken: Sequence[int] = ()) -> tuple[Mark, ...]:
    """One more point behind the point at index `after`, with an identity that none has (`taken`: those of other pins)."""
    new = max([m[0] for m in marks] + list(taken), default=0) + 1
    return (*marks[: after + 1], (new, x, y), *marks[after + 1 :])


def completed(a: Sequence[Mark], b: Sequence[Mark]) -> tuple[tuple[Mark, ...], tuple[Mark, ...]] | None:
    """Both outlines with the points of both, in one order; None if they have fewer than two in common."""
    both = {m[0] for m in a} & {m[0] for m in b}
    if len(both) < 2:
        return None
    order = _merged([m[0] for m in a], [m[0] for m in b])
    pa, pb = _completed(a, b, both), _completed(b, a, both)
    return tuple((i, *pa[i]) for i in order), tuple((i, *pb[i]) for i in order)


def _merged(a: list[int], b: list[int]) -> list[int]:
    """All identities in the order of `a`, those that only `b` has behind the one that they follow there."""
    out = list(a)
    for k, i in enumerate(b):
        if i in out:
            continue
        before = next((b[k - j] for j in range(1, len(b) + 1) if b[k - j] in out), None)
        out.insert(out.index(before) + 1 if before is not None else 0, i)
    return out


def _completed(own: Sequence[Mark], other: Sequence[Mark], both: set[int]) -> dict[int, tuple[float, float]]:
    """Places of all points of both outlines as `own` would have them."""
    have = {m[0]: complex(m[1], m[2]) for m in own}
    theirs = {m[0]: complex(m[1], m[2]) for m in other}
    ids = [m[0] for m in other]
    for k, i in enumerate(ids):
        if i in have:
            continue
        back = next(ids[k - j] for j in range(1, len(ids)) if ids[k - j] in both)
        on = next(ids[(k + j) % len(ids)] for j in range(1, len(ids)) if ids[(k + j) % len(ids)] in both)
        span = theirs[on] - theirs[back]
        if back == on or abs(span) < 1e-9:
            have[i] = have[back] + theirs[i] - theirs[back]
        else:  # where it lies along and beside the line between its neighbours
            have[i] = have[back] + (theirs[i] - theirs[back]) / span * (have[on] - have[back])
    return {i: (z.real, z.imag) for i, z in have.items()}


def off_the_edge(shown: Array, outline: Array) -> tuple[float, tuple[int, int, int, int]] | None:
    """How far the outline stands from the picture's own edge: the median of the distances to the strongest edge across it (px, to
    `SIDE` to either side), and the box of the worst stretch; None where there is no edge. `shown` (h, w, 3) in the curve of display."""
    places, at, across = crossing(outline, SIDE, shown.shape)
    if len(places) < FEW:
        return None
    profile = sampled(shown, at)
    profile = ndimage.gaussian_filter1d(ndimage.gaussian_filter1d(profile, 1.0, axis=0), 1.0 / STEP, axis=1)
    slope = np.abs(np.diff(profile, axis=1)).sum(axis=2) / STEP
    slope *= np.exp(-((across[:-1] + STEP / 2) ** 2) / (2 * SIDE**2))  # of two alike the nearer
    best = slope.argmax(axis=1)
    strong = slope.max(axis=1) > EDGE
    if strong.sum() < FEW:
        return None
    away = np.abs(across[:-1][best] + STEP / 2)
    where = places[strong]
    far = ndimage.uniform_filter1d(away[strong], min(5, int(strong.sum())), mode="wrap")
    return float(np.median(away[strong])), about(where[int(far.argmax())])


def about(place: Array, half: int = 8) -> tuple[int, int, int, int]:
    """A box (x, y, w, h) px about a place, for the eye to find it."""
    x, y = (int(v) for v in place)
    return max(0, x - half), max(0, y - half), 2 * half, 2 * half


def crossing(outline: Array, side: float, shape: tuple[int, ...]) -> tuple[Array, Array, Array]:
    """Lines across a closed outline (n, 2) px, `side` px to either side, that lie within a picture of `shape`: the (m, 2) places at which they cross it, where
    their samples lie in the picture (2, m, s: rows, columns), and how far across each is (s), px."""
    places, normals = _walked(outline)
    across = np.arange(-side, side + STEP / 2, STEP)
    at = places[:, None, :] + across[None, :, None] * normals[:, None, :]
    h, w = shape[:2]
    inside = ((at > 1) & (at < np.array([w - 1, h - 1]))).all(axis=(1, 2))
    at = at[inside] - 0.5
    return places[inside], np.stack([at[..., 1], at[..., 0]]), across


def sampled(picture: Array, at: Array) -> Array:
    """A picture (h, w, c) or (h, w) read linearly at `at` (2, ...), rows and columns."""
    if picture.ndim == 2:
        return np.asarray(ndimage.map_coordinates(picture, at, order=1))
    return np.stack([ndimage.map_coordinates(picture[..., c], at, order=1) for c in range(picture.shape[2])], -1)


def _walked(outline: Array) -> tuple[Array, Array]:
    """Places every few px along a closed outline, and the directions across it there."""
    p = np.asarray(outline, np.float64)
    places, normals = [], []
    for a, b in zip(p, np.roll(p, -1, axis=0), strict=True):
        length = math.hypot(*(b - a))
        if length < 1e-6:
            continue
        along = (b - a) / length
        for k in range(max(1, int(length / EVERY))):
            places.append(a + along * min((k + 0.5) * EVERY, length / 2 if length < EVERY else length))
            normals.append((-along[1], along[0]))
    return np.array(places).reshape(-1, 2), np.array(normals).reshape(-1, 2)
