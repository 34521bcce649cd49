"""Marks followed over a take: which of those found frame by frame are the same, and what of each shows in a frame, half hidden too."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
from scipy import ndimage
from scipy.optimize import linear_sum_assignment

from transmixis.core.repair.marks import LEAST, Found, Seen
from transmixis.core.types import Array, Mask

GATE, FASTEST = 1.0, 6.0  # how far a mark may be from where it was expected: of its size, and px
GAP = 8  # frames that a mark may be hidden for
LASTING = 0.6  # of the frames from its first to its last in which a mark must be found
SHORTEST = 4  # frames that it must be found in (of a shorter take: all)
STEADY = 0.35  # how much its size may vary, of its mean
SHARE, HALO = 0.07, 2  # of a mark's colour: what is covered; px beyond
OTHER = 18.0  # levels that the surface about a mark may differ by from frame to frame
MOST, OFF, FAINT = (
    1.35,
    0.25,
    5.0,
)  # of its colour: what is stronger is no part of it; how far a px may be off it, of that and levels
STRANGE = 14.0  # levels off the surface: what is so and has not the mark's colour lies before it
SEARCHED = 6  # px more in which a half hidden mark is looked for
BEYOND = 4  # px about where it was expected that may be covered


@dataclass(frozen=True)
class Path:
    """A mark over time: its middle and size px by frame, those in which it was found; `colour` (3,) in levels beside the `surface`."""

    found: Mapping[int, Found]
    colour: Array
    surface: Array

    @property
    def first(self) -> int:
        return min(self.found)

    @property
    def last(self) -> int:
        return max(self.found)

    def box_at(self, frame: int) -> tuple[float, float, float, float] | None:
        """Its box in a frame: between those in which it was found, and for GAP frames before and after, as it went there; None elsewhere."""
        if not self.first - GAP <= frame <= self.last + GAP:
            return None
        at = np.array(sorted(self.found))
        boxes = np.array([self.found[n].box for n in at], float)
        x0, y0, x1, y1 = (float(np.interp(frame, at, boxes[:, k])) for k in range(4))
        out = max(self.first - frame, frame - self.last, 0)
        if out and len(at) > 1:  # it goes on as it went over a few frames, and may be a little aside of that
            near = at[:4] if frame < self.first else at[-4:]
            way = np.array(self.found[int(near[-1])].at) - np.array(self.found[int(near[0])].at)
            dx, dy = way / (near[-1] - near[0]) * (out if frame > self.last else -out)
            x0, y0, x1, y1 = x0 + dx - out, y0 + dy - out, x1 + dx + out, y1 + dy + out
        half = np.array([self.size, self.size]) / 2  # half hidden it is as large as ever
        if frame not in self.found:
            x, y = (x0 + x1) / 2, (y0 + y1) / 2
            x0, y0, x1, y1 = min(x0, x - half[0]), min(y0, y - half[1]), max(x1, x + half[0]), max(y1, y + half[1])
        return x0, y0, x1, y1

    def surface_at(self, frame: int) -> Array:
        """(3,) levels of the surface about it."""
        at = np.array(sorted(self.found))
        rows = np.array([self.found[n].surface for n in at])
        return np.array([np.interp(frame, at, rows[:, c]) for c in range(3)])

    @property
    def size(self) -> float:
        return float(np.median([f.size for f in self.found.values()]))


def linked(by_frame: Mapping[int, Sequence[Found]]) -> list[Path]:
    """The marks of all frames put together over time, without what comes and goes as no mark does."""
    going: list[dict[int, Found]] = []
    done: list[dict[int, Found]] = []
    for n in sorted(by_frame):
        done += [p for p in going if n - max(p) > GAP]
        going = [p for p in going if n - max(p) <= GAP]
        found = list(by_frame[n])
        taken = _taken(going, found, n)
        for i, j in taken:
            going[i][n] = found[j]
        used = {j for _, j in taken}
        going += [{n: f} for j, f in enumerate(found) if j not in used]
    enough = min(SHORTEST, len(by_frame))
    paths = []
    for p in [*done, *going]:
        sizes = np.array([f.size for f in p.values()])
        lasting = len(p) / (max(p) - min(p) + 1)
        if len(p) >= enough and lasting >= LASTING and sizes.std() <= STEADY * sizes.mean():
            colour, surface = (np.median([getattr(f, k) for f in p.values()], axis=0) for k in ("colour", "surface"))
            paths.append(Path(p, colour, surface))
    return sorted(paths, key=lambda p: (round(p.found[p.first].at[1] / 40), p.found[p.first].at[0]))


def _taken(going: Sequence[Mapping[int, Found]], found: Sequence[Found], n: int) -> list[tuple[int, int]]:
    """Which path goes on to which of those found."""
    if not going or not found:
        return []
    expected = np.array([_expected(p, n) for p in going])
    at = np.array([f.at for f in found])
    far = np.linalg.norm(expected[:, None] - at[None], axis=2)
    gate = np.array([GATE * p[max(p)].size + FASTEST * (n - max(p)) for p in going])[:, None]
    cost = np.where(far < gate, far, 1e6)
    return [(int(i), int(j)) for i, j in zip(*linear_sum_assignment(cost), strict=True) if cost[i, j] < 1e6]


def _expected(path: Mapping[int, Found], n: int) -> Array:
    last = max(path)
    at = np.array(path[last].at)
    before = [m for m in path if last - 3 <= m < last]
    if not before:
        return at
    b = min(before)
    return np.asarray(at + (at - np.array(path[b].at)) / (last - b) * (n - last))


def cover_of(frame: Seen, path: Path, n: int) -> Array | None:
    """What of a frame shows the mark (h, w) 0..1, softly; None where it is not in its time. Only what has its colour is covered, so that what passes in front stays."""
    found = _own(frame, path, n)
    if found is None:
        return None
    own, foreign, part = found
    room = HALO + 3
    wide, before = (np.pad(m.astype(np.float32), room) for m in (own, foreign))
    grown = cv2.dilate(wide, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * HALO + 1, 2 * HALO + 1)))
    soft: Array = np.asarray(cv2.GaussianBlur(grown * (1 - before), (0, 0), 0.7))
    out = np.zeros(frame.out.shape, np.float32)
    top, left = part[0].start - room, part[1].start - room
    h, w = frame.out.shape
    y0, x0, y1, x1 = max(0, top), max(0, left), min(h, top + len(soft)), min(w, left + len(soft[0]))
    out[y0:y1, x0:x1] = soft[y0 - top : y1 - top, x0 - left : x1 - left]
    return out


def _own(frame: Seen, path: Path, n: int) -> tuple[Mask, Mask, tuple[slice, slice]] | None:
    """Which px show the mark, and which something before it, in the part of the frame where it is expected."""
    box = path.box_at(n)
    part = None if box is None else _part(box, frame.out.shape, BEYOND)
    if box is None or part is None:
        return None
    own, foreign = _coloured(frame, path, n, part)
    return own & _expected_in(path, n, box, part), foreign, part


def _part(box: tuple[float, float, float, float], shape: tuple[int, ...], room: int) -> tuple[slice, slice] | None:
    """The rows and columns of a frame about a box; None outside of it."""
    h, w = shape[:2]
    x0, y0, x1, y1 = (round(v) for v in box)
    a, b, c, d = max(0, y0 - room), min(h, y1 + room), max(0, x0 - room), min(w, x1 + room)
    return (slice(a, b), slice(c, d)) if b > a and d > c else None


def _coloured(frame: Seen, path: Path, n: int, part: tuple[slice, slice]) -> tuple[Mask, Mask]:
    """Which px of a part have the mark's colour, and which are neither that nor surface."""
    own_surface, surface = path.surface_at(n), frame.surface[part]
    strange = np.abs(surface - own_surface).max(axis=2, keepdims=True) > OTHER  # something before it has made the surface its own
    surface = np.where(strange, own_surface, surface)
    off = cv2.GaussianBlur((frame.shown[part] - surface).astype(np.float32), (0, 0), 0.6)
    colour = path.colour * surface / np.maximum(path.surface, 4.0)  # paint takes its share of whatever light falls there
    size = np.square(colour).sum(axis=2)
    share = (off * colour).sum(axis=2) / np.maximum(size, 1.0)
    across = np.linalg.norm(off - share[..., None] * colour, axis=2)
    own = (share > SHARE) & (share < MOST) & (across < OFF * np.clip(share, 0, 1) * np.sqrt(size) + FAINT)
    own = cv2.morphologyEx(own.astype(np.uint8), cv2.MORPH_OPEN, np.ones((2, 2), np.uint8)) > 0
    foreign = ((np.abs(off).max(axis=2) > STRANGE) & ~own).astype(np.uint8)
    foreign = cv2.dilate(cv2.morphologyEx(foreign, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)), np.ones((3, 3), np.uint8))
    return own, foreign > 0


