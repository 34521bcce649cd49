"""A clean plate brought to a take: where it stands, in each frame's light, carried by what the wind does about the place, and grained anew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.camera import Move, anchor_of, follow
from transmixis.core.motion.coding import coded_luma, grey_of
from transmixis.core.motion.motion import similarity_matrix
from transmixis.core.motion.sampling import Splined
from transmixis.core.repair.fine import CELL, grain_share, lacking
from transmixis.core.repair.quiet import quietened
from transmixis.core.repair.shading import gain_field, lit_cells, order_told, shading
from transmixis.core.repair.stirring import inner, where_moves
from transmixis.core.repair.wind import Bridge, bridge, bridge_at, flow, grid_of, off_grid, on_grid
from transmixis.core.survey.clean_fit import evened, light_over, median_move
from transmixis.core.survey.noise import noise_law, noise_over_time
from transmixis.core.types import Array, Mask, Matte, Rgb

ROUNDS = 2  # of telling what moves, and how, in turns
NEARBY = 80  # px about what must go in which its light is told
NO_LAW = np.zeros((3, 2), np.float32)  # not told yet
DECIDED = 5.0  # times steeper that it goes over from still to moving where it is hidden: a mixture would show both
STILL = 0.02  # of `moving`, 0..1: what is below stands still
WANDERS = 1.0  # px: wind takes the picture's own motion aside by less
ROOM = 40  # px about what must go in which a single clean frame is quietened
WIDER = 5  # px: what is hidden is a little more than what must go, its blur


@dataclass(frozen=True)
class CleanPlate:
    """`picture` (h, w, 3) the clean plate, averaged, in its own place, and `stands` (h, w, 3) where it stands in the take, nothing carried; `left` (h, w, 1) 0..1 the
    share of its noise that is left in it; `way` (2, h, w) px from each px of the take to its place there; `moving` (h, w) 0..1 where things move in the take; `law`
    (3, 2) the take's noise, `own` the clean plate's; `order` of the
    slow shading between both, 0 for none."""

    picture: Rgb
    stands: Rgb
    left: Array
    way: Array
    moving: Array
    law: Array
    own: Array
    move: Move
    order: int = 0

    @cached_property
    def spline(self) -> Splined:
        """The picture ready to be sampled."""
        return Splined(self.picture)

    def cut(self, box: tuple[slice, slice]) -> CleanPlate:
        """The part of it in a box of the frame, which is wide enough that what is looked up lies in it too."""
        picture = np.ascontiguousarray(self.picture[box])
        return replace(
            self,
            picture=picture,
            stands=self.stands[box],
            way=self.way[:, box[0], box[1]],
            moving=self.moving[box],
            left=self.left[box],
        )


@dataclass(frozen=True)
class Brought:
    """One frame's: its `gain` (3,) over the clean plate, how things have moved on the grid (2, gh, gw) px, and its slow `shade` (see `shading`)."""

    gain: Array
    flow: Array
    shade: Array = field(default_factory=lambda: np.zeros((0, 3), np.float32))

    def light(self, shape: tuple[int, int]) -> Array:
        """What the clean plate is multiplied by, (3,) or (h, w, 3)."""
        return gain_field(self.gain, self.shade, shape)

    def through(self, bridge: Bridge) -> Brought:
        """The same with how things have moved told through what is hidden, too."""
        return replace(self, flow=bridge.over(self.flow))


