"""Points and surfaces followed on a plate without a project, as plain numbers."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.colour.curves import srgb_to_linear
from transmixis.core.errors import UserError
from transmixis.core.motion.level import Laid
from transmixis.core.motion.mark import Mark, follow_mark
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import REACH, follow_patterns, follow_presses, proposed_half
from transmixis.core.motion.surface import MODELS, surface_in
from transmixis.core.progress import Progress
from transmixis.core.rate import rate_of
from transmixis.core.types import Array, Mask
from transmixis.media.files import said
from transmixis.media.source import open_source
from transmixis.shot.exchange import EXR, refuse_ending, st_maps
from transmixis.shot.outputs import refuse
from transmixis.shot.plainjson import cleaned
from transmixis.shot.platejobs import HERO, open_plate

MOST_POINTS = 1000
HELD_OUT = 0.1  # linear: a matte that is brighter holds out
# marks of paint as people name them, display coded; the paint's own colour is then taken from the picture
COLOURS = {
    "red": "#e01020", "orange": "#f08010", "yellow": "#f0e010", "green": "#10c030", "cyan": "#10d0d0", "blue": "#1030e0",
    "magenta": "#e010c0", "pink": "#f060a0", "white": "#ffffff",
}  # fmt: skip


def track_points(
    path: Path, places: list[list[float]], first: int, mark: str | None, space: str | None, progress: Progress
) -> dict[str, Any]:
    """Where `places` of frame `first` are in every frame of a plate; `mark`: a colour, where they are painted marks."""
    count, look, _ = plate_frames(path, space, first)
    at = [np.array(p) for p in places]
    picture = look(first - 1)
    if mark is not None:
        found = [_mark(picture, p, _colour(mark), look, first - 1, count, progress) for p in at]
    else:
        halves = [proposed_half(look, p, first - 1, count) for p in at]
        found = follow_presses(look, at, halves, first - 1, count, REACH, progress)
    return {
        "points": [
            {"at": list(p), "frames": [_place(n, laid, p) for n, laid in enumerate(f, 1)]} for p, f in zip(at, found, strict=True)
        ]
    }


def _mark(
    picture: Array, at: Array, colour: Array, look: Callable[[int], Array], first: int, count: int, progress: Progress
) -> list[Laid]:
    mark = Mark(picture, at, colour)
    surface = mark.surface(picture)
    out = [Laid(np.eye(3), 1.0, 1.0, 0.0)] * count
    for order in (range(first + 1, count), range(first - 1, -1, -1)):
        for i, laid in zip(order, follow_mark(mark, surface, look, at, order, REACH, progress), strict=True):
            out[i] = laid
    return out


def track_surface(
    path: Path, outlines: list[list[list[float]]], leave: list[list[list[float]]], first: int, holdout: Path | None, model: str,
    space: str | None, progress: Progress,
) -> dict[str, Any]:  # fmt: skip
    """How the surface inside of `outlines` of frame `first`, without what is inside of `leave` and without what a matte holds out, lies in
    every frame."""
    if model not in MODELS:
        raise UserError(f"'{said(model)[:40]}' is no model; use one of {', '.join(MODELS)}.")
    count, look, _ = plate_frames(path, space, first)
    look = without(look, holdout, count) if holdout is not None else look
    picture = look(first - 1)
    there = picture[..., 3] if picture.shape[2] == 4 else None
    surface = surface_in(picture, [np.array(o) for o in outlines], [np.array(o) for o in leave], model, there)
    (found,) = follow_patterns(look, [surface], first - 1, count, REACH, progress)
    rows = [
        {
            "frame": n,
            "matrix": None if f.lost else f.matrix.ravel().tolist(),
            "valid": not f.lost,
            "error": _error(f),
            "why": f.why,
        }
        for n, f in enumerate(found, 1)
    ]
    return {"region": outlines[0] if len(outlines) == 1 else outlines, "model": model, "frames": rows}


def _place(n: int, laid: Laid, at: Array) -> dict[str, Any]:
    x, y = (None, None) if laid.lost else (float(v) for v in moved_points(laid.matrix, at)[0])
    return {
        "frame": n, "x": x, "y": y, "valid": not laid.lost, "error": _error(laid), "alike": None if laid.lost else laid.alike,
        "why": laid.why,
    }  # fmt: skip


def _error(laid: Laid) -> float | None:
    return None if laid.lost or not np.isfinite(laid.error) else laid.error


def plate_frames(path: Path, space: str | None, first: int) -> tuple[int, Callable[[int], Array], float]:
    """How many frames a plate has, these counted from 0, and how many make a second."""
    shot, renderer = open_plate(path, space)
    if not 1 <= first <= shot.length:
        raise UserError(f"The plate has no frame {first}; it has {shot.length}.")

    def look(i: int) -> Array:
        picture = renderer.product(HERO, i + 1).picture
        assert picture is not None
        return picture

    return shot.length, look, float(rate_of(shot.rate))


def without(look: Callable[[int], Array], path: Path, count: int) -> Callable[[int], Array]:
    """The same frames with what a matte shows taken for no picture. Raises UserError where it does not belong to the plate."""
    h, w = look(0).shape[:2]
    barred = bars(path, count, (w, h))

    def looked(i: int) -> Array:
        return np.dstack([look(i)[..., :3], np.where(barred(i), 0, 1).astype(np.float32)])

    return looked


def bars(path: Path, count: int, size: tuple[int, int]) -> Callable[[int], Mask]:
    """What a matte holds out in each frame of a plate of `size` (width, height), from 0: a still, or a frame for each. Raises UserError
    where it does not belong to the plate."""
    source = open_source(path)
    got = (source.info.width, source.info.height)
    if got != size:
        raise UserError(
            f"'{said(path.name)}' is {got[0]} x {got[1]}, but the plate is {size[0]} x {size[1]}; export it at the plate's size."
        )
    if source.info.count not in (1, count):
        raise UserError(
            f"'{said(path.name)}' has {source.info.count} frames, but the plate has {count}; give one, or one for each."
        )
    still = source.info.count == 1
    return lambda i: np.asarray(source.read(1 if still else i + 1)[..., :3].mean(axis=2) > HELD_OUT)


def kept(made: dict[str, Any], out: Path | None, write: Callable[[Path, dict[str, Any]], None]) -> dict[str, Any]:
    """What was made, written to `out` too if that is named."""
    made = dict(cleaned(made))
    if out is not None:
        write(out, made)
    return made


def refuse_out(path: Path, out: Path | None, endings: Sequence[str], words: str, *, overwrite: bool) -> None:
    """Raises UserError before any work if `out` must not be written."""
    if out is None:
        return
    refuse_ending(out, endings, words)
    outs = st_maps(out) if out.suffix.lower() == EXR else (out,)
    refuse(list(outs), inputs=[path], overwrite=overwrite)


def place_of(text: str) -> list[float]:
    """'412.5,230' as a place. Raises UserError."""
    try:
        x, y = (float(v) for v in text.split(","))
    except ValueError:
        x = y = float("nan")
    if not (abs(x) < 1e6 and abs(y) < 1e6):
        raise UserError(f"'{said(text)[:60]}' is not a place; write it like 412.5,230.")
    return [x, y]


def outlines_of(texts: list[str]) -> list[list[list[float]]]:
    """Outlines from places: ['10,20', '90,22', '88,70'] is one, ['10,20 90,22 88,70', '…'] one each. Raises UserError."""
    if not texts:
        return []
    parts = [t.split() for t in texts]
    outlines = [[t for p in parts for t in p]] if all(len(p) == 1 for p in parts) else parts
    for o in outlines:
        if not 3 <= len(o) <= MOST_POINTS:
            raise UserError(f"'{said(' '.join(o))[:60]}' is not an outline; give three places or more, like 10,20 90,22 88,70.")
    return [[place_of(t) for t in o] for o in outlines]


def _colour(text: str) -> Array:
    """'red' or '#e01020' as linear light. Raises UserError."""
    code = COLOURS.get(text.lower(), text.lower())
    if not re.fullmatch(r"#?[0-9a-f]{6}", code):
        raise UserError(f"'{said(text)[:40]}' is no colour; use {', '.join(COLOURS)}, or one like #e01020.")
    code = code.lstrip("#")
    return np.asarray(srgb_to_linear(np.array([int(code[k : k + 2], 16) / 255 for k in (0, 2, 4)])))
