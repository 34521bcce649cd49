"""Clean patch: puts back what a rig hid, from a clean plate that is brought to the take."""

from __future__ import annotations

import contextlib
from dataclasses import replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.between import better_by
from transmixis.core.repair.leftover import LEFT, Beside, left_beside, left_reading
from transmixis.core.types import Array, Rgb
from transmixis.shot.contract import Analysis, Effect, Inputs, Piece, Pins, Product, Proposal, Slot, sampled
from transmixis.shot.steps.cleanplates import Lies, Wishes, analysed, lies_at, pieces_of
from transmixis.shot.steps.mending import (
    FRONT_SLOT,
    GONE,
    GONE_SLOT,
    Mending,
    MendParams,
    Place,
    mend_plot,
    mend_readings,
    mended,
    place_of,
    placed,
    untouched,
)
from transmixis.shot.steps.params import choice
from transmixis.shot.steps.stood import stood_words

ABOUT = 2  # frames to either side that tell a shadow from what coding makes
FIRST, SECOND = "clean", "second"
CARRIED, STANDS = "carried", "as it stands"
MATCHED = "the take's"
FOUND, NONE = "if found", "none"
STAYS, TAKEN = "stays", "taken in"
TRIED = 4  # frames on which it is looked for what is left beside


class CleanPatchParams(MendParams):
    wind: str = choice(
        CARRIED,
        (CARRIED, STANDS),
        "Wind",
        "Whether leaves and grass are carried to where they are blown in each frame, told from what is seen about the place.",
    )
    sharpness: str = choice(
        MATCHED,
        (MATCHED, STANDS),
        "Sharpness",
        "Whether the clean plate is softened or sharpened to its take, told from what both show beside what must go.",
    )
    shading: str = choice(
        FOUND,
        (FOUND, NONE),
        "Slow shading",
        "Whether light that falls otherwise than it did on the clean plate is evened, too, where what is seen about the place tells of it; or one gain a frame.",
    )
    beside: str = choice(
        STAYS,
        (STAYS, TAKEN),
        "Shadow beside it",
        "What differs from the clean plate just beside what must go, its shadow or reflection as a rule: left as it is, or taken in.",
    )


