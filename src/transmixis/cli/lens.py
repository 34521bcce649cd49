"""The lens, told from stills of a chessboard."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from transmixis.cli.common import Json, Overwrite, app, show, with_bar
from transmixis.shot.exchange import LENSES, write_lens
from transmixis.shot.lensjob import tell_lens
from transmixis.shot.trackjob import kept, refuse_out


@app.command()
def lens(
    stills: Annotated[
        list[Path], typer.Argument(help="Stills of a chessboard from several sides, all with one setting of the lens.")
    ],
    board: Annotated[str, typer.Option(help="Its inner corners, across and down.")] = "9x6",
    to: Annotated[
        Path | None, typer.Option("--out", help="A .json, .yaml (OpenCV) or .exr (ST maps) file to write it to as well.")
    ] = None,
    space: Annotated[str | None, typer.Option(help="Colour space; else guessed.")] = None,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Tell a lens: its focal length, its middle and how it bends."""
    refuse_out(stills[0], to, LENSES, "a lens", overwrite=overwrite)
    made = kept(with_bar(lambda p: tell_lens(stills, board, space, p)), to, write_lens)
    used = [s for s in made["stills"] if s["found"]]
    worst = max(used, key=lambda s: s["error"])
    text = f"focal length {made['focal_px']:.2f} px, middle {made['middle'][0]:.2f}, {made['middle'][1]:.2f} px"
    text += f"\nk1 {made['k1']:.5f}, k2 {made['k2']:.5f}, k3 {made['k3']:.5f}, p1 {made['p1']:.5f}, p2 {made['p2']:.5f}"
    text += f"\n{len(used)} of {len(made['stills'])} stills show the board; corners are off by {made['error']:.2f} px"
    text += f", at worst {worst['error']:.2f} px in {Path(worst['path']).name}"
    show(as_json, made, text)
