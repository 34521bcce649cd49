"""How wrong an outline may be between its pins, told by the picture; which frame wants a hand next, and when none does any more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.roto.path import Between, apart
from transmixis.core.types import Array

LEAST = 0.03  # px: below this signs say nothing
SCALE = 2.0  # px of true error for one of the signs' mean (measured on made takes, docs/limits.md)
FREELY = 0.25  # px by which a way may go off in the first frame from its only pin, before anything is known of it


def foretold(chosen: Between, others: Sequence[Between], strip: Array, closed: bool = True) -> Array:
    """(k) px that the outline is thought to be off at each frame of a stretch; 0 at its pins. The geometric mean of what three signs
    say: how far the strip inside differs from the pins (`strip` (k) px; nan: not seen), how far the two directions lie apart and miss the
    pins, and how far another way would lie, the more the better that one closes, if there is one."""
    k = len(chosen.points)
    t = np.linspace(0, 1, k)
    directions = chosen.apart * np.sqrt(chosen.share * (1 - chosen.share))
    signs = [np.maximum(directions, np.sqrt(t * (1 - t)) * chosen.closes / 2)]
    seen = np.isfinite(strip)
    if seen.any():
        signs.append(np.where(seen, strip, np.interp(np.arange(k), np.flatnonzero(seen), strip[seen])))
    if others:
        signs.append(np.max([_another(chosen, w, closed) for w in others], axis=0))
    out = SCALE * np.exp(np.mean([np.log(np.maximum(s, LEAST)) for s in signs], axis=0))
    out[0] = out[-1] = 0.0
    return np.asarray(out)


def _another(chosen: Between, way: Between, closed: bool) -> Array:
    """(k) px that another way tells of this one."""
    trust = chosen.closes / (chosen.closes + way.closes + 0.1)
    return trust * np.asarray(apart(chosen.points, way.points, closed))


def beyond(frames: int, rate: float, strip: Array, between_ways: Array | None) -> Array:
    """(frames + 1) px that the outline is thought to be off at 0, 1, 2 .. frames from its last pin, where no other follows; `rate` px a frame
    that its ways have gone off by elsewhere."""
    signs = [rate * np.arange(frames + 1.0)]
    if np.isfinite(strip).any():
        seen = np.isfinite(strip)
        signs.append(np.where(seen, strip, np.interp(np.arange(frames + 1), np.flatnonzero(seen), strip[seen])))
    if between_ways is not None:
        signs.append(between_ways / 2)
    out = SCALE * np.exp(np.mean([np.log(np.maximum(s, LEAST)) for s in signs], axis=0))
    out[0] = 0.0
    return np.asarray(out)


@dataclass(frozen=True)
class Ask:
    """A frame that wants a pin, and `worst` px, what some frame is foretold to be off by at most before it is set."""

    frame: int
    worst: float


def asked(pins: Sequence[int], foretold_px: Array, limit: float, most: int = 12) -> tuple[Ask, ...]:
    """The frames to pin, the next one first (frames counted from 1, `foretold_px` (length)), until every frame is thought to be under the limit:
    each the middle of the stretch that holds the worst frame, which leaves less than the worst frame itself does. What follows the first
    supposes that a pin in the middle halves what its stretch is off by. At most `most`; none if all is under the limit."""
    px = np.nan_to_num(np.asarray(foretold_px, np.float64), nan=0.0).copy()
    out: list[Ask] = []
    set_at = sorted(set(pins))
    while set_at and len(px) and px.max() >= limit and len(out) < most:
        worst = int(px.argmax()) + 1
        a = max((p for p in set_at if p <= worst), default=None)
        b = min((p for p in set_at if p >= worst), default=None)
        frame = 1 if a is None else len(px) if b is None else (a + b) // 2
        out.append(Ask(frame, float(px.max())))
        if frame in set_at:
            break
        px[(a or 1) - 1 : b or len(px)] /= 2
        px[frame - 1] = 0.0
        set_at = sorted([*set_at, frame])
    return tuple(out)
