"""Shapes: a matte from outlines that are drawn, carried by a motion, and pinned where that is not enough."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.easing import progress as ease
from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark, at_places, eased, marks_of, off_the_edge, rounded, xy
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.motion import moved_points
from transmixis.core.readings import Reading
from transmixis.shot.contract import Handle, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import set_pin
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hold_at, hold_reading, looked_at
from transmixis.shot.steps.attachment import hidden as not_seen
from transmixis.shot.steps.params import choice, hidden, number

OFF = 1.5  # px: an outline further off its edge shows as a rim or a bite (judgement, docs/limits.md)
DRAW = "Press along its outline; the first point again closes it. Drag a point to pin it here, press a side for a new one."
CORNERS, SMOOTH = "corners", "smooth"


class ShapesParams(Attached):
    outline: tuple[Mark, ...] = hidden(())  # identity, x, y px of the frame at which it was set; fewer than three: nothing
    line: str = choice(CORNERS, (CORNERS, SMOOTH), "Runs", "Straight from point to point, or smoothly through them.")
    feather: float = number(0.5, 0.0, 200.0, "px", "Feather", "How softly the outline ends.", step=0.1)
    turned: str = choice("inside", ("inside", "outside"), "Keeps", "What the matte keeps.")


class Shapes(StepKind[ShapesParams]):
    kind, title, stage, product = "shapes", "Shape", "Matte", "matte"
    gives = ("matte", "shape")
    roles = ("cut out",)
    says = "cuts out what is inside an outline"
    work = "roto"
    slots = (Slot("plate", "the plate that is looked at"), HANGS_ON)
    scales = True
    Params = ShapesParams
    own_pins = ("outline",)
    full_chroma = True
    positions = ("outline",)
    tools = ("outline",)

    def handles(self, inputs: Inputs, params: ShapesParams, frame: int) -> tuple[Handle, ...]:
        try:
            marks, hold = self.placed(inputs, params, frame)
        except UserError as e:
            return (Handle("outline", "outline", "Outline", DRAW, (), note=str(e)),)
        note = "" if hold.known else f"The motion is not known here: {hold.why}"
        pins = _pins(params, inputs.pins())
        here = any(p.frame == frame for p in pins)
        facts = {"smooth": params.line == SMOOTH, "taken": [m[0] for p in pins for m in marks_of(p.value)]}
        return (Handle("outline", "outline", "Outline", DRAW, marks, hold.matrix, here, True, note, facts),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """Set at this frame: the first outline says where the shape was set, every other one is a pin."""
        marks = [[i, round(x, 2), round(y, 2)] for i, x, y in value]
        first = not step.params.get("outline") and not step.pins.get("outline")
        set_at = int(step.params.get("at", 1))
        if first or (frame == set_at and not step.pins.get("outline")):
            return step.model_copy(update={"params": {**step.params, "outline": marks, "at": frame}})
        if not step.pins.get("outline"):
            step = set_pin(step, "outline", Pin(frame=set_at, value=step.params["outline"], easing="linear"))
        return set_pin(step, "outline", Pin(frame=frame, value=marks, easing="linear"))

    def looks_at(self, slot: str, params: ShapesParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return looked_at(params, frame, length, pins=tuple(p.frame for p in pins.get("outline", ())))

    def compute(self, inputs: Inputs, params: ShapesParams, frame: int) -> Product:
        h, w = inputs.shot.height, inputs.shot.width
        marks, hold = self.placed(inputs, params, frame)
        gone = len(marks) < 3 or not_seen(inputs, params, hold)
        line = np.zeros((0, 2)) if gone else xy(marks)
        line = rounded(line) if params.line == SMOOTH and len(line) else line
        matte = np.zeros((h, w), np.float32) if gone else fill_shape(line, h, w, params.feather)
        if params.turned == "outside":
            matte = 1 - matte
        return Product(matte=matte, shape=(line,) if len(line) else (), work=hold)

    def placed(self, inputs: Inputs, params: ShapesParams, frame: int) -> tuple[tuple[Mark, ...], Any]:
        """The outline at a frame: what its pins leave over after the motion is eased between them, and carried."""
        hold = hold_at(inputs, params, frame)
        pins = _pins(params, inputs.pins())
        on_way = _around(pins, frame)
        if on_way is None:
            return (), hold
        a, b, t = on_way
        rest = _rest(inputs, params, a)
        if b is not None:
            rest = eased(rest, _rest(inputs, params, b), t)
        return at_places(rest, moved_points(hold.matrix, xy(rest))) if rest else (), hold

    def read(self, inputs: Inputs, params: ShapesParams, product: Product, frame: int) -> list[Reading]:
        out = hold_reading(inputs, product.work)
        if not product.shape:
            note = "nothing is drawn yet" if len(_pins(params, inputs.pins())) == 0 else "it is not to be seen here"
            return [*out, Reading("off the edge", None, "px", OFF, note=note)]
        plate = inputs.picture("plate", frame)[..., :3]
        found = off_the_edge(linear_to_srgb(np.clip(plate, 0, None)), product.shape[0])
        if found is None:
            return [*out, Reading("off the edge", None, "px", OFF, note="the picture shows no edge along the outline")]
        note = "median distance to the picture's strongest edge across it"
        return [*out, Reading("off the edge", found[0], "px", OFF, spot=found[1], note=note)]


def _pins(params: ShapesParams, pins: Pins) -> tuple[Pin, ...]:
    """The outline's pins; one that was never pinned stands at the frame at which it was set."""
    own = pins.get("outline", ())
    if own:
        return own
    return (Pin(frame=int(params.at), value=[list(m) for m in params.outline]),) if len(params.outline) >= 3 else ()


def _around(pins: tuple[Pin, ...], frame: int) -> tuple[Pin, Pin | None, float] | None:
    """The pin before, the one behind if there is one, and the eased share of the way between them."""
    if not pins:
        return None
    if frame <= pins[0].frame:
        return pins[0], None, 0.0
    for a, b in pairwise(pins):
        if a.frame <= frame < b.frame:
            return a, b, ease(a.easing, (frame - a.frame) / (b.frame - a.frame), a.handles)
    return pins[-1], None, 0.0


def _rest(inputs: Inputs, params: ShapesParams, pin: Pin) -> tuple[Mark, ...]:
    """A pin's outline taken back to the frame at which the shape was set: what the motion does not explain is left in it."""
    marks = marks_of(pin.value)
    hold = hold_at(inputs, params, pin.frame)
    return at_places(marks, moved_points(np.linalg.inv(hold.matrix), xy(marks))) if marks else ()
