"""A clean plate brought to a take: where it stands, in each frame's light, carried by what the wind does about the place, and grained anew."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
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
from transmixis.core.repair.wind import Bridge, bridge, bridge_at, flow, grid_of, off_grid, on_grid
from transmixis.core.survey.clean_fit import evened, light_over, median_move
from transmixis.core.survey.noise import noise_law, noise_over_time
from transmixis.core.types import Array, Mask, Matte, Rgb

MOVES = 0.08  # px: what the clean take's flow makes of grain alone is about a third of it
WANDERS = 1.0  # px: wind takes the picture's own motion aside by less
SMOOTH = 6.0  # px: over which it is told whether things move
ROOM = 40  # px about what must go in which a single clean frame is quietened
WIDER = 5  # px: what is hidden is a little more than what must go, its blur


@dataclass(frozen=True)
class CleanPlate:
    """`picture` (h, w, 3) the clean plate, averaged, in its own place, and `stands` (h, w, 3) where it stands in the take, nothing carried; `left` (h, w, 1) 0..1 the
    share of its noise that is left in it; `way` (2, h, w) px from each px of the take to its place there; `moving` (h, w) 0..1 where things move in the take; `law`
    (3, 2) the take's noise, `own` the clean plate's."""

    picture: Rgb
    stands: Rgb
    left: Array
    way: Array
    moving: Array
    law: Array
    own: Array
    move: Move

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
    """One frame's: its `gain` (3,) over the clean plate, and how things have moved on the grid (2, gh, gw) px."""

    gain: Array
    flow: Array


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
    picture, moving = _averaged(cleans, middle)
    left = np.full((*hidden.shape, 1), 1 / len(cleans), np.float32)
    if len(cleans) > 1:
        moving = _sampled(Splined(moving[..., None]), way)[..., 0]
    told = noise_over_time(list(pairwise([evened(f, frames[0]) for f in frames]))) if len(frames) > 1 else None
    law = told.law if told is not None else np.median([noise_law(f, ~hidden) for f in frames], axis=0)
    box = box_about(hidden, ROOM)
    own = _own_law(cleans, law, box)
    if len(cleans) == 1:
        picture, left[box] = _quietened(middle, own, box)
        left = _sampled(Splined(left), way).clip(0, 1)
    plate = CleanPlate(picture, _sampled(Splined(picture), way), left, way, moving, law, own, move)
    if len(cleans) == 1:
        plate = _told_by_take(plate, frames, hidden)
    return plate


def _own_law(cleans: Sequence[Rgb], law: Array, box: tuple[slice, slice]) -> Array:
    """The clean plate's noise: over time, else as much of the take's as its finest detail shows. A plate that was averaged or painted has less."""
    pairs = [(a, evened(b, a)) for a, b in pairwise(cleans)]
    told = noise_over_time(pairs) if pairs else None
    if told is not None:
        return told.law
    return np.asarray(law * min(1.0, _share(cleans[0][box], law)) ** 2)


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
    reference, everywhere, none = coded_luma(middle), np.ones((h, w), np.float32), np.zeros((2, h, w), np.float32)
    flows = [none if c is middle else flow(coded_luma(evened(c, middle)), reference, everywhere, none) for c in cleans]
    moving = _moving(flows)
    total = np.zeros_like(middle)
    for c, u in zip(cleans, flows, strict=True):
        total += c if c is middle else _sampled(Splined(evened(c, middle)), u * moving)
    return (total / len(cleans)).astype(np.float32), moving


def _moving(flows: Sequence[Array]) -> Array:
    """Where (h, w) 0..1 things move over several flows (2, h, w)."""
    size = np.sqrt(cv2.GaussianBlur(np.mean([(u * u).sum(axis=0) for u in flows], axis=0).astype(np.float32), (0, 0), SMOOTH))
    return np.asarray(np.clip(size / MOVES - 1, 0, 1), np.float32)


