"""An outline carried from the frame of a pin on to others by the picture itself: flow from frame to frame inside it, then seated by what
lies inside its border as it looked at the pin, so that errors do not add up."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field

import cv2
import numpy as np

from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.motion import moved_points
from transmixis.core.roto.strip import settled
from transmixis.core.types import Array

MARGIN = 40  # px about the outline that flow looks at
APART = 4.0  # px between the places at which it is compared
MOST = 160  # places
COARSE = 4  # px: flow is summed up over squares of so many
NEAR = 10.0  # px: flow of that neighbourhood counts for a place
LOOKS = (2.0, 0.8)  # px of softening, coarse to fine


@dataclass(frozen=True)
class Carried:
    """Where the outline's points lie in a frame (n, 2) px; `left` (m) levels that the strip differs by at places along it, `seen` (m) the share of
    each place's window that was to be seen, `places` (m, 2) px."""

    points: Array
    places: Array
    left: Array
    seen: Array


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


def along(outline: Array, closed: bool = True) -> tuple[Array, Array]:
    """(places (m, 2) every few px along an outline, shares (n) where its own points lie among them)."""
    p = np.asarray(outline, np.float64)
    ring = np.vstack([p, p[:1]]) if closed else p
    length = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    m = int(np.clip(round(length[-1] / APART), 12, MOST))
    at = np.linspace(0, length[-1], m, endpoint=not closed)
    places = np.stack([np.interp(at, length, ring[:, c]) for c in range(2)], 1)
    step = length[-1] / (m if closed else m - 1)
    return places, length[: len(p)] / max(step, 1e-9)


def carried(
    look: Callable[[int], Look], outline: Array, first: int, last: int, closed: bool = True, guide: Callable[[int], Array] | None = None,
) -> Iterator[tuple[int, Carried]]:  # fmt: skip
    """The outline pinned at frame `first`, frame after frame to `last` (which may lie before it). `look` gives a frame; `guide` the matrix
    (3 x 3) by which a track leads from `first` to a frame: then that says where each place is looked for, not flow."""
    pin = look(first)
    h, w = pin.levels.shape[:2]
    at_ref, shares = along(outline, closed)
    inside = cv2.erode(fill_shape(outline, h, w), np.ones((3, 3), np.uint8), iterations=2)
    inside = np.where(pin.hidden, 0, inside).astype(np.float32)
    softs = [pin.soft(s) for s in LOOKS]
    places, points = at_ref.copy(), np.asarray(outline, np.float64)
    before, going = pin, 1 if last >= first else -1
    speed = np.zeros_like(places)
    for n in range(first + going, last + going, going):
        now = look(n)
        if guide is None:
            moved = places + _flowed(before, now, places, points, speed)
        else:
            moved = moved_points(guide(n), at_ref) + places - moved_points(guide(n - going), at_ref)
        left = seen = np.zeros(len(places))
        for soft, s in zip(softs, LOOKS, strict=True):
            moved, left, seen = settled(soft, inside, at_ref, now.soft(s), now.hidden, moved, closed)
        speed, places = moved - places, moved
        points = outline + _spread(places - at_ref, shares, closed)
        yield n, Carried(points, places, left, seen)
        before = now


def _spread(shift: Array, shares: Array, closed: bool) -> Array:
    """Shifts of the places read at the outline's own points."""
    m = len(shift)
    ring = np.vstack([shift, shift[:1]]) if closed else shift
    return np.stack([np.interp(shares, np.arange(len(ring)), ring[:, c]) for c in range(2)], 1) if m else shift


def _flowed(before: Look, now: Look, places: Array, points: Array, speed: Array) -> Array:
    """How far each place moves, by the flow of what lies inside beside it; where nothing tells, as it went."""
    h, w = before.levels.shape[:2]
    reach = MARGIN + float(np.abs(speed).max(initial=0))
    x0, y0 = np.clip(np.floor(points.min(axis=0) - reach).astype(int), 0, (w, h))
    x1, y1 = np.clip(np.ceil(points.max(axis=0) + reach).astype(int), 0, (w, h))
    if x1 - x0 < 24 or y1 - y0 < 24:
        return speed
    part = np.s_[y0:y1, x0:x1]
    a, b = (cv2.cvtColor(v.levels[part].astype(np.uint8), cv2.COLOR_RGB2GRAY) for v in (before, now))
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    mean = speed.mean(axis=0)
    start = np.broadcast_to(mean.astype(np.float32), (*a.shape, 2)).copy()
    flow = dis.calc(a, b, start)
    inside = fill_shape(points - (x0, y0), y1 - y0, x1 - x0)
    inside = cv2.erode(inside, np.ones((3, 3), np.uint8), iterations=2)
    inside[before.hidden[part]] = 0
    return _affine_about(flow, inside, places - (x0, y0), speed)


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
