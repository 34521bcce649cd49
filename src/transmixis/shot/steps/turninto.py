"""Turn into: one thing becomes another, warped both ways while it goes over, with a glow in the middle."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.morph import pairs, turned
from transmixis.core.easing import progress
from transmixis.core.errors import UserError
from transmixis.core.light.glow import spread
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

CREASE = 0.15  # of its usual area, as in Bend
SMOOTH, TRIANGLES = "smoothly", "by triangles"
LONGEST = 1.0  # s: a longer one is looked at too closely (common practice)


class TurnParams(Params):
    named_one: tuple[tuple[float, float], ...] = hidden(())
    named_other: tuple[tuple[float, float], ...] = hidden(())
    begin: float = number(10, 1, 1_000_000, "frame", "Begins at", "The last frame that shows the one alone.", step=1)
    warps: float = number(
        10, 1, 1000, "frames", "Warps over", "Frames in which the places go from the one to the other; 5 to 12.", step=1
    )
    fades: float = number(
        4, 1, 1000, "frames", "Goes over in", "Frames in which the other comes, in the middle of the warp.", step=1
    )
    between: str = choice(
        SMOOTH,
        (SMOOTH, TRIANGLES),
        "Between places",
        "Smoothly, as a thin sheet bends; or straight from place to place, which keeps what lies far off still.",
    )
    glow: float = number(0.0, 0.0, 20.0, "× white", "Glow", "That hides the middle of it.", step=0.1)
    reach: float = number(60.0, 1.0, 2000, "px", "Glow's reach", "How far it spreads.", step=5)


class TurnInto(StepKind[TurnParams]):
    kind, title, stage, product = "turn_into", "Turn into", "Build", "picture"
    says = "turns one thing into another"
    gives = ("picture", "matte")
    roles = ("front",)
    slots = (
        Slot("one", "what it is first, as it lies in the frame", usual=("step:subject", "plate:hero")),
        Slot("other", "what it becomes, as it lies in the frame", usual=("plate:element", "plate:any")),
        Slot("outline", "the outline of the one", takes="shape", optional=True, usual=()),
        Slot("outline_other", "the outline of the other", takes="shape", optional=True, usual=()),
    )
    Params = TurnParams
    tools = ("line",)
    positions = ("named_one", "named_other")

    def handles(self, inputs: Inputs, params: TurnParams, frame: int) -> tuple[Handle, ...]:
        return (
            Handle(
                "line",
                "named_one",
                "Places of the one",
                "Draw through places of the one that are found again on the other.",
                params.named_one,
            ),
            Handle(
                "line",
                "named_other",
                "On the other",
                "Draw through the same places of the other, in the same order.",
                params.named_other,
            ),
        )

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        points = rounded(value)
        return step.model_copy(update={"params": {**step.params, handle.param: points}})

    def compute(self, inputs: Inputs, params: TurnParams, frame: int) -> Product:
        warp, share, middle = timed(params, frame)
        if warp <= 0 or warp >= 1:
            picture = inputs.picture("one" if warp <= 0 else "other", frame)
            alpha = picture[..., 3] if picture.shape[2] == 4 else np.ones(picture.shape[:2], np.float32)
            return Product(picture=picture, matte=alpha, work=None)
        one, other = inputs.picture("one", frame), inputs.picture("other", frame)
        a, b = pairs(
            _outline(inputs, "outline", frame),
            _outline(inputs, "outline_other", frame),
            np.asarray(params.named_one, float),
            np.asarray(params.named_other, float),
        )
        made = turned(one, other, a, b, warp, share, straight=params.between == TRIANGLES)
        picture = made.picture
        if params.glow > 0:
            picture = np.array(picture)
            light = np.repeat(picture[..., 3:], 3, axis=2) if picture.shape[2] == 4 else picture[..., :3]
            picture[..., :3] += np.float32(params.glow * middle) * spread(np.ascontiguousarray(light), params.reach)
        alpha = picture[..., 3] if picture.shape[2] == 4 else np.ones(picture.shape[:2], np.float32)
        return Product(picture=picture, matte=np.ascontiguousarray(alpha), work=(made, len(a)))

    def read(self, inputs: Inputs, params: TurnParams, product: Product, frame: int) -> list[Reading]:
        lasts = Reading("lasts", params.warps / float(inputs.shot.fps), "s", LONGEST)
        if product.work is None:
            return [lasts, Reading("crease", None, "of its area", CREASE, "high", note="it does not turn here")]
        made, count = product.work
        if count == 0:
            return [
                lasts,
                Reading(
                    "crease",
                    None,
                    "of its area",
                    CREASE,
                    "high",
                    note="it only goes over: name places or connect outlines of both",
                ),
            ]
        note = "it folds here: name the places otherwise" if made.least <= 0 else f"{count} pairs of places"
        return [lasts, Reading("crease", max(made.least, 0.0), "of its area", CREASE, "high", spot=made.spot, note=note)]


def timed(params: TurnParams, frame: int) -> tuple[float, float, float]:
    """How far the warp is at a frame, how much of the other is there, and how near the middle it is, all 0..1."""
    t = (frame - params.begin) / (params.warps + 1)
    warp = progress("smooth", min(max(t, 0.0), 1.0))
    half = min(params.fades, params.warps) / (params.warps + 1) / 2
    share = min(max((t - 0.5) / (2 * half) + 0.5, 0.0), 1.0)
    return warp, share, max(0.0, 1 - abs(t - 0.5) * 2) ** 2


def _outline(inputs: Inputs, slot: str, frame: int) -> Array | None:
    if not inputs.has(slot):
        return None
    found = inputs.shape(slot, frame)
    if not found:
        raise UserError(f"An outline of what turns is not there at frame {frame}; draw it, or let go of it.")
    return found[0]
