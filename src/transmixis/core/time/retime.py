"""Which moment of an element each frame of a retimed one shows: by a rate, a length with exact ends, or a curve of speed; and what is read of it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.interpolate import PchipInterpolator

from transmixis.core.errors import UserError
from transmixis.core.readings import Reading
from transmixis.core.time.conform import NEAR
from transmixis.core.types import Array

MOST = 100_000  # frames
STUTTER = 0.25  # of a frame: a held frame further from its time stutters (judgement, docs/limits.md)
SKIPPED = 0.75  # of a frame that one step may go beyond the pace: more is seen as a jump (judgement, docs/limits.md)
GROUND = "the element has frames 1 to"


def by_rate(count: int, rate: float, wanted: float) -> Array:
    """Moments, frames counted from 1, of an element of `count` frames at `rate` pictures a second shown at a `wanted` one; it lasts as long."""
    n = int(np.floor((count - 1) * wanted / rate + 1e-9)) + 1
    return np.asarray(1 + np.arange(_bounded(n)) * rate / wanted)


def to_length(count: int, frames: int) -> Array:
    """Moments of an element brought to so many frames: the first shows the first, the last the last."""
    return np.linspace(1, count, _bounded(frames)) if frames > 1 else np.array([1.0])


def by_curve(curve: Any, count: int) -> Array:
    """Moments by a curve: {"speed": [[frame, speed], …]} goes through those speeds, from the element's first frame on ("ends": "exact" brings it to end on its last one); {"shows": [[frame, element's
    frame], …]} shows those frames then; monotone cubics between (Fritsch & Carlson, 1980). Raises UserError, with what is wrong, for anything else."""
    if not isinstance(curve, dict) or len({"speed", "shows"} & set(curve)) != 1:
        raise UserError('A curve has "speed": [[frame, speed], …] or "shows": [[frame, frame of the element], …].')
    kind = "speed" if "speed" in curve else "shows"
    pins = _pins(curve[kind], kind)
    n = _bounded(int(pins[-1, 0]))
    frames = np.arange(1, n + 1)
    line = PchipInterpolator(pins[:, 0], pins[:, 1]) if len(pins) > 1 else (lambda at: np.full(np.shape(at), pins[0, 1]))
    if kind == "shows":
        out = np.asarray(line(np.clip(frames, pins[0, 0], pins[-1, 0])))
    else:
        fine = np.asarray(line(np.clip((frames[:-1] + frames[1:]) / 2, pins[0, 0], pins[-1, 0])))
        out = 1 + np.concatenate([[0.0], np.cumsum(fine)])
        if curve.get("ends") == "exact":
            if out[-1] <= 1:
                raise UserError("The speeds come to no way at all, so the end cannot be reached; make one of them larger.")
            out = 1 + (out - 1) * (count - 1) / (out[-1] - 1)
    if out.min() < 1 - 1e-6 or out.max() > count + 1e-6:
        raise UserError(
            f'The curve asks for frame {out.min():.1f} to {out.max():.1f}; {GROUND} {count}. Lower the speed, or say "ends": "exact".'
        )
    return np.asarray(np.clip(out, 1, count))


def _pins(rows: Any, kind: str) -> Array:
    try:
        pins = np.asarray(rows, np.float64)
    except (TypeError, ValueError):
        pins = np.zeros((0, 0))
    if pins.ndim != 2 or pins.shape[1:] != (2,) or not len(pins) or not np.isfinite(pins).all():
        raise UserError(
            f'"{kind}" is a list of pairs of numbers, [frame, {"speed" if kind == "speed" else "frame of the element"}].'
        )
    if pins[0, 0] < 1 or (np.diff(pins[:, 0]) <= 0).any():
        raise UserError(f'The frames of "{kind}" begin at 1 or later and rise from pair to pair.')
    return pins


def _bounded(n: int) -> int:
    if not 1 <= n <= MOST:
        raise UserError(f"{n} frames cannot be made; 1 to {MOST} can.")
    return n


@dataclass(frozen=True)
class Shows:
    """What a frame is made of: frame `low` of the element, and `share` 0..1 of the way to the next."""

    low: int
    share: float

    @property
    def words(self) -> str:
        return (
            f"frame {self.low}"
            if not self.share
            else f"{100 * self.share:.0f} % of the way from frame {self.low} to {self.low + 1}"
        )


def shown(moment: float, count: int, *, hold: bool = False) -> Shows:
    """What shows a moment of an element; `hold`: the nearest frame."""
    if hold:
        return Shows(min(max(int(np.floor(moment + 0.5)), 1), count), 0.0)
    low = int(np.floor(moment + NEAR))
    share = moment - low
    return Shows(min(low, count), 0.0) if share <= NEAR or low >= count else Shows(low, float(share))


def retime_readings(moments: Sequence[float], count: int, frame: int, *, hold: bool) -> list[Reading]:
    """Of a frame, counted from 1: whether it shows again what the one before did, how many of the element's frames are passed over before it, how far it is from its time."""
    now = shown(moments[frame - 1], count, hold=hold)
    out = [Reading("off its time", abs(now.low + now.share - moments[frame - 1]), "frames", STUTTER, note=f"shows {now.words}")]
    if frame > 1:
        before = shown(moments[frame - 2], count, hold=hold)
        moved = abs(moments[frame - 1] - moments[frame - 2])
        same = (now.low, now.share) == (before.low, before.share)
        rests = moved < NEAR  # it is asked to stand still
        out.append(Reading("doubled", float(same and not rests), "frames", 1.0, note="as asked" if same and rests else ""))
        step = abs(now.low + now.share - before.low - before.share)
        out.append(
            Reading("skipped", max(0.0, step - max(1.0, moved)), "frames", SKIPPED, note="beyond the pace that is asked for")
        )
    return out
