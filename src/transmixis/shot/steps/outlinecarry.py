"""How a Shapes step carries its outlines: the pieces of its analysis, a stretch each, and what they tell at a frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.easing import progress as ease
from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark, at_places, xy
from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.core.roto.carry import Look, Pinned
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.sheet import edge_row
from transmixis.core.roto.stretch import FLOW, SEATED, STILL, TRACK, Carrier, Guide, Told
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Inputs, Piece, Pins
from transmixis.shot.steps.attachment import Hold, hold_at
from transmixis.shot.steps.outlines import Held, OneShape, Stretch, alike, pinned, single, stretch_at, stretches

BEST, BY_MOTION, BY_PICTURE, EASED = "what serves best", "its motion", "the picture", "nothing, eased"
CARRIERS = (BEST, BY_MOTION, BY_PICTURE, EASED)
FARTHEST = 150  # frames beyond the last pin on one side that are carried; then it stands, and that is said
KEPT = 24  # looks at frames held while a stretch is carried


def ways_of(carry: str) -> tuple[str, ...]:
    """The ways that are tried."""
    return {BEST: (TRACK, SEATED, FLOW), BY_MOTION: (TRACK,), BY_PICTURE: (FLOW,), EASED: (STILL,)}[carry]


def piece_name(shape: OneShape, stretch: Stretch) -> str:
    return f"{shape.id}:{stretch.name}"


def pieces_of(shapes: Sequence[OneShape], params: Any, pins: Pins, length: int) -> tuple[Piece, ...]:
    """A piece for each stretch of each shape: it depends on the outlines at its ends and on how it is carried."""
    out = []
    plain = {k: v for k, v in params.model_dump().items() if k in ("takes", "at", "calm", "way", "lost", "carry")}
    for shape in shapes:
        try:
            held = pinned(shape, params, pins)
        except UserError:
            continue
        for s in stretches(held, length) if params.carry != EASED else ():
            first = s.before.frame if s.before else max(1, s.after.frame - FARTHEST if s.after else 1)
            last = s.after.frame if s.after else min(length, s.before.frame + FARTHEST if s.before else length)
            if last < first or not all(1 <= h.frame <= length for h in (s.before, s.after) if h):
                continue
            depends = {
                "ends": [[h.frame, *h.marks] for h in (s.before, s.after) if h], "how": plain,
                "shape": [shape.closed, [bool(c) for h in (s.before, s.after) if h for c in shape.corners(h.marks)]],
            }  # fmt: skip
            calmed = round(4 * params.calm)  # a calmed motion looks so far to either side
            looked = {*range(first - calmed, last + 1 + calmed), int(params.at)} & set(range(1, length + 1))
            out.append(Piece(piece_name(shape, s), first, last, tuple(sorted(looked)), depends))
    return tuple(out)


def analysed(shapes: Sequence[OneShape], inputs: Inputs, params: Any, piece: Piece, progress: Progress) -> Analysis:
    """One stretch carried: the points' identities and places on its frames, what is foretold, and by which way."""
    number, _, which = piece.name.partition(":")
    shape = next(s for s in shapes if s.id == int(number))
    held = pinned(shape, params, inputs.pins())
    stretch = next(s for s in stretches(held, inputs.shot.length) if s.name == which)
    look = _looker(inputs)
    guide = _guide(inputs, params, range(piece.first, piece.last + 1))
    carrier = Carrier(look, guide, ways_of(params.carry), progress)
    if stretch.before and stretch.after:
        one, two = alike(shape, stretch.before, stretch.after)
        corner = shape.corners(one)
        told = carrier.told(
            stretch.before.frame, stretch.after.frame,
            Pinned(look(stretch.before.frame), xy(one), corner, shape.closed), Pinned(look(stretch.after.frame), xy(two), corner, shape.closed),
        )  # fmt: skip
    else:
        pin = stretch.before or stretch.after
        assert pin is not None
        one = pin.marks
        end = piece.last if stretch.before else piece.first
        look_at = Pinned(look(pin.frame), xy(one), shape.corners(one), shape.closed)
        told = carrier.beyond(pin.frame, end, look_at)
    return _kept(
        told, one, [edge_row(look(n).levels, _line(shape, one, p), shape.closed) for n, p in enumerate(told.points, told.first)]
    )


def _line(shape: OneShape, marks: Sequence[Mark], points: Array) -> Array:
    return drawn(points, shape.corners(marks), shape.closed, 0.2)[0]


def _kept(told: Told, marks: Sequence[Mark], rows: Sequence[Array]) -> Analysis:
    return {
        "edge": np.array(rows),
        "first": np.array(told.first),
        "ids": np.array([m[0] for m in marks]),
        "points": told.points,
        "foretold": told.foretold,
        "along": told.along,
        "way": np.array(told.way),
    }


def _looker(inputs: Inputs) -> Callable[[int], Look]:
    """Frames of the plate as they are compared; what hides the thing is taken out."""

    @lru_cache(maxsize=KEPT)
    def look(n: int) -> Look:
        picture = inputs.picture("plate", n)
        levels = np.clip(linear_to_srgb(np.clip(picture[..., :3], 0, 1)) * 255, 0, 255).astype(np.float32)
        hidden = np.zeros(levels.shape[:2], bool) if picture.shape[2] == 3 else picture[..., 3] < 0.5
        for m in inputs.mattes("front", n):
            hidden |= m > 0.1
        return Look(levels, hidden)

    return look


