"""Exposure: how far brightness and colour have drifted since the first frame."""

from __future__ import annotations

from typing import Any

from transmixis.core.readings import Reading
from transmixis.core.survey.exposure import measure_drift
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number

EXPOSURE_LIMIT = 0.05  # stops: about 3.5 %, where a flicker begins to show on a plain surface (docs/limits.md)
COLOUR_LIMIT = 0.03


class ExposureParams(Params):
    reference: float = number(
        1, 1, 1_000_000, "frame", "Measured against", "The frame that all others are compared with.", step=1
    )


class Exposure(StepKind):
    kind, title, stage, product = "exposure", "Exposure", "Survey", "readings"
    says = "how brightness and colour drift"
    slots = (Slot("plate", "the plate to measure"),)
    Params = ExposureParams

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        reference = min(int(params.reference), inputs.shot.length)
        return Product(work=measure_drift(inputs.picture("plate", reference), inputs.picture("plate", frame)))

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        drift = product.work
        if not drift:
            return [Reading("exposure drift", None, "stops", EXPOSURE_LIMIT, note=drift.reason)]
        return [
            Reading("exposure drift", abs(drift.exposure), "stops", EXPOSURE_LIMIT, note=f"{drift.exposure:+.3f} stops"),
            Reading("colour drift", drift.colour, "stops", COLOUR_LIMIT),
        ]
