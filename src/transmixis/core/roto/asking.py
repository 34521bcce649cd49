"""How wrong an outline may be between its pins, told by the picture; which frame wants a hand next, and when none does any more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.roto.path import Between, apart
from transmixis.core.types import Array

LEAST = 0.03  # px: below this signs say nothing
SCALE = 2.0  # px of true error for one of the signs' mean (measured on made takes, docs/limits.md)
FREELY = 0.25  # px a frame that a way is thought to go off by beyond its last pin (judgement, docs/limits.md)


def foretold(chosen: Between, others: Sequence[Between], strip: Array, closed: bool = True) -> Array:
    """(k) px that the outline is thought to be off at each frame of a stretch; 0 at its pins. The geometric mean of what three signs
    say: how far the strip inside differs from the pins (`strip` (k) px; nan: not seen), how far the two directions lie apart and miss the
    pins, and how far another way would lie, the more the better that one closes, if there is one."""
    k = len(chosen.points)
    t = np.linspace(0, 1, k)
    directions = chosen.apart * np.sqrt(chosen.share * (1 - chosen.share))
    signs = _signs(np.maximum(directions, np.sqrt(t * (1 - t)) * chosen.closes / 2), strip)
    if others:
        signs.append(np.max([_another(chosen, w, closed) for w in others], axis=0))
    out = _mean_of(signs)
    out[0] = out[-1] = 0.0
    return out


def _another(chosen: Between, way: Between, closed: bool) -> Array:
    """(k) px that another way tells of this one."""
    trust = chosen.closes / (chosen.closes + way.closes + 0.1)
    return trust * np.asarray(apart(chosen.points, way.points, closed))


def beyond(frames: int, strip: Array) -> Array:
    """(frames + 1) px that the outline is thought to be off at 0, 1, 2 .. frames from its last pin, where no other follows: what a way may go off
    by in so many frames, and how far the strip inside differs from the pin (`strip`, as in `foretold`)."""
    out = _mean_of(_signs(FREELY * np.arange(frames + 1.0), strip))
    out[0] = 0.0
    return out


def shared(foretold_px: Array, signs: Sequence[Array]) -> Array:
    """(k, n) px that each point is thought to be off by: what is foretold of the frame, (k), shared out as the signs have it, each (k, n) px at the points
    (nan: nothing is seen); its mean over the points is what is foretold."""
    told = [np.log(np.where(np.isfinite(s), np.maximum(np.nan_to_num(s), LEAST), LEAST)) for s in signs]
    profile = np.exp(np.mean(told, axis=0))
    return np.asarray(foretold_px[:, None] * profile / profile.mean(axis=1, keepdims=True))


def _signs(first: Array, strip: Array) -> list[Array]:
    """A sign, and what the strip tells if it was seen: between frames where it was."""
    seen = np.isfinite(strip)
    return [first, np.interp(np.arange(len(strip)), np.flatnonzero(seen), strip[seen])] if seen.any() else [first]


def _mean_of(signs: Sequence[Array]) -> Array:
    return np.asarray(SCALE * np.exp(np.mean([np.log(np.maximum(s, LEAST)) for s in signs], axis=0)))


@dataclass(frozen=True)
class Ask:
    """A frame that wants a pin; `worst` px that some frame is foretold to be off by before it is set, and `then` afterwards."""

    frame: int
    worst: float
    then: float


def asked(pins: Sequence[int], foretold_px: Array, limit: float, most: int = 12) -> tuple[Ask, ...]:
    """The frames to pin, the next one first (frames counted from 1, `foretold_px` (length)), until every frame is thought to be under the limit:
    each the middle of the stretch that holds the worst frame, which leaves less than the worst frame itself does. What follows the first
    supposes that a pin in the middle halves what its stretch is off by. At most `most`; none if all is under the limit. Frames at either end of which
    nothing is known (nan) are left out: what is known ends there."""
    known = np.flatnonzero(np.isfinite(foretold_px))
    if not len(known):
        return ()
    begin = int(known[0])
    px = np.nan_to_num(np.asarray(foretold_px, np.float64)[begin : known[-1] + 1], nan=0.0)
    out: list[Ask] = []
    set_at = sorted({p - begin for p in pins if 1 <= p - begin <= len(px)})
    while set_at and len(px) and px.max() >= limit and len(out) < most:
        worst = int(px.argmax()) + 1
        a = max((p for p in set_at if p <= worst), default=None)
        b = min((p for p in set_at if p >= worst), default=None)
        frame = 1 if a is None else len(px) if b is None else (a + b) // 2
        if frame in set_at:
            break
        before = float(px.max())
        px[(a or 1) - 1 : b or len(px)] /= 2
        px[frame - 1] = 0.0
        out.append(Ask(frame + begin, before, float(px.max())))
        set_at = sorted([*set_at, frame])
    return tuple(out)
