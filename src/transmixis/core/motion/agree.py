"""Whether a track agrees with itself: found from the other side as from this one, and on its own path."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np

from transmixis.core.motion.follow import SURE, Again, Way
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.smear import SMEARS, smeared
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

USUAL = 3.0  # times the median of how far it leaves its path: hand-held shaking stays under it
STRAYED = 8.0  # px: a fit that ends further off has found another thing
CLEARLY = 0.2  # of what it is unlike: a freer fit that takes away less has only followed the grain
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
        start = _from_after(found, i)
        if start is None:
            continue
        looked_for = _as_smeared(surface, here.matrix, share, _middle(surface, after) - _middle(surface, here))
        back = again.laid(looked_for, frames[i], start)
        out[i] = NOT_FOUND if back.lost else float(np.hypot(*(_middle(surface, back) - _middle(surface, here))))
    return out


def _from_after(found: Sequence[Laid], i: int) -> Array | None:
    """Where the i-th is expected by the ones after it; by the way that led to it where there is but one after it; None where neither tells."""
    after = found[i + 1]
    if i + 2 < len(found) and not found[i + 2].lost:
        return Way(after.matrix, found[i + 2].matrix).expected()
    if i > 0 and not found[i - 1].lost:
        return np.asarray(found[i - 1].matrix @ np.linalg.inv(found[i].matrix) @ after.matrix)
    return None


def strains(
    freer: Surface, surface: Surface, picture: Callable[[int], Array], frames: Sequence[int], found: Sequence[Laid], share: float | None,
    progress: Progress,
) -> Array:  # fmt: skip
    """(n,) px by which the places lie elsewhere in each frame if the surface may change in more ways, as `freer` does, and is clearly more
    alike so; 0 where it is not, nan where it is lost. What changes otherwise than it may is laid askew, and no fit knows it of itself."""
    out = np.full(len(frames), np.nan)
    told = surface.shape.told
    for i, here, other in _once_more(freer, np.eye(3), surface, picture, frames, found, share, progress):
        clearly = not other.lost and other.alike > found[i].alike + CLEARLY * (1 - found[i].alike)
        apart = moved_points(other.matrix, told) - moved_points(here, told)
        far = float(np.sqrt((apart**2).sum(axis=1).mean()))
        out[i] = far if clearly and far < STRAYED else 0.0
    return out


def drifts(
    first: Surface, seat: Array, surface: Surface, picture: Callable[[int], Array], frames: Sequence[int], found: Sequence[Laid],
    share: float | None, progress: Progress,
) -> Array:  # fmt: skip
    """(n,) px between where a later reference puts the places in each frame and where the `first` one does, looked for close by; nan where
    either is lost, or the first is no longer alike enough to say. `surface` is the later reference, `seat` (3 x 3) how the first one lies
    in its frame."""
    out = np.full(len(frames), np.nan)
    for i, here, other in _once_more(first, seat, surface, picture, frames, found, share, progress):
        far = float(np.hypot(*(_middle(first, other) - _at(first, here))))
        if not other.lost and other.alike >= SURE and far < STRAYED:
            out[i] = far
    return out


def _once_more(
    other: Surface, seat: Array, surface: Surface, picture: Callable[[int], Array], frames: Sequence[int], found: Sequence[Laid],
    share: float | None, progress: Progress,
) -> Iterator[tuple[int, Array, Laid]]:  # fmt: skip
    """Of every frame in which it was found: its index, where the other surface, that lies by `seat` in the reference of what was found,
    would lie, and where it is found close to that, smeared as the frame is."""
    again = Again(picture)
    for i, laid in enumerate(found):
        if laid.lost:
            continue
        progress.at(i, len(frames), f"looking once more, frame {frames[i]}")
        here = laid.matrix @ seat
        before = found[i - 1] if i and not found[i - 1].lost else laid
        looked_for = _as_smeared(other, here, share, _middle(surface, laid) - _middle(surface, before))
        yield i, here, again.laid(looked_for, frames[i], here)


def jumps(surface: Surface, way: Way, found: Sequence[Laid]) -> Array:
    """(n,) px by which it leaves its own path in each frame, beyond what it usually does; nan where it is lost, or no path
    leads to it."""
    places = [
        np.full(2, np.nan) if way.lost else moved_points(m, surface.shape.told).mean(axis=0) for m in (way.before, way.last)
    ]
    places += [np.full(2, np.nan) if f.lost else _middle(surface, f) for f in found]
    at = np.array(places)
    bend = np.hypot(*(at[2:] - 2 * at[1:-1] + at[:-2]).T)
    if np.array_equal(way.before, way.last) and len(bend):  # from rest nothing is told of its speed
        bend[0], at[0] = np.nan, np.nan
    known = bend[np.isfinite(bend)]
    usual = float(np.median(known)) if len(known) else 0.0
    out = np.asarray(np.maximum(bend - USUAL * usual, 0.0))
    for i in np.flatnonzero(np.isnan(bend)):
        out[i] = _beyond_gap(at, int(i) + 2, usual)
    return out


def _beyond_gap(at: Array, i: int, usual: float) -> float:
    """px by which the i-th place leaves the path of those before the gap that it follows, beyond what the usual bending makes of so many
    frames; nan where there is no such gap, or its path is not known."""
    before = [k for k in range(i) if np.isfinite(at[k, 0])]
    if not np.isfinite(at[i, 0]) or len(before) < 2 or before[-1] == i - 1 or before[-2] != before[-1] - 1:
        return float("nan")
    a, b = before[-2:]
    n = i - b
    off = float(np.hypot(*(at[i] - (at[b] + n * (at[b] - at[a])))))
    return max(off - USUAL * usual * n * (n + 1) / 2, 0.0)


def _as_smeared(surface: Surface, matrix: Array, share: float | None, move: Array) -> Surface:
    """The surface as smeared as it is in a frame that `matrix` lays it in, where it moves by `move` px a frame."""
    while_open = (share or 0.0) * move
    return smeared(surface, matrix, while_open) if np.hypot(*while_open) > SMEARS else surface


def _middle(surface: Surface, laid: Laid) -> Array:
    return _at(surface, laid.matrix)


def _at(surface: Surface, matrix: Array) -> Array:
    return np.asarray(moved_points(matrix, surface.shape.told).mean(axis=0))
