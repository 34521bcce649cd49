"""What steps share that gather a background at some frames of the take and lay it into those between: by the motion they hang on, else as what is seen about the place
moves. Each gathered background is a piece of the analysis."""

from __future__ import annotations

import contextlib
from abc import abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import replace
from functools import partial
from typing import Any, TypeVar

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.backing import Backing, brought_in, looked_up
from transmixis.core.repair.depths import laid_aside
from transmixis.core.repair.intime import APART, CLOSE, Look, anchors, told_of
from transmixis.core.repair.laying import Box, bounds, lay_out, surface_about
from transmixis.core.types import Array, Mask, Rgb
from transmixis.shot.contract import Analysis, Given, Inputs, Piece, Pins, Product, Slot
from transmixis.shot.steps.mending import (
    FRONT_SLOT,
    GONE_SLOT,
    Mending,
    MendParams,
    Place,
    look_at,
    mend_plot,
    mended,
    place_of,
    readable,
    untouched,
)
from transmixis.shot.steps.params import choice

FOUND, DEEP, STANDS = "as one surface", "at several depths", "not at all"
OPEN, MADE_UP = 0.5, 5.0  # % of what must go: left as it is; made up, more and somebody sees it (judgement, docs/limits.md)
MOTION_SLOT = Slot(
    "motion", "the motion of what lies behind it, instead of what is seen", takes="motion", optional=True, usual=()
)


class BackedParams(MendParams):
    moves: str = choice(
        FOUND,
        (FOUND, DEEP, STANDS),
        "Background moves",
        "How what lies behind moves, told from what is seen about the place: as one surface, or with nearer and farther things aside of it, by flow; or not at all, from a tripod. A connected motion goes before it.",
    )


Q = TypeVar("Q", bound=BackedParams)