def learn_clean(frames: Sequence[Rgb], cleans: Sequence[Rgb], hidden: Mask) -> CleanPlate:
    """Learn from sampled `frames` of a take, linear (h, w, 3), and one or more frames of the clean plate; `hidden` (h, w) is what they do not share. Raises
    UserError where they cannot be brought together."""
    if any(f.shape != c.shape for f in frames for c in cleans):
        raise UserError("The clean plate has another size than the take; bring it to the take's size.")
    middle = cleans[len(cleans) // 2]
    anchor = anchor_of(grey_of(middle), where=~hidden)
    moves = [m for m in (follow(anchor, grey_of(f)).move for f in frames) if m]
    move = median_move(moves)
    wandered = max((float(np.hypot(m.x - move.x, m.y - move.y)) for m in moves), default=0.0)
    if wandered > WANDERS:
        raise UserError(
            f"The take's camera moves by {wandered:.1f} px, so a still clean plate cannot serve; steady the take first."
        )
    way = _way(move, middle.shape[:2])
    picture, stirs = _averaged(cleans, middle)
    left = np.full((*hidden.shape, 1), 1 / len(cleans), np.float32)
    plate = CleanPlate(picture, _sampled(Splined(picture), way), left, way, stirs, NO_LAW, NO_LAW, move)
    plate = replace(plate, order=_order(frames, plate, hidden))
    single = len(cleans) == 1
    moving = _told_by_take(plate, frames, hidden) if single else _sampled(Splined(stirs[..., None]), way)[..., 0].clip(0, 1)
    law = _law_of(frames, ~hidden & (moving < STILL))
    box = box_about(hidden, ROOM)
    own = _own_law(cleans, law, box, stirs < STILL)
    if single:
        picture, left[box] = _quietened(middle, own, box)
        left = _sampled(Splined(left), way).clip(0, 1)
    return replace(plate, picture=picture, stands=_sampled(Splined(picture), way), left=left, moving=moving, law=law, own=own)


def _order(frames: Sequence[Rgb], plate: CleanPlate, hidden: Mask) -> int:
    """How high the slow shading about what must go is told."""
    box = box_about(hidden, NEARBY)
    small, open_ = plate.cut(box), ~_wider(hidden)[box]
    parts = [np.ascontiguousarray(f[box]) for f in frames]
    return order_told([lit_cells(f, small.stands * gain_of(f, small, ~open_), open_) for f in parts])


def _law_of(frames: Sequence[Rgb], still: Mask) -> Array:
    """The take's noise: over time, else from its flat places."""
    told = _told(frames, still)
    return np.asarray(np.median([noise_law(f, still) for f in frames], axis=0)) if told is None else told


def _told(frames: Sequence[Rgb], still: Mask) -> Array | None:
    """Noise over time from what is known to be `still` (h, w), for wind passes for noise, in the dark most; from all that seems to stand where that is too little."""
    pairs = list(pairwise([evened(f, frames[0]) for f in frames]))
    for where in (still, None):
        told = noise_over_time(pairs, where=where) if pairs else None
        if told is not None:
            return told.law
    return None


def _own_law(cleans: Sequence[Rgb], law: Array, box: tuple[slice, slice], still: Mask) -> Array:
    """The clean plate's noise: over time, else as much of the take's as its finest detail shows. A plate that was averaged or painted has less."""
    told = _told(cleans, still)
    return np.asarray(law * min(1.0, _share(cleans[0][box], law)) ** 2) if told is None else told


def _share(picture: Rgb, law: Array) -> float:
    """How strong the grain of a part of the clean plate is against a law."""
    level = cv2.GaussianBlur(np.maximum(picture, 0), (0, 0), CELL)  # grain in it would lessen itself
    variance = law[:, 0] * level + law[:, 1]
    return grain_share(picture, variance, np.ones(picture.shape[:2], bool))


def box_about(hidden: Mask, margin: int) -> tuple[slice, slice]:
    """The rows and columns about what is hidden, with so many px more."""
    ys, xs = np.nonzero(hidden)
    h, w = hidden.shape
    if not len(xs):
        return slice(0, h), slice(0, w)
    return (
        slice(max(0, int(ys.min()) - margin), min(h, int(ys.max()) + margin + 1)),
        slice(max(0, int(xs.min()) - margin), min(w, int(xs.max()) + margin + 1)),
    )


def _quietened(clean: Rgb, law: Array, box: tuple[slice, slice]) -> tuple[Rgb, Array]:
    """A single clean frame with less of its noise in a box, which would stand still in the take, and the share (h, w, 1) of it that is left there."""
    out = clean.copy()
    out[box], left = quietened(np.ascontiguousarray(clean[box]), law)
    return out, left[..., None]


def _way(move: Move, shape: tuple[int, ...]) -> Array:
    """(2, h, w) px from where something stands in the take to where in the clean plate."""
    h, w = shape[:2]
    x, y = np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5)
    if not move:
        return np.zeros((2, h, w), np.float32)
    back = np.linalg.inv(similarity_matrix(move.similarity((h, w))))
    at = np.stack([x, y, np.ones_like(x)], -1) @ back.T
    return np.stack([at[..., 0] / at[..., 2] - x, at[..., 1] / at[..., 2] - y]).astype(np.float32)


