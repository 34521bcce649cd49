"""Following through motion blur: the reference is smeared as the frame is, before the two are compared.

The direction and speed are those of the path itself, as first found; the share of a frame's time that the shutter was open is the one
number that is looked for, by what fits best on the fastest frames, and is then the same for all.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.surface import Laid, Surface
from transmixis.core.types import Array

SMEARS = 1.5  # px: what moves less while the shutter is open is taken as sharp
SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)  # of a frame's time; 1: open all the time
TRIED = 5  # frames on which the share is looked for
ROUNDS = 2  # the path is better after the first, and so are its speeds
MOST_BENT = 1.0  # px: more is no bend but a leap
LONGEST = 80.0  # px of smear: beyond it little is left to be followed

Lay = Callable[[Surface, int, Array], Laid]  # the surface near a matrix in the frame with this number


def through_blur(surface: Surface, frames: Sequence[int], found: list[Laid], before: Array, lay: Lay) -> list[Laid]:
    """What was found in `frames`, one after the other, found again with the reference smeared as they are. `before` is the matrix in
    the frame before the first."""
    if not found:
        return found
    moves = _moves(surface, found, before)
    fast = [i for i in np.argsort([-np.hypot(*m) for m in moves]) if not found[i].lost and np.hypot(*moves[i]) > 2 * SMEARS][
        :TRIED
    ]
    if not fast:
        return found
    share = _share(surface, frames, found, moves, fast, lay)
    if share <= 0:
        return found
    out = list(found)
    for _ in range(ROUNDS):
        moves = _moves(surface, out, before)
        for i, n in enumerate(frames):
            if not out[i].lost and np.hypot(*moves[i]) * share > SMEARS:
                again = lay(smeared(surface, out[i].matrix, share * moves[i]), n, out[i].matrix)
                if not again.lost and again.alike > out[i].alike - 0.02:
                    out[i] = again
    return _in_the_middle(surface, out, before, share)


def _in_the_middle(surface: Surface, found: list[Laid], before: Array, share: float) -> list[Laid]:
    """Of a path that bends, a smear's own middle lies beside the place at the middle of the exposure's time, by share² / 24 of the second
    difference (the mean of t² / 2 over it)."""
    at = _places(surface, found, before)
    out = list(found)
    for i in range(1, len(at) - 1):
        bend = (at[i + 1] - 2 * at[i] + at[i - 1]) * share**2 / 24
        if np.isfinite(bend).all() and np.hypot(*bend) < MOST_BENT:
            shift = np.array([[1, 0, -bend[0]], [0, 1, -bend[1]], [0, 0, 1.0]])
            out[i - 1] = replace(found[i - 1], matrix=shift @ found[i - 1].matrix)
    return out


def _share(surface: Surface, frames: Sequence[int], found: list[Laid], moves: Array, fast: list[int], lay: Lay) -> float:
    """The share of time that fits best, between those tried by the parabola through the best and its neighbours; the median."""
    best = []
    for i in fast:
        alike = np.array([found[i].alike, *(_alike(surface, found[i], s * moves[i], frames[i], lay) for s in SHARES[1:])])
        k = int(np.argmax(alike))
        if 0 < k < len(SHARES) - 1:
            a, b, c = alike[k - 1 : k + 2]
            bend = a - 2 * b + c
            best.append(SHARES[k] + (0.25 * 0.5 * (a - c) / bend if bend < 0 else 0.0))
        else:
            best.append(SHARES[k])
    return float(np.median(best))


def _alike(surface: Surface, found: Laid, move: Array, n: int, lay: Lay) -> float:
    again = lay(smeared(surface, found.matrix, move), n, found.matrix)
    return -1.0 if again.lost else again.alike


def smeared(surface: Surface, matrix: Array, move: Array) -> Surface:
    """The surface smeared by a move (x, y px of the frame in which `matrix` lays it)."""
    middle = surface.corners.mean(axis=0)
    near = middle + np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])
    there = moved_points(matrix, near)
    own = np.linalg.solve((there[1:] - there[0]).T, np.asarray(move, np.float64))
    length = float(np.hypot(*own))
    return surface.smeared(own * min(1.0, LONGEST / max(length, 1e-9)))


def _moves(surface: Surface, found: list[Laid], before: Array) -> Array:
    """(n, 2) px that the middle moves in a frame's time, by what was found on both sides; zero where that is not known."""
    at = _places(surface, found, before)
    step = np.diff(at, axis=0)  # from the frame before to each
    after = np.vstack([step[1:], np.full((1, 2), np.nan)])
    both = np.stack([step, after])
    known = np.isfinite(both)
    count = known.sum(axis=0)
    return np.asarray(np.where(count > 0, np.where(known, both, 0).sum(axis=0) / np.maximum(count, 1), 0.0))


def _places(surface: Surface, found: list[Laid], before: Array) -> Array:
    """(n + 1, 2) px where the middle lies in the frame before and in those found, nan where lost."""
    middle = surface.corners.mean(axis=0)
    there = [moved_points(f.matrix, middle)[0] if not f.lost else (np.nan, np.nan) for f in found]
    return np.array([moved_points(before, middle)[0], *there])
