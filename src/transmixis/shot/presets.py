"""Presets: a step's or a part's settings kept by name in the production, and applied elsewhere with what has to be measured or set anew there."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from transmixis.core.errors import UserError
from transmixis.shot.contract import AnyKind, StepKind
from transmixis.shot.model import Film, Preset, Shot, Step
from transmixis.shot.parts import gathered, members
from transmixis.shot.pins import parameter
from transmixis.shot.refs import base_of, product_of, with_product
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.params import facts
from transmixis.shot.workorder import add_step, unique_id

LONGEST = 80  # letters of a name


@dataclass(frozen=True)
class Applied:
    """The shot with a preset applied, the steps that have it now, and what is to be measured, set or connected anew, in words."""

    shot: Shot
    steps: tuple[str, ...]
    anew: tuple[str, ...]


def kept(film: Film, shot: Shot, which: str, name: str) -> Film:
    """The film with a preset of a step or a part (by id or name) under a name; one of that name is replaced. Raises UserError."""
    name = name.strip()
    if not name or len(name) > LONGEST:
        raise UserError(f"A preset wants a name of 1 to {LONGEST} letters.")
    part = next((p for p in shot.parts if which in (p.id, p.name)), None)
    found = [s for s in shot.steps if which in (s.id, s.name)]
    if part is None and not found:
        raise UserError(f"Shot {shot.code} has no step or part '{which[:60]}'.")
    steps = members(shot, part) if part is not None else (found[0],)
    own = {s.id for s in steps}
    preset = Preset(name=name, steps=tuple(_bare(s, own) for s in steps), part=part is not None, from_shot=shot.code)
    others = tuple(p for p in film.production.presets if p.name != name)
    return film.model_copy(update={"production": film.production.model_copy(update={"presets": (*others, preset)})})


def let_go(film: Film, name: str) -> Film:
    """The film without a preset. Raises UserError if there is none of that name."""
    preset_named(film, name)
    others = tuple(p for p in film.production.presets if p.name != name)
    return film.model_copy(update={"production": film.production.model_copy(update={"presets": others})})


def preset_named(film: Film, name: str) -> Preset:
    """The preset of a name. Raises UserError."""
    found = next((p for p in film.production.presets if p.name == name), None)
    if found is None:
        names = ", ".join(f"'{p.name}'" for p in film.production.presets) or "none yet"
        raise UserError(f"The production has no preset '{name[:60]}'; it has {names}.")
    return found


def places_of(kind: AnyKind) -> set[str]:
    """Parameters that are places in the picture: set there by tools, and of no use in another shot."""
    return {
        *kind.positions,
        *(k for k, f in kind.Params.model_fields.items() if facts(f)["control"] == "none" and f.default == ()),
    }


def _bare(step: Step, own: set[str]) -> Step:
    """A step without what belongs to its shot: connections to outside, pins, and places in the picture."""
    inputs = {
        k: v for k, v in step.inputs.items() if base_of(v).partition(":")[0] == "step" and base_of(v).partition(":")[2] in own
    }
    places = places_of(kind_of(step.kind))
    params = {k: v for k, v in step.params.items() if k not in places}
    # a pin's first value stands for the whole shot
    params |= {
        k: v[0].value
        for k, v in step.pins.items()
        if v and "." not in k and k not in places and not isinstance(v[0].value, (list, tuple))
    }
    return step.model_copy(update={"inputs": inputs, "params": params, "pins": {}, "on": True})


def applied(shot: Shot, preset: Preset, onto: Iterable[str] = ()) -> Applied:
    """A preset applied to steps of a shot that have the kinds it holds, or, if none are named, added as new ones. Raises UserError where a named step has another kind."""
    named = list(onto)
    if named:
        return _onto(shot, preset, named)
    out, ids = shot, dict[str, str]()
    taken = {s.name for s in shot.steps}
    for s in preset.steps:
        out, made = add_step(out, s.kind, name=unique_id(s.name, taken))
        taken.add(made.name)
        ids[s.id] = made.id
    for s in preset.steps:
        made = out.step(ids[s.id])
        inner = {k: with_product(f"step:{ids[base_of(v).partition(':')[2]]}", product_of(v)) for k, v in s.inputs.items()}
        out = out.with_step(
            made.model_copy(update={"params": dict(s.params), "limits": dict(s.limits), "inputs": {**made.inputs, **inner}})
        )
    if preset.part and len(ids) > 1:
        out, _ = gathered(out, preset.name, ids.values())
    steps = tuple(ids[s.id] for s in preset.steps)
    return Applied(out, steps, _anew(out, steps))


def _onto(shot: Shot, preset: Preset, named: list[str]) -> Applied:
    steps = []
    for which in named:
        step = next((s for s in shot.steps if which in (s.id, s.name)), None)
        if step is None:
            raise UserError(f"Shot {shot.code} has no step '{which[:60]}'.")
        model = next((s for s in preset.steps if s.kind == step.kind), None)
        if model is None:
            kinds = ", ".join(sorted({kind_of(s.kind).title for s in preset.steps}))
            raise UserError(f"The preset '{preset.name}' is of {kinds}; '{step.name}' is a {kind_of(step.kind).title}.")
        places = places_of(kind_of(step.kind))
        own = {k: v for k, v in step.params.items() if k in places}
        pins = {k: v for k, v in step.pins.items() if parameter(k) in places}
        shot = shot.with_step(
            step.model_copy(update={"params": {**model.params, **own}, "pins": pins, "limits": {**step.limits, **model.limits}})
        )
        steps.append(step.id)
    return Applied(shot, tuple(steps), _anew(shot, tuple(steps)))


def _anew(shot: Shot, steps: tuple[str, ...]) -> tuple[str, ...]:
    """What has to be measured, set or connected where a preset has come to."""
    out = []
    for i in steps:
        step = shot.step(i)
        kind = kind_of(step.kind)
        open_slots = [s.words for s in kind.slots if not s.optional and not step.inputs.get(s.name)]
        if open_slots:
            out.append(f"{step.name}: connect {', '.join(open_slots)}")
        places = [p for p in sorted(places_of(kind)) if not step.params.get(p) and not step.pins.get(p)]
        if places and kind.tools:
            out.append(f"{step.name}: set its {' and '.join(p.replace('_', ' ') for p in places)} in the picture")
        if kind.analyses or kind.pieced:
            out.append(f"{step.name}: works through the shot anew")
        if type(kind).propose is not StepKind.propose:
            out.append(f"{step.name}: asked for its proposal, as its material is another")
    return tuple(out)
