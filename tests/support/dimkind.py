"""A step kind that only tests know: what it declares is all that there is of it."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.plot import Plot, Trace
from transmixis.core.readings import Reading
from transmixis.shot.contract import BACKGROUND, Handle, Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, hidden, number


class SoftenParams(Params):
    radius: float = number(1.0, 0.0, 20.0, "px", "Radius", "How far it softens.")
    box: tuple[tuple[float, float], ...] = hidden(())  # what is dimmed


class Dim(StepKind[SoftenParams]):
    """Halves the light: a kind that only this test knows."""

    kind, title, stage, product = "dim_for_a_test", "Dim", "Build", "picture"
    says = "halves the light"
    roles = ("dimmed",)
    begins = BACKGROUND
    slots = (Slot("picture", "what is dimmed", usual=("step:dimmed", "plate:still")),)
    Params = SoftenParams
    tools = ("box",)
    plots = "frame"

    def plot(self, inputs: Inputs, params: Any, frame: int) -> Plot:
        values = np.array([float(inputs.picture("picture", n).mean()) for n in range(1, frame + 1)])
        return Plot("Dimmed", "How light it is.", (Trace("light", values, 0.5),), f"frame {frame}")

    def handles(self, inputs: Inputs, params: Any, frame: int) -> tuple[Handle, ...]:
        return (Handle("box", "box", "Box", "Drag a box over what is dimmed.", params.box),)

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        return Product(picture=inputs.picture("picture", frame) * np.float32(0.5))

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        return [Reading("light left", 100 * float(product.picture.mean()), "%", 90.0)]
