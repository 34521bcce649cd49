"""All that is told of a stretch between two pins, or beyond the last: where the outline lies, by which way, and how far it may be off."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.core.roto.asking import FREELY, beyond, foretold
from transmixis.core.roto.carry import LOOKS, Look, Pinned, carried
from transmixis.core.roto.path import Between, Way, apart, between, chosen
from transmixis.core.roto.strip import Seen, seen_at
from transmixis.core.types import Array

STILL, TRACK, SEATED, FLOW = "eased", "motion", "motion, seated", "picture"
WAYS = (STILL, TRACK, SEATED, FLOW)
FITTED = (SEATED, FLOW)
ENOUGH = 0.3  # of a window that must be seen before it says something
FAR = 12.0  # px: a window that differs by more says no more than that it is lost
PLAIN = 2.0  # levels² that a px makes where there is nothing to see
DOUBT, UNSEEN, UNLIKE = (
    0.05,
    0.3,
    0.01,
)  # px a frame that a fitted way may go off by; where nothing is seen; for a level of difference


@dataclass(frozen=True)
class Told:
    """A stretch: `points` (k, n, 2) px for the frames first..last, `foretold` (k) px that they may be off by, the `way` that carries it, and what
    each way misses the other pin by (px; empty beyond the last pin)."""

    first: int
    last: int
    points: Array
    foretold: Array
    way: str
    closes: Mapping[str, float]


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
        ways = {w: (self._way(w, one, first, last), self._way(w, two, last, first)) for w in self.ways}
        paths = [between(first, last, w, f, b, one.closed) for w, (f, b) in ways.items()]
        base = self._grain(ways, first, last, one, two)
        if last - first < 2:
            best = paths[0]
        else:
            best = chosen(paths, {p.way: self._unlike(p, one) for p in paths})
        strip = self._strip(best.points, range(first, last + 1), (one, two), base)
        off = foretold(best, [p for p in paths if p is not best], strip, one.closed)
        return Told(first, last, best.points, off, best.way, {p.way: p.closes for p in paths})

    def beyond(self, pin_frame: int, end: int, pin: Pinned, way: str, rate: float | None) -> Told:
        """From a pin to the end of the shot, on the side where no other follows. `way`: the one that served elsewhere; `rate` px a frame that it
        went off by there."""
        self._all = abs(end - pin_frame) * len(self.ways)
        paths = {w: self._way(w, pin, pin_frame, end) for w in self.ways}
        used = way if way in paths else next(w for w in (FLOW, SEATED, TRACK, STILL) if w in paths)
        k = abs(end - pin_frame)
        frames = range(pin_frame, end + (1 if end >= pin_frame else -1), 1 if end >= pin_frame else -1)
        base = self._grain_of({w: p.points for w, p in paths.items()}, frames, pin)
        others = [apart(paths[used].points, p.points, pin.closed) for w, p in paths.items() if w != used]
        ways_apart = np.min(others, axis=0) if others else None
        strip = self._strip(paths[used].points, frames, (pin,), base)
        off = beyond(k, FREELY if rate is None else max(rate, 0.02), strip, ways_apart)
        points = paths[used].points
        if end < pin_frame:
            points, off = points[::-1], off[::-1]
        return Told(min(pin_frame, end), max(pin_frame, end), points, off, used, {})

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

    def _grain(self, ways: Mapping[str, tuple[Way, Way]], first: int, last: int, one: Pinned, two: Pinned) -> float:
        """Squared levels that the same stuff differs by from one frame to the next: grain, and light."""
        forth = self._grain_of({w: f.points for w, (f, _) in ways.items()}, range(first, last + 1), one)
        back = self._grain_of({w: b.points for w, (_, b) in ways.items()}, range(last, first - 1, -1), two)
        return float(np.median([forth, back]))

    def _grain_of(self, ways: Mapping[str, Array], frames: range, pin: Pinned) -> float:
        if len(frames) < 2:
            return 0.0
        seen = [self._seen(pin, points[1], frames[1]) for points in ways.values()]
        told = [float(np.median(s.left[s.seen > ENOUGH])) for s in seen if (s.seen > ENOUGH).any()]
        return min(told, default=0.0)

    def _strip(self, points: Array, frames: range, pins: Sequence[Pinned], base: float) -> Array:
        """(k) px that the strip inside seems to be off by, against the pin that it resembles more; nan at pins and where too little is seen."""
        out = np.full(len(frames), np.nan)
        for i in range(1, len(frames) - (1 if len(pins) > 1 else 0)):
            told = []
            for pin in pins:
                seen = self._seen(pin, points[i], frames[i])
                ok = seen.seen > ENOUGH
                if ok.sum() >= 5:
                    px = np.sqrt(np.maximum(seen.left[ok] - base, 0) / (seen.slope[ok] + PLAIN))
                    told.append(float(np.minimum(px, FAR).mean()))
            out[i] = min(told, default=np.nan)
        return out


def rate_of(stretches: Sequence[Told], way: str) -> float | None:
    """px a frame that a way went off by over the stretches that it was tried on; None where there are none."""
    rates = [t.closes[way] / (t.last - t.first) for t in stretches if way in t.closes and t.last > t.first]
    return float(np.median(rates)) if rates else None


def served(stretches: Sequence[Told]) -> str:
    """The way that carries most of the frames of the stretches; '' where there are none."""
    votes: dict[str, int] = {}
    for t in stretches:
        votes[t.way] = votes.get(t.way, 0) + t.last - t.first
    return max(votes, key=lambda w: votes[w]) if votes else ""
