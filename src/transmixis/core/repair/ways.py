"""Which ways can take something out: how much of it each gives back, place by place, and which is proposed."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.repair.border import SEAM, UNLIKE
from transmixis.core.repair.laying import bounds, spread
from transmixis.core.repair.patch import best_beside, patched
from transmixis.core.repair.wire import lines_of
from transmixis.core.survey.clean_fit import CELL, MISFIT, fit_clean
from transmixis.core.types import Array, Mask, Rgb

PUNCH, CLEAN, TIME, WIRE, SPACE, MADE = "punch in", "clean plate", "other frames", "as a string", "from beside", "made up"
NAMES = (PUNCH, CLEAN, TIME, WIRE, SPACE, MADE)
LOST, LEFT, MADE_UP = (
    10.0,
    10.0,
    5.0,
)  # %: of detail by punching in; what a way may leave to the next; what may be made up (judgement, docs/limits.md)
BESIDE = 32  # px about what must go in which a clean plate is compared with the take
LARGEST = 220  # px: what is larger is hardly covered from beside
THIN, LONG = 12.0, 6.0  # px of half a string's width; how many times longer than wide it is at least
SMALL = 4  # masks are compared at a quarter of the size

Look = Callable[[int], tuple[Rgb, Mask]]


@dataclass(frozen=True)
class Way:
    """One way: the `reading` against its `limit`, in `unit`, None where it cannot serve, with the words of what it gives. `gives` (h, w) 0..1: which of what must go at
    the frame that was looked at it gives back, for the map."""

    name: str
    reading: float | None
    limit: float
    unit: str
    words: str
    gives: Array | None = field(default=None, repr=False)
    values: Mapping[str, float] = field(default_factory=dict)
    fails: bool = False  # for another reason than its reading, which the words say

    @property
    def serves(self) -> bool:
        return self.reading is not None and self.reading <= self.limit and not self.fails


def punched(hidden: Sequence[Mask], sizes: tuple[float, float]) -> Way:
    """How much of the frame must be cut off on one side, and what that costs; `sizes`: px of the plate and of what is delivered, across."""
    box = bounds(hidden)
    assert box is not None
    h, w = hidden[0].shape
    left, top, right, bottom = box
    cuts = {"left": right / w, "right": (w - left) / w, "top": bottom / h, "bottom": (h - top) / h}
    side = min(cuts, key=lambda k: cuts[k])
    rest = 1 - cuts[side]
    if rest <= 0.1:
        return Way(PUNCH, None, LOST, "%", "it reaches too far into the frame to be left out")
    zoom = 1 / rest
    lost = 100 * max(0.0, 1 - min(1.0, sizes[0] / (sizes[1] * zoom)))
    return Way(
        PUNCH,
        lost,
        LOST,
        "%",
        f"{zoom:.2f} times larger, cut at the {side}: {100 - lost:.0f} % of the detail left",
        values={"zoom": zoom},
    )


def by_clean(frames: Sequence[Rgb], hidden: Sequence[Mask], clean: Rgb, stands: bool) -> Way:
    """How much of it a clean plate fits, told from what lies about it; `stands`: the camera does."""
    if any(f.shape != clean.shape for f in frames):
        return Way(CLEAN, None, LEFT, "%", "it has another size than the take")
    if not stands:
        return Way(CLEAN, None, LEFT, "%", "the take's camera moves, so a still clean plate cannot serve; steady the take first")
    fit = fit_clean(list(frames), clean, locked=True)
    every = np.any(hidden, axis=0)
    cells = (
        cv2.resize(spread(every, 9).astype(np.uint8), (fit.misfit.shape[1], fit.misfit.shape[0]), interpolation=cv2.INTER_AREA)
        > 0
    )
    room = 2 * (BESIDE // CELL) + 1
    ring = (cv2.dilate(cells.astype(np.uint8), np.ones((room, room), np.uint8)) > 0) & ~cells
    if not ring.any():
        return Way(CLEAN, None, LEFT, "%", "nothing is seen beside it to compare with")
    off = np.where(ring, (fit.misfit > MISFIT).astype(np.float32), 0)
    weight = cv2.GaussianBlur(ring.astype(np.float32), (0, 0), 3.0)
    told = cv2.GaussianBlur(off, (0, 0), 3.0) / np.maximum(weight, 1e-4)
    gives = (cv2.resize(told, every.shape[::-1], interpolation=cv2.INTER_LINEAR) < 0.5) & every
    share = 100 * (1 - float(gives.sum()) / max(int(every.sum()), 1))
    stops = float(np.abs(fit.gain).max()) if np.isfinite(fit.gain).all() else float("nan")
    words = f"fits {100 - share:.0f} %; it stands {fit.move.length:.1f} px aside, light {stops:.2f} stops off"
    return Way(CLEAN, share, LEFT, "%", words, gives.astype(np.float32))


def in_time(hidden: Mapping[int, Mask], matrices: Mapping[int, Array], anchor: int) -> Way:
    """How much of what is hidden some other frame shows; `matrices` lead from the anchor to each frame."""
    there = [n for n in hidden if n in matrices]
    if len(there) < 2:
        return Way(TIME, None, LEFT, "%", "the frames cannot be laid over one another")
    worst, gives, best = 0.0, None, 0
    for n in there:
        if not hidden[n].any():
            continue
        seen = _shown(hidden, matrices, n, [m for m in there if m != n])
        left = 100 * float((seen[hidden[n]] == 0).mean())
        if n == anchor:
            gives, best = ((seen > 0) & hidden[n]).astype(np.float32), int(np.median(seen[hidden[n]]))
        worst = max(worst, left)
    return Way(
        TIME,
        worst,
        LEFT,
        "%",
        f"{100 - worst:.0f} % is shown elsewhere, half of it by at least {best} of the {len(there) - 1} other frames looked at",
        gives,
    )


def _shown(hidden: Mapping[int, Mask], matrices: Mapping[int, Array], n: int, others: Sequence[int]) -> Array:
    """How many other frames show each place of a frame (h, w)."""
    h, w = hidden[n].shape
    size = (w // SMALL, h // SMALL)
    scale = np.diag([SMALL, SMALL, 1.0])
    count = np.zeros((size[1], size[0]), np.float32)
    for m in others:
        bare = cv2.resize((~spread(hidden[m])).astype(np.float32), size, interpolation=cv2.INTER_AREA)
        way = np.linalg.inv(scale) @ matrices[m] @ np.linalg.inv(matrices[n]) @ scale
        laid = cv2.warpPerspective(bare, way, size, flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderValue=0)
        count += laid > 0.9
    return np.asarray(cv2.resize(count, (w, h), interpolation=cv2.INTER_NEAREST))


def as_string(hidden: Mask) -> Way:
    """Whether it is a string."""
    lines = lines_of(hidden.astype(np.float32))
    thin = [x for x in lines if x.half <= THIN and len(x.points) >= LONG * 2 * x.half]
    if not thin:
        return Way(WIRE, None, LEFT, "%", "it is no string")
    share = min(1.0, sum(2 * x.half * len(x.points) for x in thin) / max(int(hidden.sum()), 1))
    wide = 2 * max(x.half for x in thin)
    left = 100 * max(0.0, 1 - share)
    return Way(WIRE, left, LEFT, "%", f"{wide:.0f} px wide; its sides are brought together", hidden.astype(np.float32))


def from_beside(look: Look, frames: Sequence[int], matrices: Mapping[int, Array], anchor: int) -> Way:
    """Whether a neighbour goes well over it."""
    box = bounds([look(n)[1] for n in frames])
    if box is None or max(box[2] - box[0], box[3] - box[1]) > LARGEST:
        return Way(SPACE, None, UNLIKE, "levels", f"larger than {LARGEST} px: nothing beside it goes over all of it")
    looks = [(look(n)[0], look(n)[1].astype(np.float32), matrices[n]) for n in frames if n in matrices and look(n)[1].any()]
    best = best_beside(looks, (0.0, 0.0)) if looks else None
    if best is None:
        return Way(SPACE, None, UNLIKE, "levels", "no place beside it is free")
    rough = []
    for picture, matte, matrix in looks:
        shift = matrix @ np.array([[1, 0, best.right], [0, 1, best.down], [0, 0, 1.0]]) @ np.linalg.inv(matrix)
        made = patched(picture, matte, shift, 1)
        if made is not None and np.isfinite(made.rough):
            rough.append(made.rough)
    if not rough:
        return Way(SPACE, None, UNLIKE, "levels", "nothing is seen beside it to compare with")
    words = f"from {best.right:+.0f} px right, {best.down:+.0f} px down; a seam of {best.then:.1f} levels"
    offset, gives = {"right": best.right, "down": best.down}, look(anchor)[1].astype(np.float32)
    return Way(SPACE, max(rough), UNLIKE, "levels", words, gives, offset, fails=best.then > SEAM)


def made_up(ways: Sequence[Way], hidden: Mask) -> Way:
    """What is left to be made up when all that give back what was there have given it."""
    rest = hidden.astype(np.float32)
    for w in ways:
        if w.name in (CLEAN, TIME) and w.gives is not None:
            rest = rest * (w.gives == 0)
    share = 100 * float(rest.sum()) / max(int(hidden.sum()), 1)
    return Way(MADE, share, MADE_UP, "%", f"{share:.0f} % that neither a clean plate nor another frame gives", rest)


@dataclass(frozen=True)
class Choice:
    """The way that is proposed, with the rest made up or not, and why."""

    name: str
    rest: bool
    reason: str


def chosen(ways: Mapping[str, Way]) -> Choice:
    """Which way to go. What gives back what was there goes before what imitates it; a still of the place before other frames of it, since it needs no laying over;
    punching in before all if it costs next to nothing."""
    punch, clean, time, wire, space, rest = (ways.get(n) for n in NAMES)
    if punch is not None and punch.reading is not None and punch.reading <= 2:
        return Choice(PUNCH, False, f"It lies at the edge: {punch.words}.")
    if clean is not None and clean.serves:
        return Choice(CLEAN, False, f"The clean plate {clean.words}.")
    if time is not None and time.serves:
        assert time.reading is not None
        some = time.reading > 0.5
        return Choice(TIME, some, f"{_upper(time.words)}{', the rest is made up' if some else ''}.")
    if wire is not None and wire.serves:
        return Choice(WIRE, False, f"It is a string, {wire.words}.")
    if space is not None and space.serves:
        return Choice(SPACE, False, f"{_upper(space.words)}.")
    if (
        time is not None and time.reading is not None and time.reading < 90
    ):  # whatever is really there is better than what is made up
        return Choice(TIME, True, f"{_upper(time.words)}; {time.reading:.0f} % is made up, look at it closely.")
    if rest is None:
        raise UserError("Nothing has to go on the frames that were looked at.")
    return Choice(
        MADE, True, "Neither a clean plate nor another frame nor a neighbour gives it back, so it is made up: look at it closely."
    )


def _upper(words: str) -> str:
    return words[:1].upper() + words[1:]
