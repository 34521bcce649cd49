"""Clean patch: puts back what a rig hid, from a clean plate that is brought to the take."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.clean import (
    Brought,
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
from transmixis.shot.contract import Analysis, Effect, Inputs, Piece, Pins, Product, Proposal, Slot, sampled
from transmixis.shot.sampling import sample_frames
from transmixis.shot.steps.mending import (
    FRONT_SLOT,
    GONE,
    GONE_SLOT,
    MARGIN,
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
from transmixis.shot.steps.stood import kept, move_of, stood_words

LEARN_FROM = 6  # frames of the take
MOST_CLEAN = 12  # frames of a clean take: more bring little
CARRIED, STANDS = "carried", "as it stands"
MATCHED = "the take's"
FOUND, NONE = "where it is found", "none"
STAYS, TAKEN = "stays", "taken in"
MOVES = 0.3  # where things move more, sharpness is not told
LEARNT, BLOCK = "clean plate", 12  # the piece that all others start from; frames of the others
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
        Slot("plate", "the take to mend, its camera on a tripod", ground=True),
        Slot("clean", "the same view without what must go, one frame or several", learnt=True, usual=("plate:clean",)),
        GONE_SLOT,
        FRONT_SLOT,
    )
    Params = CleanPatchParams
    pieced = True

    def pieces(self, length: int, params: CleanPatchParams, pins: Pins) -> tuple[Piece, ...]:
        """What the clean plate is in the take; then, block by block, how it lies in each frame."""
        looked = {*sample_frames(length, LEARN_FROM), *range(1, min(MOST_CLEAN, length) + 1)}
        learnt = Piece(LEARNT, 1, length, tuple(sorted(looked)), {"sharpness": params.sharpness})
        blocks = [(a, min(a + BLOCK - 1, length)) for a in range(1, length + 1, BLOCK)]
        depends = {"wind": params.wind, "shading": params.shading}
        return (learnt, *(Piece(_block(a), a, b, tuple(range(a, b + 1)), depends, LEARNT) for a, b in blocks))

    def analyse_piece(
        self, inputs: Inputs, params: CleanPatchParams, piece: Piece, before: Analysis | None, progress: Progress
    ) -> Analysis:
        if piece.name == LEARNT:
            return _learnt(inputs, params, progress)
        assert before is not None
        frames = range(piece.first, piece.last + 1)
        out: dict[str, Array] = {}
        for k, n in enumerate(frames):
            progress.at(k, len(frames), f"bringing the clean plate to frame {n}")
            with contextlib.suppress(UserError):  # said when the frame itself is asked for
                place = place_of(inputs, n, params.feather)
                if place is not None:
                    small = _plate_in(before, params).cut(place.box)
                    b = _through(before, small, brought(place.own, small, place.hidden), place.hidden)
                    out[f"gain {n}"], out[f"flow {n}"], out[f"shade {n}"] = b.gain, b.flow, b.shade
        return out

    def compute(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Product:
        place = place_of(inputs, frame, params.feather)
        if place is None:
            return untouched(inputs, frame)
        learnt, b = self._at(inputs, frame)
        small = _plate_in(learnt, params).cut(place.box)
        if params.beside == TAKEN:
            found, _ = left_beside(
                place.own, small.stands * b.light(place.hidden.shape), place.hidden, small.moving, _front(inputs, place, frame)
            )
            if found.any():
                place = place.with_more(found, params.feather)
                b = _through(learnt, small, b, place.hidden)
        behind = background(small, b, place.where)
        product, work = mended(inputs, params, frame, place, behind, noises(behind, small, b.light(place.hidden.shape)))
        return replace(product, work=replace(work, note=stood_words(small.move, "clean plate")))

    def read(self, inputs: Inputs, params: CleanPatchParams, product: Product, frame: int) -> list[Reading]:
        """Whether the mend shows, and what is left beside it."""
        if product.work is None:
            return mend_readings(inputs, product, frame)
        return mend_readings(
            inputs, replace(product, work=replace(product.work, own=(self._left(inputs, params, frame),))), frame
        )

    def _left(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Reading:
        """What is left beside what must go; where that was taken in, what is left beside both."""
        place = place_of(inputs, frame, params.feather)
        assert place is not None
        learnt, b = self._at(inputs, frame)
        small, front = _plate_in(learnt, params).cut(place.box), _front(inputs, place, frame)
        clean = small.stands * b.light(place.hidden.shape)
        found, most = left_beside(place.own, clean, place.hidden, small.moving, front)
        if params.beside == TAKEN and found.any():
            place = place.with_more(found, params.feather)
            found, most = left_beside(place.own, clean, place.hidden, small.moving, front)
        return placed(left_reading(found, most), place.box)

    def _at(self, inputs: Inputs, frame: int) -> tuple[Analysis, Brought]:
        """The clean plate, and how it is brought to a frame in which something has to go."""
        learnt = inputs.piece(frame, name=LEARNT)
        block = inputs.piece(frame, name=_block(frame - (frame - 1) % BLOCK))
        assert learnt is not None
        assert block is not None
        return learnt, Brought(block[f"gain {frame}"], block[f"flow {frame}"], block[f"shade {frame}"])

    def plot(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Plot | None:
        """The mend over time; what lies behind it stands still."""
        there = inputs.piece(frame, name=LEARNT, make=False) is not None
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


def _block(first: int) -> str:
    return f"from {first}"


def _learnt(inputs: Inputs, params: CleanPatchParams, progress: Progress) -> Analysis:
    """The clean plate as it stands in the take, as plain arrays."""

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
        "picture": plate.picture, "stands": plate.stands, "left": plate.left, "way": plate.way, "moving": plate.moving, "law": plate.law, "own": plate.own, "order": np.array(plate.order),
        "over": np.array([over.reach, over.doubt]), **kept(plate.move),
    }  # fmt: skip


def _through(learnt: Analysis, plate: CleanPlate, b: Brought, hidden: Mask) -> Brought:
    """How things have moved, told through what is hidden too."""
    return b.through(bridge_in(plate, hidden, *(float(v) for v in learnt["over"])))


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


def _plate_in(a: Analysis, params: CleanPatchParams) -> CleanPlate:
    moving = np.zeros_like(a["moving"]) if params.wind == STANDS else a["moving"]
    order = 0 if params.shading == NONE else int(a["order"])
    return CleanPlate(a["picture"], a["stands"], a["left"], a["way"], moving, a["law"], a["own"], move_of(a), order)
