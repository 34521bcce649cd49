"""What hangs on what in a shot from the side: the motion that carries a layer, the layer that this motion was tracked on, and the light that one gives another."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from transmixis.core.errors import UserError
from transmixis.shot.model import Shot, Step
from transmixis.shot.refs import split_ref
from transmixis.shot.steps import kind_of


@dataclass(frozen=True)
class Light:
    """The light that a step gives on: the `step`, how far it comes px of the frame (0: as far as it goes), and what it takes the light of and what stands near as far as these are layers ('' where they are not): the top steps of those."""

    step: str
    reach: float
    source: str
    lit: str


def plates_behind(shot: Shot, refs: Iterable[str], *, grounds: bool = True) -> set[str]:
    """The ids of the plates that some references come from; without what lies behind, where `grounds` is False."""
    steps = {s.id: s for s in shot.steps}
    out: set[str] = set()
    seen: set[str] = set()
    open_ = [r for r in refs if r]
    while open_:
        what, name = split_ref(open_.pop())
        if what == "plate":
            out.add(name)
        elif name in steps and name not in seen:
            seen.add(name)
            open_ += [r for r in _inputs(steps[name], grounds=grounds) if r]
    return out


def _inputs(step: Step, *, grounds: bool) -> list[str]:
    kind = kind_of(step.kind)
    behind = {s.name for s in kind.slots if s.ground} if not grounds else set()
    return [ref for slot, ref in step.inputs.items() if slot.split(".")[0] not in behind]


def own_plates(shot: Shot, mine: Iterable[Step]) -> set[str]:
    """The plates that a layer shows itself: those of its steps without what lies behind them, motions and mattes that pass in front."""
    refs = []
    for s in mine:
        kind = kind_of(s.kind)
        shown = {x.name for x in kind.slots if x.takes == "picture" and not x.ground}
        refs += [r for slot, r in s.inputs.items() if slot.split(".")[0] in shown]
    return plates_behind(shot, refs, grounds=False)


def carrier(shot: Shot, mine: list[Step]) -> Step | None:
    """The motion that carries a layer: the first that one of its steps hangs on, from outside of it if there is one."""
    own = {s.id for s in mine}
    found: list[Step] = []
    for s in mine:
        for slot in kind_of(s.kind).slots:
            ref = s.inputs.get(slot.name, "")
            if slot.takes == "motion" and ref.startswith("step:"):
                found += [x for x in shot.steps if x.id == split_ref(ref)[1]]
    outside = [s for s in found if s.id not in own]
    return next(iter(outside or found), None)


def motions_on(shot: Shot, plates: set[str]) -> list[Step]:
    """The steps whose motion was tracked on one of some plates."""
    some = [s for s in shot.steps if kind_of(s.kind).product == "motion"]
    return [s for s in some if plates_behind(shot, _inputs(s, grounds=True)) & plates]


def rider(shot: Shot, mine: Iterable[str]) -> Step | None:
    """The step of a layer that can hang on a motion: the one that lies on what is behind, else the first that can."""
    able = [s for s in shot.steps if s.id in set(mine) and _slot(s)]
    laying = [s for s in able if any(x.ground for x in kind_of(s.kind).slots)]
    return next(iter(laying or able), None)


def _slot(step: Step) -> str:
    return next((s.name for s in kind_of(step.kind).slots if s.takes == "motion" and s.optional), "")


def tied(shot: Shot, step: Step, motion: str, frame: int) -> Shot:
    """A step hung on a motion at a frame, so that it stays where it is there; '' lets it go. Raises UserError for what cannot hang, or hangs on itself."""
    slot = _slot(step)
    if not slot:
        raise UserError(f"'{step.name}' cannot hang on a motion.")
    if motion and kind_of(shot.step(motion).kind).product != "motion":
        raise UserError(f"'{shot.step(motion).name}' is no motion; take a track or a movement.")
    params = {**step.params}
    if motion and "at" in kind_of(step.kind).Params.model_fields:
        params["at"] = frame
    inputs = {k: v for k, v in step.inputs.items() if k != slot}
    if motion:
        inputs[slot] = f"step:{motion}"
    return shot.with_step(step.model_copy(update={"inputs": inputs, "params": params}))
