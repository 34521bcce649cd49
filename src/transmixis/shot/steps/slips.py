"""Where a track asks for a hand, and what a practised person would do there. Each way out is tried on the frames in question, measured as
the track itself is, and proposed with what it was found to do; where none helps, the frames to set by hand are named."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.agree import from_behind, jumps, strains
from transmixis.core.motion.follow import Way, follow
from transmixis.core.motion.level import OUTSIDE, Laid
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.readings import FAULT
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Inputs, Proposal
from transmixis.shot.model import Pin
from transmixis.shot.steps.reseats import RESEAT, SEAT, Reseat
from transmixis.shot.steps.trackreadings import BOTH_WAYS, ERROR, GAP, JUMP, UNLIKE

if TYPE_CHECKING:
    from transmixis.shot.steps.tracking import Track

HIDDEN = "marked as hidden"
NOT_SO_FAR = "the track does not go so far"
MEANT = (HIDDEN, NOT_SO_FAR)  # why it is not known where a person wants it so
ONWARDS = 3  # frames beyond it that must be sound too
BRIDGED = 2  # sound frames between two slips that are one
BEFORE = (0, 4)  # frames before the last sound one from which a new look is tried: the trouble may have begun in it
FEW = 24  # frames that are tried on: of a kind that takes so long a frame, one place to begin at is enough
EASIER = 0.7  # of the worst error that counts as better, where no frame is won
EVERY = 8  # frames between places that are set by hand
MOST_HANDS = 3


@dataclass(frozen=True)
class Slip:
    """Frames `first`..`last` that ask, found from `seat` on; `lost` is how many of them are not known, `error` px the worst of the others
    (nan: none), `worst` the frame that is furthest over a limit, `reading` the one that says so. `outside`: it has left the frame. `look`: the
    frame of the new look that brought it off its place, if that is what asks; 0: none."""

    first: int
    last: int
    seat: int
    lost: int
    error: float
    worst: int
    reading: str
    outside: bool = False
    look: int = 0

    @property
    def frames(self) -> range:
        """Outwards from the seat."""
        return range(self.first, self.last + 1) if self.seat <= self.first else range(self.last, self.first - 1, -1)


@dataclass(frozen=True)
class WayOut:
    """Something to try: by `params` a surface followed from `start` on (`way`), which is used by `proposal` with what was found of it; `freer`: the
    same, if it may change more."""

    params: Any
    surface: Surface
    freer: Surface | None
    start: int
    way: Way
    own: float  # px: the error that it starts with
    proposal: Callable[[tuple[Effect, ...]], Proposal]
    most: int = 0  # frames that it is tried on at most; 0: as the kind says


def slips(kind: Track[Any], inputs: Inputs, params: Any) -> list[Slip]:
    """Runs of frames that ask for a hand, the one with most frames first. Frames in which it is hidden for a moment, or was said to be,
    do not ask."""
    rows = [_row(kind, inputs, params, n) for n in range(1, inputs.shot.length + 1)]
    lost = np.array([not m.known and m.why not in MEANT for m, _ in rows])
    asks = np.array([r[1] is not None for r in rows])
    for a, b in _runs(lost):
        asks[a : b + 1] |= b - a + 1 > GAP
    seats = sorted(kind.seats(params, inputs.pins()))
    out = []
    for a, b in _runs(asks, BRIDGED):
        told = [m.error for m, _ in rows[a : b + 1] if m.known and np.isfinite(m.error)]
        over = [(by[1], n, by[0]) for n, (_, by) in enumerate(rows[a : b + 1], a + 1) if by is not None]
        _, worst, reading = max(over) if over else (0.0, (a + b) // 2 + 1, "gap")
        outside = all(m.why == OUTSIDE for m, _ in rows[a : b + 1])
        seat = min(seats, key=lambda s: min(abs(s - a - 1), abs(s - b - 1)))
        look = _look_to_blame(inputs, worst) if reading == "drift" else 0
        out.append(
            Slip(a + 1, b + 1, seat, int(lost[a : b + 1].sum()), max(told, default=float("nan")), worst, reading, outside, look)
        )
    return sorted(out, key=lambda s: s.first - s.last)


def _look_to_blame(inputs: Inputs, n: int) -> int:
    """The frame of the new look by which frame n was found, if no hand has set its place; else 0."""
    piece = inputs.piece(n)
    by = 0 if piece is None else int(piece["by"])
    pins = inputs.pins()
    looks, seats = ({p.frame for p in pins.get(name, ())} for name in (RESEAT, SEAT))
    return by if by in looks - seats else 0


def way_out(kind: Track[Any], inputs: Inputs, params: Any, progress: Progress) -> Proposal | None:
    """What betters the longest slip most, as measured; which frames to set by hand where nothing does. None where nothing asks."""
    found = slips(kind, inputs, params)
    if not found:
        return None
    slip = found[0]
    if slip.look:  # all that it carries is as far off as it is, and no further look can know
        return _set_the_look(slip)
    best: tuple[tuple[float, ...], Proposal] | None = None
    now = (len(slip.frames), slip.error if np.isfinite(slip.error) else 0.0)
    for make in (_ways, _other_things):
        if best is not None and best[0][0] == 0:
            break  # nothing else need be followed
        ways = make(kind, inputs, params, slip, progress)
        for i, way in enumerate(ways):
            progress.at(i, len(ways), "trying ways out of a slip")
            bad, error, frames = _tried(kind, inputs, slip, way, progress)
            better = bad < now[0] or (bad == now[0] and error < EASIER * now[1])
            made = way.proposal(_effects(slip, bad, error))
            # of those that are good enough a setting is better than a new look: it mends the cause, and holds on
            rank = (bad, max(error, ERROR / 2), float(bool(made.pins)) + 2 * float(made.instead is not None), error)
            if better and (best is None or rank < best[0]):
                best = rank, replace(made, gains=f"Tried on {frames} frames.", frames=(slip.first, slip.last))
    return best[1] if best is not None else None if slip.outside else _by_hand(slip)


def _row(kind: Track[Any], inputs: Inputs, params: Any, n: int) -> tuple[Motion, tuple[str, float] | None]:
    """The motion at a frame, and of its readings the one that is furthest over its limit with how far."""
    product = kind.told(inputs, params, n)
    over = [(r.ratio or 0.0, r.name) for r in kind.read(inputs, params, product, n) if r.state == FAULT and r.name != "gap"]
    assert product.motion is not None
    return product.motion, (max(over)[1], max(over)[0]) if over else None


def _runs(marked: Array, bridged: int = 0) -> list[tuple[int, int]]:
    """First and last index of the runs of what is marked."""
    out: list[list[int]] = []
    for i in np.flatnonzero(marked):
        if out and i - out[-1][1] <= bridged + 1:
            out[-1][1] = int(i)
        else:
            out.append([int(i), int(i)])
    return [(a, b) for a, b in out]


def _ways(kind: Track[Any], inputs: Inputs, params: Any, slip: Slip, progress: Progress) -> list[WayOut]:
    """What a practised person would try."""
    sign = 1 if slip.seat <= slip.first else -1
    sound = slip.frames[0] - sign
    out: list[WayOut] = []
    for back in BEFORE if kind.tried_on > FEW else BEFORE[:1]:
        n = sound - sign * back
        if (n - slip.seat) * sign < 0:
            break
        motion = kind.told(inputs, params, n).motion
        if motion is None or not motion.known:
            continue
        motion = replace(motion, error=float(np.nan_to_num(motion.error)))  # how well a hand has set it nobody has measured
        out += kind.tries(inputs, params, n, sign, motion, progress)
    return out


def _other_things(kind: Track[Any], inputs: Inputs, params: Any, slip: Slip, progress: Progress) -> list[WayOut]:
    """What could be followed instead, from the last sound frame on."""
    sign = 1 if slip.seat <= slip.first else -1
    sound = slip.frames[0] - sign
    if not 1 <= sound <= inputs.shot.length:
        return []
    motion = kind.told(inputs, params, sound).motion
    if motion is None or not motion.known:
        return []
    return kind.instead(inputs, params, sound, sign, replace(motion, error=float(np.nan_to_num(motion.error))), progress)


def reseated_here(kind: Track[Any], inputs: Inputs, params: Any, n: int, motion: Motion, looks: Any, words: str) -> WayOut | None:
    """Going on from frame `n` with another look, taken there; None where that shows too little."""
    places = moved_points(motion.matrix, kind.places(params))
    if n == int(params.reference):  # its look there is the one that it has
        return None
    value = Reseat(places=tuple(map(tuple, places.tolist())), looks=looks, error=motion.error)
    try:
        surfaces = _surfaces(kind, inputs, kind.reseated(params, value, motion.matrix, n), places)
    except UserError:
        return None
    pins = {RESEAT: (Pin(frame=n, value=value.plain(), easing="linear"),)}

    def proposal(effects: tuple[Effect, ...]) -> Proposal:
        return Proposal({}, words, effects, costs=f"A second reference at frame {n}.", pins=pins)

    return WayOut(*surfaces, n, Way(np.eye(3), np.eye(3), at=n), motion.error, proposal)


def set_otherwise(kind: Track[Any], inputs: Inputs, params: Any, n: int, motion: Motion, values: dict[str, Any], words: str) -> WayOut | None:  # fmt: skip
    """Following on from frame `n` with other settings; None where they show too little."""
    try:
        surfaces = _surfaces(kind, inputs, params.model_copy(update=values), None)
    except UserError:
        return None
    return WayOut(*surfaces, n, Way(motion.matrix, motion.matrix, at=n), 0.0, lambda effects: Proposal(values, words, effects))


def _surfaces(kind: Track[Any], inputs: Inputs, params: Any, told: Array | None) -> tuple[Any, Surface, Surface | None]:
    """The parameters, what is followed by them, and the same if it may change more."""
    freer = kind.freer(params)
    return params, kind.surface_of(inputs, params, told), None if freer is None else kind.surface_of(inputs, freer, told)


def _tried(kind: Track[Any], inputs: Inputs, slip: Slip, way: WayOut, progress: Progress) -> tuple[int, float, int]:
    """On how many frames it would still ask, those about the slip that it spoils counted in; its worst error px in the slip, infinite if it
    is lost on more of them; and on how many frames it was tried. Those of a long slip that were not tried count as asking still."""
    sign = 1 if slip.seat <= slip.first else -1
    end = slip.frames[-1] + sign * ONWARDS
    end = min(max(end, 1), inputs.shot.length)
    frames = list(range(way.start + sign, end + sign, sign))[: (way.most or kind.tried_on) + ONWARDS]

    def look(n: int) -> Array:
        return kind.look(inputs, n)

    found, on = _found(kind, inputs, way, frames, progress)
    back = from_behind(way.surface, look, frames, found, on.shutter.share, progress)
    jump = jumps(way.surface, way.way, found)
    error = np.array([np.hypot(f.error, way.own) for f in found])
    if way.freer is not None:
        error = np.hypot(error, strains(way.freer, way.surface, look, frames, found, on.shutter.share, progress))
    bad = _bad(found, error, back, jump)
    inside = np.array([n in slip.frames for n in frames])
    left = len(slip.frames) - int(inside.sum())  # what was not tried stays as it is
    lost = int(np.isnan(error[inside]).sum()) + left
    worst = float(error[inside & np.isfinite(error)].max(initial=0.0)) if lost <= slip.lost else float("inf")
    return int(bad.sum()) + left, worst, len(frames)


def _found(kind: Track[Any], inputs: Inputs, way: WayOut, frames: list[int], progress: Progress) -> tuple[list[Laid], Way]:
    if way.most:  # it is a thing of its own, whatever the kind follows by
        return follow(way.surface, lambda n: kind.look(inputs, n), frames, way.way, int(way.params.reach), progress)
    return kind.found_on(inputs, way.params, way.surface, frames, way.way, progress)


def _bad(found: Sequence[Laid], error: Array, back: Array, jump: Array) -> Array:
    """(n,) where it would ask; the same limits as the readings'."""
    lost = np.array([f.lost for f in found])
    unlike = np.array([100 * (1 - f.alike) for f in found])
    with np.errstate(invalid="ignore"):
        return lost | (error > ERROR) | (unlike > UNLIKE) | (back > BOTH_WAYS) | (jump > JUMP)


