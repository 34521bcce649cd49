"""Made up: fills what must go with parts of what lies beside it, the same ones on every frame."""

from __future__ import annotations

from collections.abc import Sequence

from transmixis.core.repair.backing import Backing
from transmixis.core.repair.intime import Look, gathered, wanted
from transmixis.core.repair.makeup import completed
from transmixis.core.repair.takelaw import take_law
from transmixis.core.types import Array, Mask
from transmixis.shot.steps.backed import Backed, BackedParams


class MadeUpParams(BackedParams):
    pass


class MadeUp(Backed[MadeUpParams]):
    kind, title, version = "made_up", "Made up", 2
    says = "fills what must go from what lies beside it"
    Params = MadeUpParams

    def frames_of(self, length: int, anchor: int, first: int, last: int, params: MadeUpParams) -> tuple[int, ...]:
        return ()

    def chained(self, params: MadeUpParams) -> bool:
        return True

    def made(
        self,
        look: Look,
        matrices: dict[int, Array],
        anchor: int,
        serves: Sequence[int],
        before: tuple[Backing, Array] | None,
        params: MadeUpParams,
    ) -> tuple[Backing, Mask]:
        picture, hidden = look(anchor)
        want, left, top = wanted(look, matrices, serves, (hidden.shape[0], hidden.shape[1]))
        backing = gathered(look, {anchor: matrices[anchor]}, anchor, want, left, top, take_law(look, matrices, anchor))
        return completed(backing, want, picture, hidden, before)