def _averaged(cleans: Sequence[Rgb], middle: Rgb) -> tuple[Rgb, Array]:
    """The clean frames laid over the middle one and averaged, and where (h, w) 0..1 they show that things move."""
    h, w = middle.shape[:2]
    if len(cleans) == 1:
        return middle, np.zeros((h, w), np.float32)
    none = np.zeros((2, h, w), np.float32)
    lit = [evened(c, middle) for c in cleans if c is not middle]
    splines = [Splined(c) for c in lit]
    flows, moving = _stirred([coded_luma(c) for c in lit], splines, [middle] * len(lit), none, np.ones((h, w), np.float32))
    total = np.array(middle)
    for c, spline, u in zip(lit, splines, flows, strict=True):
        total += c + moving[..., None] * (_sampled(spline, u) - c)
    return (total / len(cleans)).astype(np.float32), moving


def _stirred(
    lumas: Sequence[Array], splines: Sequence[Splined], shown: Sequence[Rgb], way: Array, seen: Array
) -> tuple[list[Array], Array]:
    """How pictures (their coded `lumas` (h, w) and `splines`) lie in what is `shown`, (2, h, w) px beside `way`, and where (h, w) 0..1 that is because things move. Told twice:
    what stands still beside leaves holds them back until it is known to stand."""
    there = [coded_luma(f) for f in shown]
    left = [coded_luma(_sampled(s, way)) for s in splines] if way.any() else lumas
    weight, flows, moving = seen, [np.zeros_like(way)] * len(lumas), np.ones_like(seen)
    for _ in range(ROUNDS):
        flows = [flow(a, b, weight, way + u) - way for a, b, u in zip(lumas, there, flows, strict=True)]
        carried = [coded_luma(_sampled(s, way + u)) for s, u in zip(splines, flows, strict=True)]
        off = [((a - c) ** 2, (b - c) ** 2) for a, b, c in zip(left, carried, there, strict=True)]
        moving = where_moves(off, flows, seen)
        weight = np.asarray(seen * inner(moving), np.float32)
    return flows, moving


def _told_by_take(plate: CleanPlate, frames: Sequence[Rgb], hidden: Mask) -> Array:
    """With one clean frame alone the take says where (h, w) 0..1 things move; through what is hidden it goes on as beside it."""
    seen = (~hidden).astype(np.float32)
    lit = [plate.picture * _light(f, plate, hidden) for f in frames]
    moving = _stirred([coded_luma(c) for c in lit], [Splined(c) for c in lit], frames, plate.way, seen)[1]
    grown = cv2.GaussianBlur(moving * seen, (0, 0), 20) / np.maximum(cv2.GaussianBlur(seen, (0, 0), 20), 1e-3)
    return np.where(hidden, np.clip(0.5 + DECIDED * (grown - 0.5), 0, 1), moving).astype(np.float32)


def _sampled(spline: Splined, way: Array) -> Array:
    """A picture sampled where `way` (2, h, w) leads from every px; what lies beyond the border is as at it."""
    h, w = way.shape[1:]
    x, y = np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5)
    at = np.stack(
        [np.clip(x + way[0], 0.01, spline.width - 0.01).ravel(), np.clip(y + way[1], 0.01, spline.height - 0.01).ravel()], 1
    )
    return spline.at(at)[0].reshape(h, w, -1)


def gain_of(frame: Rgb, plate: CleanPlate, hidden: Mask) -> Array:
    """(3,) the light of a frame over the clean plate's; 1 where it cannot be told."""
    found = light_over(plate.stands, frame, ~hidden & (plate.stands.min(axis=2) > 0))
    return np.ones(3, np.float32) if found is None else np.exp2(found[0]).astype(np.float32)


