"""A loop out of an element: where it is cut, so that its end goes over into its beginning, and how; what is read of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.build.crossing import BANDS, WAYS, crossed
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array

WIDE = 160  # px: the size at which cuts are compared
BLENDS = (2, 3, 4, 6, 8, 12, 16, 24)  # frames that are tried
KEPT = 0.6  # of the element's length that a loop keeps at least
LOOKED_AT = 0.62  # of the length: shorter loops are not looked at
TRIED = 8  # cuts that are made and looked at
UNLIKE, LENGTH = 0.5, 0.6  # how much contrast and length count beside likeness, in median steps
SEAM, STEP, LOST = 1.05, 1.15, 0.97  # limits: see docs/limits.md
SHORT, DOUBLE = 0.02, 0.03  # how much what is cut off counts, and how unlike the ends are (steps): blended they are seen twice
LEAST = 8  # frames of an element

Codes = Callable[[int], Array]  # a frame, counted from 1, as codes (h, w, c) 0..1


@dataclass(frozen=True)
class Loop:
    """Frames `first` to `last` of the element; the last `blend` of them go over into those before the first, `way` says how. Its cycle ends on the frame before it begins again."""

    first: int
    last: int
    blend: int
    way: str = BANDS

    @property
    def length(self) -> int:
        return self.last - self.first + 1

    def sources(self, n: int) -> tuple[int, int, float]:
        """Frame `n` of the loop, 1..length: the element's frame that it shows, the one that it goes over into (0 for none), and how much of that."""
        shown = self.first + n - 1
        into = n - (self.length - self.blend)  # 1..blend within the blend
        if into < 1:
            return shown, 0, 0.0
        return shown, self.first - self.blend + into - 1, into / (self.blend + 1)


@dataclass(frozen=True)
class LoopRead:
    """What a loop gives away: the step from its last frame to its first over the median step, the largest step within the blend over that, and the least contrast and detail of a blended frame over
    those of the pair that it is made of."""

    seam: float
    step: float
    contrast: float
    detail: float

    @property
    def worst(self) -> float:
        """How far the worst is over its limit, 1 at it."""
        return max(self.seam / SEAM, self.step / STEP, LOST / max(self.contrast, 1e-6), LOST / max(self.detail, 1e-6))


def frame_of(loop: Loop, codes: Codes, n: int) -> Array:
    """Frame `n` of a loop, 1..length, as codes."""
    shown, into, share = loop.sources(n)
    return codes(shown) if not into else crossed(codes(shown), codes(into), share, loop.way)


def best_loop(
    codes: Codes, first: int, last: int, progress: Progress, length: int | None = None, blend: int | None = None
) -> tuple[Loop, LoopRead]:
    """The loop that shows least, out of the frames `first` to `last` of an element; of a `length`, with a `blend` of so many frames if they are given. Raises UserError if there are too few frames."""
    count = last - first + 1
    least = LEAST if length is None else length + (blend or BLENDS[0])
    if count < least:
        raise UserError(
            f"A loop of that length wants at least {least} frames of the element; there are {count}. Take a shorter one."
        )
    small = []
    for n in range(first, last + 1):
        progress.at(n - first, count, f"looking at frame {n}")
        small.append(small_of(codes(n)))
    best: tuple[float, Loop, LoopRead] | None = None
    cuts = _cuts(small, length, blend)
    for k, (off, loop) in enumerate(cuts):
        progress.at(k, len(cuts), "trying cuts")
        for way in WAYS:
            tried = Loop(loop.first, loop.last, loop.blend, way)
            read = read_loop(tried, lambda n: small[n - 1])
            score = max(read.worst, 1.0) + SHORT * (1 - tried.length / count) + DOUBLE * off
            if best is None or score < best[0] - 1e-9:
                best = (score, Loop(tried.first + first - 1, tried.last + first - 1, tried.blend, way), read)
    assert best is not None
    return best[1], best[2]


def small_of(frame: Array) -> Array:
    """A frame at the size at which cuts are compared."""
    h, w = frame.shape[:2]
    if w <= WIDE:
        return np.asarray(frame, np.float32)
    return np.asarray(cv2.resize(frame, (WIDE, max(8, round(h * WIDE / w))), interpolation=cv2.INTER_AREA), np.float32)


