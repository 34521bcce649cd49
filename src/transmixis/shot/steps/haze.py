"""Haze: what is far takes the colour of the air, as much as the plate's own far parts have."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.match import measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.colour.lab import delta_e_2000, linear_to_lab
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.steps.params import Params, hidden, number

BLACK_OFF = 8.0  # ΔE2000 between what is added and the plate at its distance: as Match's black (docs/limits.md)
Triple = tuple[float, float, float]


class HazeParams(Params):
    amount: float = number(0.0, 0.0, 1.0, "%", "Haze", "How much of it is air; farther is more.", percent=True)
    air: Triple = hidden((0.45, 0.52, 0.60))


class Haze(StepKind[HazeParams]):
    kind, title, stage, product = "haze", "Haze", "Build", "picture"
    says = "takes what is far into the air's colour"
    gives = ("picture", "matte")
    roles = ("front",)
    slots = (
        Slot("subject", "what is far", usual=("step:front", "step:subject")),
        Slot("plate", "the plate that it lies in", usual=("plate:background", "plate:hero", "plate:still")),
        Slot("far", "what of the plate is as far", takes="matte", optional=True, usual=()),
        Slot("more", "where of it there is more air", takes="matte", optional=True, usual=()),
    )
    Params = HazeParams
    timeless = True

    def compute(self, inputs: Inputs, params: HazeParams, frame: int) -> Product:
        picture = with_alpha(inputs.picture("subject", frame))
        share: Array = np.full((*picture.shape[:2], 1), params.amount, np.float32)
        if inputs.has("more"):
            share = share * inputs.matte("more", frame)[..., None]
        out = np.array(picture, np.float32)
        out[..., :3] = picture[..., :3] * (1 - share) + np.asarray(params.air, np.float32) * share * picture[..., 3:]
        return Product(picture=out, matte=np.ascontiguousarray(out[..., 3]))

    def read(self, inputs: Inputs, params: HazeParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        mine, theirs = _black(product.picture, product.picture[..., 3] > 0.98), _far(inputs, frame)
        if mine is None or theirs is None:
            why = "connect what of the plate is as far" if not inputs.has("far") else "one of them is too small to be measured"
            return [Reading("black", None, "ΔE", BLACK_OFF, note=why)]
        off = float(delta_e_2000(linear_to_lab(mine), linear_to_lab(theirs[0])))
        return [Reading("black", off, "ΔE", BLACK_OFF, note="of what is far, against the plate's own at that distance")]

    def propose(self, inputs: Inputs, params: HazeParams, progress: Progress) -> Proposal | None:
        """So much air that its blacks are those of the plate at its distance; the air is as bright as the brightest there, in the colour that the blacks have taken."""

        def looks(n: int) -> tuple[Array, Array, Array] | None:
            picture = with_alpha(inputs.picture("subject", n))
            mine, theirs = _black(picture, picture[..., 3] > 0.98), _far(inputs, n)
            return None if mine is None or theirs is None else (mine, *theirs)

        found = [v for v in sampled(inputs.shot.length, 4, looks, progress, "looking at what is far").values() if v is not None]
        if not found:
            return None
        mine, black, air = (np.mean([f[k] for f in found], axis=0) for k in range(3))
        room = float((air - mine).sum())
        amount = float(np.clip((black - mine).sum() / room, 0, 1)) if room > 1e-4 else 0.0
        if amount > 1e-3:  # as bright as the brightest there, in the colour that its blacks have taken
            air = np.maximum(mine + (black - mine) / amount, 0)
        hazed = mine * (1 - amount) + air * amount
        now = mine * (1 - params.amount) + np.asarray(params.air) * params.amount
        before, then = (float(delta_e_2000(linear_to_lab(v), linear_to_lab(black))) for v in (now, hazed))
        if before - then < 0.5:
            return None
        values: dict[str, Any] = {"amount": round(amount, 3), "air": [round(float(v), 4) for v in air]}
        return Proposal(
            values,
            f"At that distance the plate's blacks are {before:.1f} ΔE off what is added; {100 * amount:.0f} % of air brings them together.",
            (Effect("black", before, then, "ΔE", BLACK_OFF),),
            gains="It lies as far as it should.",
        )


def _black(picture: Array, where: Array) -> Array | None:
    look = measure_look(np.asarray(picture[..., :3], np.float32), where)
    return None if look is None else look.black


def _far(inputs: Inputs, frame: int) -> tuple[Array, Array] | None:
    """Black and brightest of the plate where it is as far."""
    plate = inputs.picture("plate", frame)[..., :3]
    if not inputs.has("far"):
        return None
    far = inputs.matte("far", frame)
    if far.shape != plate.shape[:2]:
        return None
    look = measure_look(np.asarray(plate, np.float32), far > 0.5)
    return None if look is None else (look.black, look.white)
