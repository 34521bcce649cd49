"""Edits of a shot's work order, registered once: the window's menus and keys, the command line and the tests run the same."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError, create_model

from transmixis.core.errors import UserError
from transmixis.shot import parts, ties
from transmixis.shot.document import Document
from transmixis.shot.given import refuse_cycles
from transmixis.shot.model import Cue, Pin, Shot, Step
from transmixis.shot.pins import remove_pin, set_pin
from transmixis.shot.record import words_of
from transmixis.shot.refs import checked
from transmixis.shot.stepjob import added, from_file, step_named
from transmixis.shot.steps import kind_of
from transmixis.shot.workorder import move_step, remove_step


@dataclass(frozen=True)
class Edit:
    """An edit: its id, the title of the command (with {argument}s, and {made} for the name of what was made), what it does, its arguments, and the change."""

    id: str
    title: str
    words: str
    Args: type[BaseModel]
    make: Callable[..., Shot | tuple[Shot, str]]


@dataclass(frozen=True)
class Done:
    """A shot after an edit, the command's title, and the id of what was made, if anything was."""

    shot: Shot
    title: str
    made: str = ""


EDITS: dict[str, Edit] = {}


def edit(edit_id: str, title: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Register a function of a shot and typed arguments."""

    def keep(make: Callable[..., Any]) -> Callable[..., Any]:
        given = list(inspect.signature(make, eval_str=True).parameters.values())[1:]
        fields: dict[str, Any] = {p.name: (p.annotation, ... if p.default is p.empty else p.default) for p in given}
        args = create_model(f"Args of {edit_id}", __config__=ConfigDict(extra="forbid", allow_inf_nan=False), **fields)
        EDITS[edit_id] = Edit(edit_id, title, (make.__doc__ or "").strip(), args, make)
        return make

    return keep


def run(shot: Shot, edit_id: str, args: dict[str, Any]) -> Done:
    """The shot after an edit. Raises UserError for an edit or an argument that is none."""
    if edit_id not in EDITS:
        raise UserError(f"There is no edit '{edit_id[:60]}'; use one of {', '.join(EDITS)}.")
    one = EDITS[edit_id]
    try:
        checked = one.Args.model_validate(args)
    except ValidationError as e:
        raise UserError(f"{edit_id} cannot be done so: {words_of(e)}.") from e
    values = {name: getattr(checked, name) for name in one.Args.model_fields}
    made = one.make(shot, **values)
    new, made_id = made if isinstance(made, tuple) else (made, "")
    names = {s.id: s.name for s in new.steps} | {p.id: p.name for p in new.parts}
    words = {k: _named(shot, k, v) for k, v in values.items()}
    return Done(new, one.title.format(made=names.get(made_id, ""), **words), made_id)


def do(document: Document, code: str, edit_id: str, /, **args: Any) -> Done:
    """Do an edit on a shot of an open production, as one command of it. Raises UserError."""
    done = run(document.shot(code), edit_id, args)
    document.change_shot(done.title, done.shot)
    return done


def _named(shot: Shot, name: str, value: Any) -> str:
    """A step or a part by its name, other arguments as they are."""
    if name in ("step", "motion"):
        return _step(shot, value).name
    return parts.part_named(shot, value).name if name == "part" else str(value)


def _step(shot: Shot, which: str) -> Step:
    return step_named(shot, which)


def _fitting(step: Step, param: str, frame: int) -> Step:
    """The step if its kind has the parameter and takes its value at a frame. Raises UserError."""
    kind = kind_of(step.kind)
    if param not in kind.Params.model_fields:
        raise UserError(f"'{step.name}' has no parameter '{param[:40]}'; it has {', '.join(kind.Params.model_fields)}.")
    checked(step, kind, frame)
    return step


@edit("step.add", "Add {made}")
def _add(shot: Shot, kind: str, name: str = "", inputs: dict[str, str] | None = None) -> tuple[Shot, str]:
    """Adds a step at its place in the order of work, connected as usual."""
    new, step = added(shot, kind, name, [f"{slot}={ref}" for slot, ref in (inputs or {}).items()], [], [])
    return new, step.id


@edit("step.file", "Read {file} into {step}")
def _file(shot: Shot, step: str, file: str) -> Shot:
    """Sets a step by what a file holds."""
    return from_file(shot, step, Path(file))[0]


@edit("step.remove", "Take out {step}")
def _remove(shot: Shot, step: str) -> Shot:
    """Takes a step out; what used it uses what lay behind it."""
    return remove_step(shot, _step(shot, step).id)


@edit("step.move", "Move {step}")
def _move(shot: Shot, step: str, to: int) -> Shot:
    """Puts a step at another place of the ledger."""
    return move_step(shot, _step(shot, step).id, to)


@edit("step.switch", "Switch {step}")
def _switch(shot: Shot, step: str) -> Shot:
    """Switches a step off, or on again."""
    now = _step(shot, step)
    return shot.with_step(now.model_copy(update={"on": not now.on}))


@edit("step.rename", "Rename {step}")
def _rename(shot: Shot, step: str, name: str) -> Shot:
    """Gives a step another name."""
    if not name.strip():
        raise UserError("A step needs a name; write one.")
    return shot.with_step(_step(shot, step).model_copy(update={"name": name.strip()}))


@edit("step.limit", "{step}: limit of {reading}")
def _limit(shot: Shot, step: str, reading: str, limit: float) -> Shot:
    """Sets the limit of a reading for a step."""
    now = _step(shot, step)
    return shot.with_step(now.model_copy(update={"limits": {**now.limits, reading: limit}}))


@edit("step.set", "{step}: {param}")
def _set(shot: Shot, step: str, param: str, value: Any) -> Shot:
    """Sets a parameter for the whole shot."""
    now = _step(shot, step)
    return shot.with_step(_fitting(now.model_copy(update={"params": {**now.params, param: value}}), param, 1))


@edit("step.pin", "{step}: {param}")
def _pin(shot: Shot, step: str, param: str, frame: int, value: Any) -> Shot:
    """Pins a parameter at a frame."""
    return shot.with_step(_fitting(set_pin(_step(shot, step), param, Pin(frame=frame, value=value)), param, frame))


@edit("step.unpin", "{step}: take out a pin")
def _unpin(shot: Shot, step: str, param: str, frame: int) -> Shot:
    """Takes a pin out."""
    return shot.with_step(remove_pin(_step(shot, step), param, frame))


@edit("part.make", "Gather {made}")
def _make_part(shot: Shot, name: str, steps: list[str]) -> tuple[Shot, str]:
    """Gathers steps under a name."""
    new, part = parts.gathered(shot, name, [_step(shot, s).id for s in steps])
    return new, part.id


@edit("part.rename", "Rename {part}")
def _rename_part(shot: Shot, part: str, name: str) -> Shot:
    """Gives a part another name."""
    taken = {p.name for p in shot.parts if p.id != parts.part_named(shot, part).id}
    if not name.strip() or name.strip() in taken:
        raise UserError(f"'{name.strip()}' cannot be the part's name; choose one that no other part has.")
    return parts.changed_part(shot, parts.part_named(shot, part).id, name=name.strip())


@edit("part.fold", "Fold {part}")
def _fold(shot: Shot, part: str) -> Shot:
    """Folds a part to one column of the ledger, or spreads it."""
    now = parts.part_named(shot, part)
    return parts.changed_part(shot, now.id, folded=not now.folded)


@edit("part.switch", "Switch {part}")
def _switch_part(shot: Shot, part: str) -> Shot:
    """Switches a part off, or on again as it was."""
    return parts.switched(shot, part)


@edit("part.front", "{part} to the front")
def _front(shot: Shot, part: str) -> Shot:
    """Puts a part one place further to the front."""
    return parts.restacked(shot, part, forward=True)


@edit("part.back", "{part} to the back")
def _back(shot: Shot, part: str) -> Shot:
    """Puts a part one place further to the back."""
    return parts.restacked(shot, part, forward=False)


@edit("step.front", "{step} to the front")
def _step_front(shot: Shot, step: str) -> Shot:
    """Puts what a step lays, with its part, one place further to the front."""
    return parts.restacked(shot, _step(shot, step).id, forward=True)


@edit("step.back", "{step} to the back")
def _step_back(shot: Shot, step: str) -> Shot:
    """Puts what a step lays, with its part, one place further to the back."""
    return parts.restacked(shot, _step(shot, step).id, forward=False)


@edit("step.tie", "{step} hangs on {motion}")
def _tie(shot: Shot, step: str, motion: str, frame: int = 1) -> Shot:
    """Hangs a step on a motion, so that it stays where it is at a frame."""
    new = ties.tied(shot, _step(shot, step), _step(shot, motion).id, frame)
    refuse_cycles(new)
    return new


@edit("step.untie", "{step} hangs on nothing")
def _untie(shot: Shot, step: str) -> Shot:
    """Lets a step go of the motion that it hangs on."""
    return ties.tied(shot, _step(shot, step), "", 1)


@edit("part.move", "Move {part}")
def _move_part(shot: Shot, part: str, right: float = 0.0, down: float = 0.0, frames: int = 0) -> Shot:
    """Moves a part over the picture (px), and its pins in time."""
    return parts.moved(shot, part, right, down, frames)


@edit("part.copy", "Copy {part}")
def _copy_part(shot: Shot, part: str, name: str = "", right: float = 0.0, down: float = 0.0, frames: int = 0) -> tuple[Shot, str]:
    """Copies a part with offsets of its own, in front of the one that it was made from."""
    new, made = parts.copied(shot, part, name, right, down, frames)
    return new, made.id


@edit("part.loosen", "Let go of {part}")
def _loosen(shot: Shot, part: str) -> Shot:
    """Lets go of a part; its steps stay."""
    return parts.loosened(shot, parts.part_named(shot, part).id)


@edit("part.remove", "Take out {part}")
def _remove_part(shot: Shot, part: str) -> Shot:
    """Takes a part out with its steps."""
    return parts.removed(shot, part)


@edit("cue.add", "Add the cue {name}")
def _cue(shot: Shot, frame: int, name: str) -> Shot:
    """Names a frame."""
    if not name.strip() or not 1 <= frame <= shot.length:
        raise UserError(f"A cue needs a name and a frame from 1 to {shot.length}.")
    cues = tuple(sorted([*shot.cues, Cue(frame=frame, name=name.strip())], key=lambda c: c.frame))
    return shot.model_copy(update={"cues": cues})
