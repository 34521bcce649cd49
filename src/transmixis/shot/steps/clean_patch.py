"""Clean patch: puts back what a rig hid, from a clean plate that is brought to the take."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.clean import (
    CleanPlate,
    background,
    box_about,
    bridge_in,
    bridge_over,
    brought,
    grain,
    laid,
    learn_clean,
    noises,
)
from transmixis.core.repair.mended import BOIL, SEAM, border_readings, grain_reading, near, soft_edge, stir_readings
from transmixis.core.types import Array, Mask, Rgb
from transmixis.shot.contract import Analysis, Inputs, Product, Slot, StepKind, sampled
from transmixis.shot.steps.params import Params, choice, number
from transmixis.shot.steps.stood import kept, move_of, stood_words

LEARN_FROM = 6  # frames of the take
MOST_CLEAN = 12  # frames of a clean take: more bring little
MARGIN = 80  # px about what must go that are looked at
CARRIED, STANDS = "carried", "as it stands"
GONE = 0.02  # of the matte: from here on it must go


class CleanPatchParams(Params):
    feather: float = number(
        2.0,
        0.0,
        100.0,
        "px",
        "Soft edge",
        "How far outside of what must go the patch fades out; wider where its light differs.",
        step=0.5,
    )
    wind: str = choice(
        CARRIED,
        (CARRIED, STANDS),
        "Wind",
        "Whether leaves and grass are carried to where they are blown in each frame, told from what is seen about the place.",
    )
    grain: float = number(
        1.0, 0.0, 2.0, "%", "Grain", "How much of the plate's own grain is put back, new on every frame.", percent=True
    )


@dataclass(frozen=True)
class Done:
    """What the readings look at: the `behind` laid in the `box`, its `matte` there, what passes in `front`, the variances of the grain that is wanted and of
    the difference to the plate, and how the clean plate stood."""

    box: tuple[slice, slice]
    behind: Rgb
    matte: Array
    front: Array
    want: Array
    noise: Array
    stood: str


class CleanPatch(StepKind[CleanPatchParams]):
    kind, title, stage, product = "clean_patch", "Clean patch", "Repair", "picture"
    gives = ("picture", "matte")
    says = "puts back what was hidden, from a clean plate"
    work = "clean plate patch"
    slots = (
        Slot("plate", "the take to mend, its camera on a tripod", ground=True),
        Slot("clean", "the same view without what must go, one frame or several", learnt=True, usual=("plate:clean",)),
        Slot("gone", "a matte of what must go, its shadow too", takes="matte", usual=("step:cut out",)),
        Slot("front", "mattes of what passes in front of it", takes="matte", optional=True, many=True, usual=()),
    )
    Params = CleanPatchParams
    roles = ("mended",)
    keeps_pixels = True
    analyses = True
    analysis_params = ()
    not_analysed = ("front",)
    frames_back = 1

    def analyse(self, inputs: Inputs, params: CleanPatchParams, progress: Progress) -> Analysis:
        def looked(n: int) -> tuple[Array, Mask]:
            return inputs.picture("plate", n)[..., :3], inputs.matte("gone", n) > GONE

        found = list(sampled(inputs.shot.length, LEARN_FROM, looked, progress, "bringing the clean plate to the take").values())
        hidden = np.any([m for _, m in found], axis=0)
        if hidden.all():
            raise UserError("The matte of what must go covers the whole frame; draw it about what must go alone.")
        plate = learn_clean([f for f, _ in found], _cleans(inputs), hidden)
        box = box_about(hidden, MARGIN)
        small = plate.cut(box)
        some = [brought(np.ascontiguousarray(f[box]), small, hidden[box]) for f, _ in found] if (plate.moving > 0.5).any() else []
        over = bridge_over(small, hidden[box], some)
        return {
            "picture": plate.picture, "stands": plate.stands, "left": plate.left, "way": plate.way, "moving": plate.moving, "law": plate.law, "own": plate.own,
            "over": np.array([over.reach, over.doubt]), **kept(plate.move),
        }  # fmt: skip

    def compute(self, inputs: Inputs, params: CleanPatchParams, frame: int) -> Product:
        plate = inputs.picture("plate", frame)
        gone = inputs.matte("gone", frame)
        hidden = gone > GONE
        if not hidden.any():
            return Product(picture=plate, matte=np.zeros(gone.shape, np.float32))
        learnt = inputs.analysis()
        box = box_about(hidden, MARGIN)
        small, here = _plate(learnt).cut(box), hidden[box]
        own = np.ascontiguousarray(plate[..., :3][box])
        if params.wind == STANDS:
            small = replace(small, moving=np.zeros_like(small.moving))
        b = brought(own, small, here)
        over = bridge_in(small, here, *(float(v) for v in learnt["over"]))
        behind = background(small, b, over, near(here, params.feather))
        made = behind + params.grain * grain(behind, small, b.gain, frame)
        matte = soft_edge(gone[box], params.feather)
        front = np.zeros(matte.shape, np.float32)
        for m in inputs.mattes("front", frame):
            front = np.maximum(front, m[box])
        matte = matte * (1 - front)
        out = np.array(plate, np.float32)
        out[box] = np.dstack([laid(own, made, matte), *(plate[box][..., 3:].transpose(2, 0, 1))])
        whole = np.zeros(gone.shape, np.float32)
        whole[box] = matte
        want, have = noises(behind, small, b.gain)
        done = Done(box, behind, matte, front, want, want + have, stood_words(small.move, "clean plate"))
        return Product(picture=out, matte=whole, work=done)

    def read(self, inputs: Inputs, params: CleanPatchParams, product: Product, frame: int) -> list[Reading]:
        done: Done | None = product.work
        assert product.picture is not None
        if done is None:
            return [Reading("seam", None, "levels", SEAM, note="nothing has to go here")]
        own, made = inputs.picture("plate", frame)[..., :3][done.box], product.picture[..., :3][done.box]
        seam, unlike = (_placed(r, done.box) for r in border_readings(own, done.behind, done.matte, done.noise, done.front))
        out = [seam, replace(unlike, note=unlike.note or done.stood)]
        out.append(grain_reading(made, done.want, done.matte))
        if frame > 1:
            try:
                before = inputs.own(frame - 1).picture
            except UserError as e:
                return [*out, Reading("boil", None, "%", BOIL, note=str(e))]
            assert before is not None
            out += stir_readings(made, before[..., :3][done.box], done.matte)
        return out


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


def _placed(r: Reading, box: tuple[slice, slice]) -> Reading:
    """A reading whose spot was found in the box, in the frame."""
    if r.spot is None:
        return r
    x, y = box[1].start, box[0].start
    return replace(r, spot=(r.spot[0] + x, r.spot[1] + y, r.spot[2], r.spot[3]))