def _guide(inputs: Inputs, params: Any, frames: Sequence[int]) -> Guide | None:
    """How the motion leads from one frame to another; None without one, or where it is not known on all of the stretch."""
    if not inputs.has("motion"):
        return None
    holds: dict[int, Hold] = {}
    for n in frames:
        holds[n] = hold_at(inputs, params, n)
        if not holds[n].known:
            return None

    def guide(a: int, b: int) -> Array:
        m = holds[b].matrix @ np.linalg.inv(holds[a].matrix)
        return np.asarray(m / m[2, 2])

    return guide


@dataclass(frozen=True)
class Lies:
    """An outline at a frame: its points, whether it was `set` there, what it is foretold to be off by (px; nan: not known), and by which `way` it came
    there."""

    marks: tuple[Mark, ...]
    set: bool
    off: float
    way: str = ""
    note: str = ""
    here: tuple[int, ...] = ()  # points that were set by themselves at this very frame
    along: tuple[float, ...] = ()  # px that each of its points may be off by, where that is known


NOWHERE = Lies((), False, float("nan"), note="nothing is drawn yet")


def lies_at(shape: OneShape, inputs: Inputs, params: Any, frame: int, hold: Hold, *, make: bool = True) -> Lies:
    """Where a shape's outline lies at a frame. Where it was not carried yet and shall not be now (`make`), it is eased."""
    held = pinned(shape, params, inputs.pins())
    here = next((h for h in held if h.frame == frame), None)
    if here is not None:
        return Lies(here.marks, True, 0.0)
    stretch = stretch_at(held, frame)
    if stretch is None:
        return NOWHERE
    piece = None if params.carry == EASED else inputs.piece(frame, name=piece_name(shape, stretch), make=make)
    if piece is not None:
        i = frame - int(piece["first"])
        if 0 <= i < len(piece["points"]):
            points, ids = piece["points"][i], piece["ids"]
            marks = tuple((int(k), float(p[0]), float(p[1])) for k, p in zip(ids, points, strict=True))
            off, along = float(piece["foretold"][i]), tuple(float(v) for v in piece["along"][i])
            return Lies(marks, False, off, str(piece["way"]), along=along)
    return _eased(shape, stretch, inputs, params, frame, hold)


def _eased(shape: OneShape, stretch: Stretch, inputs: Inputs, params: Any, frame: int, hold: Hold) -> Lies:
    """What its pins leave over after the motion, eased between them, and carried by the motion again."""
    one = stretch.before or stretch.after
    assert one is not None
    marks, rest = one.marks, _rest(inputs, params, one, xy(one.marks))
    if stretch.before and stretch.after:
        marks, other = alike(shape, stretch.before, stretch.after)
        t = ease(one.easing, (frame - one.frame) / (stretch.after.frame - one.frame), one.handles)
        rest = (1 - t) * _rest(inputs, params, one, xy(marks)) + t * _rest(inputs, params, stretch.after, xy(other))
    return Lies(at_places(marks, moved_points(hold.matrix, rest)), False, float("nan"), note="it is only eased here")


def _rest(inputs: Inputs, params: Any, pin: Held, points: Array) -> Array:
    """A pin's points taken back to the frame at which the shape was set: what the motion does not explain is left in them."""
    return moved_points(np.linalg.inv(hold_at(inputs, params, pin.frame).matrix), points)


def corrected(shape: OneShape, lies: Lies, inputs: Inputs, params: Any, frame: int, at: Callable[[int], Lies]) -> Lies:
    """With the points that were set by themselves: what they lie off the carried outline is eased from one such pin to the next, turned with the
    outline; at a pin of the whole it is nothing. `at` gives the carried outline at a frame."""
    own = single(shape, inputs.pins())
    if not own or lies.set:
        return lies
    held = [h.frame for h in pinned(shape, params, inputs.pins())]
    low, high = max((f for f in held if f < frame), default=0), min((f for f in held if f > frame), default=2**31)
    knots = {f: marks for f, marks in own.items() if low < f < high}
    if not knots:
        return lies
    carried = {f: {m[0]: complex(m[1], m[2]) for m in at(f).marks} for f in knots}
    here = {m[0]: complex(m[1], m[2]) for m in lies.marks}
    out = []
    for i, z in here.items():
        rows = [
            (f, complex(m[1], m[2]) - carried[f][i], f)
            for f, marks in knots.items()
            for m in marks
            if m[0] == i and i in carried[f]
        ]
        if rows:
            table = sorted(
                [*((f, d * _turn(carried[g], here)) for f, d, g in rows), *((f, 0j) for f in (low, high) if f in held)],
                key=lambda r: r[0],
            )
            z += complex(
                *(np.interp(frame, [r[0] for r in table], [getattr(r[1], part) for r in table]) for part in ("real", "imag"))
            )
        out.append((i, z.real, z.imag))
    return replace(lies, marks=tuple(out), here=tuple(m[0] for m in own.get(frame, ())))


def _turn(one: dict[int, complex], two: dict[int, complex]) -> complex:
    """How an outline has turned, without its size."""
    both = sorted(one.keys() & two.keys())
    a, b = np.array([one[i] for i in both]), np.array([two[i] for i in both])
    f = complex((np.conj(a - a.mean()) * (b - b.mean())).sum()) if len(both) > 1 else 1 + 0j
    return f / abs(f) if abs(f) > 1e-9 else 1 + 0j
