"""Rays and flare: light drawn out from a place, a halo about a matte, ghosts and dirt of a lens where something is bright enough."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.codes import to_codes
from transmixis.core.light.glow import bright_part, spread
from transmixis.core.light.lamp import source_of
from transmixis.core.light.rays import dirt, ghosts, halo, rays
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.glow import VEIL
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

RAYS, HALO, FLARE = "rays", "a halo", "a lens's flare"


class RaysParams(Params):
    centre: tuple[tuple[float, float], ...] = hidden(())
    what: str = choice(
        RAYS,
        (RAYS, HALO, FLARE),
        "Is",
        "Rays from a place, a halo about a matte, or ghosts and dirt of a lens where something is bright.",
    )
    amount: float = number(0.5, 0.0, 20.0, "×", "Amount", "How strong it is.", step=0.05)
    threshold: float = number(
        1.0, 0.0, 50.0, "× white", "From above", "How bright something must be for it.", step=0.05, when=("what", (RAYS, FLARE))
    )
    length: float = number(
        0.6, 0.0, 5.0, "×", "Length", "Of the distance from where they come from.", step=0.05, when=("what", (RAYS,))
    )
    width: float = number(
        40.0, 1.0, 2000.0, "px", "Width", "Of a halo, or of the largest ghost.", step=2, when=("what", (HALO, FLARE))
    )
    ghosts: float = number(5, 0, 30, "", "Ghosts", "On the line through the frame's middle.", step=1, when=("what", (FLARE,)))
    dirt: float = number(
        0.3, 0.0, 2.0, "%", "Dirt", "How much of the light the dirt on the lens shows.", percent=True, when=("what", (FLARE,))
    )
    red: float = number(1.0, 0.0, 10.0, "×", "Red", "Of a halo's light, or a tint of the others'.", step=0.05)
    green: float = number(1.0, 0.0, 10.0, "×", "Green", "The same.", step=0.05)
    blue: float = number(1.0, 0.0, 10.0, "×", "Blue", "The same.", step=0.05)
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number is another lens.", step=1, when=("what", (FLARE,)))


class Rays(StepKind[RaysParams]):
    kind, title, stage, product = "rays_and_flare", "Rays and flare", "Build", "picture"
    says = "draws light out, lays a halo, or a lens's flare"
    gives = ("picture", "matte")
    roles = ("result",)
    over_all = True
    slots = (
        Slot("back", "the picture that it lies on", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        Slot("glows", "what is bright (else that picture itself)", optional=True, usual=()),
        Slot("matte", "the matte that a halo lies about, or that rays come from", takes="matte", optional=True, usual=()),
    )
    Params = RaysParams
    tools = ("point",)
    positions = ("centre",)

    def handles(self, inputs: Inputs, params: RaysParams, frame: int) -> tuple[Handle, ...]:
        if params.what != RAYS:
            return ()
        return (
            Handle(
                "point", "centre", "Come from", "Press where the rays come from.", params.centre[:1], here=bool(params.centre)
            ),
        )

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        at = rounded(value)
        return step.model_copy(update={"params": {**step.params, "centre": at}})

    def compute(self, inputs: Inputs, params: RaysParams, frame: int) -> Product:
        back = inputs.picture("back", frame)
        tint = np.array([params.red, params.green, params.blue], np.float32) * np.float32(params.amount)
        added = self._light(inputs, params, back, frame) * tint
        out = np.array(back, np.float32)
        out[..., :3] += added
        return Product(picture=out, matte=np.asarray(np.clip(added.max(axis=2), 0, 1)), work=back)

    def _light(self, inputs: Inputs, params: RaysParams, back: Array, frame: int) -> Array:
        h, w = back.shape[:2]
        matte = inputs.matte("matte", frame) if inputs.has("matte") else None
        if params.what == HALO:
            return np.repeat(halo(matte, params.width)[..., None], 3, 2) if matte is not None else np.zeros((h, w, 3), np.float32)
        source = inputs.picture("glows", frame) if inputs.has("glows") else back
        light = bright_part(source, params.threshold, matte)
        if params.what == RAYS:
            return rays(light, params.centre[0] if params.centre else (w / 2, 0.0), params.length)
        found = source_of(light)
        if found.dark:
            return np.zeros((h, w, 3), np.float32)
        strength = np.asarray(found.power, np.float32) / (h * w) * 40
        made = ghosts((h, w), (found.x, found.y), strength, int(params.ghosts), params.width, int(params.seed))
        if params.dirt > 0:
            wide = spread(np.ascontiguousarray(light), 0.3 * w, 8.0)
            made += np.float32(40 * params.dirt) * wide * dirt((h, w), int(params.seed))[..., None]
        return made

    def read(self, inputs: Inputs, params: RaysParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        if params.what == HALO and not inputs.has("matte"):
            return [Reading("veil", None, "levels", VEIL, note="connect the matte that it lies about")]
        raised = to_codes(product.picture[..., :3]).mean(axis=2) - to_codes(np.maximum(product.work[..., :3], 0)).mean(axis=2)
        dark = float(raised.max()) < 1e-4
        note = "nothing is bright enough here" if dark else f"strongest by {255 * float(raised.max()):.0f} levels"
        return [Reading("veil", 255 * float(np.median(raised)), "levels", VEIL, note=note)]