def _light(frame: Rgb, plate: CleanPlate, hidden: Mask) -> Array:
    """What the clean plate is multiplied by in a frame, (3,) or (h, w, 3)."""
    gain = gain_of(frame, plate, hidden)
    return gain_field(gain, shading(frame, plate.stands * gain, ~_wider(hidden), plate.order), hidden.shape)


def brought(frame: Rgb, plate: CleanPlate, hidden: Mask) -> Brought:
    """How the clean plate has to be brought to one frame, (h, w, 3) linear; through `hidden` (h, w) nothing is told yet: see `Brought.through`."""
    gain, open_ = gain_of(frame, plate, hidden), ~_wider(hidden)
    shade = shading(frame, plate.stands * gain, open_, plate.order)
    if not (plate.moving > 0.5).any():
        return Brought(gain, np.zeros((2, *grid_of(hidden.shape)[0].shape)), shade)
    seen = open_.astype(np.float32) * inner(plate.moving)
    lit = plate.picture * gain_field(gain, shade, hidden.shape)
    u = flow(coded_luma(lit), coded_luma(frame), seen, plate.way) - plate.way
    return Brought(gain, on_grid(u), shade)


def bridge_over(plate: CleanPlate, hidden: Mask, some: Sequence[Brought]) -> Bridge:
    """How what moves is carried through what is hidden, chosen by some frames."""
    return bridge(_wider(hidden), plate.moving, [b.flow for b in some])


def bridge_in(plate: CleanPlate, hidden: Mask, reach: float, doubt: float) -> Bridge:
    """The same as it was chosen before, for what is hidden in one frame."""
    return bridge_at(_wider(hidden), plate.moving, reach, doubt)


def _wider(hidden: Mask) -> Mask:
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((WIDER, WIDER), np.uint8)) > 0)


def background(plate: CleanPlate, b: Brought, where: Mask | None = None) -> Rgb:
    """The clean plate as it would be seen in a frame (h, w, 3), without grain of its own but what is left of the clean plate's; carried, by a flow that is told through what is
    hidden too (see `Brought.through`), only `where` (h, w) it is looked at."""
    light = b.light(plate.moving.shape)
    out = np.asarray(plate.stands * light, np.float32)
    carried = plate.moving > STILL  # elsewhere it would come to less than a fiftieth of what is blown
    if where is not None:
        carried &= where
    if carried.any():
        u = off_grid(b.flow, plate.moving.shape)
        u += plate.way
        at = np.flatnonzero(carried)
        y, x = np.divmod(at.astype(np.int32), carried.shape[1])
        to = np.empty((len(at), 2))
        to[:, 0] = np.clip(u[0].ravel()[at] + (x + np.float32(0.5)), 0.01, plate.spline.width - 0.01)
        to[:, 1] = np.clip(u[1].ravel()[at] + (y + np.float32(0.5)), 0.01, plate.spline.height - 0.01)
        blown = plate.spline.at(to)[0]
        blown *= light if light.ndim == 1 else light.reshape(-1, 3)[at]
        every = out.reshape(-1, 3)
        stands = every[at]
        blown -= stands
        blown *= plate.moving.ravel()[at][:, None]
        blown += stands
        every[at] = blown
    return out


def noises(behind: Rgb, plate: CleanPlate, light: Array) -> tuple[Array, Array]:
    """The variances (h, w, 3) of the grain that the take has in the background, and of what the background has itself, multiplied by the `light` (see `Brought`)."""
    level = np.maximum(behind, 0)
    law, own = (np.asarray(v, np.float32) for v in (plate.law, plate.own))  # in single precision: there are many px
    g = np.asarray(light, np.float32)
    want = level * law[:, 0]
    want += law[:, 1]
    have = level * (g * own[:, 0])
    have += g * g * own[:, 1]
    have *= plate.left
    return want, have


def grain(behind: Rgb, plate: CleanPlate, light: Array, seed: int) -> Rgb:
    """Grain by the take's law, new for every seed (h, w, 3), as much as the background has not."""
    return lacking(*noises(behind, plate, light), seed)


def laid(frame: Rgb, behind: Rgb, matte: Matte) -> Rgb:
    """The background laid over a frame where the matte (h, w) says so."""
    return np.asarray(frame + matte[..., None] * (behind - frame), np.float32)