def _told_by_take(plate: CleanPlate, frames: Sequence[Rgb], hidden: Mask) -> CleanPlate:
    """With one clean frame alone the take says where things move; through what is hidden it goes on as beside it."""
    seen = (~hidden).astype(np.float32)
    lit = [plate.picture * gain_of(f, plate, hidden) for f in frames]
    flows = [flow(coded_luma(c), coded_luma(f), seen, plate.way) - plate.way for f, c in zip(frames, lit, strict=True)]
    moving = _moving([u * seen for u in flows])
    grown = cv2.GaussianBlur(moving * seen, (0, 0), 20) / np.maximum(cv2.GaussianBlur(seen, (0, 0), 20), 1e-3)
    return replace(plate, moving=np.where(hidden, grown, moving).astype(np.float32))


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


def brought(frame: Rgb, plate: CleanPlate, hidden: Mask) -> Brought:
    """How the clean plate has to be brought to one frame, (h, w, 3) linear; through `hidden` (h, w) nothing is told yet: see `bridge_over`."""
    gain = gain_of(frame, plate, hidden)
    if not (plate.moving > 0.5).any():
        return Brought(gain, np.zeros((2, *grid_of(hidden.shape)[0].shape)))
    seen = (~_wider(hidden)).astype(np.float32)
    u = flow(coded_luma(plate.picture * gain), coded_luma(frame), seen, plate.way) - plate.way
    return Brought(gain, on_grid(u))


def bridge_over(plate: CleanPlate, hidden: Mask, some: Sequence[Brought]) -> Bridge:
    """How what moves is carried through what is hidden, chosen by some frames."""
    return bridge(_wider(hidden), plate.moving, [b.flow for b in some])


def bridge_in(plate: CleanPlate, hidden: Mask, reach: float, doubt: float) -> Bridge:
    """The same as it was chosen before, for what is hidden in one frame."""
    return bridge_at(_wider(hidden), plate.moving, reach, doubt)


def _wider(hidden: Mask) -> Mask:
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((WIDER, WIDER), np.uint8)) > 0)


def background(plate: CleanPlate, b: Brought, over: Bridge, where: Mask | None = None) -> Rgb:
    """The clean plate as it would be seen in a frame (h, w, 3), without grain of its own but what is left of the clean plate's; carried only `where` (h, w)
    it is looked at."""
    out = (plate.stands * b.gain).astype(np.float32)
    carried = plate.moving > 0.02  # elsewhere it would come to less than a fiftieth of what is blown
    if where is not None:
        carried &= where
    if carried.any():
        u = off_grid(over.over(b.flow), plate.moving.shape) * plate.moving + plate.way
        y, x = np.nonzero(carried)
        at = np.stack([x + 0.5 + u[0][carried], y + 0.5 + u[1][carried]], 1)
        out[carried] = plate.spline.at(np.clip(at, 0.01, (plate.spline.width - 0.01, plate.spline.height - 0.01)))[0] * b.gain
    return out


def noises(behind: Rgb, plate: CleanPlate, gain: Array) -> tuple[Array, Array]:
    """The variances (h, w, 3) of the grain that the take has at the background's light, and of what the background has itself."""
    level = np.maximum(behind, 0)
    want = plate.law[:, 0] * level + plate.law[:, 1]
    have = plate.left * gain * gain * (plate.own[:, 0] * level / gain + plate.own[:, 1])
    return want.astype(np.float32), have.astype(np.float32)


def grain(behind: Rgb, plate: CleanPlate, gain: Array, seed: int) -> Rgb:
    """Grain by the take's law, new for every seed (h, w, 3), as much as the background has not."""
    return lacking(*noises(behind, plate, gain), seed)


def laid(frame: Rgb, behind: Rgb, matte: Matte) -> Rgb:
    """The background laid over a frame where the matte (h, w) says so."""
    return np.asarray(frame + matte[..., None] * (behind - frame), np.float32)
