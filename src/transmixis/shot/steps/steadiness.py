"""Steadiness: how far the camera has moved since the first frame."""

from __future__ import annotations

from typing import Any

from transmixis.core.motion.camera import grey_of, measure_shift
from transmixis.core.readings import Reading
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number

LIMIT = 0.35  # px: below this a still clean plate serves without a visible edge (docs/limits.md)


class SteadinessParams(Params):
    reference: float = number(
        1, 1, 1_000_000, "frame", "Measured against", "The frame that all others are compared with.", step=1
    )


class Steadiness(StepKind):
    kind, title, stage, product = "steadiness", "Steadiness", "Survey", "readings"
    says = "how far the camera moves"
    slots = (Slot("plate", "the plate to measure"),)
    Params = SteadinessParams

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        reference = min(int(params.reference), inputs.shot.length)
        if frame == reference:
            return Product()
        a = grey_of(inputs.picture("plate", reference))
        return Product(work=measure_shift(a, grey_of(inputs.picture("plate", frame))))

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        shift = product.work
        if shift is None:
            return [Reading("camera shift", 0.0, "px", LIMIT)]
        if not shift:
            return [Reading("camera shift", None, "px", LIMIT, note=shift.reason)]
        note = f"x {shift.x:+.2f} y {shift.y:+.2f} ± {shift.error:.3f} px, {shift.points} points agree"
        return [Reading("camera shift", shift.length, "px", LIMIT, note=note)]