def _expected_in(path: Path, n: int, box: tuple[float, float, float, float], part: tuple[slice, slice]) -> Mask:
    """Where in a part of the frame the mark may show: its form in the frame nearest to it in which it was found, a little wider."""
    near = min(path.found, key=lambda k: abs(k - n))
    mask = path.found[near].mask
    wide = 2 + (0 if near == n else min(2, abs(near - n)))
    out = np.zeros((part[0].stop - part[0].start, part[1].stop - part[1].start), np.uint8)
    x, y = (
        round((box[0] + box[2] - mask.shape[1]) / 2) - part[1].start,
        round((box[1] + box[3] - mask.shape[0]) / 2) - part[0].start,
    )
    ys, xs = np.nonzero(mask)
    ok = (ys + y >= 0) & (xs + x >= 0) & (ys + y < out.shape[0]) & (xs + x < out.shape[1])
    out[ys[ok] + y, xs[ok] + x] = 1
    return cv2.dilate(out, np.ones((2 * wide + 1, 2 * wide + 1), np.uint8)) > 0


def _runs_out(own: Mask) -> Mask:
    """What of the mark's colour is broad and goes on beyond the part that is looked at: another thing of that colour."""
    labels, _ = ndimage.label(cv2.morphologyEx(own.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)), np.ones((3, 3)))
    rims = np.unique(np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]]))
    return np.asarray(cv2.dilate(np.isin(labels, rims[rims > 0]).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def gone_on(path: Path, look: Callable[[int], Seen], there: Collection[int]) -> Path:
    """The path with the frames in which the mark was not found by itself but can be seen where it should be: half hidden, or at the edge of what it lies on. Outwards from where it was
    found, so that each helps the next; `there` are the frames that can be looked at."""
    between = (n for n in range(path.first, path.last) if n not in path.found)
    before, after = range(path.first - 1, path.first - GAP - 1, -1), range(path.last + 1, path.last + GAP + 1)
    for n in [n for n in (*between, *before, *after) if n in there]:
        found = _half_seen(look(n), path, n)
        if found is not None:
            path = replace(path, found={**path.found, n: found})
    return path


def _half_seen(frame: Seen, path: Path, n: int) -> Found | None:
    """The mark laid where what is seen of it fits its form best: its colour under it, and as little bare surface as can be; what lies before it says nothing."""
    box = path.box_at(n)
    mask = path.found[min(path.found, key=lambda k: abs(k - n))].mask.astype(np.float32)
    part = None if box is None else _part(box, frame.out.shape, BEYOND + SEARCHED)
    if part is None:
        return None
    own, foreign = _coloured(frame, path, n, part)
    large = _runs_out(own)
    own, foreign = own & ~large, foreign | large
    ground = np.where(own, 1.0, np.where(foreign, 0.0, -1.0)).astype(np.float32)
    room = mask.shape
    score = cv2.matchTemplate(np.pad(ground, [(room[0], room[0]), (room[1], room[1])]), mask, cv2.TM_CCORR)
    y, x = (int(v) for v in np.unravel_index(int(score.argmax()), score.shape))
    y, x = y - room[0], x - room[1]
    ys, xs = np.nonzero(mask)
    ys, xs = ys + y, xs + x
    ok = (ys >= 0) & (xs >= 0) & (ys < own.shape[0]) & (xs < own.shape[1])
    if own[ys[ok], xs[ok]].sum() < max(LEAST, 0.1 * mask.sum()):
        return None
    top, left = y + part[0].start, x + part[1].start
    at = (left + mask.shape[1] / 2, top + mask.shape[0] / 2)
    return Found(at, (left, top, left + mask.shape[1], top + mask.shape[0]), path.colour, path.surface_at(n), mask > 0)
