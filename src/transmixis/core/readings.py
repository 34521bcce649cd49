"""A reading: one measured number with its unit and limit. The limits are argued in docs/limits.md."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

SOUND, WATCH, FAULT, UNKNOWN = "sound", "watch", "fault", "unknown"
WATCH_FROM = 0.85  # of the limit


@dataclass(frozen=True)
class Reading:
    """`value` is None when it could not be measured; `note` then says why. `spot` is (x, y, w, h) px of the worst place."""

    name: str
    value: float | None
    unit: str
    limit: float
    better: Literal["low", "high"] = "low"
    spot: tuple[int, int, int, int] | None = None
    note: str = ""

    def __post_init__(self) -> None:
        """A value that is no number was not measured; it must neither be shown nor kept as one."""
        if self.value is not None and not math.isfinite(self.value):
            object.__setattr__(self, "value", None)
            object.__setattr__(self, "note", self.note or "the measurement gave no number")

    @property
    def ratio(self) -> float | None:
        """Value over limit (limit over value where high is better); 1 and above is a fault."""
        if self.value is None:
            return None
        if self.better == "low":
            return abs(self.value) / self.limit
        return self.limit / max(abs(self.value), 1e-9)

    @property
    def state(self) -> str:
        return state_of(self.ratio)


def state_of(ratio: float | None) -> str:
    """Word for a ratio: sound, watch, fault or unknown."""
    if ratio is None:
        return UNKNOWN
    return FAULT if ratio >= 1 else WATCH if ratio >= WATCH_FROM else SOUND


def worst(readings: list[Reading]) -> Reading | None:
    """The reading nearest to or furthest over its limit; None if nothing could be measured."""
    known = [r for r in readings if r.ratio is not None]
    return max(known, key=lambda r: r.ratio or 0.0) if known else None
