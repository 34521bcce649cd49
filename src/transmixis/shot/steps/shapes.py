"""Shapes: a matte from outlines that are drawn, carried by a motion or by the picture, and pinned where that is not enough."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.roto.joined import joined
from transmixis.shot.contract import Act, Analysis, Handle, Inputs, Piece, Pins, Product, Proposal, Slot, StepKind, Thing
from transmixis.shot.model import Pin, Shot, Step
from transmixis.shot.pins import parameter, set_pin
from transmixis.shot.steps import shapereadings as told
from transmixis.shot.steps import shapethings
from transmixis.shot.steps.attachment import HANGS_ON, Hold, hold_at, hold_reading, looked_at
from transmixis.shot.steps.attachment import hidden as not_seen
from transmixis.shot.steps.outlineborder import border_of
from transmixis.shot.steps.outlinecarry import EASED, NOWHERE, Lies, analysed, corrected, lies_at, pieces_of
from transmixis.shot.steps.outlinefile import JSON, SVG, read_shapes, write_frame, write_shapes
from transmixis.shot.steps.outlines import SOME, STYLE, OneShape, pinned
from transmixis.shot.steps.shapeask import limit_of, next_pin
from transmixis.shot.steps.shapehandles import DRAW, handle_of
from transmixis.shot.steps.shapematte import BORDER, FROM_MATTE, from_matte
from transmixis.shot.steps.shapeparams import ShapesParams, shapes_of
from transmixis.shot.steps.shapereadings import FORETOLD
from transmixis.shot.steps.shapesheet import unrolled
from transmixis.shot.steps.shapethings import NEW, words_of

SEAT = "seat"  # the act of the pin's key


class Shapes(StepKind[ShapesParams]):
    kind, title, stage, product, version = "shapes", "Shapes", "Matte", "matte", 4
    gives = ("matte", "shape")
    roles = ("cut out",)
    says = "cuts out what is inside outlines"
    work = "roto"
    frames_back = 1
    slots = (
        Slot("plate", "the plate that is looked at"),
        HANGS_ON,
        Slot(BORDER, "a matte whose border its outlines can be taken from", takes="matte", optional=True, learnt=True, usual=()),
        Slot("front", "mattes of what passes in front", takes="matte", optional=True, many=True, usual=()),
    )
    Params = ShapesParams
    own_pins = ("outline", "points")
    full_chroma = True
    positions = ("outline", "points")
    tools = ("shape",)
    pieced = True
    weighs_itself = True
    thing = OneShape
    new_things = NEW
    files = (JSON, SVG)
    writes = (JSON, SVG)
    not_analysed = (BORDER,)
    acts = (
        Act(SEAT, "Pin here", "Sets the outlines where they lie at this frame; they are carried anew from here."),
        Act(
            FROM_MATTE,
            "Outlines from the border",
            "Lays the outlines on the border of the matte in 'Border' at this frame and pins them.",
        ),
    )

    # -- where the outlines lie

    def handles(self, inputs: Inputs, params: ShapesParams, frame: int) -> tuple[Handle, ...]:
        shapes = shapes_of(params)
        try:
            hold = hold_at(inputs, params, frame)
            lies = {s.id: self._lies(s, inputs, params, frame, hold, make=False) for s in shapes}
        except UserError as e:
            return tuple(Handle("shape", s.whole, words_of(s), DRAW, (), note=str(e)) for s in shapes)
        return tuple(handle_of(s, shapes, lies, params, inputs.pins(), hold, frame) for s in shapes)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """Set at this frame: the first outline of the first shape says where the step was set, every other one is a pin."""
        if parameter(handle.param) == STYLE:
            return shapethings.points_styled(step, handle.param, value)
        marks = [[i, round(x, 2), round(y, 2)] for i, x, y in value]
        if parameter(handle.param) == SOME:  # single points, beside those that were set there before
            before: list[Any] = next((p.value for p in step.pins.get(handle.param, ()) if p.frame == frame), [])
            kept = [list(m) for m in before if m[0] not in [n[0] for n in marks]]
            return set_pin(step, handle.param, Pin(frame=frame, value=[*kept, *marks], easing="linear"))
        if handle.param != "outline":
            return set_pin(step, handle.param, Pin(frame=frame, value=marks, easing="linear"))
        first = not step.params.get("outline") and not step.pins.get("outline")
        set_at = int(step.params.get("at", 1))
        if first or (frame == set_at and not step.pins.get("outline")):
            return step.model_copy(update={"params": {**step.params, "outline": marks, "at": frame}})
        if not step.pins.get("outline"):
            step = set_pin(step, "outline", Pin(frame=set_at, value=step.params["outline"], easing="linear"))
        return set_pin(step, "outline", Pin(frame=frame, value=marks, easing="linear"))

    def act(self, name: str, inputs: Inputs, step: Step, params: ShapesParams, frame: int) -> Step:
        """All outlines pinned where they lie, or on the border of a matte."""
        hold = hold_at(inputs, params, frame)
        if name == FROM_MATTE:
            step, drawn = from_matte(step, params, inputs, frame, lambda s: self._lies(s, inputs, params, frame, hold).marks)
            for shape, marks in drawn:
                step = self.edited(step, Handle("shape", shape.whole, "", "", marks), frame, marks)
            return step
        done = 0
        for shape in shapes_of(params):
            lies = self._lies(shape, inputs, params, frame, hold)
            if len(lies.marks) >= shape.least:
                step = self.edited(step, Handle("shape", shape.whole, "", "", lies.marks), frame, lies.marks)
                done += 1
        if not done:
            raise UserError("There is no outline to pin yet; draw one on the picture.")
        return step

    def _lies(self, shape: OneShape, inputs: Inputs, params: ShapesParams, frame: int, hold: Hold, *, make: bool = True) -> Lies:
        at = partial(_carried, shape, inputs, params, make)
        return corrected(shape, lies_at(shape, inputs, params, frame, hold, make=make), inputs, params, frame, at)

    def _lies_then(self, shape: OneShape, inputs: Inputs, params: ShapesParams, frame: int) -> Lies:
        return self._lies(shape, inputs, params, frame, hold_at(inputs, params, frame))

    def _seen_then(self, shape: OneShape, inputs: Inputs, params: ShapesParams, frame: int) -> Lies:
        """The same, but nothing where it is hidden."""
        hold = hold_at(inputs, params, frame)
        return NOWHERE if not_seen(inputs, params, hold) else self._lies(shape, inputs, params, frame, hold)

    # -- its outlines as things

    def things(self, step: Step) -> tuple[Thing, ...]:
        return shapethings.things(step)

    def with_thing(self, step: Step, new: str) -> tuple[Step, str]:
        return shapethings.with_thing(step, new)

    def without_thing(self, step: Step, param: str) -> Step:
        return shapethings.without_thing(step, param)

    def thing_set(self, step: Step, param: str, name: str, value: Any) -> Step:
        return shapethings.thing_set(step, param, name, value)

    # -- files

    def from_file(self, step: Step, shot: Shot, path: Path) -> Step:
        return read_shapes(path, step)

    def to_file(self, inputs: Inputs, step: Step, params: ShapesParams, frame: int, path: Path) -> str:
        """All shapes with their pins as JSON, or a frame's outlines as SVG."""
        if path.suffix.lower() == JSON:
            write_shapes(path, step)
            return f"{len(shapes_of(params))} shapes written"
        hold = hold_at(inputs, params, frame)
        lies = [(s, self._lies(s, inputs, params, frame, hold).marks) for s in shapes_of(params) if s.on]
        there = [(s, marks) for s, marks in lies if len(marks) >= s.least]
        if not there:
            raise UserError(f"'{step.name}' has no outline at frame {frame} that could be written; draw one.")
        write_frame(path, there, inputs.shot.width, inputs.shot.height)
        return f"{len(there)} outlines of frame {frame} written"

    # -- the analysis

    def pieces(self, length: int, params: ShapesParams, pins: Pins) -> tuple[Piece, ...]:
        return pieces_of(shapes_of(params), params, pins, length)

    def analyse_piece(
        self, inputs: Inputs, params: ShapesParams, piece: Piece, before: Analysis | None, progress: Progress
    ) -> Analysis:
        return analysed(shapes_of(params), inputs, params, piece, progress)

    def looks_at(self, slot: str, params: ShapesParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        mine = tuple(p.frame for name, its in pins.items() if name.startswith("outline") for p in its)
        return looked_at(params, frame, length, 1 if params.shutter > 0 else 0, pins=mine)

    # -- what it gives

    def compute(self, inputs: Inputs, params: ShapesParams, frame: int) -> Product:
        h, w = inputs.shot.height, inputs.shot.width
        hold = hold_at(inputs, params, frame)
        gone = not_seen(inputs, params, hold)
        lies = {s.id: self._lies(s, inputs, params, frame, hold) for s in shapes_of(params) if s.on and not gone}
        placed = [
            (s, border_of(s, lies[s.id].marks, partial(self._lies_then, s, inputs, params), frame, inputs.shot.length, params))
            for s in shapes_of(params)
            if s.id in lies and len(lies[s.id].marks) >= s.least
        ]
        borders = [b for _, b in placed]
        matte = joined(borders, h, w)
        if params.turned == "outside":
            matte = 1 - matte
        return Product(
            matte=matte, shape=tuple(b.lines[len(b.lines) // 2] for b in borders if b.closed), work=(hold, lies, placed)
        )

    # -- what is read

    def read(self, inputs: Inputs, params: ShapesParams, product: Product, frame: int) -> list[Reading]:
        hold, lies, placed = product.work
        out = hold_reading(inputs, hold)
        if not any(its.marks for its in lies.values()):
            there = any(pinned(s, params, inputs.pins()) for s in shapes_of(params))
            return [*out, *told.nothing_drawn("it is not to be seen here" if there else "nothing is drawn yet")]
        plate = inputs.picture("plate", frame)[..., :3]
        assert product.matte is not None
        matte = 1 - product.matte if params.turned == "outside" else product.matte
        out += [told.foretold(shapes_of(params), lies), told.edge(plate, product.shape), *told.borders(plate, matte, placed)]
        if frame > 1:
            before = partial(self._seen_then, inputs=inputs, params=params, frame=frame - 1)
            out.append(told.creep(placed, lies, before, plate, lambda: inputs.picture("plate", frame - 1)[..., :3]))
        return [*out, told.idle_shapes(placed, *matte.shape)]

    def propose(self, inputs: Inputs, params: ShapesParams, progress: Progress) -> Proposal | None:
        """The frame to pin next, where the most is won, and how many more it takes; nothing once every frame is under the limit."""
        shapes = [s for s in shapes_of(params) if s.on] if params.carry != EASED else []
        return next_pin(shapes, inputs, params, limit_of(inputs, "foretold", FORETOLD))

    plots = "whole"

    def plot(self, inputs: Inputs, params: ShapesParams, frame: int) -> Plot:
        """Each outline unrolled, and what it is foretold to be off by on every frame."""
        return unrolled(shapes_of(params), inputs, params, limit_of(inputs, "foretold", FORETOLD))


def _carried(shape: OneShape, inputs: Inputs, params: ShapesParams, make: bool, frame: int) -> Lies:
    return lies_at(shape, inputs, params, frame, hold_at(inputs, params, frame), make=make)
