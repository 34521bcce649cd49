"""Clean plate, carried: puts back what was hidden from a still of the place without it, laid over each frame of a take whose camera moves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.repair.backing import Backing
from transmixis.core.repair.intime import Look, gathered, wanted
from transmixis.core.repair.laying import lay_out, surface_about
from transmixis.core.repair.takelaw import take_law
from transmixis.core.types import Array, Mask, Rgb
from transmixis.shot.contract import Analysis, Inputs, Piece, Slot
from transmixis.shot.steps.backed import Backed, BackedParams
from transmixis.shot.steps.mending import FRONT_SLOT, GONE_SLOT, look_at, readable

ITSELF = 0  # the clean plate's own number among the frames


class CleanCarriedParams(BackedParams):
    pass


class CleanCarried(Backed[CleanCarriedParams]):
    kind, title, version = "clean_carried", "Clean plate, carried", 2
    says = "lays a clean plate over a take whose camera moves"
    slots = (
        Slot("plate", "the take to mend, its camera moving", ground=True, whole=True),
        Slot(
            "clean",
            "a still of the place without it, of the take's size, or a frame that was cleaned",
            learnt=True,
            usual=("plate:clean",),
        ),
        replace(GONE_SLOT, whole=True),
        FRONT_SLOT,
    )
    Params = CleanCarriedParams

    def frames_of(self, length: int, anchor: int, first: int, last: int, params: CleanCarriedParams) -> tuple[int, ...]:
        return ()

    def analyse_piece(
        self, inputs: Inputs, params: CleanCarriedParams, piece: Piece, before: Analysis | None, progress: Progress
    ) -> Analysis:
        take = partial(look_at, inputs)
        serves = readable(take, range(piece.first, piece.last + 1))
        anchor = min(serves, key=lambda n: abs(n - int(piece.name)))
        if not any(take(n)[1].any() for n in serves):
            return {"frames": np.zeros(0, int)}
        clean = np.ascontiguousarray(inputs.picture("clean", 1)[..., :3])
        if clean.shape[:2] != (inputs.shot.height, inputs.shot.width):
            raise UserError("The clean plate has another size than the take; bring it to the take's size.")
        none = np.zeros(clean.shape[:2], bool)

        def look(n: int) -> tuple[Rgb, Mask]:
            return (clean, none) if n == ITSELF else take(n)

        progress.at(0, 2, f"laying the clean plate over frames {piece.first} to {piece.last}")
        matrices = self._over_clean(look, clean, none, serves)
        want, left, top = wanted(look, matrices, serves, (clean.shape[0], clean.shape[1]))
        law = take_law(take, {anchor: np.eye(3)}, anchor)
        backing = gathered(look, {ITSELF: np.eye(3)}, ITSELF, want, left, top, law)
        del matrices[ITSELF]
        return self.kept(matrices, backing, np.zeros(want.shape, bool))

    def _over_clean(self, look: Look, clean: Rgb, none: Mask, serves: Sequence[int]) -> dict[int, Array]:
        h, w = none.shape
        surface = surface_about(clean, none, (0, 0, w, h))
        found = lay_out(surface, look, ITSELF, list(serves))
        if len(found) < 2:
            raise UserError("The clean plate is not found in the take: it shows another view, or too little to be told by.")
        return found

    def made(
        self,
        look: Look,
        matrices: dict[int, Array],
        anchor: int,
        serves: Sequence[int],
        before: tuple[Backing, Array] | None,
        params: Any,
    ) -> tuple[Backing, Mask]:
        raise NotImplementedError  # the clean plate is there already