def _effects(slip: Slip, bad: int, error: float) -> tuple[Effect, ...]:
    out = [Effect("asks", len(slip.frames), bad, "frames", 1.0)]
    if np.isfinite(slip.error) and 0 < error < np.inf:
        out.append(Effect("worst error", slip.error, error, "px", ERROR))
    return tuple(out)


def _set_the_look(slip: Slip) -> Proposal:
    words = (
        f"What is found by the new look of frame {slip.look} lies beside what the first one says. Go there and drag its place right: all that "
        "it carries moves with it."
    )
    return Proposal({}, words, frames=(slip.first, slip.last))


def _by_hand(slip: Slip) -> Proposal:
    """Which frames to set, so that none is far from one that is right."""
    count = min(MOST_HANDS, max(1, -(-len(slip.frames) // EVERY)))
    at = [slip.first + round((i + 0.5) * (slip.last - slip.first + 1) / count - 0.5) for i in range(count)]
    named = f"frame {at[0]}" if count == 1 else f"frames {', '.join(map(str, at[:-1]))} and {at[-1]}"
    why = "it is not found" if slip.lost else f"the {slip.reading} is over its limit"
    words = f"From {slip.first} to {slip.last} {why}, and no other look or setting betters it. Set it by hand at {named}; it is followed between."
    return Proposal({}, words, frames=(slip.first, slip.last))
