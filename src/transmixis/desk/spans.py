"""Faults as spans of frames: what a person goes to, mends or accepts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from transmixis.core.readings import FAULT, Reading
from transmixis.desk.readingwords import reading_words


@dataclass(frozen=True)
class Finding:
    """A fault over a span of frames."""

    step: str
    reading: str
    first: int
    last: int
    worst_frame: int
    value: float
    unit: str
    limit: float
    spot: tuple[int, int, int, int] | None
    better: Literal["low", "high"] = "low"

    @property
    def words(self) -> str:
        """Its worst value with its limit, as everywhere."""
        return reading_words(Reading(self.reading, self.value, self.unit, self.limit, self.better))


def spans(step_id: str, name: str, table: dict[int, list[Reading]]) -> list[Finding]:
    """Runs of frames where a reading is over its limit; a gap of one frame does not end a run."""
    over: list[tuple[int, Reading]] = sorted(
        ((n, r) for n, rs in table.items() for r in rs if r.name == name and r.state == FAULT), key=lambda t: t[0]
    )
    runs: list[list[tuple[int, Reading]]] = []
    for n, r in over:
        if runs and n - runs[-1][-1][0] <= 2:
            runs[-1].append((n, r))
        else:
            runs.append([(n, r)])
    out = []
    for run in runs:
        n, r = max(run, key=lambda t: t[1].ratio or 0)
        out.append(Finding(step_id, name, run[0][0], run[-1][0], n, r.value or 0.0, r.unit, r.limit, r.spot, r.better))
    return out
