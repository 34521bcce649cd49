"""Following a surface or a point from frame to frame: where it is looked for, how far, and when it counts as lost.

Every frame is compared with the reference, so nothing adds up. It is looked for where its own path leads; where it is not, in a widening
neighbourhood; and it is found again after it was hidden.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.smear import through_blur
from transmixis.core.motion.surface import Frame, Laid, Surface
from transmixis.core.progress import Progress
from transmixis.core.types import Array

STRETCH = 16  # frames of a piece of following: what is lost if it is cut off
ROOM = 24  # px about the surface that a fit may look at
SURE = 0.8  # correlation at which nothing better is looked for
WIDER = 1.5  # the reach grows by this with every frame that it is lost
WIDEST = 4.0


@dataclass(frozen=True)
class Stretch:
    """Frames that are followed one after the other, from `start` on: a seat (frame) or the stretch named `after`."""

    name: str
    frames: tuple[int, ...]
    start: int
    after: str = ""


def stretches(first: int, last: int, seats: Sequence[int]) -> list[Stretch]:
    """The frames `first`..`last` without the seats, each in a stretch that leads away from the seat nearest to it."""
    seats = sorted(set(seats))
    out: list[Stretch] = []
    for i, seat in enumerate(seats):
        low = first if i == 0 else (seats[i - 1] + seat) // 2 + 1
        high = last if i == len(seats) - 1 else (seat + seats[i + 1]) // 2
        for sign, frames in (("+", range(seat + 1, high + 1)), ("-", range(seat - 1, low - 1, -1))):
            wanted = [n for n in frames if first <= n <= last]
            # a seat outside of what is wanted: from the seat on all the same
            wanted = list(frames) if wanted and wanted[0] != frames[0] else wanted
            after = ""
            for k in range(0, len(wanted), STRETCH):
                name = f"{seat}{sign}{k // STRETCH}"
                out.append(Stretch(name, tuple(wanted[k : k + STRETCH]), seat, after))
                after = name
    return out


@dataclass(frozen=True)
class Way:
    """Where it was in the two frames before, the last first, and for how many frames it has been lost."""

    last: Array
    before: Array
    lost: int = 0

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
    begin = np.full((3, 3), np.nan) if way.lost else way.last  # over a gap no speed is told
    for i, n in enumerate(frames):
        if progress is not None:
            progress.at(i, len(frames), f"following, frame {n}")
        try:
            found = found_in(surface, picture(n), way, reach)
        except UserError as e:
            found = Laid(way.last, why=str(e))
        out.append(found)
        if found.lost:
            way = Way(way.last, way.last, way.lost + 1)
        else:
            way = Way(found.matrix, found.matrix if way.lost else way.last)
    out = through_blur(surface, frames, out, begin, lambda s, n, m: laid_near(s, picture(n), m))
    return out, way


def found_in(surface: Surface, picture: Array, way: Way, reach: int) -> Laid:
    """The surface in one frame."""
    start = way.expected()
    best = laid_near(surface, picture, start)
    if not best.lost and best.alike >= SURE:
        return best
    wide = int(reach * min(WIDER**way.lost, WIDEST))
    for begin in {start.tobytes(): start, way.last.tobytes(): way.last}.values():
        moved = searched(surface, picture, begin, wide)
        if moved is not None:
            again = laid_near(surface, picture, moved)
            if not again.lost and (best.lost or again.alike > best.alike):
                best = again
    return best


def laid_near(surface: Surface, picture: Array, start: Array) -> Laid:
    """Fitted from a start; once more if it has left the part of the frame that was looked at."""
    for _ in range(2):
        frame = Frame(picture, moved_points(start, surface.corners), ROOM)
        if frame.empty:
            return Laid(start, why="it lies outside of the frame")
        found = surface.lay(frame, start)
        if found.lost or np.abs(moved_points(found.matrix, surface.corners) - moved_points(start, surface.corners)).max() < ROOM:
            return found
        start = found.matrix
    return found


def searched(surface: Surface, picture: Array, start: Array, reach: int) -> Array | None:
    """The start moved to where the surface is most alike within `reach` px, to the pixel."""
    patch = surface.patch(start)
    if patch is None:
        return None
    look, weight, left, top = patch
    h, w = look.shape[:2]
    wide = _window(picture, left - reach, top - reach, w + 2 * reach, h + 2 * reach)
    score = cv2.matchTemplate(wide, look, cv2.TM_CCORR_NORMED, mask=weight)
    score = np.where(np.isfinite(score), score, -1)
    y, x = np.unravel_index(int(np.argmax(score)), score.shape)
    shift = np.array([[1, 0, float(x) - reach], [0, 1, float(y) - reach], [0, 0, 1.0]])
    return np.asarray(shift @ start)


def _window(picture: Array, left: int, top: int, width: int, height: int) -> Array:
    """A part of the picture, its border carried on."""
    rows = np.clip(np.arange(top, top + height), 0, picture.shape[0] - 1)
    columns = np.clip(np.arange(left, left + width), 0, picture.shape[1] - 1)
    return np.ascontiguousarray(picture[np.ix_(rows, columns)][..., :3], np.float32)
