"""What steps that put a background over what must go share: laying it there with grain and a soft edge, under what passes in front, and reading whether it shows."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, TypeVar

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot, Unrolled
from transmixis.core.readings import Reading
from transmixis.core.repair.border import SEAM, border_readings, near, soft_edge, step_beside
from transmixis.core.repair.clean import box_about, laid
from transmixis.core.repair.fine import lacking
from transmixis.core.repair.mended import BOIL, grain_reading, stir_readings
from transmixis.core.repair.strip import STRONGER, line_through, row_of, stacked
from transmixis.core.repair.tells import frozen_reading, ghost_reading, sharpness_reading
from transmixis.core.repair.unmix import NONE, fitted_edge, laid_shape, old_background, unmixed
from transmixis.core.types import Array, Mask, Rgb
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, choice, number

GONE = 0.02  # of the matte: from here on it must go
BLURRED = 41  # px across: how far about its shape what passes may be blurred
BESIDE = 12  # frames to either side that the patch's own view shows
MARGIN = 80  # px about what must go that are looked at
GONE_SLOT = Slot("gone", "a matte of what must go, its shadow too", takes="matte", usual=("step:cut out",))
FRONT_SLOT = Slot("front", "mattes of what passes in front of it", takes="matte", optional=True, many=True, usual=())
NOTHING = "nothing has to go here"
AS_GIVEN, WITH_BLUR = "as its matte", "with its blur"


class MendParams(Params):
    feather: float = number(
        2.0,
        0.0,
        100.0,
        "px",
        "Soft edge",
        "How far outside of what must go the mend fades out; wider where its light differs.",
        step=0.5,
    )
    edge: str = choice(
        AS_GIVEN,
        (AS_GIVEN, WITH_BLUR),
        "Front's edge",
        "What passes in front keeps its soft edge, freed of what is removed behind it: as its matte is, or its shape with the blur of its motion, found in the picture.",
    )
    grain: float = number(
        1.0, 0.0, 2.0, "%", "Grain", "How much of the plate's own grain is put back, new on every frame.", percent=True
    )


R = TypeVar("R", bound=MendParams)


class Mending(StepKind[R]):
    """A kind that lays a background over what must go, and reads whether it shows."""

    stage, product = "Repair", "picture"
    gives = ("picture", "matte")
    roles = ("mended",)
    work = "clean plate patch"
    keeps_pixels = True
    analyses = True
    not_analysed = ("front",)
    frames_back = 1
    plots = "frame"

    def read(self, inputs: Inputs, params: R, product: Product, frame: int) -> list[Reading]:
        return mend_readings(inputs, product, frame)

    def plot(self, inputs: Inputs, params: R, frame: int) -> Plot | None:
        """The mend over time, where what lies behind it stands still."""
        return mend_plot(inputs, frame)


@dataclass(frozen=True)
class Mend:
    """What the readings look at, all of it in the `box` of the frame: the plate that was there, the `behind` laid over it, the `matte` it was laid by, what passes in
    `front` or is not covered, the variances of the grain that is `want`ed and of the difference to the plate, what is said beside, and readings of its own."""

    box: tuple[slice, slice]
    behind: Rgb
    matte: Array
    front: Array
    want: Array
    noise: Array
    note: str = ""
    own: tuple[Reading, ...] = ()


@dataclass(frozen=True)
class Place:
    """Where a frame is mended: the whole `plate` and what is `gone` (h, w) 0..1; `hidden` and `where` it is looked at, both in the `box`."""

    plate: Array
    gone: Array
    box: tuple[slice, slice]
    hidden: Mask
    where: Mask

    @property
    def own(self) -> Rgb:
        """The plate in the box."""
        return np.ascontiguousarray(self.plate[..., :3][self.box])

    def with_more(self, more: Array, feather: float) -> Place:
        """The same with more that must go, `more` (of the box) 0..1."""
        gone = np.array(self.gone)
        gone[self.box] = np.maximum(gone[self.box], more)
        hidden = gone[self.box] > GONE
        return replace(self, gone=gone, hidden=hidden, where=near(hidden, feather))


def place_of(inputs: Inputs, frame: int, feather: float) -> Place | None:
    """Where a frame is mended; None where nothing has to go."""
    gone = inputs.matte("gone", frame)
    if not (gone > GONE).any():
        return None
    box = box_about(gone > GONE, MARGIN)
    hidden = (gone > GONE)[box]
    return Place(inputs.picture("plate", frame), gone, box, hidden, near(hidden, feather))


def untouched(inputs: Inputs, frame: int) -> Product:
    """A frame in which nothing has to go."""
    plate = inputs.picture("plate", frame)
    return Product(picture=plate, matte=np.zeros(plate.shape[:2], np.float32))


def look_at(inputs: Inputs, n: int) -> tuple[Rgb, Mask]:
    """A frame of the take and what must go in it."""
    return np.ascontiguousarray(inputs.picture("plate", n)[..., :3]), inputs.matte("gone", n) > GONE


def readable(look: Callable[[int], Any], frames: Sequence[int]) -> tuple[int, ...]:
    """Those of the frames that can be read. Raises UserError, with the first one's reason, if none can."""
    first: UserError | None = None
    out = []
    for n in frames:
        try:
            look(n)
        except UserError as e:
            first = first or e
            continue
        out.append(n)
    if not out and first is not None:
        raise first
    return tuple(out)


