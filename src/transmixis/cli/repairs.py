"""Mending single plates, without a project."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, with_bar
from transmixis.cli.mattes import told
from transmixis.shot.repairjob import RepairJob, run_repair
from transmixis.shot.steps.backed import FOUND, STANDS
from transmixis.shot.steps.clean_patch import CARRIED, CleanPatch
from transmixis.shot.steps.clean_patch import STANDS as AS_IT_STANDS
from transmixis.shot.steps.made_up import MadeUp
from transmixis.shot.steps.time_patch import LEFT, MADE, TimePatch

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
    plate: Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files; its camera on a tripod.")],
    clean: Annotated[
        Path, typer.Option(help="The same view without what must go: a still, or a take of several frames, which is better.")
    ],
    region: Region,
    to: Out,
    feather: Feather = 2.0,
    wind: Annotated[bool, typer.Option(help="Carry leaves and grass to where they are blown in each frame.")] = True,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Put back what something hid, from a clean plate brought to the take: its place, light, wind and grain."""
    settings = {"feather": feather, "wind": CARRIED if wind else AS_IT_STANDS}
    job = RepairJob(plate, CleanPatch.kind, region, settings, clean, space, exr)
    _run(job, to, overwrite=overwrite, strict=strict, as_json=as_json)


@repair.command()
def time(
    plate: Plate,
    region: Region,
    to: Out,
    feather: Feather = 2.0,
    tripod: Tripod = False,
    fill: Annotated[bool, typer.Option(help="Make up what no frame shows; else it is left as it is.")] = False,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Put back what something hid, from the frames of the take that show it."""
    settings = {"feather": feather, "moves": STANDS if tripod else FOUND, "rest": MADE if fill else LEFT}
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


def _run(job: RepairJob, to: Path, **how: Any) -> None:
    told(with_bar(lambda p: run_repair(job, to, p, overwrite=how["overwrite"])), to, strict=how["strict"], as_json=how["as_json"])
