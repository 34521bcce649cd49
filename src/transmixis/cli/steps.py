"""Commands on the steps of a shot, and tracks of single plates."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, show, with_bar
from transmixis.shot.document import Document
from transmixis.shot.edits import do
from transmixis.shot.session import Session
from transmixis.shot.stepjob import added, changed, step_named
from transmixis.shot.steps import KINDS, kind_of
from transmixis.shot.trackjob import outline_of, place_of, track_plate

step = typer.Typer(no_args_is_help=True, help="The steps of a shot: add, set, connect, list, remove.")
track = typer.Typer(no_args_is_help=True, help="Follow a point or a flat surface on a plate, without a project.")
app.add_typer(step, name="step")
app.add_typer(track, name="track")

Project = Annotated[Path, typer.Argument(help="A production's folder.")]
Code = Annotated[str, typer.Argument(help="The shot's code.")]
Which = Annotated[str, typer.Argument(help="The step's id or name.")]
Input = Annotated[
    list[str] | None, typer.Option("--input", help="slot=plate:ID or slot=step:ID; slot= takes it away. Again for more.")
]
Set = Annotated[list[str] | None, typer.Option("--set", help="parameter=value, the value a word or JSON. May be given again.")]
At = Annotated[list[str] | None, typer.Option("--pin", help="parameter@frame=value sets a pin. May be given again.")]
Plate = Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files.")]
To = Annotated[Path, typer.Option("--out", help="A .json file: for every frame matrix, error and whether it is known.")]
Space = Annotated[str | None, typer.Option(help="Colour space; else guessed.")]
From = Annotated[int, typer.Option("--at", min=1, max=1_000_000, help="The reference frame, counted from 1.")]


def _told(s: Any) -> dict[str, Any]:
    return {
        "id": s.id,
        "kind": s.kind,
        "name": s.name,
        "on": s.on,
        "inputs": s.inputs,
        "params": s.params,
        "pins": sorted(s.pins),
    }


@step.command(name="add")
def add_step_(
    project: Project,
    code: Code,
    kind: Annotated[str, typer.Argument(help=f"One of {', '.join(KINDS)}.")],
    name: Annotated[str, typer.Option(help="What the step is called.")] = "",
    inputs: Input = None,
    settings: Set = None,
    pins: At = None,
    as_json: Json = False,
) -> None:
    """Add a step at its place in the order of work; what is not connected is connected as usual."""
    doc = Document.open(project)
    try:
        shot, made = added(doc.shot(code), kind, name, inputs or [], settings or [], pins or [])
        doc.change_shot(f"Add {made.name}", shot)
    finally:
        doc.close()
    show(as_json, _told(made), f"Added {made.name} ({made.id}) to {code}")


@step.command(name="set")
def set_step(
    project: Project, code: Code, which: Which, inputs: Input = None, settings: Set = None, pins: At = None, as_json: Json = False
) -> None:
    """Set parameters and pins of a step, or connect it otherwise."""
    doc = Document.open(project)
    try:
        shot, made = changed(doc.shot(code), which, inputs or [], settings or [], pins or [])
        doc.change_shot(f"Set {made.name}", shot)
    finally:
        doc.close()
    show(as_json, _told(made), f"Set {made.name} ({made.id}) of {code}")


@step.command(name="remove")
def remove(project: Project, code: Code, which: Which, as_json: Json = False) -> None:
    """Take a step out; what was connected to it is connected to its first input instead."""
    doc = Document.open(project)
    try:
        gone = step_named(doc.shot(code), which)
        do(doc, code, "step.remove", step=gone.id)
    finally:
        doc.close()
    show(as_json, _told(gone), f"Took {gone.name} ({gone.id}) out of {code}")


@step.command(name="propose")
def propose(
    project: Project,
    code: Code,
    which: Which,
    use: Annotated[bool, typer.Option("--use", help="Set what is proposed.")] = False,
    as_json: Json = False,
) -> None:
    """Measure, and propose settings for a step with the reason; nothing is changed unless --use is given."""
    session = Session.open(project, read_only=not use)
    try:
        shot = session.document.shot(code)
        one = step_named(shot, which)
        found = with_bar(lambda p: session.renderer(code).propose(one.id, p))
        if found is not None and use:
            new = one.model_copy(update={"params": {**one.params, **found.values}})
            session.document.change_shot(f"{one.name}: use proposal", shot.with_step(new))
            session.document.log.add("proposal used", f"{one.name}: {found.reason}", code, step=one.id, values=found.values)
    finally:
        session.close()
    if found is None:
        show(as_json, {"step": one.id, "values": None}, f"{one.name}: nothing to better.")
        return
    lines = [f"{e.reading}: now {e.now:.3g} {e.unit}, then {e.then:.3g} of {e.limit:g}" for e in found.effects]
    data = {
        "step": one.id,
        "values": found.values,
        "reason": found.reason,
        "effects": [asdict(e) for e in found.effects],
        "used": use,
    }
    show(as_json, data, "\n".join([f"{one.name}: {found.reason}", *(f"{k} = {v}" for k, v in found.values.items()), *lines]))


@step.command(name="list")
def list_steps(project: Project, code: Code, as_json: Json = False) -> None:
    """List the steps of a shot in order, with what they take."""
    doc = Document.open(project, read_only=True)
    try:
        steps = doc.shot(code).steps
    finally:
        doc.close()
    lines = [f"{s.id}: {s.name}, {kind_of(s.kind).says}; {', '.join(f'{k}={v}' for k, v in s.inputs.items())}" for s in steps]
    show(as_json, {"steps": [_told(s) for s in steps]}, "\n".join(lines) or "No steps yet.")


@track.command()
def point(
    plate: Plate,
    place: Annotated[str, typer.Option("--point", help="Where it is, px: 412.5,230")],
    to: To,
    at: From = 1,
    half: Annotated[float, typer.Option(min=4, max=200, help="Half the side of the pattern, px.")] = 12.0,
    reach: Annotated[float, typer.Option(min=2, max=400, help="How far it is looked for from where it was expected, px.")] = 24.0,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Follow one place of a thing through a plate."""
    settings = {"point": [place_of(place)], "reference": at, "half": half, "reach": reach}
    _followed(with_bar(lambda p: track_plate(plate, "point", settings, to, space, p, overwrite=overwrite)), as_json, strict)


