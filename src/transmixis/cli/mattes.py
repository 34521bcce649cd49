"""Mattes of single plates, without a project."""

from __future__ import annotations

import math
from enum import StrEnum
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, show, with_bar
from transmixis.core.errors import UserError
from transmixis.shot.mattejob import MATTE, MatteJob, run_matte
from transmixis.shot.mattescore import scored
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.difference_matte import DifferenceMatte
from transmixis.shot.steps.luma_matte import AUTO, BLACK, WHITE, LumaMatte
from transmixis.shot.steps.outlinefile import read_shapes
from transmixis.shot.steps.shapes import Shapes
from transmixis.shot.steps.strokes import HERE, KEEP, LEAVE, ON, StrokesStep

matte = typer.Typer(no_args_is_help=True, help="Cut something out of a plate, without a project.")
app.add_typer(matte, name="matte")

Plate = Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files.")]
Out = Annotated[Path, typer.Option("--out", help="The folder for matte.####.exr, foreground.####.exr and readings.json.")]
Over = Annotated[Path | None, typer.Option("--over", help="A background: comp.####.exr is written too.")]
Garbage = Annotated[
    Path | None, typer.Option("--garbage", help="What to keep: a .json or .svg of outlines, or a matte (still or sequence).")
]
Space = Annotated[str | None, typer.Option(help="Colour space; else guessed.")]


