"""Reflection: flat ground or water shows what stands on it."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.over import over, with_alpha
from transmixis.core.light.mirror import mirrored, seen_at_angle
from transmixis.core.light.shadow import foot_of
from transmixis.core.readings import Reading
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number

GAP = 2.0  # px between a thing's foot and where its reflection begins: more and it floats (judgement, docs/limits.md)


class ReflectionParams(Params):
    foot: float = number(0.0, 0, 20_000, "px", "Water line", "The row at which it is mirrored.", step=1, zero="where it stands")
    strength: float = number(
        0.4,
        0.0,
        1.0,
        "%",
        "Strength",
        "Still water sends back 2 % looked straight down at, a quarter at 15° and all at its edge.",
        percent=True,
    )
    squeeze: float = number(
        1.0, 0.1, 3.0, "×", "Height", "Of the reflection over that of the thing; under 1 where the camera looks down.", step=0.05
    )
    soft: float = number(2.0, 0.0, 50.0, "px", "Softens by", "For each 100 px from the water line; rough ground more.", step=0.5)
    ripple: float = number(0.0, 0.0, 100.0, "px", "Ripple", "How far waves shift it.", step=0.5)
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number has other waves.", step=1)


class Reflection(StepKind[ReflectionParams]):
    kind, title, stage, product = "reflection", "Reflection", "Build", "picture"
    says = "shows on flat ground or water what stands on it"
    gives = ("picture", "matte")
    roles = ("result",)
    slots = (
        Slot(
            "back",
            "the picture with the ground or water",
            ground=True,
            usual=("step:result", "step:mended", "plate:hero", "plate:any"),
        ),
        Slot("front", "what stands on it, as it lies in the frame", usual=("step:subject",)),
        Slot("cut", "its matte, if its picture holds more than it", takes="matte", optional=True, usual=()),
        Slot("water", "where ground or water is", takes="matte", optional=True, many=True, usual=()),
    )
    Params = ReflectionParams

    def compute(self, inputs: Inputs, params: ReflectionParams, frame: int) -> Product:
        back = inputs.picture("back", frame)
        front = with_alpha(inputs.picture("front", frame))
        if inputs.has("cut"):
            front = np.asarray(front * inputs.matte("cut", frame)[..., None], np.float32)
        stands = foot_of(front[..., 3])
        if stands is None:
            return Product(picture=back, matte=np.zeros(back.shape[:2], np.float32), work=None)
        line = params.foot or stands[1]
        made = mirrored(
            front, line, params.squeeze, params.soft, params.ripple, (frame - 1) / float(inputs.shot.fps), int(params.seed)
        )
        made *= np.float32(params.strength)
        made *= 1 - front[..., 3:]  # the thing itself stands before it
        for m in inputs.mattes("water", frame):
            made *= m[..., None]
        return Product(picture=over(made, back), matte=np.ascontiguousarray(made[..., 3]), work=(line, stands[1]))

    def read(self, inputs: Inputs, params: ReflectionParams, product: Product, frame: int) -> list[Reading]:
        if product.work is None:
            return [Reading("floats", None, "px", GAP, note="nothing stands here")]
        line, foot = product.work
        return [
            Reading(
                "floats",
                abs(line - foot),
                "px",
                GAP,
                note=f"it stands at row {foot:.0f}, mirrored at {line:.0f}; looked at from 15° water sends back {100 * seen_at_angle(15):.0f} %",
            )
        ]
