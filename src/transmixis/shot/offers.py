"""What a step offers to a person: settings that were measured, and acts by a key. Kinds and desk have them from shot.contract."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import set_pin


@dataclass(frozen=True)
class Act:
    """What a person often does with a step at the playhead, by a key: its `name`, `words` for the sheet and a `tip`."""

    name: str
    words: str
    tip: str


@dataclass(frozen=True)
class Thing:
    """One of several things that a step holds, such as an outline: the `param` of the handle that sets it in the picture, its `words`, a `note` on
    how it stands, whether it is `on`, and its settings by name (fields of the kind's `thing`)."""

    param: str
    words: str
    note: str
    on: bool
    values: Mapping[str, Any]


@dataclass(frozen=True)
class Effect:
    """A reading now and as expected if the proposal is used; both in `unit` against `limit`."""

    reading: str
    now: float
    then: float
    unit: str
    limit: float


@dataclass(frozen=True)
class Instead:
    """Another step in place of one: its `kind`, what its `name` ends with, and its `values` by parameter."""

    kind: str
    name: str
    values: Mapping[str, Any]


@dataclass(frozen=True)
class Proposal:
    """Measured settings: `values` by parameter, one sentence of reason, effects, what it gains and costs, the frames covered; `pins` are set
    beside those that are there; `instead`: a step that is added, on which hangs then what hung on this one. `asks`: frames that want a hand, the next first. With none of them it is
    advice: what a person would do by hand."""

    values: dict[str, Any]
    reason: str
    effects: tuple[Effect, ...] = ()
    gains: str = ""
    costs: str = ""
    frames: tuple[int, int] | None = None
    pins: Mapping[str, tuple[Pin, ...]] = field(default_factory=dict)
    instead: Instead | None = None
    asks: tuple[int, ...] = ()

    @property
    def sets(self) -> bool:
        """True if there is something to take."""
        return bool(self.values or self.pins or self.instead)

    def used(self, step: Step, only: str = "") -> Step:
        """The step with what is proposed, or with one parameter of it; what stands `instead` of it is no part of it (see stepjob.taken)."""
        values = {k: v for k, v in self.values.items() if not only or k == only}
        kept = {k: v for k, v in step.pins.items() if k not in values}
        out = step.model_copy(update={"params": {**step.params, **values}, "pins": kept})
        for name, pins in self.pins.items():
            for pin in pins if not only or name == only else ():
                out = set_pin(out, name, pin)
        return out
