"""Pattern: dots or lines of a display, or a disc of spinning noise, on what it lies on; and a matte's edge as a brush leaves it."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.made.patterns import DISC, KINDS, LINES, pattern, roughened
from transmixis.core.made.strokes import coloured
from transmixis.core.readings import Reading
from transmixis.shot.contract import Handle, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hidden, hold_at, hold_reading, looked_at
from transmixis.shot.steps.params import Params, choice, number, rounded
from transmixis.shot.steps.params import hidden as no_control

FINE = 2.0  # px: a finer pattern flimmers on its way (sampling: two pixels a period, and half again for motion)
MIDDLE = "Press where its middle is."


class PatternParams(Attached):
    middle: tuple[tuple[float, float], ...] = no_control(())
    what: str = choice(LINES, KINDS, "Is", "Lines or dots as a display has them, or a disc of noise that spins.")
    pitch: float = number(6.0, 0.5, 5000, "px", "Pitch", "From one to the next; of a disc its radius.", step=0.5)
    fill: float = number(0.5, 0.0, 1.0, "%", "Light", "How much of it is light.", percent=True)
    spin: float = number(90.0, -7200, 7200, "°/s", "Spins", "Anticlockwise.", step=10, when=("what", (DISC,)))
    red: float = number(1.0, 0.0, 50.0, "× white", "Red", "Of its light.", step=0.05)
    green: float = number(1.0, 0.0, 50.0, "× white", "Green", "Of its light.", step=0.05)
    blue: float = number(1.0, 0.0, 50.0, "× white", "Blue", "Of its light.", step=0.05)
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number is another noise.", step=1)


class Pattern(StepKind[PatternParams]):
    kind, title, stage, product = "pattern", "Pattern", "Build", "picture"
    says = "lays a pattern on what it goes with"
    gives = ("picture", "matte")
    slots = (HANGS_ON, Slot("where", "only where this is", takes="matte", optional=True, many=True, usual=()))
    Params = PatternParams
    tools = ("point",)
    positions = ("middle",)

    def looks_at(self, slot: str, params: PatternParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return looked_at(params, frame, length)

    def handles(self, inputs: Inputs, params: PatternParams, frame: int) -> tuple[Handle, ...]:
        return (Handle("point", "middle", "Middle", MIDDLE, params.middle[:1], here=frame == int(params.at)),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        at = rounded(value)
        return step.model_copy(update={"params": {**step.params, "middle": at, "at": frame}})

    def compute(self, inputs: Inputs, params: PatternParams, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        hold = hold_at(inputs, params, frame)
        if hidden(inputs, params, hold):
            return Product(picture=np.zeros((*size, 4), np.float32), matte=np.zeros(size, np.float32), work=hold)
        x, y = params.middle[0] if params.middle else (size[1] / 2, size[0] / 2)
        back = np.array([[1, 0, -x], [0, 1, -y], [0, 0, 1.0]]) @ np.linalg.inv(hold.matrix)
        turn = params.spin * (frame - 1) / float(inputs.shot.fps)
        light = pattern(params.what, back, size, params.pitch, params.fill, turn, int(params.seed))
        for m in inputs.mattes("where", frame):
            light = light * m
        made = coloured(np.asarray(light, np.float32), (params.red, params.green, params.blue), 0.0)
        return Product(picture=made, matte=np.ascontiguousarray(made[..., 3]), work=hold)

    def read(self, inputs: Inputs, params: PatternParams, product: Product, frame: int) -> list[Reading]:
        scale = float(np.sqrt(abs(np.linalg.det(product.work.matrix[:2, :2]))))
        out = hold_reading(inputs, product.work)
        if params.what == DISC:
            return out or [Reading("finest", params.pitch * scale / 64, "px", 0.5, "high", note="its rings are so far apart")]
        return [
            *out,
            Reading("finest", params.pitch * scale, "px", FINE, "high", note="from one to the next, as it is seen here"),
        ]


class RoughParams(Params):
    rough: float = number(4.0, 0.0, 200.0, "px", "Rough by", "How far its border goes in and out.", step=0.5)
    strokes: float = number(8.0, 0.5, 500.0, "px", "Strokes", "How long they are along it.", step=0.5)
    holds: float = number(3, 1, 1000, "frames", "Stays for", "Frames until it is another; 2 to 3 look drawn by hand.", step=1)
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number is another edge.", step=1)


class RoughEdge(StepKind[RoughParams]):
    kind, title, stage, product = "rough_edge", "Rough edge", "Build", "matte"
    says = "roughens a matte's edge as a brush does"
    slots = (Slot("matte", "the matte", takes="matte", usual=("step:cut out",)),)
    Params = RoughParams

    def compute(self, inputs: Inputs, params: RoughParams, frame: int) -> Product:
        matte = inputs.matte("matte", frame)
        seed = (int(params.seed), int((frame - 1) // params.holds))
        return Product(matte=roughened(matte, params.rough, params.strokes, seed), work=matte)

    def read(self, inputs: Inputs, params: RoughParams, product: Product, frame: int) -> list[Reading]:
        assert product.matte is not None
        before, after = float(product.work.sum()), float(product.matte.sum())
        if before < 1:
            return [Reading("area off", None, "%", 15.0, note="the matte is empty here")]
        return [Reading("area off", 100 * abs(after / before - 1), "%", 15.0, note="that it became larger or smaller by")]
