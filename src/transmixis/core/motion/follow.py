"""Following a surface or a point from frame to frame: where it is looked for, how far, and when it counts as lost.

Every frame is compared with the reference, so nothing adds up. It is looked for where its own path leads; where it is not, where its
surroundings have moved; then in a widening neighbourhood. While it is hidden it is carried on by surroundings that moved as it did, so that
of look-alikes the right one is found again.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field, replace

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.around import NEAR, WIDE, Around
from transmixis.core.motion.features import features_of, perspective
from transmixis.core.motion.frame import Frame
from transmixis.core.motion.level import OUTSIDE, Laid
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.smear import Shutter, through_blur
from transmixis.core.motion.surface import MODELS, Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

STRETCH = 16  # frames of a piece of following: what is lost if it is cut off
ROOMS = (12, 24, 24)  # px about the surface that a fit may look at; the next if it has moved so far
CLOSE = 4.0  # px: no more of a move asks for another part of the frame
SURE = 0.8  # correlation at which nothing better is looked for
UNUSUAL = 2.5  # times as unlike as usual it may be beside that
WIDER = 1.5  # the reach grows by this with every frame that it is lost
WIDEST = 4.0
FAR, LARGE_ENOUGH = 48, 24  # px: beyond this reach a pattern of that size is looked for at half the size
NEARLY = 0.05  # of how far the highest peak rises: less is no sign that one is the thing and the other looks like it


@dataclass(frozen=True)
class Stretch:
    """Frames that are followed one after the other, from `start` on: a seat (frame) or the stretch named `after`."""

    name: str
    frames: tuple[int, ...]
    start: int
    after: str = ""


def stretches(first: int, last: int, seats: Sequence[int], hidden: Collection[int] = ()) -> list[Stretch]:
    """The frames `first`..`last` without the seats and those that are `hidden`, each in a stretch that leads away from the seat nearest
    to it."""
    seats = sorted(set(seats))
    out: list[Stretch] = []
    for i, seat in enumerate(seats):
        low = first if i == 0 else (seats[i - 1] + seat) // 2 + 1
        high = last if i == len(seats) - 1 else (seat + seats[i + 1]) // 2
        for sign, frames in (("+", range(seat + 1, high + 1)), ("-", range(seat - 1, low - 1, -1))):
            wanted = [n for n in frames if first <= n <= last]
            # a seat outside of what is wanted: from the seat on all the same
            wanted = list(frames) if wanted and wanted[0] != frames[0] else wanted
            wanted = [n for n in wanted if n not in hidden]
            after = ""
            for k in range(0, len(wanted), STRETCH):
                name = f"{seat}{sign}{k // STRETCH}"
                out.append(Stretch(name, tuple(wanted[k : k + STRETCH]), seat, after))
                after = name
    return out


@dataclass(frozen=True)
class Way:
    """Where it was in the two frames before, the last first; for how many frames it has been lost; what is known of the shutter;
    how alike it usually is; the frame that `last` is told of (None: not said); and while it is lost, within how many px its surroundings
    move as it does (0: they do not, or nobody has looked)."""

    last: Array
    before: Array
    lost: int = 0
    shutter: Shutter = field(default_factory=Shutter)
    usual: float | None = None
    at: int | None = None
    around: int = 0

    def on(self, found: Laid, frame: int | None = None) -> Way:
        """The way after one more frame."""
        if found.lost:
            return replace(self, lost=self.lost + 1)
        before = found.matrix if self.lost else self.last
        return replace(self, last=found.matrix, before=before, lost=0, at=frame, around=0)

    def carried(self, matrix: Array, frame: int) -> Way:
        """The same, lost, where its surroundings have brought it by that frame."""
        return replace(self, last=matrix, before=self.last, at=frame)

    @property
    def from_rest(self) -> bool:
        """True where nothing is told of its speed."""
        return self.lost > 0 or np.array_equal(self.last, self.before)

    def expected(self) -> Array:
        """Where it is going."""
        if self.lost:
            return self.last
        m = self.last @ np.linalg.inv(self.before) @ self.last
        return np.asarray(m / m[2, 2])


def follow(
    surface: Surface,
    picture: Callable[[int], Array],
    frames: Sequence[int],
    way: Way,
    reach: int,
    progress: Progress | None = None,
) -> tuple[list[Laid], Way]:
    """The surface in `frames`, one after the other, and the way it was going at their end. A frame that cannot be read is one where it
    is lost."""
    out: list[Laid] = []
    first = way
    begin = np.full((3, 3), np.nan) if way.lost else way.last  # over a gap no speed is told
    around = Around(picture)
    for i, n in enumerate(frames):
        if progress is not None:
            progress.at(i, len(frames), f"following, frame {n}")
        try:
            found = found_in(surface, picture(n), way, reach, lambda w=way, n=n: _led(surface, around, w, n))  # type: ignore[misc]
        except UserError as e:
            found = Laid(way.last, why=str(e))
        out.append(found)
        way = _after(surface, around, way, found, n)
    out, shutter = through_blur(surface, frames, out, begin, Again(picture).laid, way.shutter, progress)
    out, usual = _without_strangers(out, way.usual, surface.stranger)
    way = replace(first, shutter=shutter, usual=usual)
    for n, found in zip(frames, out, strict=True):
        way = _after(surface, around, way, found, n)
    return out, way


def _after(surface: Surface, around: Around, way: Way, found: Laid, n: int) -> Way:
    """The way after frame n; where it is lost, brought on by what surrounds it, if that moved as it did until then."""
    if way.at is None or not found.lost:
        return way.on(found, n)
    last, before, at = way.at, _middle(surface, way.before), _middle(surface, way.last)
    if not way.lost and not way.from_rest:
        way = replace(way, around=around.shared(last - (1 if n > last else -1), last, before, at))
    m = around.moved(last, n, at, way.around, at - before) if way.around else None
    way = way.on(found)
    return way if m is None else way.carried(_brought(surface, m, way.last), n)


def _led(surface: Surface, around: Around, way: Way, n: int) -> list[Array]:
    """Where it may lie in frame n by how what is near and what is further about it moves."""
    if way.at is None or way.lost:
        return []
    moves = [around.moved(way.at, n, _middle(surface, way.last), radius) for radius in (NEAR, WIDE)]
    return [_brought(surface, m, way.last) for m in moves if m is not None]


def _brought(surface: Surface, move: Array, matrix: Array) -> Array:
    """A matrix moved on by what surrounds it, in the ways in which the surface may move."""
    if surface.parameters != MODELS["position"]:
        return np.asarray(move @ matrix)
    at = _middle(surface, matrix)
    x, y = moved_points(move, at)[0] - at
    return np.asarray(np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]) @ matrix)


def _middle(surface: Surface, matrix: Array) -> Array:
    return np.asarray(moved_points(matrix, surface.corners).mean(axis=0))


def _without_strangers(found: list[Laid], usual: float | None, strange: float) -> tuple[list[Laid], float | None]:
    """What was found, lost where it is all at once much less alike than usual: something is before it, or it is another thing. Grain and
    what has changed for good make it less alike on all frames, so that no one number would do."""
    alike = np.array([f.alike for f in found if not f.lost])
    if len(alike) == 0:
        return found, usual
    limit = 1 - strange - UNUSUAL * (1 - (float(np.quantile(alike, 0.75)) if usual is None else usual))
    out = [replace(f, why="something is before it") if not f.lost and f.alike < limit else f for f in found]
    kept = [f.alike for f in out if not f.lost]
    return out, float(np.median(kept)) if len(kept) >= 3 else usual


class Again:
    """Looks at the frames that were followed again; the last one looked at is at hand."""

    def __init__(self, picture: Callable[[int], Array]) -> None:
        self._picture = picture
        self._at: tuple[int, Frame, Array] | None = None

    def laid(self, surface: Surface, n: int, start: Array) -> Laid:
        """The surface in frame n, close to a start."""
        there = moved_points(start, surface.corners)
        if self._at is None or self._at[0] != n or np.abs(there - self._at[2]).max() > CLOSE:
            self._at = (n, Frame(self._picture(n), there, ROOMS[0]), there)
        if self._at[1].empty:
            return Laid(start, why=OUTSIDE)
        return surface.lay(self._at[1], start)


def found_in(surface: Surface, picture: Array, way: Way, reach: int, led: Callable[[], list[Array]] | None = None) -> Laid:
    """The surface in one frame. `led`: where else it may lie, asked for where its own path does not tell."""
    best = _looked_for(surface, picture, way, reach, led or list)
    if best.lost or best.alike >= SURE:
        return best
    again = laid_near(surface, picture, best.matrix)  # as well as it can be, for all that it is unlike
    return best if again.lost else again


def _looked_for(surface: Surface, picture: Array, way: Way, reach: int, led: Callable[[], list[Array]]) -> Laid:
    start = way.expected()
    best = laid_near(surface, picture, start, SURE)
    sure = not best.lost and best.alike >= SURE
    if sure and not way.from_rest:
        return best
    for begin in led():  # from rest even what is sure may be another that looks like it
        if np.abs(moved_points(begin, surface.corners) - moved_points(best.matrix, surface.corners)).max() > CLOSE or best.lost:
            again = laid_near(surface, picture, begin, SURE)
            if not again.lost and (best.lost or again.alike > best.alike):
                best = again
    if not best.lost and best.alike >= SURE:
        return best
    wide = int(reach * min(WIDER**way.lost, WIDEST))
    for begin in {start.tobytes(): start, way.last.tobytes(): way.last}.values():
        moved = searched(surface, picture, begin, wide)
        if moved is not None:
            again = laid_near(surface, picture, moved, SURE)
            if not again.lost and (best.lost or again.alike > best.alike):
                best = again
    if surface.parameters == MODELS["perspective"] and (best.lost or best.alike < SURE):
        seeded = _seeded(surface, picture)
        if seeded is not None and not seeded.lost and (best.lost or seeded.alike > best.alike):
            best = seeded
    return best


def _seeded(surface: Surface, picture: Array) -> Laid | None:
    """Fitted from where the surface's features are found again, as it may have moved too far for anything else."""
    start = perspective(surface.features(), features_of(picture))
    if start is None or not np.isfinite(moved_points(start, surface.corners)).all():
        return None
    return laid_near(surface, picture, start, SURE)


