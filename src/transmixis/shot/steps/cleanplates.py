"""A clean plate in a take, as a step keeps it: what it is in the take, one piece of the analysis, and block by block how it lies in each frame."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
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
from transmixis.core.repair.sharp import grain_kept, resharpened, sharpness_to
from transmixis.core.types import Array, Mask, Rgb
from transmixis.shot.contract import Analysis, Inputs, Piece, sampled
from transmixis.shot.sampling import sample_frames
from transmixis.shot.steps.mending import GONE, MARGIN, Place, place_of
from transmixis.shot.steps.stood import kept, move_of

LEARN_FROM = 6  # frames of the take
MOST_CLEAN = 12  # frames of a clean take: more bring little
BLOCK = 12  # frames
MOVES = 0.3  # where things move more, sharpness is not told


@dataclass(frozen=True)
class Wishes:
    """What of a clean plate is told: whether it is made as sharp as its take, carried by the wind, and lit as its place is."""

    sharp: bool
    wind: bool
    shading: bool


@dataclass(frozen=True)
class Lies:
    """A clean plate in the box of a frame's place: the `plate` there, how it is `brought`, and what bridges what is hidden."""

    plate: CleanPlate
    brought: Brought
    over: tuple[float, float]

    @property
    def light(self) -> Array:
        return self.brought.light(self.plate.moving.shape)

    @property
    def stands(self) -> Rgb:
        """As it stands there, in the frame's light."""
        return np.asarray(self.plate.stands * self.light, np.float32)

    def hiding(self, hidden: Mask) -> Lies:
        """The same with more of it hidden."""
        return replace(self, brought=self.brought.through(bridge_in(self.plate, hidden, *self.over)))

    def background(self, where: Mask) -> tuple[Rgb, tuple[Array, Array]]:
        """What is seen behind, and the variances of the grain that is wanted there and of what is left in it."""
        behind = background(self.plate, self.brought, where)
        return behind, noises(behind, self.plate, self.light)


def pieces_of(slot: str, length: int, wishes: Wishes) -> tuple[Piece, ...]:
    """The pieces of the clean plate in a slot."""
    looked = {*sample_frames(length, LEARN_FROM), *range(1, min(MOST_CLEAN, length) + 1)}
    learnt = Piece(slot, 1, length, tuple(sorted(looked)), {"sharp": wishes.sharp})
    depends = {"wind": wishes.wind, "shading": wishes.shading}
    firsts = range(1, length + 1, BLOCK)
    ends = [min(a + BLOCK - 1, length) for a in firsts]
    return (
        learnt,
        *(Piece(_block(slot, a), a, b, tuple(range(a, b + 1)), depends, slot) for a, b in zip(firsts, ends, strict=True)),
    )


def analysed(inputs: Inputs, slot: str, wishes: Wishes, piece: Piece, before: Analysis | None, progress: Progress) -> Analysis:
    """One of its pieces; empty where nothing is connected there."""
    if not inputs.has(slot):
        return {}
    if piece.name == slot:
        return _learnt(inputs, slot, wishes, progress)
    assert before is not None
    frames = range(piece.first, piece.last + 1)
    out: dict[str, Array] = {}
    for k, n in enumerate(frames):
        progress.at(k, len(frames), f"bringing the clean plate to frame {n}")
        with contextlib.suppress(UserError):  # said when the frame itself is asked for
            place = place_of(inputs, n, 0)
            if place is not None:
                small, over = _plate_in(before, wishes).cut(place.box), _over(before)
                b = brought(place.own, small, place.hidden).through(bridge_in(small, place.hidden, *over))
                out[f"gain {n}"], out[f"flow {n}"], out[f"shade {n}"] = b.gain, b.flow, b.shade
    return out


def lies_at(inputs: Inputs, slot: str, wishes: Wishes, place: Place, frame: int) -> Lies:
    """The slot's clean plate at a place of a frame in which something has to go."""
    learnt = inputs.piece(frame, name=slot)
    block = inputs.piece(frame, name=_block(slot, frame - (frame - 1) % BLOCK))
    assert learnt is not None
    assert block is not None
    b = Brought(block[f"gain {frame}"], block[f"flow {frame}"], block[f"shade {frame}"])
    return Lies(_plate_in(learnt, wishes).cut(place.box), b, _over(learnt))


def _block(slot: str, first: int) -> str:
    return f"{slot} from {first}"


def _over(learnt: Analysis) -> tuple[float, float]:
    reach, doubt = (float(v) for v in learnt["over"])
    return reach, doubt


def _learnt(inputs: Inputs, slot: str, wishes: Wishes, progress: Progress) -> Analysis:
    """The clean plate as it stands in the take, as plain arrays."""

    def looked(n: int) -> tuple[Array, Mask]:
        return inputs.picture("plate", n)[..., :3], inputs.matte("gone", n) > GONE

    found = list(sampled(inputs.shot.length, LEARN_FROM, looked, progress, "bringing the clean plate to the take").values())
    hidden = np.any([m for _, m in found], axis=0)
    if hidden.all():
        raise UserError("The matte of what must go covers the whole frame; draw it about what must go alone.")
    plate = learn_clean([f for f, _ in found], _cleans(inputs, slot), hidden)
    box = box_about(hidden, MARGIN)
    if wishes.sharp:
        plate = _as_sharp(plate, [f for f, _ in found], hidden, box)
    small = plate.cut(box)
    some = [brought(np.ascontiguousarray(f[box]), small, hidden[box]) for f, _ in found] if (plate.moving > 0.5).any() else []
    over = bridge_over(small, hidden[box], some)
    return {
        "picture": plate.picture, "stands": plate.stands, "left": plate.left, "way": plate.way, "moving": plate.moving, "law": plate.law, "own": plate.own, "order": np.array(plate.order),
        "over": np.array([over.reach, over.doubt]), **kept(plate.move),
    }  # fmt: skip


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


def _cleans(inputs: Inputs, slot: str) -> Sequence[Rgb]:
    """The clean plate's frames, those that there are and can be read. Raises UserError if the first cannot."""
    out = [inputs.picture(slot, 1)[..., :3]]
    last = 1 if inputs.is_still(slot) else min(MOST_CLEAN, inputs.shot.length)
    for n in range(2, last + 1):
        with contextlib.suppress(UserError):
            out.append(inputs.picture(slot, n)[..., :3])
    return out


def _plate_in(a: Analysis, wishes: Wishes) -> CleanPlate:
    moving = a["moving"] if wishes.wind else np.zeros_like(a["moving"])
    order = int(a["order"]) if wishes.shading else 0
    return CleanPlate(a["picture"], a["stands"], a["left"], a["way"], moving, a["law"], a["own"], move_of(a), order)