@matte.command()
def shapes(
    plate: Plate,
    outlines: Annotated[
        Path,
        typer.Argument(
            help='A .json of {"shapes": [{"name": …, "closed": true, "line": "smooth", "joins": "add", "pins": [{"frame": 1, "points": [[x, y], …]}, …]}, …]}, '
            "frames counted from 1; or an .svg, whose paths stand at frame 1."
        ),
    ],
    to: Out,
    over: Over = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Cut out what is inside outlines, carried from pin to pin by the picture."""

    def make(shot: Shot) -> Step:
        return read_shapes(outlines, Step(id=MATTE, kind=Shapes.kind, name="Shapes", inputs={"plate": "plate:hero"}))

    job = MatteJob(plate, make, over, space, (outlines,))
    told(with_bar(lambda p: run_matte(job, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


@matte.command()
def difference(
    plate: Plate,
    clean: Annotated[Path, typer.Option("--clean", help="The same view without the subject: a still, or a take's first frame.")],
    to: Out,
    over: Over = None,
    garbage: Garbage = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Take out of a take on a tripod what its empty frame has not."""
    made = Step(
        id=MATTE, kind=DifferenceMatte.kind, name="Difference matte", inputs={"plate": "plate:hero", "clean": "plate:clean"}
    )
    job = MatteJob(plate, lambda shot: made, over, space, clean=clean, garbage=garbage)
    told(with_bar(lambda p: run_matte(job, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


class GroundWord(StrEnum):
    """What an element lies on."""

    auto = "auto"
    black = "black"
    white = "white"


BY_GROUND = {GroundWord.auto: AUTO, GroundWord.black: BLACK, GroundWord.white: WHITE}


@matte.command()
def luma(
    plate: Plate,
    to: Out,
    ground: Annotated[GroundWord, typer.Option(help="What the element lies on; auto looks at its rim.")] = GroundWord.auto,
    low: Annotated[float, typer.Option(min=0, max=0.99, help="Empty up to here, 0..1.")] = 0.0,
    high: Annotated[float, typer.Option(min=0.01, max=1, help="Solid from here on, 0..1.")] = 1.0,
    over: Over = None,
    garbage: Garbage = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Take an element off its black or white ground, exactly."""
    settings = {"by": BY_GROUND[ground], "low": low, "high": high}
    made = Step(id=MATTE, kind=LumaMatte.kind, name="Luma matte", inputs={"plate": "plate:hero"}, params=settings)
    job = MatteJob(plate, lambda shot: made, over, space, garbage=garbage)
    told(with_bar(lambda p: run_matte(job, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


def _line(text: str) -> list[list[float]]:
    """The places of a stroke, written X,Y,X,Y…"""
    try:
        values = [float(v) for v in text.split(",")]
    except ValueError:
        values = []
    if len(values) < 2 or len(values) % 2 or not all(math.isfinite(v) for v in values):
        raise typer.BadParameter(f"'{text}' is no stroke; write its places as X,Y,X,Y…")
    return [list(p) for p in zip(values[::2], values[1::2], strict=True)]


@matte.command()
def strokes(
    plate: Plate,
    to: Out,
    frame: Annotated[int, typer.Option(help="The frame that the strokes are drawn in, counted from 1.")],
    keep: Annotated[list[str], typer.Option(help="A stroke over what is kept: X,Y,X,Y… px; again for each.")],
    leave: Annotated[list[str], typer.Option(help="A stroke over what is left; again for each.")],
    until: Annotated[int | None, typer.Option("--to", help="Carry it on to this frame; else only that frame is cut out.")] = None,
    width: Annotated[float, typer.Option(min=1, max=60, help="How wide strokes are, px.")] = 6.0,
    over: Over = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Cut out what strokes are drawn over, and carry it on as long as it can be trusted."""
    drawn = [[frame, side, _line(t)] for side, lines in ((KEEP, keep), (LEAVE, leave)) for t in lines]
    end = frame if until is None else until

    def make(shot: Shot) -> Step:
        for n in (frame, end):
            if not 1 <= n <= shot.length:
                raise UserError(f"The plate has {shot.length} frames; there is no frame {n}.")
        settings = {"strokes": drawn, "width": width, "carry": ON if end != frame else HERE}
        return Step(id=MATTE, kind=StrokesStep.kind, name="Strokes", inputs={"plate": "plate:hero"}, params=settings)

    job = MatteJob(plate, make, over, space, frames=(min(frame, end), max(frame, end)))
    told(with_bar(lambda p: run_matte(job, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


@matte.command()
def score(
    mattes: Annotated[Path, typer.Argument(help="The mattes: a sequence or movie, or one of its files; white or alpha is kept.")],
    truth: Annotated[Path, typer.Argument(help="What they should be, as many frames.")],
    as_json: Json = False,
) -> None:
    """Compare mattes with their truth, frame by frame in their order: for practice on takes whose truth is known."""
    result = with_bar(lambda p: scored(mattes, truth, p))
    worst, mean = result["worst"], result["mean"]
    text = "\n".join(
        (
            f"{len(result['frames'])} frames; SAD {mean['sad']:.2f} thousand a frame, {worst['sad']:.2f} at worst (frame {worst['frame']})",
            f"overlap {mean['overlap']:.3f}, borders {mean['border']:.3f}; 1 is the truth",
            f"chatter {1000 * result['chatter']:.2f} thousandths of alpha from frame to frame",
        )
    )
    show(as_json, result, text)


def told(result: dict[str, Any], to: Path, *, strict: bool, as_json: bool) -> None:
    """Say what was made; ends with 3 if a reading is over its limit and that is asked for."""
    worst = result["worst"]
    text = f"{len(result['frames'])} frames written to {to}"
    text += "".join(f"\nframe {n} could not be made: {why}" for n, why in result["failed"].items())
    if worst:
        text += f"\n{worst['name']} at worst {worst['value']:.3g} {worst['unit']} of {worst['limit']:g} (frame {worst['frame']})"
    elif not any(r["value"] is not None for f in result["frames"] for r in f["readings"]):
        notes = {r.get("note", "") for f in result["frames"] for r in f["readings"]} - {""}
        text += "".join(f"\nnot measured: {n}" for n in sorted(notes)[:3])
    show(as_json, result, text)
    if result["failed"]:
        raise typer.Exit(1)
    if strict and worst and worst["ratio"] >= 1:
        raise typer.Exit(3)
