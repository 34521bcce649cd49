"""Following through motion blur: the reference is smeared as the frame is, before the two are compared.

The direction and speed are those of the path itself, as first found; the share of a frame's time that the shutter was open is the one
number that is looked for, by what fits best on the fastest frames, and is then the same for all.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

SMEARS = 2.0  # px: what moves less while the shutter is open is taken as sharp
SHARES = (0.0, 0.25, 0.5, 0.75, 1.0)  # of a frame's time; 1: open all the time
TRIED = 3  # frames on which the share is looked for
ROUNDS = 1  # a second looked no better: the smear lies evenly about the place, so that its exact length moves nothing
FALLS = 0.003  # of likeness that no noise makes
WORSE = 0.02  # of likeness: a smear is the frame's if it fits no worse than noise may make it seem
MOST_BENT = 1.0  # px: more is no bend but a leap
SAME = 0.25  # px: smears that differ by less are not told apart
LONGEST = 80.0  # px of smear: beyond it little is left to be followed

Lay = Callable[[Surface, int, Array], Laid]  # the surface near a matrix in the frame with this number


class _Look:
    """Looks at frames again with the reference smeared as they are; may be called off between any two."""

    def __init__(self, surface: Surface, frames: Sequence[int], lay: Lay, progress: Progress) -> None:
        self.surface, self.frames, self._lay, self._progress = surface, frames, lay, progress

    def thinned(self) -> _Look:
        return _Look(self.surface.thinned(), self.frames, self._lay, self._progress)

    def again(self, i: int, found: Laid, move: Array) -> Laid | None:
        """Frame i with the reference smeared by a move (px of that frame); None where it is not found so."""
        self._progress.at(0, 0, "looking through blur")
        laid = self._lay(smeared(self.surface, found.matrix, move), self.frames[i], found.matrix)
        return None if laid.lost else laid


@dataclass(frozen=True)
class Shutter:
    """`share` of a frame's time that it is open; `bend` (x, y) px of the reference frame: how far beside its place at the middle of the
    exposure the reference itself is seen. None: not told yet."""

    share: float | None = None
    bend: tuple[float, float] | None = None


def through_blur(
    surface: Surface,
    frames: Sequence[int],
    found: list[Laid],
    before: Array,
    lay: Lay,
    shutter: Shutter | None = None,
    progress: Progress | None = None,
) -> tuple[list[Laid], Shutter]:
    """What was found in `frames`, one after the other, found again with the reference smeared as they are; and of the shutter what is
    known now. `before` is the matrix in the frame before the first; the unit matrix: the reference itself."""
    shutter = shutter or Shutter()
    if not found:
        return found, shutter
    look = _Look(surface, frames, lay, progress or Progress())
    moves = _moves(surface, found, before)
    share = _share(look, found, moves) if shutter.share is None else shutter.share
    if not share:
        return found, Shutter(share, shutter.bend)
    out, done = list(found), np.full_like(moves, np.nan)
    for _ in range(ROUNDS):
        moves = _moves(surface, out, before)
        for i, laid in enumerate(out):
            told = np.abs(moves[i] - done[i]).max() * share < SAME  # before, with as good as this smear
            if not laid.lost and not told and np.hypot(*moves[i]) * share > SMEARS:
                done[i] = moves[i]
                again = look.again(i, laid, share * moves[i])
                if again is not None and again.alike > laid.alike - WORSE:
                    out[i] = again
    at = _places(surface, out, before)
    first = shutter.bend is None and np.array_equal(before, np.eye(3)) and len(at) > 2
    bend = _bend(at[:3], share) if first else shutter.bend
    return _in_the_middle(out, at, share, bend or (0.0, 0.0)), Shutter(share, bend)


def _in_the_middle(found: list[Laid], at: Array, share: float, own: tuple[float, float]) -> list[Laid]:
    """As they lie at the middle of the exposure, where the reference is told of at the middle of its own."""
    out = list(found)
    for i in range(1, len(at)):
        first = min(i - 1, len(at) - 3)  # of the last frame the path before it tells
        bend = _bend(at[first : first + 3], share) if first >= 0 else (0.0, 0.0)
        matrix = _shift(-bend[0], -bend[1]) @ found[i - 1].matrix @ _shift(*own)
        out[i - 1] = replace(found[i - 1], matrix=matrix / matrix[2, 2])
    return out


def _bend(at: Array, share: float) -> tuple[float, float]:
    """Of a path that bends, a smear's own middle lies beside the place at the middle of the exposure's time, by share² / 24 of the second
    difference (the mean of t² / 2 over it), here of three places in a row, px."""
    x, y = (float(v) for v in (at[2] - 2 * at[1] + at[0]) * share**2 / 24)
    return (x, y) if np.hypot(x, y) < MOST_BENT else (0.0, 0.0)  # nan: not known


def _shift(x: float, y: float) -> Array:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def _share(look: _Look, found: list[Laid], moves: Array) -> float | None:
    """The share of time that fits best on the fastest frames, between those tried by the parabola through the best and its neighbours;
    their median. None where nothing is fast."""
    speed = np.hypot(*moves.T)
    fast = [int(i) for i in np.argsort(-speed) if not found[i].lost and speed[i] > 2 * SMEARS][:TRIED]
    best = []
    look = look.thinned()
    for i in fast:
        alike: list[float] = []
        for share in SHARES:
            again = look.again(i, found[i], share * moves[i])
            alike.append(-1.0 if again is None else again.alike)
            if alike[-1] < max(alike) - FALLS:  # it goes on falling
                break
        k = int(np.argmax(alike))
        best.append(SHARES[k])
        if 0 < k < len(alike) - 1:
            a, b, c = alike[k - 1 : k + 2]
            best[-1] += (SHARES[1] - SHARES[0]) * 0.5 * (a - c) / (a - 2 * b + c) if a - 2 * b + c < 0 else 0.0
    return float(np.median(best)) if best else None


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
