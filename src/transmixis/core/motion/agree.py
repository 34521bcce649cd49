"""Whether a track agrees with itself: found from the other side as from this one, and on its own path."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from transmixis.core.motion.follow import Again, Way
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.smear import SMEARS, smeared
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

USUAL = 3.0  # times the median of how far it leaves its path: hand-held shaking stays under it
NOT_FOUND = np.inf  # where it is not found from the other side at all


def from_behind(
    surface: Surface,
    picture: Callable[[int], Array],
    frames: Sequence[int],
    found: Sequence[Laid],
    share: float | None,
    progress: Progress,
) -> Array:
    """(n,) px that it lies apart in each of `frames` if it is looked for from the frame after it, with what is known of the shutter's
    `share`; nan where either is lost, and at the end; NOT_FOUND where it is not found so."""
    out = np.full(len(frames), np.nan)
    again = Again(picture)
    for i in range(len(frames) - 2, -1, -1):
        here, after = found[i], found[i + 1]
        if here.lost or after.lost:
            continue
        progress.at(len(frames) - 2 - i, len(frames), f"and back, frame {frames[i]}")
        beyond = found[i + 2] if i + 2 < len(found) and not found[i + 2].lost else after
        move = (share or 0.0) * (_middle(surface, after) - _middle(surface, here))
        looked_for = smeared(surface, here.matrix, move) if np.hypot(*move) > SMEARS else surface
        back = again.laid(looked_for, frames[i], Way(after.matrix, beyond.matrix).expected())
        out[i] = NOT_FOUND if back.lost else float(np.hypot(*(_middle(surface, back) - _middle(surface, here))))
    return out


def jumps(surface: Surface, way: Way, found: Sequence[Laid]) -> Array:
    """(n,) px by which it leaves its own path in each frame, beyond what it usually does; nan where it or one of the two before is lost."""
    places = [
        np.full(2, np.nan) if way.lost else moved_points(m, surface.shape.told).mean(axis=0) for m in (way.before, way.last)
    ]
    places += [np.full(2, np.nan) if f.lost else _middle(surface, f) for f in found]
    at = np.array(places)
    bend = np.hypot(*(at[2:] - 2 * at[1:-1] + at[:-2]).T)
    if np.array_equal(way.before, way.last) and len(bend):  # from rest nothing is told of its speed
        bend[0] = np.nan
    known = bend[np.isfinite(bend)]
    usual = float(np.median(known)) if len(known) else 0.0
    return np.asarray(np.maximum(bend - USUAL * usual, 0.0))


def _middle(surface: Surface, laid: Laid) -> Array:
    return np.asarray(moved_points(laid.matrix, surface.shape.told).mean(axis=0))
