"""Moments of an element for the frames of a shot: trimmed to its cues, at a speed that changes, held, frozen, backwards, a photo for some frames.

Moments count the element's frames from 1; nan where it is not to be seen.
"""

from __future__ import annotations

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array

BEFORE_NOTHING, BEFORE_HELD = "nothing", "its first frame"
SAME = 1e-6


def at_speed(speeds: Array, first: float, begin: int) -> Array:
    """(n,) of frames 1..n: `first` at frame `begin`, and from frame to frame as far as the mean of the two `speeds` (n,) says."""
    steps = np.concatenate([[0.0], np.cumsum((speeds[1:] + speeds[:-1]) / 2)])
    return np.asarray(first + steps - steps[begin - 1])


def between_ends(length: int, first: float, last: float, begin: int, end: int, shape: Array | None = None) -> Array:
    """(length,) exactly `first` at frame `begin` and `last` at `end`, between them as fast as the speeds `shape` (length,) are to each other."""
    if end <= begin:
        raise UserError(f"It would end at frame {end}, not after it begins at {begin}; set the end later.")
    speeds = np.ones(length) if shape is None else np.asarray(shape, float)
    steps = (speeds[begin:end] + speeds[begin - 1 : end - 1]) / 2
    if steps.sum() <= SAME:
        raise UserError("The speeds come to no way at all, so the end cannot be reached; make one of them larger.")
    inside = np.concatenate([[0.0], np.cumsum(steps)]) / steps.sum()
    out = np.full(length, np.nan)
    out[begin - 1 : end] = first + (last - first) * inside
    return out


def middle_held(length: int, first: float, last: float, begin: int, end: int, held: float) -> Array:
    """(length,) the element at its own speed from its first frame on and towards its last, and in the middle its frame `held` for as long as there is room."""
    before, after = held - first, last - held
    if before < 0 or after < 0:
        raise UserError(f"Frame {held:.0f} of the element is none of those that are used, {first:.0f} to {last:.0f}.")
    if end - begin < before + after:
        raise UserError(
            f"There are {end - begin + 1} frames, and the element's ends alone have {before + after + 1:.0f}: nothing can be held. Let it end later."
        )
    out = np.full(length, np.nan)
    n = np.arange(begin, end + 1)
    out[begin - 1 : end] = np.where(n - begin <= before, first + n - begin, np.where(end - n <= after, last - (end - n), held))
    return out


def photos(length: int, first: float, last: float, begin: int, held: int) -> Array:
    """(length,) each frame of the element held for `held` frames; after the last one nothing."""
    out = np.full(length, np.nan)
    n = np.arange(begin, length + 1)
    shown = first + (n - begin) // held
    out[begin - 1 :] = np.where(shown <= last, shown, np.nan)
    return out


def seen(moments: Array, first: float, last: float, begin: int, end: int, before: str, after: str) -> Array:
    """The same cut to its cues `begin` to `end`, outside of which its ends are held or nothing is; beyond its own ends likewise."""
    out = np.array(moments, float)
    n = np.arange(1, len(out) + 1)
    low, high = min(first, last), max(first, last)
    early, late = n < begin, n > end
    inside = ~(early | late)
    over = inside & (np.nan_to_num(out, nan=high + 1) > high + SAME)
    under = inside & (np.nan_to_num(out, nan=high + 1) < low - SAME)
    shown = out[inside & ~over & ~under & np.isfinite(out)]
    start, stop = (shown[0], shown[-1]) if len(shown) else (first, last)
    out[early] = start if before == BEFORE_HELD else np.nan
    out[late] = stop if after == BEFORE_HELD else np.nan
    out[over] = high if after == BEFORE_HELD else np.nan
    out[under] = low if after == BEFORE_HELD else np.nan
    return out
