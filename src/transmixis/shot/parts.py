"""Parts: steps of a shot gathered under a name, switched, moved, copied, and put in front of or behind each other as one.

What lies in front of what is how the steps are connected: each that puts something over a picture takes that picture in its slot for
what lies behind. A part, or a single such step, is one place in that order.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any

from transmixis.core.errors import UserError
from transmixis.shot.contract import AnyKind
from transmixis.shot.given import refuse_cycles
from transmixis.shot.model import Part, Shot, Step
from transmixis.shot.pins import parameter
from transmixis.shot.refs import base_of, checked, product_of, with_product
from transmixis.shot.steps import kind_of
from transmixis.shot.workorder import remove_step, unique_id


@dataclass(frozen=True)
class Layer:
    """One place in the order from back to front: its steps, what it lies on, the step that takes that, and what it gives."""

    steps: tuple[str, ...]
    below: str
    bottom: str
    top: str


def part_of(shot: Shot, step_id: str) -> Part | None:
    """The part that a step is in."""
    return next((p for p in shot.parts if step_id in p.steps), None)


def part_named(shot: Shot, which: str) -> Part:
    """A part by id or name. Raises UserError."""
    found = [p for p in shot.parts if p.id == which] or [p for p in shot.parts if p.name == which]
    if len(found) != 1:
        names = ", ".join(f"'{p.name}'" for p in shot.parts) or "none yet"
        raise UserError(f"Shot {shot.code} has no one part called '{which[:60]}'; its parts are {names}.")
    return found[0]


def members(shot: Shot, part: Part) -> tuple[Step, ...]:
    """The steps of a part, in the order of the ledger."""
    return tuple(s for s in shot.steps if s.id in part.steps)


def gathered(shot: Shot, name: str, step_ids: Iterable[str]) -> tuple[Shot, Part]:
    """Steps gathered under a name, side by side where the last of them stood. Raises UserError for none, or one that is not there."""
    wanted = list(dict.fromkeys(step_ids))
    missing = [i for i in wanted if i not in {s.id for s in shot.steps}]
    if missing or not wanted:
        raise UserError(
            f"Shot {shot.code} has no step '{missing[0]}'." if missing else "A part needs at least one step; name some."
        )
    others = tuple(p for p in (_without(p, wanted) for p in shot.parts) if p.steps)
    part = Part(id=unique_id("part", {p.id for p in others}), name=name.strip() or "Part", steps=tuple(wanted))
    if part.name in {p.name for p in others}:
        part = part.model_copy(update={"name": unique_id(part.name, {p.name for p in others})})
    mine = [s for s in shot.steps if s.id in wanted]
    at = max(i for i, s in enumerate(shot.steps) if s.id in wanted)
    rest = [s for s in shot.steps[: at + 1] if s.id not in wanted]
    steps = (*rest, *mine, *shot.steps[at + 1 :])
    return shot.model_copy(update={"steps": steps, "parts": (*others, part)}), part


def suggested(shot: Shot, step_id: str) -> set[str]:
    """A step and those that serve it alone: what a part about it would hold. Tracks and mends, which others may come to use, stay out."""
    out = {step_id}
    while True:
        more = {
            s.id
            for s in shot.steps
            if s.id not in out
            and kind_of(s.kind).product != "motion"
            and not kind_of(s.kind).mends
            and (users := [u.id for u in shot.steps if f"step:{s.id}" in map(base_of, u.inputs.values())])
            and set(users) <= out
            and not _ground_slots(s)
        }
        if not more:
            return out
        out |= more


def _without(part: Part, step_ids: list[str]) -> Part:
    return part.model_copy(update={"steps": tuple(s for s in part.steps if s not in step_ids)})


def changed_part(shot: Shot, part_id: str, **values: Any) -> Shot:
    """The shot with a part's name or fold changed."""
    return shot.model_copy(update={"parts": tuple(p.model_copy(update=values) if p.id == part_id else p for p in shot.parts)})


def loosened(shot: Shot, part_id: str) -> Shot:
    """The shot without the part; its steps stay, on or off as they are."""
    return shot.model_copy(update={"parts": tuple(p for p in shot.parts if p.id != part_id)})


def switched(shot: Shot, part_id: str) -> Shot:
    """A part switched off, or on again with those of its steps off that had been so by themselves."""
    part = part_named(shot, part_id)
    mine = members(shot, part)
    if part.asleep is None:
        asleep: tuple[str, ...] | None = tuple(s.id for s in mine if not s.on)
        on: set[str] = set()
    else:
        on = {s.id for s in mine if s.id not in part.asleep}
        asleep = None
    out = _each(shot, part, lambda s: s.model_copy(update={"on": s.id in on}))
    return changed_part(out, part.id, asleep=asleep)


