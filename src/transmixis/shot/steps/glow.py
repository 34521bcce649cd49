"""Glow: light spread about what is bright, falling off as a light does."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.codes import to_codes
from transmixis.core.light.glow import bright_part, glowing
from transmixis.core.readings import Reading
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, choice, number

KEPT, ADDED = "taken from what glows", "added"
VEIL = 6.0  # levels of 8 bit that it may raise half of the frame by: more is a veil over everything (judgement, docs/limits.md)
STRAY = 2.0  # % of light that is made or lost on the way


class GlowParams(Params):
    amount: float = number(0.25, 0.0, 4.0, "%", "Amount", "How much of the light is spread.", percent=True)
    reach: float = number(
        60.0, 1.0, 2000.0, "px", "Reach", "The widest of its radii; each of the others is half of the next.", step=5
    )
    least: float = number(1.5, 0.5, 100.0, "px", "Narrowest", "The smallest of its radii.", step=0.5)
    threshold: float = number(
        1.0, 0.0, 50.0, "× white", "Glows above", "How bright something must be to glow; 0 is everything.", step=0.05
    )
    energy: str = choice(
        KEPT, (KEPT, ADDED), "Its light is", "Taken from what glows, as in a lens, so that all light is kept; or added to it."
    )


class Glow(StepKind[GlowParams]):
    kind, title, stage, product = "glow", "Glow", "Build", "picture"
    says = "spreads light about what is bright"
    gives = ("picture", "matte")
    roles = ("result",)
    slots = (
        Slot("picture", "what glows", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        Slot("matte", "only where this is", takes="matte", optional=True, usual=()),
    )
    scales = True
    timeless = True
    Params = GlowParams

    def compute(self, inputs: Inputs, params: GlowParams, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        matte = inputs.matte("matte", frame) if inputs.has("matte") else None
        light = bright_part(picture, params.threshold, matte)
        out, lost = glowing(
            picture, light, params.reach, params.amount, kept=params.energy == KEPT, least=min(params.least, params.reach)
        )
        alpha = out[..., 3] if out.shape[2] == 4 else np.ones(out.shape[:2], np.float32)
        return Product(picture=out, matte=alpha, work=(picture, light, lost))

    def read(self, inputs: Inputs, params: GlowParams, product: Product, frame: int) -> list[Reading]:
        picture, light, lost = product.work
        assert product.picture is not None
        spent = params.amount * float(light.sum())
        if spent <= 1e-6:
            note = "nothing is bright enough to glow"
            return [Reading("stray light", None, "%", STRAY, note=note), Reading("veil", 0.0, "levels", VEIL, note=note)]
        more = float((product.picture[..., :3] - picture[..., :3]).sum(dtype=np.float64))
        due = -lost * spent if params.energy == KEPT else (1 - lost) * spent
        raised = to_codes(product.picture[..., :3]).mean(axis=2) - to_codes(np.maximum(picture[..., :3], 0)).mean(axis=2)
        return [
            Reading(
                "stray light",
                100 * abs(more - due) / spent,
                "%",
                STRAY,
                note=f"{100 * lost:.0f} % of what glows leaves the frame",
            ),
            Reading("veil", 255 * float(np.median(raised)), "levels", VEIL, note="that half of the frame is raised by"),
        ]
