"""Commands on the parts of a shot: steps gathered under a name."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, app, show
from transmixis.shot import parts
from transmixis.shot.document import Document
from transmixis.shot.edits import EDITS, do
from transmixis.shot.model import Part, Shot
from transmixis.shot.stepjob import setting

part = typer.Typer(no_args_is_help=True, help="Parts of a shot: gather steps, switch, stack, move, copy, list.")
app.add_typer(part, name="part")

Project = Annotated[Path, typer.Argument(help="A production's folder.")]
Code = Annotated[str, typer.Argument(help="The shot's code.")]
Which = Annotated[str, typer.Argument(help="The part's id or name.")]
Right = Annotated[float, typer.Option(help="To the right, px; below zero to the left.")]
Down = Annotated[float, typer.Option(help="Down, px; below zero up.")]
Frames = Annotated[int, typer.Option(help="Its pins later by so many frames; below zero earlier.")]


def _told(p: Part, shot: Shot) -> dict[str, Any]:
    layer = parts.layer_of(shot, p.steps)
    return {"id": p.id, "name": p.name, "steps": list(p.steps), "on": p.asleep is None, "lies_on": layer.below if layer else None}


@part.command(name="make")
def make(
    project: Project,
    code: Code,
    name: Annotated[str, typer.Argument(help="What the part is called.")],
    steps: Annotated[list[str], typer.Argument(help="Ids or names of its steps.")],
    as_json: Json = False,
) -> None:
    """Gather steps under a name."""
    doc = Document.open(project)
    try:
        done = do(doc, code, "part.make", name=name, steps=steps)
    finally:
        doc.close()
    made = parts.part_named(done.shot, done.made)
    show(as_json, _told(made, done.shot), f"{made.name} ({made.id}): {len(made.steps)} steps of {code}")


def _change(project: Path, code: str, which: str, what: str, as_json: bool, **args: Any) -> None:
    doc = Document.open(project)
    try:
        was = parts.part_named(doc.shot(code), which)
        done = do(doc, code, f"part.{what}", part=was.id, **args)
    finally:
        doc.close()
    now = next((p for p in done.shot.parts if p.id == (done.made or was.id)), was)
    state = "" if what != "switch" else ": off" if now.asleep is not None else ": on"
    made = f" as {now.name} ({now.id})" if done.made else ""
    show(as_json, _told(now, done.shot), f"{done.title}{made}{state}")


def _plain(what: str, words: str) -> None:
    """A command that needs nothing but the part."""

    def act(project: Project, code: Code, which: Which, as_json: Json = False) -> None:
        _change(project, code, which, what, as_json)

    part.command(name=what, help=words)(act)


for _what in ("switch", "front", "back", "loosen", "remove"):
    _plain(_what, EDITS[f"part.{_what}"].words)


@part.command(name="move")
def move(
    project: Project, code: Code, which: Which, right: Right = 0.0, down: Down = 0.0, frames: Frames = 0, as_json: Json = False
) -> None:
    """Move a part over the picture, and its pins in time."""
    _change(project, code, which, "move", as_json, right=right, down=down, frames=frames)


@part.command(name="copy")
def copy(
    project: Project,
    code: Code,
    which: Which,
    name: Annotated[str, typer.Option(help="What the copy is called.")] = "",
    right: Right = 0.0,
    down: Down = 0.0,
    frames: Frames = 0,
    as_json: Json = False,
) -> None:
    """Copy a part with offsets of its own, in front of the one that it was made from."""
    _change(project, code, which, "copy", as_json, name=name, right=right, down=down, frames=frames)


@part.command(name="list")
def list_(project: Project, code: Code, as_json: Json = False) -> None:
    """List the parts of a shot, and what lies on what, from back to front."""
    doc = Document.open(project, read_only=True)
    try:
        shot = doc.shot(code)
    finally:
        doc.close()
    order = [
        next((p.name for p in shot.parts if p.steps == layer.steps), shot.step(layer.steps[0]).name)
        for layer in parts.layers(shot)
    ]
    told = {"parts": [_told(p, shot) for p in shot.parts], "back_to_front": order}
    lines = [f"{p.name} ({p.id}){'' if p.asleep is None else ', off'}: {', '.join(p.steps)}" for p in shot.parts]
    show(as_json, told, "\n".join([*lines, f"From back to front: {', '.join(order) or 'nothing'}"]))


@app.command(name="edit")
def edit_(
    project: Project,
    code: Code,
    edit: Annotated[str, typer.Argument(help=f"One of {', '.join(EDITS)}.")],
    args: Annotated[
        list[str] | None, typer.Option("--with", help="argument=value, the value a word or JSON. Again for more.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Do any edit of a work order that the window does, by its name."""
    given = dict(setting(a) for a in args or [])
    doc = Document.open(project)
    try:
        done = do(doc, code, edit, **given)
    finally:
        doc.close()
    show(as_json, {"title": done.title, "made": done.made}, done.title + (f" ({done.made})" if done.made else ""))