class Backed(Mending[Q]):
    """A kind that lays backgrounds gathered at some frames, its anchors, into all of them."""

    slots = (
        Slot("plate", "the take to mend", ground=True, whole=True),
        replace(GONE_SLOT, whole=True),
        replace(MOTION_SLOT, whole=True),
        FRONT_SLOT,
    )
    also = (Given("open", "matte", "what stays as it is, because nothing shows what is behind"),)
    pieced = True

    @abstractmethod
    def frames_of(self, length: int, anchor: int, first: int, last: int, params: Q) -> tuple[int, ...]:
        """The frames that are looked at for an anchor's background, beside those that it serves."""

    @abstractmethod
    def made(
        self,
        look: Look,
        matrices: dict[int, Array],
        anchor: int,
        serves: Sequence[int],
        before: tuple[Backing, Array] | None,
        params: Q,
    ) -> tuple[Backing, Mask]:
        """The anchor's background and which of it is made up. `before`: that of the anchor before, and the matrix from there to here."""

    def chained(self, params: Q) -> bool:
        """Whether an anchor's background goes on from the one before."""
        return False

    def looks_at(self, slot: str, params: Q, pins: Pins, frame: int, length: int) -> tuple[int, ...]:
        return ()

    def pieces(self, length: int, params: Q, pins: Pins) -> tuple[Piece, ...]:
        out: list[Piece] = []
        every = self._anchors(length, params)
        for k, a in enumerate(every):
            first, last = told_of(length, a, every)
            frames = tuple(sorted({*self.frames_of(length, a, first, last, params), *range(first, last + 1)}))
            depends: dict[str, Any] = {"moves": params.moves, **self.depends(params)}
            out.append(Piece(str(a), first, last, frames, depends, str(every[k - 1]) if k and self.chained(params) else ""))
        return tuple(out)

    def _anchors(self, length: int, params: Q) -> list[int]:
        return anchors(length, CLOSE if params.moves == DEEP else APART)

    def depends(self, params: Q) -> dict[str, Any]:
        """Further plain values that a gathered background depends on."""
        return {}

    def analyse_piece(self, inputs: Inputs, params: Q, piece: Piece, before: Analysis | None, progress: Progress) -> Analysis:
        look = partial(look_at, inputs)
        frames = readable(look, piece.frames)
        anchor = min(frames, key=lambda n: abs(n - int(piece.name)))  # its neighbour where it cannot be read itself
        serves = [n for n in range(piece.first, piece.last + 1) if n in frames]
        box = bounds([look(n)[1] for n in serves[:: max(1, len(serves) // 12)]] + [look(anchor)[1]])
        if box is None and not any(look(n)[1].any() for n in serves):
            return {"frames": np.zeros(0, int)}
        progress.at(0, 3, f"laying frames over frame {anchor}")
        about = box or (0, 0, inputs.shot.width, inputs.shot.height)
        matrices = laid_over(inputs, params.moves, look, frames, anchor, about)
        progress.at(1, 3, f"gathering the background at frame {anchor}")
        backing, made_up = self.made(look, matrices, anchor, serves, _earlier(before, anchor), params)
        aside: dict[int, Array] = {}
        if params.moves == DEEP:
            progress.at(2, 3, f"telling what is nearer and farther at frame {anchor}")
            aside = laid_aside(backing, matrices, look, [n for n in serves if n in matrices], anchor)
        return self.kept(matrices, backing, made_up, aside)

    def kept(
        self, matrices: dict[int, Array], backing: Backing, made_up: Mask, aside: Mapping[int, Array] | None = None
    ) -> Analysis:
        """A gathered background, how it lies in the frames, and which of it is made up, as plain arrays; how what is nearer and farther lies aside."""
        frames = sorted(matrices)
        told = {f"aside {n}": v for n, v in (aside or {}).items()}
        return {
            "frames": np.array(frames, int), "matrices": np.stack([matrices[n] for n in frames]) if frames else np.zeros((0, 3, 3)), "picture": backing.picture,
            "count": backing.count, "at": np.array([backing.left, backing.top]), "law": backing.law, "made": made_up, **told,
        }  # fmt: skip

    def compute(self, inputs: Inputs, params: Q, frame: int) -> Product:
        place = place_of(inputs, frame, params.feather)
        if place is None:
            whole = untouched(inputs, frame)
            return replace(whole, also={"open": Product(matte=np.zeros_like(whole.matte))})
        behind, count, made_up, law = self._behind(inputs, params, place, frame)
        there = (count > 0).astype(np.float32)
        level = np.maximum(behind, 0)
        want = (law[:, 0] * level + law[:, 1]).astype(np.float32)
        have = want / np.maximum(count, 1)[..., None]
        product, work = mended(inputs, params, frame, place, behind, (want, have), there)
        left = np.zeros(place.gone.shape, np.float32)
        left[place.box] = place.gone[place.box] * (1 - there)
        own = (_share("open", place, 1 - there, OPEN), _share("made up", place, made_up, MADE_UP))
        return replace(product, also={"open": Product(matte=left)}, work=replace(work, own=own))

    def _behind(self, inputs: Inputs, params: Q, place: Place, frame: int) -> tuple[Rgb, Array, Array, Array]:
        """What is laid into a frame's box, as how many frames it counts, which of it is made up, and the noise's law: of the anchors beside it, one going over into the other."""
        every, deep = self._anchors(inputs.shot.length, params), params.moves == DEEP
        mine = [a for a in every if told_of(inputs.shot.length, a, every)[0] <= frame <= told_of(inputs.shot.length, a, every)[1]]
        found = []
        for a in sorted(mine, key=lambda a: abs(a - frame))[:2]:
            piece = inputs.piece(frame, name=str(a))
            assert piece is not None
            at = np.flatnonzero(piece["frames"] == frame)
            if len(at):
                found.append((a, piece, piece["matrices"][at[0]]))
        if not found:
            raise UserError(
                f"Frame {frame} could not be laid over the others: what lies about the place is not found in it. Connect a motion."
            )
        total, count = np.zeros((*place.hidden.shape, 3), np.float32), np.zeros(place.hidden.shape, np.float32)
        weight, made_up = np.zeros(place.hidden.shape, np.float32), np.zeros(place.hidden.shape, bool)
        shift = np.array([[1, 0, -place.box[1].start], [0, 1, -place.box[0].start], [0, 0, 1.0]])
        for k, (a, piece, matrix) in enumerate(found):
            share = 1.0 if len(found) == 1 else float(np.clip(1 - abs(frame - a) / abs(found[0][0] - found[1][0]), 0, 1))
            if share <= 0 and k:
                continue
            backing = _backing(piece)
            seen, many = brought_in(
                backing, shift @ matrix, place.own, place.hidden, place.where, deep, piece.get(f"aside {frame}")
            )
            w = max(share, 1e-3) * (many > 0)
            total += w[..., None] * seen
            count += w * w / np.maximum(many, 1e-6) * (many > 0)
            weight += w
            if piece["made"].any():
                made_up |= _made_in(piece, shift @ matrix, place.where) & (many > 0)
        there = weight > 0
        behind = np.where(there[..., None], total / np.maximum(weight, 1e-6)[..., None], 0)
        many = np.where(there, weight * weight / np.maximum(count, 1e-9), 0)
        return behind.astype(np.float32), many.astype(np.float32), made_up.astype(np.float32), found[0][1]["law"]

    def plot(self, inputs: Inputs, params: Q, frame: int) -> Plot | None:
        """Straightened on the background as it was laid over the anchor nearest to the playhead."""
        every = self._anchors(inputs.shot.length, params)
        piece = inputs.piece(frame, name=str(min(every, key=lambda a: abs(a - frame))), make=False)

        def laid(n: int) -> Array | None:
            if piece is None:
                return None
            at, own = (np.flatnonzero(piece["frames"] == k) for k in (n, frame))
            if not len(at) or not len(own):
                return None
            return np.asarray(piece["matrices"][at[0]] @ np.linalg.inv(piece["matrices"][own[0]]))

        return mend_plot(inputs, frame, laid)


def laid_over(inputs: Inputs, moves: str, look: Look, frames: tuple[int, ...], anchor: int, box: Box) -> dict[int, Array]:
    """Matrices (3 x 3) from px of the anchor to px of other frames: by the motion that is connected, else as it is seen about the `box` of what must go. Raises UserError where
    neither tells."""
    if inputs.has("motion"):
        return _by_motion(inputs, frames, anchor)
    if moves == STANDS:
        return {n: np.eye(3) for n in frames}
    return _seen_to_move(look, frames, anchor, box, (inputs.shot.width, inputs.shot.height))


def _seen_to_move(look: Look, frames: tuple[int, ...], anchor: int, box: Box, size: tuple[int, int]) -> dict[int, Array]:
    """The frames laid over the anchor by what is seen about the place; where that shows too little, by all that is seen."""
    found: dict[int, Array] = {}
    for about in (box, (0, 0, *size)):
        with contextlib.suppress(UserError):
            found = lay_out(surface_about(*look(anchor), about), look, anchor, frames)
        if 2 * len(found) > len(frames):
            return found
    if len(found) < 2 <= len(frames):
        raise UserError(
            "What lies about it shows too little to tell how what is behind it moves; connect a motion, or say that it does not move."
        )
    return found


def _by_motion(inputs: Inputs, frames: tuple[int, ...], anchor: int) -> dict[int, Array]:
    base = inputs.motion("motion", anchor)
    if not base.known:
        raise UserError(f"The motion is not known at frame {anchor}, at which the background is gathered ({base.why}).")
    out = {}
    for n in frames:
        m = inputs.motion("motion", n)
        if m.known:
            since = m.matrix @ np.linalg.inv(base.matrix)
            out[n] = since / since[2, 2]
    return out


def _backing(a: Analysis) -> Backing:
    left, top = (int(v) for v in a["at"])
    return Backing(a["picture"], a["count"], left, top, a["law"])


def _made_in(a: Analysis, matrix: Array, where: Mask) -> Mask:
    """Which px of a frame, `where` it is looked at, show what is made up."""
    y, x = np.nonzero(where)
    back = moved_points(np.linalg.inv(matrix), np.stack([x + 0.5, y + 0.5], 1)) - a["at"]
    out = np.zeros(where.shape, bool)
    out[y, x] = looked_up(a["made"], back, False)
    return out


def _earlier(before: Analysis | None, anchor: int) -> tuple[Backing, Array] | None:
    """The background of the anchor before, as made up, and the matrix from there to here; None where there is none."""
    if before is None or not len(before["frames"]):
        return None
    at = np.flatnonzero(before["frames"] == anchor)
    if not len(at) or not before["made"].any():
        return None
    b = _backing(before)
    return replace(b, count=np.where(before["made"], b.count, 0).astype(np.float32)), before["matrices"][at[0]]


def _share(name: str, place: Place, what: Array, limit: float) -> Reading:
    """How much of what must go is left, or made up."""
    gone = place.hidden.astype(np.float32)
    share = 100 * float((gone * what).sum()) / max(float(gone.sum()), 1.0)
    if share <= 0:
        return Reading(name, 0.0, "%", limit)
    ys, xs = np.nonzero(gone * what > 0.5)
    if not len(xs):
        return Reading(name, share, "%", limit)
    y, x = int(np.median(ys)) + place.box[0].start, int(np.median(xs)) + place.box[1].start
    return Reading(name, share, "%", limit, spot=(max(0, x - 12), max(0, y - 12), 25, 25))
