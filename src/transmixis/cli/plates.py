"""Commands on single plates, without a project: mends, clean plates, frames to freeze and to join at."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, app, show, with_bar
from transmixis.core.errors import UserError
from transmixis.media.files import said
from transmixis.media.sequence import MOST_FRAMES
from transmixis.shot.platejobs import freeze_picks, join_picks, make_clean, mend_plate

Plate = Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files.")]
Out = Annotated[Path, typer.Option("--out", help="name.####.exr, .png or .tif; or name.mov, .mp4, .mkv.")]
Space = Annotated[str | None, typer.Option(help="Colour space; else guessed.")]


def _mended(report: dict[str, Any], as_json: bool) -> None:
    text = f"{report['made']} frames made, {report['kept']} kept from before: {report['path']}"
    if report["reason"]:
        text += f"\n{report['reason']}"
    text += "".join(f"\nframe {n} could not be made: {why}" for n, why in report["failed"].items())
    worst: dict[str, tuple[float, str]] = {}
    for row in report["frames"]:
        for r in row["readings"]:
            if r["ratio"] is not None and r["ratio"] >= worst.get(r["name"], (-1.0, ""))[0]:
                worst[r["name"]] = (
                    r["ratio"],
                    f"{r['name']} at worst {r['value']:.3g} {r['unit']} of {r['limit']:.3g} (frame {row['frame']})",
                )
    text += "".join(f"\n{w}" for _, w in worst.values())
    show(as_json, report, text)
    if report["failed"]:
        raise typer.Exit(1)


def _given(**values: Any) -> dict[str, Any]:
    return {k: v for k, v in values.items() if v is not None}


def _point(text: str) -> tuple[float, float]:
    x, y = _numbers(text, 2, "a point; write it like 412.5,230")
    return x, y


def _numbers(text: str, count: int, words: str) -> list[float]:
    """Numbers parted by commas. Raises UserError, also for what is no number that can be worked with."""
    try:
        values = [float(v) for v in text.split(",")]
    except ValueError:
        values = []
    if len(values) != count or not all(abs(v) < 1e6 for v in values):  # NaN is not smaller
        raise UserError(f"'{said(text)[:60]}' is not {words}.")
    return values


Anyway = Annotated[bool, typer.Option("--anyway", help="Write it even if the plate is better without it by its own reading.")]


@app.command()
def steady(
    plate: Plate,
    to: Out,
    point: Annotated[list[str] | None, typer.Option(help="x,y of a fixed thing in the reference frame; one, or two.")] = None,
    strength: Annotated[float | None, typer.Option(help="0..1; else all.")] = None,
    smooth: Annotated[float | None, typer.Option(help="Frames; 0 locks the picture, more keeps slow pans.")] = None,
    reference: Annotated[float | None, typer.Option(help="The frame that stays as it is.")] = None,
    border: Annotated[bool | None, typer.Option("--fill/--leave-border", help="Enlarge until no border shows.")] = None,
    space: Space = None,
    anyway: Anyway = False,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Take the camera's trembling or motion out."""
    settings = _given(strength=1.0 if strength is None else strength, smooth=smooth, reference=reference)
    if border is not None:
        settings["border"] = "fill the frame" if border else "leave empty"
    points = [_point(t) for t in point or []]
    if len(points) > 2:
        raise typer.BadParameter("give one point or two", param_hint="--point")
    if points:
        settings["by"] = "one point" if len(points) == 1 else "two points"
        for k, (x, y) in enumerate(points, 1):
            settings |= {f"x{k}": x, f"y{k}": y}
        settings.setdefault("smooth", 0.0)
    _mended(with_bar(lambda p: mend_plate(plate, "steady", settings, to, p, space, overwrite=overwrite, anyway=anyway)), as_json)


