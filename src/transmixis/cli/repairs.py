"""Mending single plates, without a project."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, with_bar
from transmixis.cli.mattes import told
from transmixis.shot.repairjob import RepairJob, run_repair
from transmixis.shot.steps.clean_patch import CARRIED, STANDS

repair = typer.Typer(no_args_is_help=True, help="Take something out of a plate, without a project.")
app.add_typer(repair, name="repair")


@repair.command()
def patch(
    plate: Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files; its camera on a tripod.")],
    clean: Annotated[
        Path, typer.Option(help="The same view without what must go: a still, or a take of several frames, which is better.")
    ],
    region: Annotated[
        Path, typer.Option(help="What must go, its shadow too: a matte (still or sequence), or outlines (.json, .svg).")
    ],
    to: Annotated[Path, typer.Option("--out", help="The folder for repaired.####.png and readings.json.")],
    feather: Annotated[float, typer.Option(min=0, max=100, help="Soft edge outside of the region, px.")] = 2.0,
    wind: Annotated[bool, typer.Option(help="Carry leaves and grass to where they are blown in each frame.")] = True,
    exr: Annotated[bool, typer.Option("--exr", help="Linear .exr instead of 16-bit .png in the plate's own coding.")] = False,
    space: Annotated[str | None, typer.Option(help="Colour space; else guessed.")] = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Put back what something hid, from a clean plate brought to the take: its place, light, wind and grain."""
    settings = {"feather": feather, "wind": CARRIED if wind else STANDS}
    job = RepairJob(plate, region, clean, settings, space, exr)
    told(with_bar(lambda p: run_repair(job, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)
