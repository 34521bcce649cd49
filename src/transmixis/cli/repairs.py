"""Mending single plates, without a project."""

from __future__ import annotations

from math import isfinite
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, with_bar
from transmixis.cli.mattes import told
from transmixis.core.errors import UserError
from transmixis.shot.repairjob import RepairJob, run_auto, run_repair
from transmixis.shot.steps.backed import DEEP, FOUND, STANDS
from transmixis.shot.steps.clean_carried import CleanCarried
from transmixis.shot.steps.clean_patch import CARRIED, NONE, CleanPatch
from transmixis.shot.steps.clean_patch import FOUND as WHERE_FOUND
from transmixis.shot.steps.clean_patch import STANDS as AS_IT_STANDS
from transmixis.shot.steps.made_up import MadeUp
from transmixis.shot.steps.marker_sweep import MarkerSweep
from transmixis.shot.steps.patch import Patch
from transmixis.shot.steps.time_patch import LEFT, MADE, TimePatch
from transmixis.shot.steps.wire_out import WireOut

repair = typer.Typer(no_args_is_help=True, help="Take something out of a plate, without a project.")
app.add_typer(repair, name="repair")

Plate = Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files.")]
Region = Annotated[
    Path, typer.Option(help="What must go, its shadow too: a matte (still or sequence), or outlines (.json, .svg).")
]
Out = Annotated[Path, typer.Option("--out", help="The folder for repaired.####.png and readings.json.")]
Feather = Annotated[float, typer.Option(min=0, max=100, help="Soft edge outside of the region, px.")]
Exr = Annotated[bool, typer.Option("--exr", help="Linear .exr instead of 16-bit .png in the plate's own coding.")]
Space = Annotated[str | None, typer.Option(help="Colour space; else guessed.")]
Tripod = Annotated[bool, typer.Option("--tripod", help="What lies behind does not move; else it is followed.")]


@repair.command()
def patch(
    plate: Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files; its camera on a tripod, or --carried.")],
    clean: Annotated[
        Path, typer.Option(help="The same view without what must go: a still, or a take of several frames, which is better.")
    ],
    region: Region,
    to: Out,
    feather: Feather = 2.0,
    carried: Annotated[
        bool, typer.Option("--carried", help="The take's camera moves: the clean plate, a still, is laid over each frame.")
    ] = False,
    wind: Annotated[bool, typer.Option(help="Carry leaves and grass to where they are blown in each frame.")] = True,
    second: Annotated[
        Path | None, typer.Option(help="Another clean plate, for the places at which the first does not fit.")
    ] = None,
    shading: Annotated[
        bool, typer.Option(help="Even light that falls otherwise than on the clean plate, where that is found.")
    ] = True,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Put back what something hid, from a clean plate brought to the take: its place, light, wind and grain."""
    settings: dict[str, Any] = {"feather": feather}
    if not carried:
        settings["wind"] = CARRIED if wind else AS_IT_STANDS
        settings["shading"] = WHERE_FOUND if shading else NONE
    job = RepairJob(
        plate,
        CleanCarried.kind if carried else CleanPatch.kind,
        region,
        settings,
        clean,
        space,
        exr,
        second=None if carried else second,
    )
    _run(job, to, overwrite=overwrite, strict=strict, as_json=as_json)


@repair.command()
def time(
    plate: Plate,
    region: Region,
    to: Out,
    feather: Feather = 2.0,
    tripod: Tripod = False,
    depths: Annotated[
        bool, typer.Option(help="Nearer and farther things are laid aside by flow, where the camera passes by.")
    ] = False,
    fill: Annotated[bool, typer.Option(help="Make up what no frame shows; else it is left as it is.")] = False,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Put back what something hid, from the frames of the take that show it."""
    settings = {"feather": feather, "moves": STANDS if tripod else DEEP if depths else FOUND, "rest": MADE if fill else LEFT}
    _run(
        RepairJob(plate, TimePatch.kind, region, settings, None, space, exr),
        to,
        overwrite=overwrite,
        strict=strict,
        as_json=as_json,
    )


@repair.command()
def fill(
    plate: Plate,
    region: Region,
    to: Out,
    feather: Feather = 2.0,
    tripod: Tripod = False,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Make up what something hid from what lies beside it, the same on every frame: for soft or short places."""
    settings = {"feather": feather, "moves": STANDS if tripod else FOUND}
    _run(
        RepairJob(plate, MadeUp.kind, region, settings, None, space, exr), to, overwrite=overwrite, strict=strict, as_json=as_json
    )


@repair.command()
def wire(
    plate: Plate,
    strand: Annotated[
        Path, typer.Option(help="The string: a strand (.json, .svg) or a matte of it, with the blur of its motion.")
    ],
    to: Out,
    feather: Feather = 1.0,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Take a string or wire out: its two sides are brought together across it, along the texture."""
    job = RepairJob(plate, WireOut.kind, strand, {"feather": feather}, None, space, exr)
    _run(job, to, overwrite=overwrite, strict=strict, as_json=as_json)


@repair.command()
def auto(
    plate: Plate,
    region: Region,
    to: Out,
    clean: Annotated[
        Path | None, typer.Option(help="The same view without what must go, if there is one: a still or a take.")
    ] = None,
    feather: Feather = 2.0,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Ask which ways could take something out, and take the one that is proposed; the answer is told in readings.json."""
    job = RepairJob(plate, "", region, {"feather": feather}, clean, space, exr)
    told(with_bar(lambda p: run_auto(job, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


@repair.command(name="space")
def from_beside(
    plate: Plate,
    region: Region,
    to: Out,
    source: Annotated[
        str | None,
        typer.Option("--from", help="From where it is covered: DX,DY px to the right and down. Else the best is looked for."),
    ] = None,
    feather: Feather = 1.0,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Cover something with the surface beside it, the same place on every frame, the light brought over."""
    settings: dict[str, Any] = {"feather": feather}
    if source is not None:
        settings["right"], settings["down"] = _numbers(source, 2, "--from", "two numbers as 24,0")
    job = RepairJob(plate, Patch.kind, region, settings, None, space, exr, propose=source is None)
    _run(job, to, overwrite=overwrite, strict=strict, as_json=as_json)


@repair.command()
def markers(
    plate: Plate,
    to: Out,
    largest: Annotated[float, typer.Option(min=4, max=400, help="How wide the largest marker is, px, with its blur.")] = 40.0,
    colour: Annotated[
        str | None, typer.Option(help="R,G,B of the markers as shown, 0 to 255 each; else those are taken that most are like.")
    ] = None,
    where: Annotated[
        Path | None, typer.Option(help="A matte of the surface that they are on, still or sequence; or outlines.")
    ] = None,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Find all the markers on a surface or cloth, follow them, and cover each from beside."""
    settings: dict[str, Any] = {"largest": largest}
    if colour is not None:
        settings["colour"] = _numbers(colour, 3, "--colour", "three numbers as 240,235,230")
    job = RepairJob(plate, MarkerSweep.kind, where, settings, None, space, exr, slot="where")
    _run(job, to, overwrite=overwrite, strict=strict, as_json=as_json)


def _numbers(text: str, many: int, option: str, words: str) -> list[float]:
    try:
        out = [float(v) for v in text.split(",")]
    except ValueError:
        out = []
    if len(out) != many or not all(isfinite(v) for v in out):
        raise UserError(f"{option} {text} cannot be read; give {words}.")
    return out


def _run(job: RepairJob, to: Path, **how: Any) -> None:
    told(with_bar(lambda p: run_repair(job, to, p, overwrite=how["overwrite"])), to, strict=how["strict"], as_json=how["as_json"])
