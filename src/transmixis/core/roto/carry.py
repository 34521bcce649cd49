"""An outline carried from the frame of a pin on to others by the picture itself: flow from frame to frame inside it, then seated by what
lies inside its border as it looked at the pin, so that errors do not add up."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.roto.cover import covered
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.soft import distances
from transmixis.core.roto.strip import Seen, Strip, settled
from transmixis.core.types import Array

MARGIN = 40  # px about the outline that flow looks at
APART = 4.0  # px between the places at which it is compared
MOST = 160  # places
COARSE = 4  # px: flow is summed up over squares of so many
NEAR = 10.0  # px: flow of that neighbourhood counts for a place
THREAD = 1.5  # px to either side of an open line that count as the thread
LOOKS = (2.0, 0.8)  # px of softening, coarse to fine


@dataclass(frozen=True)
class Look:
    """A frame as it is compared: `levels` (h, w, 3) 0..255 in the curve of display; what hides the thing (h, w) bool."""

    levels: Array
    hidden: Array
    softs: dict[float, Array] = field(default_factory=dict, compare=False, repr=False)

    def soft(self, px: float) -> Array:
        """The levels, softened; made once."""
        if px not in self.softs:
            self.softs[px] = np.asarray(cv2.GaussianBlur(self.levels, (0, 0), px))
        return self.softs[px]


class Pinned:
    """An outline as a hand has set it: `points` (n, 2) px with `corner` (n), closed or not, in the frame `look`; the strip inside it."""

    def __init__(self, look: Look, points: Array, corner: Array, closed: bool = True) -> None:
        self.points, self.closed = np.asarray(points, np.float64), closed
        line, at = drawn(self.points, corner, closed)
        self.at, self.shares = along(line, np.searchsorted(at, np.arange(len(self.points)) - 1e-9), closed)
        h, w = look.levels.shape[:2]
        inside = _inside(line, h, w, closed)
        inside = np.where(look.hidden, 0, inside).astype(np.float32)
        self.strips = [Strip(look.soft(s), inside, self.at, closed) for s in LOOKS]

    def spread(self, shift: Array) -> Array:
        """Shifts (m, 2) of the places read at the outline's own points (n, 2)."""
        ring = np.vstack([shift, shift[:1]]) if self.closed else shift
        return np.stack([np.interp(self.shares, np.arange(len(ring)), ring[:, c]) for c in range(2)], 1)

    def read(self, values: Array) -> Array:
        """(n) what values (m) at the places are at the outline's own points."""
        return np.asarray(self.spread(np.stack([values, values], 1))[:, 0])

    def places(self, points: Array) -> Array:
        """Where the places along it lie when its points lie at `points` (n, 2): moved with the points beside them."""
        shift = points - self.points
        ring = np.vstack([shift, shift[:1]]) if self.closed else shift
        m = len(self.at)
        where = np.append(self.shares, m) if self.closed else self.shares
        return self.at + np.stack([np.interp(np.arange(m), where, ring[:, c]) for c in range(2)], 1)


def along(line: Array, own: Array, closed: bool = True) -> tuple[Array, Array]:
    """(places (m, 2) every few px along a line, where among them the line's places of index `own` lie)."""
    ring = np.vstack([line, line[:1]]) if closed else line
    length = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    m = int(np.clip(round(length[-1] / APART), 12, MOST))
    at = np.linspace(0, length[-1], m, endpoint=not closed)
    places = np.stack([np.interp(at, length, ring[:, c]) for c in range(2)], 1)
    step = length[-1] / (m if closed else m - 1)
    return places, length[own] / max(step, 1e-9)


@dataclass(frozen=True)
class Carried:
    """Where the outline's points lie in a frame (n, 2) px, and how its strip looks there."""

    points: Array
    seen: Seen


