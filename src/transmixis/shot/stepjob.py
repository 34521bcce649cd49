"""Steps of a shot added, set and connected from plain words, as the command line and scripts give them."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.files import said
from transmixis.shot.contract import Proposal
from transmixis.shot.given import refuse_cycles
from transmixis.shot.model import Pin, Shot, Step
from transmixis.shot.pins import set_pin
from transmixis.shot.plainjson import parse
from transmixis.shot.refs import checked, product_of, slot_name, split_ref, with_product
from transmixis.shot.render import Renderer
from transmixis.shot.steps import KINDS, endings_read, kind_of, known_kind
from transmixis.shot.workorder import add_step, unique_id

LARGEST = 1_000_000  # letters of one value


def added(
    shot: Shot, kind: str, name: str, inputs: Sequence[str], settings: Sequence[str], pins: Sequence[str]
) -> tuple[Shot, Step]:
    """The shot with one more step; `inputs` are 'slot=ref', `settings` 'parameter=value', `pins` 'parameter@frame=value', values in
    JSON or a plain word. Raises UserError for what does not fit."""
    known_kind(kind)
    wanted = dict(_parted(i, "a slot and what it takes, e.g. plate=plate:hero") for i in inputs)
    new, step = add_step(shot, kind, name=name, inputs=wanted)
    return changed(new, step.id, [f"{k}={v}" for k, v in wanted.items()], settings, pins)


def changed(shot: Shot, step_id: str, inputs: Sequence[str], settings: Sequence[str], pins: Sequence[str]) -> tuple[Shot, Step]:
    """The shot with a step set and connected otherwise. Raises UserError for what does not fit."""
    step = step_named(shot, step_id)
    kind = kind_of(step.kind)
    for text in inputs:
        slot, ref = _parted(text, "a slot and what it takes, e.g. plate=plate:hero")
        step = _connected(shot, step, slot, ref)
    for text in settings:
        name, value = _parted(text, "a parameter and its value, e.g. feather=2")
        step = step.model_copy(update={"params": {**step.params, _param(kind.Params, name): _value(value)}})
    for text in pins:
        name, value = _parted(text, "a parameter, a frame and a value, e.g. x@12=40")
        name, _, frame = name.partition("@")
        if not frame.isdecimal() or len(frame) > 7 or not 1 <= int(frame) <= shot.length:
            raise UserError(
                f"'{frame[:20]}' is no frame of the shot; write the pin like x@12=40 with a frame from 1 to {shot.length}."
            )
        step = set_pin(step, _param(kind.Params, name), Pin(frame=int(frame), value=_value(value), easing="linear"))
    for n in {1, *(p.frame for its in step.pins.values() for p in its)}:
        checked(step, kind, n)
    new = shot.with_step(step)
    refuse_cycles(new)
    return new, step


def from_file(shot: Shot, step_id: str, path: Path) -> tuple[Shot, Step]:
    """The shot with a step set by what a file holds. Raises UserError where its kind reads no such file."""
    step = step_named(shot, step_id)
    kind = kind_of(step.kind)
    if path.suffix.lower() not in kind.files:
        reads = f"a file that ends with {' or '.join(kind.files)}" if kind.files else "no file"
        raise UserError(f"'{said(path.name)}' cannot be read into '{step.name}', which reads {reads}.")
    step = kind.from_file(step, shot, path)
    checked(step, kind, 1)
    return shot.with_step(step), step


def added_from_file(shot: Shot, path: Path) -> tuple[Shot, Step]:
    """The shot with one more step, of the first kind that can be set from the file. Raises UserError where none can."""
    troubles: list[str] = []
    for kind in KINDS.values():
        if path.suffix.lower() in kind.files:
            new, step = add_step(shot, kind.kind, name=path.stem[:60])
            try:
                return from_file(new, step.id, path)
            except UserError as e:
                troubles.append(str(e))
    if troubles:
        raise UserError(" ".join(dict.fromkeys(troubles)))
    raise UserError(f"No step is set from '{said(path.name)}'; files are read that end with {', '.join(endings_read())}.")


def setting(text: str) -> tuple[str, Any]:
    """'name=value' with the value in JSON or a plain word. Raises UserError."""
    name, value = _parted(text, "an argument and its value, e.g. part=Courier")
    return name, _value(value)


def step_named(shot: Shot, name: str) -> Step:
    """A step by its id or its name. Raises UserError."""
    found = [s for s in shot.steps if s.id == name] or [s for s in shot.steps if s.name == name]
    if not found:
        there = ", ".join(s.id for s in shot.steps) or "none yet"
        raise UserError(f"Shot {shot.code} has no step '{name[:40]}'; it has {there}.")
    return found[0]


def proposed(renderer: Renderer, step_id: str, progress: Progress) -> Proposal | None:
    """What is proposed for a step; one whose proposals look at its own readings is read on all frames first."""
    if kind_of(renderer.shot.step(step_id).kind).weighs_itself:
        renderer.progress = progress
        for n in range(1, renderer.shot.length + 1):
            progress.at(n - 1, renderer.shot.length, f"reading frame {n}")
            renderer.measure(step_id, n)
    return renderer.propose(step_id, progress)


def acted(renderer: Renderer, step: Step, name: str, frame: int) -> Step:
    """A step after one of its acts, by name. Raises UserError for one that it has not, or where it cannot be done."""
    names = [a.name for a in kind_of(step.kind).acts]
    if name not in names:
        raise UserError(f"'{step.name}' has no act '{name}'; it has: {', '.join(names) or 'none'}.")
    if frame > renderer.shot.length:
        raise UserError(f"'{renderer.shot.code}' has {renderer.shot.length} frames; frame {frame} is not one of them.")
    return renderer.acted(step.id, name, frame)


def taken(shot: Shot, step_id: str, proposal: Proposal, only: str = "") -> Shot:
    """The shot with what is proposed for a step, or with one parameter of it. A step that is to stand instead of it takes what it took, and
    is taken by what took it."""
    step = shot.step(step_id)
    new = shot.with_step(proposal.used(step, only))
    if proposal.instead is None or only:
        return new
    one = proposal.instead
    slots = [s.name for s in kind_of(one.kind).slots]
    inputs = {k: v for k, v in step.inputs.items() if slot_name(k) in slots} or {slots[0]: next(iter(step.inputs.values()), "")}
    name = unique_id(f"{step.name} {one.name}", {s.name for s in shot.steps})
    new, other = add_step(new, one.kind, name=name, inputs=inputs)
    other = other.model_copy(update={"params": dict(one.values)})
    checked(other, kind_of(one.kind), 1)
    was, now = f"step:{step_id}", f"step:{other.id}"
    rest = [s for s in new.with_step(other).steps if s.id != other.id]
    at = next(i for i, s in enumerate(rest) if s.id == step_id) + 1
    steps = [*rest[:at], other, *rest[at:]]
    return new.model_copy(
        update={
            "steps": tuple(
                s.model_copy(update={"inputs": {k: now if v == was else v for k, v in s.inputs.items()}}) for s in steps
            )
        }
    )


def _connected(shot: Shot, step: Step, slot: str, ref: str) -> Step:
    """`ref` '' takes the connection away."""
    kind = kind_of(step.kind)
    known = {s.name: s for s in kind.slots}
    if slot_name(slot) not in known or (slot != slot_name(slot) and not known[slot_name(slot)].many):
        raise UserError(f"A step '{kind.title}' has no slot '{slot[:40]}'; it has {', '.join(known)}.")
    inputs = {k: v for k, v in step.inputs.items() if k != slot}
    if ref:
        what, name = split_ref(ref)
        if what == "plate" and all(p.id != name for p in shot.plates):
            raise UserError(
                f"Shot {shot.code} has no plate '{name[:40]}'; it has {', '.join(p.id for p in shot.plates) or 'none'}."
            )
        if what == "step":
            other, product = step_named(shot, name), product_of(ref)
            given = kind_of(other.kind).also
            if product and product not in {g.name for g in given}:
                there = ", ".join(g.name for g in given) or "nothing by name"
                raise UserError(f"'{other.name}' gives no '{product[:40]}'; it gives {there}.")
            if not kind_of(other.kind).fits(known[slot_name(slot)].takes, product):
                raise UserError(f"'{other.name}' gives no {known[slot_name(slot)].takes}; connect another step as {slot}.")
            ref = with_product(f"step:{other.id}", product)
        inputs[slot] = ref
    return step.model_copy(update={"inputs": inputs})


def _parted(text: str, like: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign or not name:
        raise UserError(f"'{text[:60]}' cannot be read; write {like}.")
    return name.strip(), value.strip()


def _param(model: Any, name: str) -> str:
    if name not in model.model_fields:
        raise UserError(f"There is no parameter '{name[:40]}'; there are {', '.join(model.model_fields)}.")
    return name


def _value(text: str) -> Any:
    """JSON where it is JSON, else the words themselves."""
    if len(text) > LARGEST:
        raise UserError("A value is longer than a million letters; it cannot be meant.")
    try:
        return parse(Path("value"), text.encode("utf-8", "replace"))
    except UserError:
        return text