def _each(shot: Shot, part: Part, make: Callable[[Step], Step]) -> Shot:
    return shot.model_copy(update={"steps": tuple(make(s) if s.id in part.steps else s for s in shot.steps)})


def removed(shot: Shot, part_id: str) -> Shot:
    """The shot without the part and its steps; what used it is connected to what lay behind."""
    part = part_named(shot, part_id)
    for step_id in part.steps:
        shot = remove_step(shot, step_id)
    return shot


# -- moving and copying


def moved(shot: Shot, part_id: str, right: float, down: float, frames: int = 0) -> Shot:
    """A part moved over the picture, px, and its pins in time."""
    return _each(shot, part_named(shot, part_id), lambda s: moved_step(s, right, down, frames))


def moved_step(step: Step, right: float, down: float, frames: int = 0) -> Step:
    """A step moved over the picture, px, as its kind says, and its pins in time. What follows something in the plate stays where it
    follows it. Raises UserError for what cannot be moved."""
    kind = kind_of(step.kind)
    why = kind.stays(step) if right or down else ""
    if kind.product == "motion" or not (right or down or frames):
        return step
    try:
        out = _moved(step, kind, right, down, frames)
        for n in {1, *(p.frame for ps in out.pins.values() for p in ps)} if kind.known and not why else ():
            checked(out, kind, n)
    except (TypeError, ValueError, UserError):
        why = "its points or settings would lie where they cannot be read"
    if why:
        raise UserError(f"'{step.name}' cannot be moved so: {why}.")
    return out


def _moved(step: Step, kind: AnyKind, right: float, down: float, frames: int) -> Step:
    by = dict(zip(kind.offsets, (right, down), strict=True)) if kind.offsets else {}

    def value(name: str, v: Any) -> Any:
        if name in by:
            return v + by[name]
        return _shifted(v, right, down) if parameter(name) in kind.positions else v

    started = {name: kind.Params.model_fields[name].default for name, amount in by.items() if amount and name not in step.params}
    params = {k: value(k, v) for k, v in {**step.params, **started}.items()}
    pins = {
        k: tuple(p.model_copy(update={"frame": p.frame + frames, "value": value(k, p.value)}) for p in ps)
        for k, ps in step.pins.items()
    }
    return step.model_copy(update={"params": params, "pins": pins})


def _shifted(value: Any, right: float, down: float) -> Any:
    """Points (x, y), or with an identity before them, in lists of any depth."""
    if isinstance(value, (list, tuple)) and value and not isinstance(value[0], (list, tuple)):
        *identity, x, y = value
        return [*identity, round(x + right, 4), round(y + down, 4)]
    return [_shifted(v, right, down) for v in value] if isinstance(value, (list, tuple)) else value


def copied(shot: Shot, part_id: str, name: str = "", right: float = 0.0, down: float = 0.0, frames: int = 0) -> tuple[Shot, Part]:
    """A copy of a part with offsets of its own, in front of the one that it was made from."""
    part = part_named(shot, part_id)
    if not members(shot, part):
        raise UserError(f"'{part.name}' has no steps any more; let go of it.")
    taken = {s.id for s in shot.steps}
    names = {s.name for s in shot.steps}
    ids: dict[str, str] = {}
    for s in members(shot, part):
        ids[s.id] = unique_id(s.kind, taken)
        taken.add(ids[s.id])
    layer = layer_of(shot, part.steps)
    copies = []
    for s in members(shot, part):
        inputs = {k: _renamed(v, ids) for k, v in s.inputs.items()}
        if layer and s.id == layer.bottom:
            inputs = {**inputs, **dict.fromkeys(_ground_slots(s), layer.top)}
        own = unique_id(s.name, names)
        names.add(own)
        copies.append(moved_step(s.model_copy(update={"id": ids[s.id], "name": own, "inputs": inputs}), right, down, frames))
    at = max(i for i, s in enumerate(shot.steps) if s.id in part.steps) + 1
    out = shot.model_copy(update={"steps": (*shot.steps[:at], *copies, *shot.steps[at:])})
    if layer:
        out = _used_instead(out, layer.top, _renamed(layer.top, ids), but={*part.steps, *ids.values()})
    asleep = None if part.asleep is None else tuple(ids[s] for s in part.asleep if s in ids)
    new = Part(
        id=unique_id("part", {p.id for p in shot.parts}),
        name=unique_id(name.strip() or part.name, {p.name for p in shot.parts}),
        steps=tuple(ids[s.id] for s in members(shot, part)),
        asleep=asleep,
    )
    return out.model_copy(update={"parts": (*out.parts, new)}), new


def _renamed(ref: str, ids: dict[str, str]) -> str:
    what, _, name = base_of(ref).partition(":")
    return with_product(f"step:{ids[name]}", product_of(ref)) if what == "step" and name in ids else ref


# -- in front and behind