def _cuts(small: Sequence[Array], length: int | None, blend: int | None) -> list[tuple[float, Loop]]:
    """The cuts worth trying, of frames counted from 1: those whose two ends are most alike, contrast and all, over the whole blend; and how unlike they are, in median steps."""
    flat = np.stack([s.mean(axis=2).ravel() for s in small])
    unlike = np.stack([np.abs(flat - f).mean(axis=1) for f in flat])
    steps = np.array([unlike[k, k + 1] for k in range(len(small) - 1)])
    step = max(float(np.median(steps)), 1e-6)
    contrast = flat.std(axis=1)
    out: list[tuple[float, Loop]] = []
    for b in BLENDS if blend is None else (blend,):
        found: list[tuple[float, Loop]] = []
        for n in _lengths(len(small), b, length):
            for a in range(b, len(small) - n + 1):  # counted from 0: the b frames before it are blended in
                ends, begins = np.arange(a + n - b, a + n), np.arange(a - b, a)
                off = float(unlike[ends, begins].mean()) / step
                off += UNLIKE * float(np.abs(contrast[ends] - contrast[begins]).mean()) / step
                found.append((off, Loop(a + 1, a + n, b)))
        found.sort(key=lambda f: f[0] + LENGTH * (1 - f[1].length / len(small)))
        kept: list[tuple[float, Loop]] = []
        for f in found:  # not the same cut again, a frame aside
            if all(abs(f[1].first - k[1].first) + abs(f[1].last - k[1].last) > 2 for k in kept):
                kept.append(f)
            if len(kept) == TRIED:
                break
        out += kept
    if not out:
        raise UserError("No loop of that length and blend fits into the element; take a shorter one, or a shorter blend.")
    return out


def _lengths(count: int, blend: int, length: int | None) -> range:
    longest = count - blend
    if length is not None:
        fits = length <= longest and blend < length  # a frame at least that is shown as it is
        return range(length, length + 1 if fits else length)
    shortest = max(int(np.ceil(LOOKED_AT * count)), blend + 2)
    return range(longest, shortest - 1, -1)


def read_loop(loop: Loop, codes: Codes) -> LoopRead:
    """What a loop gives away, from all of its frames."""
    begin = loop.length - loop.blend
    frames = {n: frame_of(loop, codes, n) for n in (1, *range(max(1, begin), loop.length + 1))}
    plain = [float(np.abs(codes(n + 1) - codes(n)).mean()) for n in range(loop.first, loop.last)]
    usual = max(float(np.median(plain)), 1e-6)
    inside = [float(np.abs(frames[n + 1] - frames[n]).mean()) for n in range(max(1, begin), loop.length)]
    seam = float(np.abs(frames[1] - frames[loop.length]).mean())
    contrast, detail = [1.0], [1.0]
    for n in range(begin + 1, loop.length + 1):
        shown, into, share = loop.sources(n)
        for measure, kept in ((_contrast, contrast), (_detail, detail)):
            want = (1 - share) * measure(codes(shown)) + share * measure(codes(into))
            kept.append(measure(frames[n]) / want if want > 1e-6 else 1.0)
    return LoopRead(seam / usual, max([*inside, seam]) / usual, min(contrast), min(detail))


def loop_steps(loop: Loop, codes: Codes) -> Array:
    """(length,) how far each frame of a loop is from the next, the last from the first, over the median step."""
    frames = [frame_of(loop, codes, n) for n in range(1, loop.length + 1)]
    steps = np.array([float(np.abs(b - a).mean()) for a, b in zip(frames, [*frames[1:], frames[0]], strict=True)])
    return steps / max(float(np.median(steps)), 1e-6)


def _contrast(x: Array) -> float:
    return float(x[..., :3].mean(axis=2).std())


def _detail(x: Array) -> float:
    """Deviation of what is finer than a few pixels."""
    grey = np.ascontiguousarray(x[..., :3].mean(axis=2), np.float32)
    return float((grey - cv2.GaussianBlur(grey, (0, 0), 1.5)).std())


def loop_readings(read: LoopRead, loop: Loop, count: int) -> list[Reading]:
    """A loop's readings with their limits."""
    words = f"frames {loop.first} to {loop.last} of the element, {loop.blend} of them blended by {loop.way}"
    return [
        Reading("seam", read.seam, "times", SEAM, note=words),
        Reading("step", read.step, "times", STEP, note="the largest step within the blend, over the median one"),
        Reading("contrast", read.contrast, "times", LOST, "high", note="of the pair that a blended frame is made of"),
        Reading("detail", read.detail, "times", LOST, "high", note="of the pair that a blended frame is made of"),
        Reading("kept", 100 * loop.length / count, "%", 100 * KEPT, "high"),
    ]
