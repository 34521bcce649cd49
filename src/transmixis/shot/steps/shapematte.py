"""Outlines of a Shapes step taken from the border of a matte: new ones where there are none yet, else those there are, laid on it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark, marks_of
from transmixis.core.roto.fitted import fitted, rings_of
from transmixis.core.roto.matched import laid, nearest_ring
from transmixis.core.types import Array, Matte
from transmixis.shot.contract import Inputs
from transmixis.shot.model import Step
from transmixis.shot.steps.outlines import ADD, SMOOTH, SUBTRACT, OneShape, pinned
from transmixis.shot.steps.shapeparams import ShapesParams, shapes_of
from transmixis.shot.steps.shapethings import with_shapes

BORDER, FROM_MATTE = "border", "border"  # the slot, and the act
WITHIN = 0.75  # px: as near as the outline of a matte that is written to a file
PIECES = 12  # outlines at most; more pieces are specks, or hair
SMALL = 0.02  # of the longest ring: what is shorter is left out
Drawn = list[tuple[OneShape, tuple[Mark, ...]]]


def from_matte(
    step: Step, params: ShapesParams, inputs: Inputs, frame: int, lies: Callable[[OneShape], Sequence[Mark]]
) -> tuple[Step, Drawn]:
    """The step, with new shapes if it had none, and the outlines as they are to be pinned at a frame. `lies` says where a shape's points lie there."""
    if not inputs.has(BORDER):
        raise UserError("No matte is chosen whose border could be taken; choose one under 'Border'.")
    matte = np.asarray(inputs.matte(BORDER, frame), np.float32)
    shapes = [s for s in shapes_of(params) if s.on and s.closed]
    there = [(s, tuple(lies(s))) for s in shapes]
    there = [(s, marks) for s, marks in there if len(marks) >= s.least]
    if not there:
        return _begun(step, params, inputs, matte)
    rings = rings_of(matte)
    out: Drawn = []
    for shape, marks in there:
        k = nearest_ring(marks, rings, shape.joins == SUBTRACT)
        if k is not None:
            taken = [m[0] for h in pinned(shape, params, inputs.pins()) for m in h.marks]
            out.append((shape, laid(marks, shape.corners(marks), rings[k], WITHIN, taken).marks))
    if not out:
        raise UserError(f"The matte's border at frame {frame} lies near none of the outlines; draw or pin one near it first.")
    return step, out


def _begun(step: Step, params: ShapesParams, inputs: Inputs, matte: Matte) -> tuple[Step, Drawn]:
    """An outline for each piece of the matte, and one that is taken away for each hole."""
    found = fitted(matte, WITHIN)
    longest = _round(found[0].points)
    found = tuple(f for f in found[:PIECES] if _round(f.points) >= SMALL * longest)
    used = [s.id for s in shapes_of(params)] + [int(k.partition(".")[2] or 1) for k in inputs.pins()]
    strands = [s for s in shapes_of(params) if not s.closed]
    spare = [s for s in shapes_of(params) if s.closed]
    out: Drawn = []
    for f in sorted(found, key=lambda f: f.hole):  # what is taken away comes after what it is taken from
        shape = spare.pop(0) if spare else OneShape(id=max(used, default=0) + 1)
        used.append(shape.id)
        shape = shape.model_copy(update={"joins": SUBTRACT if f.hole else ADD, "line": SMOOTH})
        out.append((shape, marks_of([(float(x), float(y)) for x, y in f.points])))
    return with_shapes(step, (*(s for s, _ in out), *spare, *strands)), out


def _round(points: Array) -> float:
    return float(np.hypot(*(np.roll(points, -1, axis=0) - points).T).sum())
