"""Tracks of single plates, without a project: points, surfaces, the camera."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, show, with_bar
from transmixis.shot.camerajob import track_camera
from transmixis.shot.exchange import CAMERAS, TRACKS, read_back, write_camera, write_points, write_surface
from transmixis.shot.steps.trackreadings import ERROR
from transmixis.shot.trackjob import kept, outlines_of, place_of, refuse_out, track_points, track_surface

track = typer.Typer(no_args_is_help=True, help="Follow points, a flat surface or the camera on a plate, without a project.")
app.add_typer(track, name="track")

Plate = Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files.")]
To = Annotated[Path | None, typer.Option("--out", help="A .json or .csv file to write it to as well.")]
ToCamera = Annotated[Path | None, typer.Option("--out", help="A .json or .usda file to write it to as well.")]
Space = Annotated[str | None, typer.Option(help="Colour space; else guessed.")]
From = Annotated[int, typer.Option("--from", min=1, max=1_000_000, help="The frame in which it is shown, counted from 1.")]
HoldOut = Annotated[Path | None, typer.Option("--holdout", help="A matte, or one for each frame: what is white does not count.")]


@track.command()
def point(
    plate: Plate,
    at: Annotated[list[str], typer.Option("--at", help="Where it is, px: 412.5,230. Again for more points.")],
    first: From = 1,
    mark: Annotated[str | None, typer.Option(help="The colour of a painted mark: red, green, … or #e01020.")] = None,
    to: To = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Follow places of things through a plate."""
    refuse_out(plate, to, TRACKS, "a track", overwrite=overwrite)
    places = [place_of(t) for t in at]
    made = kept(with_bar(lambda p: track_points(plate, places, first, mark, space, p)), to, write_points)
    text = "\n".join(f"{p['at'][0]:g}, {p['at'][1]:g}: {_followed(p['frames'])}" for p in made["points"])
    show(as_json, made, text)
    _strictly(strict, [f for p in made["points"] for f in p["frames"]])


@track.command()
def surface(
    plate: Plate,
    region: Annotated[
        list[str], typer.Option("--region", help="A place of its outline, px: 10,20. Again for each of three or more.")
    ],
    first: From = 1,
    leave: Annotated[list[str] | None, typer.Option("--leave", help="Outline of what does not belong to it, likewise.")] = None,
    holdout: HoldOut = None,
    model: Annotated[str, typer.Option(help="position, similarity, affine or perspective.")] = "perspective",
    to: To = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Follow a flat surface through a plate."""
    refuse_out(plate, to, TRACKS, "a track", overwrite=overwrite)
    outlines, out = outlines_of(region), outlines_of(leave or [])
    made = kept(with_bar(lambda p: track_surface(plate, outlines, out, first, holdout, model, space, p)), to, write_surface)
    show(as_json, made, _followed(made["frames"]))
    _strictly(strict, made["frames"])


@track.command()
def camera(
    plate: Plate,
    focal: Annotated[str, typer.Option(help="Focal length in px of the plate, 'free', or 'changing'.")] = "free",
    lens: Annotated[str, typer.Option(help="none, or solve: find how the lens bends.")] = "none",
    holdout: HoldOut = None,
    to: ToCamera = None,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Solve the camera of a plate: its path, its focal length, the points it saw."""
    refuse_out(plate, to, CAMERAS, "a camera", overwrite=overwrite)
    made, words, scene = with_bar(lambda p: track_camera(plate, focal, lens, holdout, space, p))
    made = kept(made, to, lambda path, data: write_camera(path, scene, data))
    lost = [f for f in made["frames"] if not f["valid"]]
    focal_words = _focal_words(made)
    text = f"{words}\n{focal_words}, {len(made['frames']) - len(lost)} of {len(made['frames'])} frames solved"
    show(as_json, made, text + "".join(f"\nframe {f['frame']}: not known, {f['why']}" for f in lost[:20]))
    if strict and lost:
        raise typer.Exit(3)


@app.command()
def read(
    path: Annotated[Path, typer.Argument(help="A track (.csv, .json), a camera (.usda, .usdc, .usd) or a lens (.yaml).")],
    as_json: Json = False,
) -> None:
    """Read a track, a camera or a lens back, from this program or another, and say what it holds."""
    made = read_back(path)
    show(as_json, made, _holds(made))


def _focal_words(made: dict[str, Any]) -> str:
    if made["focal_px"] is None:
        return "focal length not known"
    lengths = [f["focal_px"] for f in made["frames"] if f["valid"]] or [made["focal_px"]]
    if max(lengths) == min(lengths):
        return f"focal length {made['focal_px']:.1f} px"
    return f"focal length {lengths[0]:.1f} px at the beginning, {lengths[-1]:.1f} at the end"


def _holds(made: dict[str, Any]) -> str:
    if "tracks" in made:
        return "\n".join(
            f"track {t['name']}: {sum(f['valid'] for f in t['frames'])} of {len(t['frames'])} frames" for t in made["tracks"]
        )
    text = (
        f"focal length {made['focal_px']:.2f} px for {made['width']} x {made['height']}, k1 {made['k1']:.5f}, k2 {made['k2']:.5f}"
    )
    if "frames" in made:
        known = sum(f["valid"] for f in made["frames"])
        text += f"\n{known} of {len(made['frames'])} frames, {len(made['points'])} points"
    return text


def _followed(frames: list[dict[str, Any]]) -> str:
    lost = [f for f in frames if not f["valid"]]
    worst = max((f for f in frames if f["error"] is not None), key=lambda f: f["error"], default=None)
    text = f"{len(frames) - len(lost)} of {len(frames)} frames followed"
    if worst:
        text += f"\nerror at worst {worst['error']:.3g} px of {ERROR:g} (frame {worst['frame']})"
    return text + "".join(f"\nframe {f['frame']}: not known, {f['why']}" for f in lost[:20])


def _strictly(strict: bool, frames: list[dict[str, Any]]) -> None:
    if strict and any(not f["valid"] or (f["error"] or 0) >= ERROR for f in frames):
        raise typer.Exit(3)
