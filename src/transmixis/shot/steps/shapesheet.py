"""What is drawn of a Shapes step beside its controls: its outlines unrolled, and what they are foretold to be off by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.plot import Plot, Trace, Unrolled
from transmixis.core.roto.asking import asked
from transmixis.core.roto.sheet import PLACES
from transmixis.core.types import Array
from transmixis.shot.contract import Inputs
from transmixis.shot.steps.outlinecarry import EASED, piece_name
from transmixis.shot.steps.outlines import OneShape, pinned, stretches
from transmixis.shot.steps.shapeparams import ShapesParams
from transmixis.shot.steps.shapethings import words_of

MOST = 3  # outlines that are unrolled below each other: those foretold to be off most


def foretold_all(shape: OneShape, inputs: Inputs, params: ShapesParams) -> Array | None:
    """(length) px, nan where it is not carried to; None while a stretch was not carried yet, or nothing is drawn."""
    told = _known(shape, inputs, params)
    return told.px if told.whole and np.isfinite(told.px).any() else None


@dataclass(frozen=True)
class _Told:
    """Of an outline: `px` (length) foretold, nan where not known; `rows` (length, places, 3) uint8 of what lies inside it; `whole` if every stretch was
    carried."""

    px: Array
    rows: Array
    whole: bool


def _known(shape: OneShape, inputs: Inputs, params: ShapesParams) -> _Told:
    length, whole = inputs.shot.length, True
    px, rows = np.full(length, np.nan), np.zeros((length, PLACES, 3), np.uint8)
    held = pinned(shape, params, inputs.pins())
    for s in stretches(held, length) if params.carry != EASED else ():
        piece = inputs.piece(s.inner, name=piece_name(shape, s), make=False)
        if piece is None:
            whole = False
            continue
        first = int(piece["first"]) - 1
        last = min(first + len(piece["foretold"]), length)
        px[first:last] = np.fmax(px[first:last], piece["foretold"][: last - first])
        rows[first:last] = piece["edge"][: last - first]
    for h in held:
        if 1 <= h.frame <= length:
            px[h.frame - 1] = 0.0
    return _Told(px, rows, whole)


def unrolled(shapes: Sequence[OneShape], inputs: Inputs, params: ShapesParams, limit: float) -> Plot:
    """The outlines that are foretold to be off most, unrolled; the worst over the frames below them."""
    told = [(s, _known(s, inputs, params)) for s in shapes if s.on and pinned(s, params, inputs.pins())]
    told.sort(key=lambda t: -float(np.nan_to_num(t[1].px, nan=0.0).max(initial=0.0)))
    panels: list[Unrolled | Trace] = []
    for shape, its in told[:MOST]:
        px, rows = its.px, its.rows
        pins = tuple(h.frame for h in pinned(shape, params, inputs.pins()))
        asks = tuple(a.frame for a in asked(pins, px, limit)) if its.whole else ()
        known = np.isfinite(px) & (rows.reshape(len(rows), -1).any(axis=1))
        words = f"{words_of(shape)}: just inside it, frames down"
        panels.append(Unrolled(words, rows, known, np.nan_to_num(px) > limit, pins, asks))
    worst = np.full(inputs.shot.length, np.nan)
    for _, its in told:
        worst = np.fmax(worst, its.px)
    panels.append(
        Trace("foretold, px", worst, limit, "px", floor=True, why="not carried yet" if told else "nothing is drawn yet")
    )
    return Plot(
        "Edge sheet",
        "The outline unrolled, a row a frame: seams that slant, or colours that come in, are an edge that creeps. Below: what it may be off by.",
        tuple(panels),
    )
