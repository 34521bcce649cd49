"""How wrong an outline may be between its pins, told by the picture; which frame wants a hand next, and when none does any more."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

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
    """The frame that wants a pin, what it is foretold to be off by at worst in its stretch, and how many pins (this one counted) are thought to
    bring all frames under the limit."""

    frame: int
    worst: float
    needed: int


def asked(pins: Sequence[int], foretold_px: Array, limit: float) -> Ask | None:
    """The next frame to pin (frames counted from 1, `foretold_px` (length)): the middle of the stretch that holds the worst frame, which
    leaves less than the worst frame itself does. None if every frame is under the limit."""
    px = np.nan_to_num(np.asarray(foretold_px, np.float64), nan=0.0)
    if not len(pins) or not len(px) or px.max() < limit:
        return None
    edges = sorted(set(pins))
    stretches = list(pairwise(edges))
    if edges[0] > 1:
        stretches.insert(0, (1, edges[0]))
    if edges[-1] < len(px):
        stretches.append((edges[-1], len(px)))
    worst = int(px.argmax()) + 1
    a, b = next((a, b) for a, b in stretches if a <= worst <= b)
    needed = sum(_pins_for(float(px[i - 1 : j].max()), limit, j - i) for i, j in stretches)
    return Ask(_middle(a, b, edges, len(px)), float(px.max()), max(1, needed))


def _middle(a: int, b: int, pins: Sequence[int], length: int) -> int:
    """Halfway; where no pin follows at the far end, that end, so that the way is held from both sides."""
    if a == 1 and a not in pins:
        return 1
    if b == length and b not in pins:
        return length
    return (a + b) // 2


def _pins_for(worst: float, limit: float, frames: int) -> int:
    """Pins that a stretch still needs: one in the middle halves its error."""
    return 0 if worst < limit else min(int(np.ceil(worst / limit)) if worst > limit else 1, max(frames - 1, 1))