@app.command()
def even(
    plate: Plate,
    to: Out,
    anchor: Annotated[float | None, typer.Option(help="The frame whose light all others get; else the most usual.")] = None,
    second: Annotated[float | None, typer.Option(help="A second anchor; it runs evenly from one to the other.")] = None,
    keep_drift: Annotated[
        bool | None, typer.Option("--keep-drift/--all", help="Flicker only, or drift too; else proposed.")
    ] = None,
    space: Space = None,
    anyway: Anyway = False,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Take flicker and drift of exposure and colour out."""
    settings = _given(anchor=anchor, second=second, strength=1.0)
    if keep_drift is not None:
        settings["takes"] = "flicker only" if keep_drift else "flicker and drift"
    _mended(
        with_bar(lambda p: mend_plate(plate, "even_out", settings, to, p, space, overwrite=overwrite, anyway=anyway)), as_json
    )


@app.command()
def dust(
    plate: Plate,
    to: Out,
    spot: Annotated[list[str] | None, typer.Option(help="x,y,radius of a spot to fill by hand; may be given again.")] = None,
    fill: Annotated[bool, typer.Option("--fill/--lift", help="Fill from around, or put the missing light back.")] = False,
    space: Space = None,
    anyway: Anyway = False,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Take dust on the sensor out."""
    spots = []
    for text in spot or []:
        x, y, r = _numbers(text, 3, "a spot; write it like 412,230,8")
        if r <= 0:
            raise UserError(f"'{text}' is not a spot: its radius is nothing; write it like 412,230,8.")
        spots.append((x, y, r))
    settings = {"by_hand": spots, "strength": 1.0, "how": "fill from around" if fill else "put the light back"}
    _mended(with_bar(lambda p: mend_plate(plate, "dust", settings, to, p, space, overwrite=overwrite, anyway=anyway)), as_json)


@app.command()
def conform(
    plate: Plate,
    to: Out,
    speed: Annotated[float | None, typer.Option(help="Recorded frames for each frame made, e.g. 2.5 for 60 to 24.")] = None,
    first: Annotated[float | None, typer.Option(help="The recorded frame shown first.")] = None,
    frames: Annotated[int, typer.Option(min=0, max=MOST_FRAMES, help="How many frames to make; else as many as recorded.")] = 0,
    between: Annotated[str, typer.Option(help="hold, blend or motion.")] = "",
    space: Space = None,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Bring a plate to another rate or range, and leave doubled frames out."""
    words = {"": None, "hold": "hold the nearest", "blend": "blend", "motion": "follow the motion"}
    if between not in words:
        raise typer.BadParameter("use hold, blend or motion", param_hint="--between")
    settings = _given(speed=speed, first=first, frames=words[between])
    if speed is not None:
        settings.setdefault("repeats", "keep")
    _mended(with_bar(lambda p: mend_plate(plate, "conform", settings, to, p, space, frames, overwrite=overwrite)), as_json)


@app.command()
def cleanplate(
    plate: Plate,
    to: Annotated[Path, typer.Option("--out", help="A picture: .exr, .png or .tif.")],
    space: Space = None,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Make a clean plate from the take itself, where the background shows at some time."""
    made = with_bar(lambda p: make_clean(plate, to, space, p, overwrite=overwrite))
    show(as_json, made, f"{made['words']}\n{made['plate']}\n{made['shown']} (white: shown all the time)")


@app.command()
def bestframe(
    plate: Plate,
    most: Annotated[int, typer.Option(min=1, max=1000, help="How many to name.")] = 5,
    space: Space = None,
    as_json: Json = False,
) -> None:
    """Name the best frames to freeze, with the reasons."""
    picks = with_bar(partial(freeze_picks, plate, space, most))
    show(as_json, {"picks": picks}, "\n".join(f"frame {p['frame']}: {100 * p['score']:.0f} of 100; {p['words']}" for p in picks))


@app.command()
def join(
    first: Annotated[Path, typer.Argument(help="The take that comes first.")],
    second: Annotated[Path, typer.Argument(help="The take that goes on.")],
    most: Annotated[int, typer.Option(min=1, max=1000, help="How many pairs to name.")] = 5,
    space: Space = None,
    as_json: Json = False,
) -> None:
    """Name the best pairs of frames to join two takes at."""
    picks = with_bar(partial(join_picks, first, second, space, most))
    lines = [f"last {j['last']}, then first {j['first']}: {j['words']}" for j in picks]
    show(as_json, {"joins": picks}, "\n".join(lines))