class CleanPatch(Mending[CleanPatchParams]):
    kind, title, version = "clean_patch", "Clean patch", 3
    says = "puts back what was hidden, from a clean plate"
    slots = (
        Slot("plate", "the take to mend, its camera on a tripod", ground=True, whole=True),
        Slot(FIRST, "the same view without what must go, one frame or several", learnt=True, usual=("plate:clean",)),
        Slot(SECOND, "another clean plate, for the places at which the first does not fit", learnt=True, optional=True, usual=()),
        replace(GONE_SLOT, whole=True),
        replace(FRONT_SLOT, whole=True),
    )
    Params = CleanPatchParams
    pieced = True

    def pieces(self, length: int, params: CleanPatchParams, pins: Pins) -> tuple[Piece, ...]:
        """What each clean plate is in the take; then, block by block, how it lies in each frame."""
        return tuple(p for slot in (FIRST, SECOND) for p in pieces_of(slot, length, _wishes(params)))

    def analyse_piece(
        self, inputs: Inputs, params: CleanPatchParams, piece: Piece, before: Analysis | None, progress: Progress
    ) -> Analysis:
        return analysed(inputs, piece.name.split()[0], _wishes(params), piece, before, progress)

    def compute(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Product:
        place = place_of(inputs, frame, params.feather)
        if place is None:
            return untouched(inputs, frame)
        first = lies_at(inputs, FIRST, _wishes(params), place, frame)
        if params.beside == TAKEN:
            found, _ = self._beside(inputs, params, place, first, frame)
            if found.any():
                place = place.with_more(found, params.feather)
                first = first.hiding(place.hidden)
        behind, noise = first.background(place.where)
        note = stood_words(first.plate.move, "clean plate")
        if inputs.has(SECOND):
            behind, noise, share = self._with_second(inputs, params, place, frame, behind, noise)
            note += f"; the second one serves {100 * share:.0f} %"
        product, work = mended(inputs, params, frame, place, behind, noise)
        return replace(product, work=replace(work, note=note))

    def _with_second(
        self, inputs: Inputs, params: CleanPatchParams, place: Place, frame: int, behind: Rgb, noise: tuple[Array, Array]
    ) -> tuple[Rgb, tuple[Array, Array], float]:
        """The background with the second clean plate where that fits better, and how much of what must go that serves."""
        second = lies_at(inputs, SECOND, _wishes(params), place, frame).hiding(place.hidden)
        other, its = second.background(place.where)
        share = better_by(place.own, behind, other, place.hidden, _front(inputs, place, frame))
        s = share[..., None]
        both = np.asarray(behind + s * (other - behind), np.float32)
        want, have = noise[0] + s * (its[0] - noise[0]), (1 - s) ** 2 * noise[1] + s**2 * its[1]
        return both, (want, have), float(share[place.hidden].mean())

    def looks_at(self, slot: str, params: CleanPatchParams, pins: Pins, frame: int, length: int) -> tuple[int, ...]:
        return _about(frame, length)

    def _beside(self, inputs: Inputs, params: CleanPatchParams, place: Place, lies: Lies, frame: int) -> tuple[Array, float]:
        """What is left beside what must go, over the frames about this one."""
        near = []
        for n in _about(frame, inputs.shot.length):
            with contextlib.suppress(UserError):
                if n != frame and (inputs.matte("gone", n) > GONE).any():
                    own = np.ascontiguousarray(inputs.picture("plate", n)[place.box][..., :3])
                    light = lies_at(inputs, FIRST, _wishes(params), place, n).light
                    near.append(Beside(own, lies.plate.stands * light, _front(inputs, place, n)))
        front = _front(inputs, place, frame)
        return left_beside(place.own, lies.stands, place.hidden, lies.plate.moving, front, near)

    def read(self, inputs: Inputs, params: CleanPatchParams, product: Product, frame: int) -> list[Reading]:
        """Whether the mend shows, and what is left beside it."""
        if product.work is None:
            return mend_readings(inputs, product, frame)
        own = (self._left(inputs, params, frame),)
        return mend_readings(inputs, replace(product, work=replace(product.work, own=own)), frame)

    def _left(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Reading:
        """What is left beside what must go; where that was taken in, what is left beside both."""
        place = place_of(inputs, frame, params.feather)
        assert place is not None
        lies = lies_at(inputs, FIRST, _wishes(params), place, frame)
        found, most = self._beside(inputs, params, place, lies, frame)
        if params.beside == TAKEN and found.any():
            place = place.with_more(found, params.feather)
            found, most = self._beside(inputs, params, place, lies, frame)
        return placed(left_reading(found, most), place.box)

    def plot(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Plot | None:
        """The mend over time; what lies behind it stands still."""
        there = inputs.piece(frame, name=FIRST, make=False) is not None
        return mend_plot(inputs, frame, lambda n: np.eye(3) if there else None)

    def propose(self, inputs: Inputs, params: CleanPatchParams, progress: Progress) -> Proposal | None:
        """Taking in what is left beside it, where that is more than its limit."""
        if params.beside == TAKEN:
            return None

        def left(p: CleanPatchParams) -> float:
            def looked(n: int) -> float:
                gone = place_of(inputs, n, p.feather)
                return 0.0 if gone is None else self._left(inputs, p, n).value or 0.0

            return max(sampled(inputs.shot.length, TRIED, looked, progress, "looking for shadows").values())

        now = left(params)
        if now <= LEFT:
            return None
        then = left(params.model_copy(update={"beside": TAKEN}))
        words = f"Beside what must go the take is up to {now:.1f} levels off the clean plate, in a place that hangs together with it: its shadow or reflection, as a rule."
        return Proposal({"beside": TAKEN}, words, (Effect("left beside", now, then, "levels", LEFT),))


def _front(inputs: Inputs, place: Place, frame: int) -> Array | None:
    """What passes in front, in the place's box."""
    every = [m[place.box] for m in inputs.mattes("front", frame)]
    return np.max(every, axis=0) if every else None


def _about(frame: int, length: int) -> tuple[int, ...]:
    return tuple(range(max(1, frame - ABOUT), min(length, frame + ABOUT) + 1))


def _wishes(params: CleanPatchParams) -> Wishes:
    return Wishes(params.sharpness == MATCHED, params.wind == CARRIED, params.shading == FOUND)
