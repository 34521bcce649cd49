"""Clean patch: puts back what a rig hid, from a clean plate that is brought to the take."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.repair.clean import (
    CleanPlate,
    background,
    box_about,
    bridge_in,
    bridge_over,
    brought,
    gain_of,
    learn_clean,
    noises,
)
from transmixis.core.repair.laying import spread
from transmixis.core.repair.leftover import LEFT, left_beside, left_reading
from transmixis.core.repair.sharp import grain_kept, resharpened, sharpness_to
from transmixis.core.types import Array, Mask, Rgb
from transmixis.shot.contract import Analysis, Effect, Inputs, Product, Proposal, Slot, sampled
from transmixis.shot.steps.mending import (
    FRONT_SLOT,
    GONE,
    GONE_SLOT,
    MARGIN,
    Mending,
    MendParams,
    mended,
    place_of,
    placed,
    untouched,
)
from transmixis.shot.steps.params import choice
from transmixis.shot.steps.stood import kept, move_of, stood_words

LEARN_FROM = 6  # frames of the take
MOST_CLEAN = 12  # frames of a clean take: more bring little
CARRIED, STANDS = "carried", "as it stands"
MATCHED = "the take's"
STAYS, TAKEN = "stays", "taken in"
MOVES = 0.3  # where things move more, sharpness is not told
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
    beside: str = choice(
        STAYS,
        (STAYS, TAKEN),
        "Shadow beside it",
        "What differs from the clean plate just beside what must go, its shadow or reflection as a rule: left as it is, or taken in.",
    )


class CleanPatch(Mending[CleanPatchParams]):
    kind, title, version = "clean_patch", "Clean patch", 2
    says = "puts back what was hidden, from a clean plate"
    slots = (
        Slot("plate", "the take to mend, its camera on a tripod", ground=True),
        Slot("clean", "the same view without what must go, one frame or several", learnt=True, usual=("plate:clean",)),
        GONE_SLOT,
        FRONT_SLOT,
    )
    Params = CleanPatchParams
    analysis_params = ("sharpness",)

    def analyse(self, inputs: Inputs, params: CleanPatchParams, progress: Progress) -> Analysis:
        def looked(n: int) -> tuple[Array, Mask]:
            return inputs.picture("plate", n)[..., :3], inputs.matte("gone", n) > GONE

        found = list(sampled(inputs.shot.length, LEARN_FROM, looked, progress, "bringing the clean plate to the take").values())
        hidden = np.any([m for _, m in found], axis=0)
        if hidden.all():
            raise UserError("The matte of what must go covers the whole frame; draw it about what must go alone.")
        plate = learn_clean([f for f, _ in found], _cleans(inputs), hidden)
        box = box_about(hidden, MARGIN)
        if params.sharpness == MATCHED:
            plate = _as_sharp(plate, [f for f, _ in found], hidden, box)
        small = plate.cut(box)
        some = [brought(np.ascontiguousarray(f[box]), small, hidden[box]) for f, _ in found] if (plate.moving > 0.5).any() else []
        over = bridge_over(small, hidden[box], some)
        return {
            "picture": plate.picture, "stands": plate.stands, "left": plate.left, "way": plate.way, "moving": plate.moving, "law": plate.law, "own": plate.own,
            "over": np.array([over.reach, over.doubt]), **kept(plate.move),
        }  # fmt: skip

    def compute(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Product:
        place = place_of(inputs, frame, params.feather)
        if place is None:
            return untouched(inputs, frame)
        learnt = inputs.analysis()
        small = _plate(learnt).cut(place.box)
        if params.wind == STANDS:
            small = replace(small, moving=np.zeros_like(small.moving))
        b = brought(place.own, small, place.hidden)
        front = np.max([m[place.box] for m in inputs.mattes("front", frame)], axis=0) if inputs.has("front") else None
        found, most = left_beside(place.own, small.stands * b.gain, place.hidden, small.moving, front)
        if params.beside == TAKEN and found.any():
            place, most = place.with_more(found, params.feather), 0.0
        over = bridge_in(small, place.hidden, *(float(v) for v in learnt["over"]))
        behind = background(small, b, over, place.where)
        product, work = mended(inputs, params, frame, place, behind, noises(behind, small, b.gain))
        own = (placed(left_reading(found * (most > 0), most), place.box),)
        return replace(product, work=replace(work, note=stood_words(small.move, "clean plate"), own=own))

    def propose(self, inputs: Inputs, params: CleanPatchParams, progress: Progress) -> Proposal | None:
        """Taking in what is left beside it, where that is more than its limit."""
        if params.beside == TAKEN:
            return None

        def left(p: CleanPatchParams) -> list[float]:
            def looked(n: int) -> float:
                work = self.compute(inputs, p, n).work
                return 0.0 if work is None else max((r.value or 0.0 for r in work.own), default=0.0)

            return list(sampled(inputs.shot.length, TRIED, looked, progress, "looking for shadows").values())

        now = max(left(params))
        if now <= LEFT:
            return None
        then = max(left(params.model_copy(update={"beside": TAKEN})))
        words = f"Beside what must go the take is up to {now:.1f} levels off the clean plate, in a place that hangs together with it: its shadow or reflection, as a rule."
        return Proposal({"beside": TAKEN}, words, (Effect("left beside", now, then, "levels", LEFT),))


def _as_sharp(plate: CleanPlate, frames: Sequence[Rgb], hidden: Mask, box: tuple[slice, slice]) -> CleanPlate:
    """The clean plate as sharp as its take, told about what must go where nothing moves."""
    small = plate.cut(box)
    where = ~spread(hidden[box]) & (small.moving < MOVES)
    parts = [np.ascontiguousarray(f[box]) for f in frames]
    by = sharpness_to(parts, [small.stands * gain_of(f, small, hidden[box]) for f in parts], [where] * len(parts))
    if by == 0:
        return plate
    left = np.asarray(plate.left * grain_kept(by), np.float32)
    return replace(plate, picture=resharpened(plate.picture, by), stands=resharpened(plate.stands, by), left=left)


def _cleans(inputs: Inputs) -> Sequence[Rgb]:
    """The clean plate's frames, those that there are and can be read. Raises UserError if the first cannot."""
    out = [inputs.picture("clean", 1)[..., :3]]
    last = 1 if inputs.is_still("clean") else min(MOST_CLEAN, inputs.shot.length)
    for n in range(2, last + 1):
        with contextlib.suppress(UserError):
            out.append(inputs.picture("clean", n)[..., :3])
    return out


def _plate(a: Analysis) -> CleanPlate:
    return CleanPlate(a["picture"], a["stands"], a["left"], a["way"], a["moving"], a["law"], a["own"], move_of(a))
