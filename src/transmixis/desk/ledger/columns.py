"""What stands in a column: a step, or all steps of a folded part, by the worst of their readings."""

from __future__ import annotations

from dataclasses import dataclass

from transmixis.core.readings import Reading
from transmixis.desk.state import State
from transmixis.shot.model import Part, Shot, Step
from transmixis.shot.parts import members, part_of
from transmixis.shot.steps import kind_of


@dataclass(frozen=True)
class Column:
    """A column's key (a step's id, or 'part:ID'), its steps, what its head says, and the part that it belongs to."""

    key: str
    steps: tuple[Step, ...]
    name: str
    part: Part | None

    @property
    def folded(self) -> bool:
        return self.key.startswith("part:")

    @property
    def on(self) -> bool:
        return any(s.on for s in self.steps)

    @property
    def stage(self) -> str:
        return kind_of(self.steps[0].kind).stage


def columns_of(shot: Shot) -> list[Column]:
    """The columns of a shot; a folded part has one, where its first step stands."""
    out: list[Column] = []
    seen: set[str] = set()
    for step in shot.steps:
        part = part_of(shot, step.id)
        if part is None or not part.folded:
            out.append(Column(step.id, (step,), step.name, part))
        elif part.id not in seen:
            seen.add(part.id)
            out.append(Column(f"part:{part.id}", members(shot, part), part.name, part))
    return out


def worst_at(state: State, column: Column, frame: int) -> Reading | None:
    """The worst reading of a column's steps at a frame."""
    if len(column.steps) == 1:
        return state.known.worst_at(column.steps[0].id, frame)
    return worse(state.known.worst_at(s.id, frame) for s in column.steps)


def worst_of(state: State, column: Column) -> tuple[Step, int, Reading] | None:
    """Step, frame and reading nearest to or furthest over its limit."""
    found = [(s, *w) for s in column.steps if (w := state.known.worst_of(s.id))]
    return max(found, key=lambda f: f[2].ratio or 0) if found else None


def stale_at(state: State, column: Column, frame: int) -> Reading | None:
    """The worst of before the last edit, where it is not taken anew yet."""
    return worse(state.known.stale_at(s.id, frame) for s in column.steps)


def is_measured(state: State, column: Column, frame: int) -> bool:
    """Whether every step of it that is on has been measured at a frame."""
    steps = [s for s in column.steps if s.on] or list(column.steps)
    return all(frame in state.known.readings.get(s.id, {}) for s in steps)


def has_readings(state: State, column: Column, frame: int) -> bool:
    """Whether any step of it gives readings at a frame."""
    return any(state.known.readings.get(s.id, {}).get(frame) for s in column.steps)


def worse(readings: object) -> Reading | None:
    """The one with the largest share of its limit."""
    known = [r for r in readings if isinstance(r, Reading)]  # type: ignore[attr-defined]
    return max(known, key=lambda r: -1.0 if r.ratio is None else r.ratio) if known else None
