"""What the tool on the picture takes hold of in a Shapes step: each outline as it lies in a frame, with what is drawn about it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from transmixis.core.matte.outline import Mark, xy
from transmixis.core.roto.curve import drawn
from transmixis.shot.contract import Handle, Pins
from transmixis.shot.steps.attachment import Hold
from transmixis.shot.steps.outlineborder import SPREAD
from transmixis.shot.steps.outlinecarry import Lies
from transmixis.shot.steps.outlines import OneShape, pinned
from transmixis.shot.steps.shapeparams import ShapesParams
from transmixis.shot.steps.shapethings import words_of

DRAW = (
    "Press along it; the first point again closes it. Drag a point: pinned here. Double press: corner. Shift and wheel: softness."
)
DRAW_OPEN = "Press along it; Enter ends it. Drag a point: pinned here. Press a side: a new one. Drag its dotted side, or Shift and wheel: width."
WAITS = "Eased from pin to pin as yet; where it is carried to shows once this stretch is measured."
Line = tuple[list[list[float]], bool]  # places px, closed


def handle_of(
    shape: OneShape,
    shapes: Sequence[OneShape],
    lies: Mapping[int, Lies],
    params: ShapesParams,
    pins: Pins,
    hold: Hold,
    frame: int,
) -> Handle:
    """The handle of one of a step's shapes at a frame; `lies` says where all of them do."""
    its = lies[shape.id]
    note = f"The motion is not known here: {hold.why}" if not hold.known else WAITS if its.note and its.marks else ""
    held = pinned(shape, params, pins)
    others = [_line(s, lies[s.id].marks) for s in shapes if s.id != shape.id and s.on and len(lies[s.id].marks) >= s.least]
    facts = {
        "smooth": shape.smooth, "corners": shape.corners(its.marks).tolist(), "closed": shape.closed, "here": list(its.here),
        "taken": [m[0] for h in held for m in h.marks], "whole": shape.whole, "some": shape.some, "style": shape.style,
        "styles": _styles(shape, its.marks), "inward": shape.inward, "outward": shape.outward, "feather": SPREAD * params.feather,
        "others": others, "frame": frame, "beside": beside(shape, [(h.frame, h.marks) for h in held], frame), "off": [float(v) for v in its.along],
    }  # fmt: skip
    return Handle(
        "shape",
        shape.whole,
        words_of(shape),
        DRAW if shape.closed else DRAW_OPEN,
        its.marks,
        hold.matrix,
        its.set,
        True,
        note,
        facts,
    )


def _line(shape: OneShape, marks: Sequence[Mark]) -> Line:
    return drawn(xy(marks), shape.corners(marks), shape.closed, 0.5)[0].tolist(), shape.closed


def _styles(shape: OneShape, marks: Sequence[Mark]) -> dict[int, dict[str, Any]]:
    """Each point's own settings, as they count."""
    out = {}
    for m, corner, wide in zip(marks, shape.corners(marks), shape.widths(marks), strict=True):
        own = shape.styles.get(str(m[0]))
        out[m[0]] = {
            "corner": bool(corner), "inward": own.inward if own else 0.0, "outward": own.outward if own else 0.0, "wide": float(wide),
        }  # fmt: skip
    return out


def beside(shape: OneShape, held: Sequence[tuple[int, Sequence[Mark]]], frame: int) -> list[tuple[int, Line]]:
    """The pins about a frame: the one before it and the one after, each with its outline where it was set."""
    before = [h for h in held if h[0] < frame][-1:]
    after = [h for h in held if h[0] > frame][:1]
    return [(at, _line(shape, marks)) for at, marks in (*before, *after)]