@track.command()
def surface(
    plate: Plate,
    region: Annotated[list[str], typer.Option("--region", help="Its outline, px: '10,20 90,22 88,70'; again for more of it.")],
    to: To,
    leave: Annotated[list[str] | None, typer.Option("--leave", help="Outline of what does not belong to it.")] = None,
    at: From = 1,
    model: Annotated[str, typer.Option(help="position, similarity, affine or perspective.")] = "perspective",
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Follow a flat surface with its perspective through a plate."""
    settings = {
        "region": [outline_of(r) for r in region], "leave": [outline_of(r) for r in leave or ()], "reference": at, "model": model,
    }  # fmt: skip
    _followed(with_bar(lambda p: track_plate(plate, "surface", settings, to, space, p, overwrite=overwrite)), as_json, strict)


def _followed(made: dict[str, Any], as_json: bool, strict: bool) -> None:
    lost = [f for f in made["frames"] if not f["known"]]
    worst = max((f for f in made["frames"] if f["known"] and f["error"] is not None), key=lambda f: f["error"], default=None)
    text = f"{len(made['frames']) - len(lost)} of {len(made['frames'])} frames followed: {made['path']}"
    if worst:
        text += f"\nerror at worst {worst['error']:.3g} px of {made['limit']:g} (frame {worst['frame']})"
    text += "".join(f"\nframe {f['frame']}: not known, {f['why']}" for f in lost[:20])
    show(as_json, made, text)
    if strict and (lost or (worst and worst["error"] >= made["limit"])):
        raise typer.Exit(3)
