"""Wire: takes a string or wire out by bringing its two sides together across it."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.repair.takelaw import take_law
from transmixis.core.repair.wire import WIDEST, lines_of, without_wire
from transmixis.core.types import Array, Mask
from transmixis.shot.contract import Analysis, Inputs, Product, Slot
from transmixis.shot.steps.mending import FRONT_SLOT, GONE, Mending, MendParams, look_at, mended, place_of, readable, untouched

LOOKED = 4  # frames that the grain is told by
SHARED = 0.67  # of the plate's grain that the mean of two rims has, over the wire's width


class WireOutParams(MendParams):
    pass


class WireOut(Mending[WireOutParams]):
    kind, title, version = "wire_out", "Wire", 2
    says = "brings the two sides of a string together across it"
    slots = (
        Slot("plate", "the plate with the string", ground=True),
        Slot(
            "gone",
            "a matte of the string, with the blur of its motion: a strand of Shapes, as a rule",
            takes="matte",
            usual=("step:cut out",),
        ),
        FRONT_SLOT,
    )
    Params = WireOutParams
    analysis_params = ()

    def analyse(self, inputs: Inputs, params: WireOutParams, progress: Progress) -> Analysis:
        middle, look = (inputs.shot.length + 1) // 2, partial(look_at, inputs)
        there = readable(look, range(middle, min(middle + LOOKED, inputs.shot.length + 1)))
        return {"law": take_law(look, {n: np.eye(3) for n in there}, there[0])}

    def compute(self, inputs: Inputs, params: WireOutParams, frame: int) -> Product:
        place = place_of(inputs, frame, params.feather)
        if place is None:
            return untouched(inputs, frame)
        lines = lines_of(place.gone[place.box], GONE)
        if not lines:
            raise UserError(
                f"What must go in frame {frame} is no string: it is wider than {WIDEST:.0f} px, or hardly longer than wide. Use another way."
            )
        wide = np.asarray(place.where & (place.hidden | _near_edge(place.hidden, params.feather)))
        behind = without_wire(place.own, wide, lines)
        law: Array = inputs.analysis()["law"]
        level = np.maximum(behind, 0)
        want = (law[:, 0] * level + law[:, 1]).astype(np.float32)
        have = np.where(wide[..., None], SHARED * want, want).astype(np.float32)
        product, work = mended(inputs, params, frame, place, behind, (want, have))
        return Product(picture=product.picture, matte=product.matte, work=work)


def _near_edge(hidden: Mask, feather: float) -> Mask:
    """The soft edge about what is hidden, in which the mend shows too: no more of it than a px is made anew, since the plate is sound there."""
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0) if feather > 0 else hidden