def _ground_slots(step: Step) -> list[str]:
    kind = kind_of(step.kind)
    return [s.name for s in kind.slots if s.ground and step.inputs.get(s.name)]


def layer_of(shot: Shot, step_ids: Iterable[str]) -> Layer | None:
    """The place of steps in the order from back to front; None if they are no layer: nothing lies behind them, or they are not one after
    the other."""
    mine = [s for s in shot.steps if s.id in set(step_ids) and _ground_slots(s)]
    inner = {f"step:{s.id}" for s in mine}
    bottoms = [s for s in mine if not any(s.inputs[g] in inner for g in _ground_slots(s))]
    used = {s.inputs[g] for s in mine for g in _ground_slots(s)}
    tops = [s for s in mine if f"step:{s.id}" not in used]
    if len(bottoms) != 1 or len(tops) != 1:
        return None
    below = bottoms[0].inputs[_ground_slots(bottoms[0])[0]]
    return Layer(tuple(step_ids), below, bottoms[0].id, f"step:{tops[0].id}")


def layers(shot: Shot) -> list[Layer]:
    """The places in the order from back to front, as far as they lie on one another: parts, and single steps outside of parts."""
    groups = [p.steps for p in shot.parts] + [(s.id,) for s in shot.steps if part_of(shot, s.id) is None]
    found = [layer for g in groups if (layer := layer_of(shot, g)) is not None]
    tops = {layer.top for layer in found}
    out = [layer for layer in found if layer.below not in tops]
    for layer in out:  # grows while it is walked
        out += [n for n in found if n.below == layer.top and n not in out]
    return out


def stack_of(shot: Shot, which: str) -> tuple[str, tuple[str, ...]]:
    """Name and steps of what lies in one place of the order: a part, or a step outside of parts. Raises UserError."""
    step = next((s for s in shot.steps if s.id == which), None)
    if step is None or any(p.id == which for p in shot.parts):
        part = part_named(shot, which)
        return part.name, part.steps
    part_with = part_of(shot, step.id)
    return (step.name, (step.id,)) if part_with is None else (part_with.name, part_with.steps)


def restacked(shot: Shot, which: str, *, forward: bool) -> Shot:
    """A part, or a step outside of parts, one place further to the front, or to the back. Raises UserError if there is none."""
    name, steps = stack_of(shot, which)
    here = layer_of(shot, steps)
    if here is None:
        raise UserError(
            f"'{name}' lies on nothing, so it cannot be put in front of or behind anything; connect what lies behind it."
        )
    every = layers(shot)
    wanted = [n for n in every if (n.below == here.top if forward else n.top == here.below)]
    if len(wanted) != 1:
        where = "in front of" if forward else "behind"
        said = "There is nothing" if not wanted else "There is more than one thing"
        raise UserError(f"{said} {where} '{name}' that it could change places with.")
    back, front = (here, wanted[0]) if forward else (wanted[0], here)
    return _beside(_swapped(shot, back, front), back, front)


def _swapped(shot: Shot, back: Layer, front: Layer) -> Shot:
    """Two layers that lie on one another, the other way round. Raises UserError if one uses something else of the other."""
    out = _used_instead(shot, front.top, back.top, but={*front.steps, *back.steps})
    # all of the front one that used what lay behind it, such as what matches it, uses what lies behind it now
    mine = {s.id: {k: back.below if v == back.top else v for k, v in s.inputs.items()} for s in out.steps if s.id in front.steps}
    steps = tuple(s.model_copy(update={"inputs": mine[s.id]}) if s.id in mine else s for s in out.steps)
    bottom = out.step(back.bottom)
    lifted = bottom.model_copy(update={"inputs": {**bottom.inputs, _ground_slots(bottom)[0]: front.top}})
    out = out.model_copy(update={"steps": steps}).with_step(lifted)
    refuse_cycles(out)
    return out


def _used_instead(shot: Shot, ref: str, by: str, but: set[str]) -> Shot:
    """What used one step, and the delivery, using another."""
    steps = tuple(
        s if s.id in but else s.model_copy(update={"inputs": {k: by if v == ref else v for k, v in s.inputs.items()}})
        for s in shot.steps
    )
    output = by.partition(":")[2] if shot.output == ref.partition(":")[2] else shot.output
    return shot.model_copy(update={"steps": steps, "output": output})


def _beside(shot: Shot, now_front: Layer, now_back: Layer) -> Shot:
    """The ledger's order follows: what came to the front stands behind the other in the list."""
    mine = [s for s in shot.steps if s.id in now_front.steps]
    rest = [s for s in shot.steps if s.id not in now_front.steps]
    at = max((i for i, s in enumerate(rest) if s.id in now_back.steps), default=-1) + 1
    return shot.model_copy(update={"steps": (*rest[:at], *mine, *rest[at:])})