def mended(
    inputs: Inputs,
    params: MendParams,
    frame: int,
    place: Place,
    behind: Rgb,
    noises: tuple[Array, Array],
    covered: Array | None = None,
) -> tuple[Product, Mend]:
    """The frame with `behind` (of the place's box, without grain) laid there: its product, and what is to be read of it. `noises`: the variances of the plate's grain and of
    what is left in the background; `covered` (h, w) 0..1 how far there is a background at all."""
    want, have = noises
    front = np.zeros(place.hidden.shape, np.float32)
    for m in inputs.mattes("front", frame):
        front = np.maximum(front, m[place.box])
    bare = front if covered is None else np.maximum(front, 1 - covered)  # where nothing is laid, nothing is compared
    gone = place.gone[place.box]
    matte: Array = soft_edge(gone, params.feather, step_beside(place.own, behind, gone, bare))
    if covered is not None:
        matte = matte * covered
    made = np.asarray(behind + params.grain * lacking(want, have, frame), np.float32)
    mended_, front = _under(place, made, behind, matte, front, params.edge)
    matte = np.asarray(matte * (1 - front), np.float32)
    out, whole = np.array(place.plate, np.float32), np.zeros(place.gone.shape, np.float32)
    out[place.box] = np.dstack([mended_, *(place.plate[place.box][..., 3:].transpose(2, 0, 1))])
    whole[place.box] = matte
    if covered is not None:
        front = np.maximum(front, 1 - covered)
    return Product(picture=out, matte=whole), Mend(place.box, behind, matte, front, want, want + have)


def _under(place: Place, made: Rgb, behind: Rgb, matte: Array, front: Array, edge: str) -> tuple[Rgb, Array]:
    """The mend laid under what passes in `front`, whose soft edge is freed of what was there, and the alpha by which that passes."""
    if not ((front > NONE) & (matte > 0)).any():
        return laid(place.own, made, matte), front
    if edge == WITH_BLUR:
        about = np.asarray(cv2.dilate(front, np.ones((BLURRED, BLURRED), np.uint8)), np.float32)
        found = fitted_edge(place.own, front, old_background(place.own, behind, about, place.hidden))
        front = front if found is None else laid_shape(front, found)
    return unmixed(place.own, made, matte, front, place.hidden), front


def mend_readings(inputs: Inputs, product: Product, frame: int) -> list[Reading]:
    """Whether the mend shows: its border, grain, sharpness, what is left of the thing, and how it stirs from the frame before."""
    done: Mend | None = product.work
    assert product.picture is not None
    if done is None:
        return [Reading("seam", None, "levels", SEAM, note=NOTHING)]
    own, made = inputs.picture("plate", frame)[..., :3][done.box], product.picture[..., :3][done.box]
    seam, unlike = (placed(r, done.box) for r in border_readings(own, done.behind, done.matte, done.noise, done.front))
    out = [seam, replace(unlike, note=unlike.note or done.note), *done.own]
    out.append(grain_reading(own, made, done.want, done.matte))
    out.append(sharpness_reading(own, done.behind, done.matte, done.noise - done.want, done.front))
    out.append(ghost_reading(own, made, done.matte))
    if frame > 1:
        out += _stirring(inputs, done, made, frame)
    return out


def _stirring(inputs: Inputs, done: Mend, made: Rgb, frame: int) -> list[Reading]:
    try:
        before = inputs.own(frame - 1).picture
    except UserError as e:
        return [Reading("boil", None, "%", BOIL, note=str(e))]
    assert before is not None
    earlier = before[..., :3][done.box]
    passes = _passed(inputs, frame, done)
    return [*stir_readings(made, earlier, done.matte, done.want, passes), frozen_reading(made, earlier, done.matte, passes)]


def mend_plot(inputs: Inputs, frame: int, laid: Callable[[int], Array | None] = lambda n: np.eye(3)) -> Plot | None:
    """The patch's own view about a frame; `laid` tells how what lies behind it lies in another frame (3 x 3, from px of this one), None where that is not known."""
    if inputs.analysis_if_there() is None and laid(frame) is None:
        return None
    line = line_through(inputs.matte("gone", frame) > GONE)
    rows: dict[int, Array] = {}
    if line is not None:
        for n in range(max(1, frame - BESIDE), min(inputs.shot.length, frame + BESIDE) + 1):
            with contextlib.suppress(UserError):
                matrix, picture = laid(n), inputs.own(n).picture
                if matrix is not None and picture is not None:
                    rows[n] = row_of(np.ascontiguousarray(picture[..., :3]), line, matrix)
    every, known = stacked(rows, inputs.shot.length)
    words = f"frames down, changes × {STRONGER:.0f}"
    why = NOTHING if line is None else "not made yet"
    tip = "A line along the mend, straightened on what lies behind it, a row a frame: what boils is a rough weave, what jumps a step, a seam a line from top to bottom."
    return Plot("The patch over time", tip, (Unrolled(words, every, known, np.zeros(len(every), bool), why=why),), "")


def _passed(inputs: Inputs, frame: int, done: Mend) -> Array:
    """What passes in front in this frame or the one before, in the box."""
    every = [done.front, *(m[done.box] for m in inputs.mattes("front", frame - 1))]
    return np.asarray(np.max(every, axis=0), np.float32)


def placed(r: Reading, box: tuple[slice, slice]) -> Reading:
    """A reading whose spot was found in the box, in the frame."""
    if r.spot is None:
        return r
    x, y = box[1].start, box[0].start
    return replace(r, spot=(r.spot[0] + x, r.spot[1] + y, r.spot[2], r.spot[3]))
