"""Commands on the steps of a shot."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, app, show, with_bar
from transmixis.shot.document import Document
from transmixis.shot.edits import do
from transmixis.shot.session import Session
from transmixis.shot.stepexport import export_step
from transmixis.shot.stepjob import acted, added, added_from_file, changed, from_file, proposed, step_named, taken
from transmixis.shot.steps import KINDS, kind_of

step = typer.Typer(no_args_is_help=True, help="The steps of a shot: add, set, connect, list, remove.")
app.add_typer(step, name="step")

Project = Annotated[Path, typer.Argument(help="A production's folder.")]
Code = Annotated[str, typer.Argument(help="The shot's code.")]
Which = Annotated[str, typer.Argument(help="The step's id or name.")]
Input = Annotated[
    list[str] | None, typer.Option("--input", help="slot=plate:ID or slot=step:ID; slot= takes it away. Again for more.")
]
Set = Annotated[list[str] | None, typer.Option("--set", help="parameter=value, the value a word or JSON. May be given again.")]
At = Annotated[list[str] | None, typer.Option("--pin", help="parameter@frame=value sets a pin. May be given again.")]


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


@step.command(name="read")
def read_step(
    project: Project,
    code: Code,
    path: Annotated[
        Path, typer.Argument(help="A track (.csv, .json), a camera (.json, .usda, .usdc, .usd) or shapes (.json, .svg).")
    ],
    into: Annotated[str, typer.Option("--into", help="The step that is set by it; without, a step is added.")] = "",
    as_json: Json = False,
) -> None:
    """Take a track, a camera or shapes that were made elsewhere; what the file holds is kept with the production."""
    doc = Document.open(project)
    try:
        shot, made = from_file(doc.shot(code), into, path) if into else added_from_file(doc.shot(code), path)
        doc.change_shot(f"Read {path.name} into {made.name}", shot)
    finally:
        doc.close()
    told = {**_told(made), "params": {k: v for k, v in made.params.items() if not isinstance(v, (list, tuple))}}
    show(as_json, told, f"Read {path.name} into {made.name} ({made.id}) of {code}")


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
        found = with_bar(lambda p: proposed(session.renderer(code), one.id, p))
        if found is not None and found.sets and use:
            session.document.change_shot(f"{one.name}: use proposal", taken(shot, one.id, found))
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
        "pins": {k: [{"frame": pin.frame, "value": pin.value} for pin in v] for k, v in found.pins.items()},
        "reason": found.reason,
        "effects": [asdict(e) for e in found.effects],
        "used": use and found.sets,
    }
    show(
        as_json,
        data,
        "\n".join(
            [
                f"{one.name}: {found.reason}",
                *(f"{k} = {v}" for k, v in found.values.items()),
                *(f"{k} at frame {pin.frame}" for k, v in found.pins.items() for pin in v),
                *lines,
            ]
        ),
    )


@step.command(name="act")
def act(
    project: Project,
    code: Code,
    which: Which,
    name: Annotated[str, typer.Argument(help="What is done, by its name; without one they are listed.")] = "",
    frame: Annotated[int, typer.Option(min=1, help="The frame at which it is done.")] = 1,
    as_json: Json = False,
) -> None:
    """Do at a frame what a step's buttons do: pin its outlines there, take them from a matte, seat a track."""
    session = Session.open(project)
    try:
        shot = session.document.shot(code)
        one = step_named(shot, which)
        acts = kind_of(one.kind).acts
        if not name:
            show(as_json, {"acts": [a.name for a in acts]}, "\n".join(f"{a.name}: {a.tip}" for a in acts) or "It has none.")
            return
        new = acted(session.renderer(code), one, name, frame)
        session.document.change_shot(f"{one.name}: {name}", shot.with_step(new))
    finally:
        session.close()
    show(as_json, _told(new), f"{one.name}: {name} at frame {frame}")


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


@step.command(name="export")
def export(
    project: Project,
    code: Code,
    which: Which,
    to: Annotated[
        Path,
        typer.Option(
            "--out",
            help="A track: .csv or .json. A camera: .usda, .json, .yaml (its lens) or .exr (ST maps). Shapes: .json, or .svg of a frame.",
        ),
    ],
    frame: Annotated[int, typer.Option(min=1, help="The frame of which shapes are written as .svg.")] = 1,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Write a step's track, camera, lens or shapes for other programs."""
    session = Session.open(project, read_only=True)
    try:
        one = step_named(session.document.shot(code), which)
        words = with_bar(lambda p: export_step(session.renderer(code), one.id, to, p, overwrite=overwrite, frame=frame))
    finally:
        session.close()
    show(as_json, {"step": one.id, "path": str(to)}, f"{one.name}: {words} to {to}")
