"""From other frames: puts back what is hidden from the frames of the take that show it; what none shows is made up, or left."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from transmixis.core.repair.backing import Backing
from transmixis.core.repair.intime import Look, gathered, looked_at, wanted
from transmixis.core.repair.makeup import completed
from transmixis.core.repair.takelaw import take_law
from transmixis.core.types import Array, Mask
from transmixis.shot.steps.backed import DEEP, Backed, BackedParams
from transmixis.shot.steps.params import choice

LEFT, MADE = "left open", "made up"


class TimePatchParams(BackedParams):
    rest: str = choice(
        LEFT,
        (LEFT, MADE),
        "What no frame shows",
        "Left as it is, for another way; or made up from what lies beside it, as parts of it go on.",
    )


class TimePatch(Backed[TimePatchParams]):
    kind, title, version = "time_patch", "From other frames", 2
    says = "puts back what was hidden, from the frames that show it"
    Params = TimePatchParams

    def frames_of(self, length: int, anchor: int, first: int, last: int, params: TimePatchParams) -> tuple[int, ...]:
        return tuple(looked_at(length, anchor, first, last, params.moves == DEEP))

    def depends(self, params: TimePatchParams) -> dict[str, Any]:
        return {"rest": params.rest}

    def chained(self, params: TimePatchParams) -> bool:
        return params.rest == MADE

    def made(
        self,
        look: Look,
        matrices: dict[int, Array],
        anchor: int,
        serves: Sequence[int],
        before: tuple[Backing, Array] | None,
        params: TimePatchParams,
    ) -> tuple[Backing, Mask]:
        shape = look(anchor)[1].shape
        want, left, top = wanted(look, matrices, serves, (shape[0], shape[1]))
        backing = gathered(look, matrices, anchor, want, left, top, take_law(look, matrices, anchor), params.moves == DEEP)
        if params.rest == LEFT:
            return backing, np.zeros(want.shape, bool)
        return completed(backing, want, *look(anchor), before)
