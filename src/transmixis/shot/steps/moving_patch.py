"""Moving patch: covers what must go with another moment of the same take, so that leaves and water go on moving in it."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.repair.backing import light_of
from transmixis.core.repair.border import near
from transmixis.core.repair.laying import spread
from transmixis.core.repair.shifted import cells_of, planned
from transmixis.core.repair.takelaw import take_law
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Inputs, Pins, Product, Slot
from transmixis.shot.steps.mending import (
    FRONT_SLOT,
    GONE_SLOT,
    Mending,
    MendParams,
    Place,
    look_at,
    mended,
    place_of,
    readable,
    untouched,
)

NEAR = 8  # frames about the middle that the grain is told by


class MovingPatchParams(MendParams):
    pass


class MovingPatch(Mending[MovingPatchParams]):
    kind, title, version = "moving_patch", "Moving patch", 2
    says = "covers it with another moment of the take, which moves"
    slots = (
        Slot("plate", "the take to mend, its camera on a tripod or steadied", ground=True, whole=True),
        replace(GONE_SLOT, whole=True),
        FRONT_SLOT,
    )
    Params = MovingPatchParams
    analysis_params = ()

    def looks_at(self, slot: str, params: MovingPatchParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return () if slot == "gone" else None  # which moment it is follows from all mattes, which the analysis has looked at

    def analyse(self, inputs: Inputs, params: MovingPatchParams, progress: Progress) -> Analysis:
        length, look = inputs.shot.length, partial(look_at, inputs)
        progress.at(0, 2, "looking when the place is bare")
        there = readable(look, range(1, length + 1))
        found = {n: cells_of(look(n)[1]) for n in there}
        nothing = np.zeros_like(found[there[0]])
        plan = planned(np.stack([found.get(n, nothing) for n in range(1, length + 1)]), np.isin(np.arange(1, length + 1), there))
        middle = there[len(there) // 2]
        near = {n: np.eye(3) for n in there if abs(n - middle) <= NEAR}
        return {"first": plan.first, "second": plan.second, "share": plan.share, "words": np.array(plan.words, np.str_), "law": take_law(look, near, middle)}  # fmt: skip

    def compute(self, inputs: Inputs, params: MovingPatchParams, frame: int) -> Product:
        place = place_of(inputs, frame, params.feather)
        if place is None:
            return untouched(inputs, frame)
        a = inputs.analysis()
        first, second, share = int(a["first"][frame - 1]), int(a["second"][frame - 1]), float(a["share"][frame - 1])
        if not first:
            raise UserError(f"What must go in frame {frame} was not there when the take was looked through.")
        behind, law = self._moment(inputs, place, first), a["law"]
        left = 1.0
        if second:
            other = self._moment(inputs, place, second)
            behind, left = ((1 - share) * behind + share * other).astype(np.float32), (1 - share) ** 2 + share**2
        level = np.maximum(behind, 0)
        want = (law[:, 0] * level + law[:, 1]).astype(np.float32)
        product, work = mended(inputs, params, frame, place, behind, (want, (left * want).astype(np.float32)))
        words = f"as in frame {first}" + (f", {100 * share:.0f} % frame {second}" if second else "")
        return replace(product, work=replace(work, note=f"{words}; the take's {a['words']}"))

    def _moment(self, inputs: Inputs, place: Place, frame: int) -> Array:
        """What the place looks like in another frame, in this one's light."""
        other = np.ascontiguousarray(inputs.picture("plate", frame)[..., :3][place.box])
        return np.asarray(other * light_of(other, place.own, near(place.hidden, 0) & ~spread(place.hidden)), np.float32)
