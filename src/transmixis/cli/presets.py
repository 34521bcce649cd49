"""Presets and the order of layers: settings kept by name and applied to other shots, and what lies before what."""

from __future__ import annotations

from dataclasses import asdict, replace
from pathlib import Path
from typing import Annotated

import typer

from transmixis.cli.common import Json, app, show, with_bar
from transmixis.cli.parts import part
from transmixis.core.errors import UserError
from transmixis.shot.document import Document
from transmixis.shot.edits import do
from transmixis.shot.presets import applied, kept, let_go, preset_named
from transmixis.shot.section import advice, cards
from transmixis.shot.session import Session

preset = typer.Typer(no_args_is_help=True, help="Presets: keep a step's or part's settings by name, list them, let go of one.")
app.add_typer(preset, name="preset")

Project = Annotated[Path, typer.Argument(help="A production's folder.")]
Code = Annotated[str, typer.Argument(help="The shot's code.")]
Name = Annotated[str, typer.Argument(help="The preset's name.")]
MOST_TURNS = 40


@preset.command(name="keep")
def keep(
    project: Project,
    code: Code,
    which: Annotated[str, typer.Argument(help="A step or a part, by id or name.")],
    name: Name,
    as_json: Json = False,
) -> None:
    """Keep a step's or a part's settings under a name."""
    doc = Document.open(project)
    try:
        doc.apply(f"Keep the preset {name}", kept(doc.film, doc.shot(code), which, name))
        found = preset_named(doc.film, name.strip())
    finally:
        doc.close()
    show(
        as_json,
        {"name": found.name, "steps": [s.kind for s in found.steps]},
        f"Kept '{found.name}': {len(found.steps)} steps of {code}",
    )


@preset.command(name="list")
def list_(project: Project, as_json: Json = False) -> None:
    """List the production's presets."""
    doc = Document.open(project, read_only=True)
    try:
        found = doc.film.production.presets
    finally:
        doc.close()
    told = {"presets": [{"name": p.name, "steps": [s.kind for s in p.steps], "from": p.from_shot} for p in found]}
    lines = [f"{p.name}: {', '.join(s.name for s in p.steps)} (from {p.from_shot})" for p in found]
    show(as_json, told, "\n".join(lines) or "No presets yet.")


@preset.command(name="remove")
def remove(project: Project, name: Name, as_json: Json = False) -> None:
    """Let go of a preset; the steps that have its settings keep them."""
    doc = Document.open(project)
    try:
        doc.apply(f"Let go of the preset {name}", let_go(doc.film, name))
    finally:
        doc.close()
    show(as_json, {"removed": name}, f"Let go of '{name}'")


@app.command(name="apply")
def apply_(
    name: Name,
    project: Project,
    shots: Annotated[list[str], typer.Argument(help="The shots' codes.")],
    step: Annotated[
        list[str] | None, typer.Option(help="A step of that shot that gets the settings, instead of new ones. Again for more.")
    ] = None,
    as_json: Json = False,
) -> None:
    """Apply a preset of a production to its shots, and say what has to be measured or set anew there."""
    doc = Document.open(project)
    try:
        found = preset_named(doc.film, name)
        made = {code: applied(doc.shot(code), found, step or ()) for code in dict.fromkeys(shots)}
        film = doc.film
        for done in made.values():
            film = film.with_shot(done.shot)
        doc.apply(f"Apply the preset {name}", film)
    finally:
        doc.close()
    lines = [f"{code}: {', '.join(a.steps)}" + "".join(f"\n  {w}" for w in a.anew) for code, a in made.items()]
    show(as_json, {code: {"steps": list(a.steps), "anew": list(a.anew)} for code, a in made.items()}, "\n".join(lines))


@part.command(name="order")
def order(
    project: Project,
    code: Code,
    frame: Annotated[int, typer.Option(min=1, help="The frame that is looked at.")] = 1,
    use: Annotated[bool, typer.Option("--use", help="Put them in the order that is proposed.")] = False,
    as_json: Json = False,
) -> None:
    """What lies before what, the nearest first, and where another order would be better."""
    session = Session.open(project, read_only=not use)
    try:
        if frame > session.document.shot(code).length:
            raise UserError(f"{code} has {session.document.shot(code).length} frames.")
        first = found = with_bar(lambda p: advice(session.renderer(code), p))
        turns = 0
        while use and found and turns < MOST_TURNS:
            do(session.document, code, "step.front", step=found[0].step)
            turns += 1
            found = with_bar(lambda p: advice(session.renderer(code), p))
        told = cards(session.renderer(code), frame)
    finally:
        session.close()
    lines = [
        f"{c.name}: {'no matte tells how opaque' if c.opacity is None else format(c.opacity, '.0%') + ' opaque'}{', glows' if c.glows else ''}{', over all' if c.over_all else ''}"
        for c in told
    ]
    lines += [a.words for a in first]
    show(
        as_json,
        {"front_to_back": [asdict(replace(c, thumb=None)) for c in told], "advice": [asdict(a) for a in first], "turned": turns},
        "\n".join(lines),
    )
