"""Elements brought into another time, without a project: loops, other speeds."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Annotated

import typer

from transmixis.cli.common import Json, Overwrite, Strict, app, with_bar
from transmixis.cli.mattes import told
from transmixis.core.errors import UserError
from transmixis.shot.buildjob import BLEND, FLOW, HOLD, LoopWish, RetimeWish, element_of, run_loop, run_retime

ElementFile = Annotated[Path, typer.Argument(help="A movie, a sequence or one of its files.")]
Exr = Annotated[bool, typer.Option("--exr", help="Linear .exr instead of 16-bit .png in the element's own coding.")]
Space = Annotated[str | None, typer.Option(help="Colour space; else guessed.")]
BEST = "best"


class By(StrEnum):
    """What is shown between an element's frames."""

    hold = HOLD
    blend = BLEND
    flow = FLOW


@app.command()
def loop(
    element: ElementFile,
    to: Annotated[Path, typer.Option("--out", help="The folder for loop.####.png and readings.json.")],
    frames: Annotated[
        str | None, typer.Option(help="A-B: the element's frames that may be used, counted from 1; else all.")
    ] = None,
    length: Annotated[str, typer.Option(help="Frames until it begins again, or best.")] = BEST,
    blend: Annotated[str, typer.Option(help="Frames in which its end goes over into its beginning, or best.")] = BEST,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Cut a loop out of an element where its end is most like its beginning, and lead the one over into the other. The last frame goes on with the first."""
    first, last = _span(frames)
    wish = LoopWish(first, last, _number(length, "--length"), _number(blend, "--blend"))
    found = element_of(element, space, exr=exr)
    told(with_bar(lambda p: run_loop(found, wish, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


@app.command()
def retime(
    element: ElementFile,
    to: Annotated[Path, typer.Option("--out", help="The folder for retimed.####.png and readings.json.")],
    rate: Annotated[
        float | None, typer.Option(min=0.1, max=1000, help="To so many pictures a second; it lasts as long as it does.")
    ] = None,
    speed: Annotated[
        Path | None,
        typer.Option(
            help='A .json of {"speed": [[frame, speed], …], "ends": "exact"}, which passes through those speeds and, if exact, ends on the last frame; or {"shows": [[frame, frame of the element], …]}.'
        ),
    ] = None,
    frames: Annotated[int | None, typer.Option(min=1, max=100_000, help="To so many frames, from its first to its last.")] = None,
    by: Annotated[
        By, typer.Option(help="What is shown between its frames: the nearest, a blend, or a frame made along the motion.")
    ] = By.flow,
    element_rate: Annotated[
        float | None, typer.Option(min=0.1, max=1000, help="Pictures a second of the element, where it does not say.")
    ] = None,
    exr: Exr = False,
    space: Space = None,
    overwrite: Overwrite = False,
    strict: Strict = False,
    as_json: Json = False,
) -> None:
    """Bring an element to another rate, length or speed; every frame says which of the element's it shows."""
    wish = RetimeWish(rate, speed, frames, by.value, element_rate)
    found = element_of(element, space, exr=exr)
    told(with_bar(lambda p: run_retime(found, wish, to, p, overwrite=overwrite)), to, strict=strict, as_json=as_json)


def _span(text: str | None) -> tuple[int, int | None]:
    if text is None:
        return 1, None
    a, dash, b = text.partition("-")
    if not (dash and a.isdigit() and b.isdigit() and len(a + b) < 15):
        raise UserError(f"--frames {text} cannot be read; give the first and the last as 10-80.")
    return int(a), int(b)


def _number(text: str, option: str) -> int | None:
    if text == BEST:
        return None
    if not (text.isdigit() and 0 < len(text) < 8 and int(text)):
        raise UserError(f"{option} {text} cannot be read; give a number of frames, or best.")
    return int(text)