def laid_near(surface: Surface, picture: Array, start: Array, sure: float = 0.0) -> Laid:
    """Fitted from a start (`sure`: see Surface.lay); again, with more about it, if it has left the part of the frame that was looked at."""
    for room in ROOMS:
        there = moved_points(start, surface.corners)
        frame = Frame(picture, there, room)
        if frame.empty:
            return Laid(start, why=OUTSIDE)
        found = surface.lay(frame, start, sure)
        if np.abs(moved_points(found.matrix, surface.corners) - there).max() < room and not (found.lost and room < ROOMS[-1]):
            return found
        start = start if found.lost else found.matrix
    return found


def searched(surface: Surface, picture: Array, start: Array, reach: int) -> Array | None:
    """The start moved to where the surface is most alike within `reach` px, to the pixel (to two where it is far)."""
    patch = surface.patch(start)
    if patch is None:
        return None
    look, weight, left, top = patch
    h, w = look.shape[:2]
    by = 2 if reach > FAR and min(h, w) >= LARGE_ENOUGH else 1  # the fit finds the rest of the way
    reach -= reach % by
    wide = _window(picture, left - reach, top - reach, w + 2 * reach, h + 2 * reach)
    if by > 1:
        wide, look, weight = (_halved(v, by) for v in (wide, look, weight))
    score = cv2.matchTemplate(wide, look, cv2.TM_CCORR_NORMED, mask=weight)
    score = np.where(np.isfinite(score), score, -1)
    x, y = (by * v - reach for v in _nearest_peak(score, reach // by))
    return np.asarray(np.array([[1, 0, float(x)], [0, 1, float(y)], [0, 0, 1.0]]) @ start)


def _halved(picture: Array, by: int) -> Array:
    """Every `by` x `by` px their mean; what is left at the right and below is left out."""
    h, w = picture.shape[0] // by, picture.shape[1] // by
    return np.asarray(cv2.resize(picture[: h * by, : w * by], (w, h), interpolation=cv2.INTER_AREA))


def _nearest_peak(score: Array, reach: int) -> tuple[int, int]:
    """Column and row of the peak nearest to the middle of those that are about as high as the highest: look-alikes are as like as the thing
    itself, but further from where it was expected."""
    high = float(score.max())
    least = high - NEARLY * (high - float(np.median(score)))
    peaks = (score >= cv2.dilate(score, np.ones((3, 3), np.uint8))) & (score >= least)
    ys, xs = np.nonzero(peaks)
    k = int(np.argmin((xs - reach) ** 2 + (ys - reach) ** 2))
    return int(xs[k]), int(ys[k])


def _window(picture: Array, left: int, top: int, width: int, height: int) -> Array:
    """A part of the picture, its border carried on."""
    rows = np.clip(np.arange(top, top + height), 0, picture.shape[0] - 1)
    columns = np.clip(np.arange(left, left + width), 0, picture.shape[1] - 1)
    return np.ascontiguousarray(picture[np.ix_(rows, columns)][..., :3], np.float32)