def carried(
    look: Callable[[int], Look], pin: Pinned, first: int, last: int, guide: Callable[[int], Array] | None = None
) -> Iterator[tuple[int, Carried]]:
    """The outline pinned at frame `first`, frame after frame to `last` (which may lie before it). `look` gives a frame; `guide` the matrix
    (3 x 3) by which a track leads from `first` to a frame: then that says where each place is looked for, not flow."""
    places, points = pin.at.copy(), pin.points
    before, going = look(first), 1 if last >= first else -1
    speed = np.zeros_like(places)
    for n in range(first + going, last + going, going):
        now = look(n)
        if guide is None:
            moved = places + _flowed(before, now, places, speed, pin.closed)
        else:
            moved = moved_points(guide(n), pin.at) + places - moved_points(guide(n - going), pin.at)
        for strip, s in zip(pin.strips, LOOKS, strict=True):
            seen = settled(strip, now.soft(s), now.hidden, moved)
            moved = seen.places
        speed, places = moved - places, moved
        points = pin.points + pin.spread(places - pin.at)
        yield n, Carried(points, seen)
        before = now


def _flowed(before: Look, now: Look, places: Array, speed: Array, closed: bool) -> Array:
    """How far each place moves, by the flow of what lies inside beside it; where nothing tells, as it went."""
    h, w = before.levels.shape[:2]
    reach = MARGIN + float(np.abs(speed).max(initial=0))
    x0, y0 = np.clip(np.floor(places.min(axis=0) - reach).astype(int), 0, (w, h))
    x1, y1 = np.clip(np.ceil(places.max(axis=0) + reach).astype(int), 0, (w, h))
    if x1 - x0 < 24 or y1 - y0 < 24:
        return speed
    part = np.s_[y0:y1, x0:x1]
    a, b = (cv2.cvtColor(v.levels[part].astype(np.uint8), cv2.COLOR_RGB2GRAY) for v in (before, now))
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    mean = speed.mean(axis=0)
    start = np.broadcast_to(mean.astype(np.float32), (*a.shape, 2)).copy()
    flow = dis.calc(a, b, start)
    inside = _inside(places - (x0, y0), y1 - y0, x1 - x0, closed)
    inside[before.hidden[part]] = 0
    return _affine_about(flow, inside, places - (x0, y0), speed)


def _inside(line: Array, h: int, w: int, closed: bool) -> Array:
    """(h, w) what lies inside an outline without its border, or on a thread."""
    if not closed:
        return (distances(line, h, w, False, 4.0) < THREAD).astype(np.float32)
    return np.asarray(cv2.erode(covered(line, h, w), np.ones((3, 3), np.uint8), iterations=2))


def _affine_about(flow: Array, inside: Array, places: Array, speed: Array) -> Array:
    """The flow at each place by a local affine law through what lies inside near it (windowed least squares, by sums over the picture)."""
    h, w = (-(-k // COARSE) for k in inside.shape)
    pad = ((0, h * COARSE - inside.shape[0]), (0, w * COARSE - inside.shape[1]))

    def summed(p: Array) -> Array:
        p = np.pad(p, pad).reshape(h, COARSE, w, COARSE).sum(axis=(1, 3), dtype=np.float32)
        return np.asarray(cv2.GaussianBlur(p, (0, 0), NEAR / COARSE, borderType=cv2.BORDER_CONSTANT))

    ux, uy = (np.arange(n, dtype=np.float32) + 0.5 for n in inside.shape[::-1])
    ux, uy = np.broadcast_to(ux, inside.shape), np.broadcast_to(uy[:, None], inside.shape)
    i = np.clip(np.floor(places / COARSE).astype(int), 0, (w - 1, h - 1))
    at = (i[:, 1], i[:, 0])
    s, sx, sy, sxx, sxy, syy = (
        summed(p)[at].astype(np.float64)
        for p in (inside, inside * ux, inside * uy, inside * ux * ux, inside * ux * uy, inside * uy * uy)
    )
    ok = s > 0.02
    n = np.where(ok, s, 1)
    mx, my = sx / n, sy / n
    xx, xy, yy = sxx / n - mx * mx + 4, sxy / n - mx * my, syy / n - my * my + 4
    d = (places - np.stack([mx, my], 1)).T
    out = np.array(speed)
    for c in range(2):
        f, fx, fy = (summed(inside * flow[..., c] * k)[at] / n for k in (1, ux, uy))
        bx, by, det = fx - mx * f, fy - my * f, xx * yy - xy * xy
        value = f + (yy * bx - xy * by) / det * d[0] + (xx * by - xy * bx) / det * d[1]
        out[ok, c] = value[ok]
    return out
