"""All that is told of a stretch between two pins, or beyond the last: where the outline lies, by which way, and how far it may be off."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.core.roto.asking import beyond, foretold, shared
from transmixis.core.roto.carry import LOOKS, Look, Pinned, carried
from transmixis.core.roto.path import Between, Way, between, chosen, off_line
from transmixis.core.roto.strip import Seen, seen_at
from transmixis.core.types import Array

STILL, TRACK, SEATED, FLOW = "eased", "motion", "motion, seated", "picture"
ENOUGH = 0.3  # of a window that must be seen before it says something
# px: a way that misses the pins by less, and looks off by less between them, needs no other beside it
CLOSES, LOOKS_SO = 0.3, 0.5
FAR = 12.0  # px: a window that differs by more says no more than that it is lost
PLAIN = 2.0  # levels² that a px makes where there is nothing to see
# px a frame that a fitted way may go off by; where nothing is seen; for a level of difference
DOUBT, UNSEEN, UNLIKE = 0.05, 0.3, 0.01


@dataclass(frozen=True)
class Told:
    """A stretch: `points` (k, n, 2) px for the frames first..last, `foretold` (k) px that they may be off by in the mean, `along` (k, n) px that each
    point may be, and the `way` that carries it."""

    first: int
    last: int
    points: Array
    foretold: Array
    along: Array
    way: str


Guide = Callable[[int, int], Array]  # from a frame to another: 3 x 3


class Carrier:
    """Carries a stretch from its ends. `look` gives a frame; `guide` how a track leads from one frame to another, None without one."""

    def __init__(self, look: Callable[[int], Look], guide: Guide | None, ways: Sequence[str], progress: Progress) -> None:
        self.look, self.guide, self.progress = look, guide, progress
        self.ways = [w for w in ways if guide is not None or w not in (TRACK, SEATED)] or [STILL]
        self._done, self._all = 0, 1

    def told(self, first: int, last: int, one: Pinned, two: Pinned) -> Told:
        """Between two pins of the same points."""
        self._all = 2 * (last - first) * len(self.ways)
        paths: list[Between] = []
        apart: dict[str, Array] = {}
        base = 0.0
        for w in self.ways:
            forth, back = self._way(w, one, first, last), self._way(w, two, last, first)
            paths.append(between(first, last, w, forth, back, one.closed))
            apart[w] = off_line(forth.points, back.points[::-1], one.closed)
            grain = self._grain(forth, back, first, last, one, two)
            base = grain if len(paths) == 1 else min(base, grain)
            if last - first < 2 or (len(self.ways) > 1 and self._holds(paths[-1], (one, two), base)):
                paths = paths[-1:]
                break
        best = paths[0] if len(paths) == 1 else chosen(paths, {p.way: self._unlike(p, one) for p in paths})
        strip = self._strip(best.points, range(first, last + 1), (one, two), base)
        others = [p for p in paths if p is not best]
        off = foretold(best, others, strip.mean(axis=1), one.closed)
        signs = [apart[best.way], strip, *(off_line(best.points, p.points, one.closed) for p in others)]
        return Told(first, last, best.points, off, shared(off, signs), best.way)

    def _holds(self, path: Between, pins: Sequence[Pinned], base: float) -> bool:
        """True if a way closes and looks so well that there is nothing to win by another."""
        if path.closes > CLOSES:
            return False
        k = path.last - path.first
        some = [max(1, k // 4), max(1, k // 2), max(1, 3 * k // 4)]
        off = [self._off(path.points[i], path.first + i, pins, base) for i in some]
        return all(np.isfinite(v) and v <= LOOKS_SO for v in off)

    def beyond(self, pin_frame: int, end: int, pin: Pinned) -> Told:
        """From a pin to the end of the shot, on the side where no other follows, by the first of the ways."""
        self._all = k = abs(end - pin_frame)
        going = 1 if end >= pin_frame else -1
        frames = range(pin_frame, end + going, going)
        points = self._way(self.ways[0], pin, pin_frame, end).points
        strip = self._strip(points, frames, (pin,), self._grain_of(points, frames, pin))
        off = beyond(k, strip.mean(axis=1))
        along = shared(off, [strip])
        if going < 0:
            points, off, along = points[::-1], off[::-1], along[::-1]
        return Told(min(pin_frame, end), max(pin_frame, end), points, off, along, self.ways[0])

    def _way(self, way: str, pin: Pinned, first: int, last: int) -> Way:
        """From a pin's frame to another, one way."""
        k, going = abs(last - first), 1 if last >= first else -1
        points, doubt = [pin.points], [0.0]
        if way in (STILL, TRACK):
            for n in range(first + going, last + going, going):
                self._at(way)
                points.append(
                    pin.points if way == STILL or self.guide is None else moved_points(self.guide(first, n), pin.points)
                )
            return Way(np.array(points), np.arange(k + 1.0))
        guide = None
        if way == SEATED and self.guide is not None:
            lead = self.guide
            guide = lambda n: lead(first, n)  # noqa: E731
        for _, c in carried(self.look, pin, first, last, guide):
            self._at(way)
            points.append(c.points)
            left, seen = float(np.sqrt(c.seen.left).mean()), float(c.seen.seen.mean())
            doubt.append(doubt[-1] + DOUBT + UNSEEN * (1 - seen) + UNLIKE * left)
        return Way(np.array(points), np.array(doubt), seated=True)

    def _at(self, way: str) -> None:
        self._done += 1
        self.progress.at(min(self._done, self._all), self._all, f"carrying by the {way}" if way != STILL else "easing")

    # -- how it looks there

    def _seen(self, pin: Pinned, points: Array, frame: int) -> Seen:
        now = self.look(frame)
        return seen_at(pin.strips[-1], now.soft(LOOKS[-1]), now.hidden, pin.places(points))

    def _unlike(self, path: Between, pin: Pinned) -> float:
        """Levels that the strip differs by on the way, the median of three frames."""
        k = path.last - path.first
        out = []
        for i in sorted({max(1, k // 3), max(1, k // 2), max(1, 2 * k // 3)} & set(range(1, k))):
            seen = self._seen(pin, path.points[i], path.first + i)
            ok = seen.seen > ENOUGH
            out.append(float(np.sqrt(np.median(seen.left[ok]))) if ok.any() else 0.0)
        return float(np.median(out)) if out else 0.0

    def _grain(self, forth: Way, back: Way, first: int, last: int, one: Pinned, two: Pinned) -> float:
        """Squared levels that the same stuff differs by from one frame to the next: grain, and light."""
        a = self._grain_of(forth.points, range(first, last + 1), one)
        b = self._grain_of(back.points, range(last, first - 1, -1), two)
        return (a + b) / 2

    def _grain_of(self, points: Array, frames: range, pin: Pinned) -> float:
        if len(frames) < 2:
            return 0.0
        seen = self._seen(pin, points[1], frames[1])
        ok = seen.seen > ENOUGH
        return float(np.median(seen.left[ok])) if ok.any() else 0.0

    def _strip(self, points: Array, frames: range, pins: Sequence[Pinned], base: float) -> Array:
        """(k, m) px that the strip inside seems to be off by at the points on each frame; nan at pins and where too little is seen. Its mean over the
        points is that along the outline."""
        out = np.full((len(frames), len(pins[0].points)), np.nan)
        for i in range(1, len(frames) - (1 if len(pins) > 1 else 0)):
            out[i] = self._off_along(points[i], frames[i], pins, base)
        return out

    def _off(self, points: Array, frame: int, pins: Sequence[Pinned], base: float) -> float:
        """The mean px along the outline."""
        return float(self._off_along(points, frame, pins, base).mean())

    def _off_along(self, points: Array, frame: int, pins: Sequence[Pinned], base: float) -> Array:
        """(n) px at the points, against the pin that it resembles more; nan where too little is seen."""
        told: list[tuple[float, Array]] = []
        for pin in pins:
            seen = self._seen(pin, points, frame)
            ok = seen.seen > ENOUGH
            if ok.sum() >= 5:
                px = np.minimum(np.sqrt(np.maximum(seen.left - base, 0) / (seen.slope + PLAIN)), FAR)
                mean = float(px[ok].mean())
                own = pin.read(np.where(ok, px, mean))
                told.append((mean, own + (mean - own.mean())))
        return min(told, key=lambda t: t[0])[1] if told else np.full(len(points), np.nan)
