"""A clean plate out of the take itself: what shows at each place for most of the time, and where nothing can be told."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from transmixis.core.motion.similarity import Similarity
from transmixis.core.motion.steady import moved
from transmixis.core.types import Array, Rgb

FRAMES = 32  # at most; more add little but memory
MOSTLY = 0.5  # of the frames: what shows for less may be a thing that stands there and wobbles
LEAST_SHARE = 0.2  # of the frames must show the same thing, or it is not told what is behind
ROWS = 32  # rows done at a time, which bounds the memory
CLOSE = 0.12  # stops: samples this near show the same thing, grain aside


@dataclass(frozen=True)
class Background:
    """`plate` (h, w, 3) linear; `share` (h, w) of the frames that show it; `shown` (h, w) bool; frames used (1-based)."""

    plate: Rgb
    share: Array
    shown: Array
    frames: tuple[int, ...]

    @property
    def doubtful(self) -> float:
        """Share of the frame that shows something else for more than half of the time: a thing that wobbles looks so, and so does
        background behind somebody who mostly stands there."""
        return float((self.shown & (self.share < MOSTLY)).mean())


def background_words(b: Background) -> str:
    """What was made, and what cannot be told of it."""
    never = 100 * float(1 - b.shown.mean())
    return (
        f"Made from {len(b.frames)} frames. {never:.1f} % of the frame is not shown for a fifth of the time, another "
        f"{100 * b.doubtful:.1f} % shows something else for more than half of it; look there before trusting it. Whatever stands still "
        "all through the take, or is burned into it, is taken for background and cannot be told from it."
    )


def background_of(frames: list[Rgb], moves: list[Similarity], gains: Array, numbers: list[int]) -> Background:
    """The background in the place and light of the first frame given.

    `moves`: each frame's motion against it; `gains` (n, 3): stops that each is brighter by. At every place the value that
    most frames share is sought (the densest cluster, not the median: somebody may stand there more than half of the time,
    never in quite the same way), and its members are averaged, which also takes the grain down.
    """
    laid = [
        moved(f, m.inverse()) if m.x or m.y or m.turn or m.grow != 1 else np.asarray(f, np.float32)
        for f, m in zip(frames, moves, strict=True)
    ]
    stack = [x * np.exp2(-g).astype(np.float32) for x, g in zip(laid, gains, strict=True)]
    h, w = stack[0].shape[:2]
    plate, share = np.zeros((h, w, 3), np.float32), np.zeros((h, w), np.float32)
    for y in range(0, h, ROWS):
        part = np.stack([s[y : y + ROWS] for s in stack])
        plate[y : y + ROWS], share[y : y + ROWS] = _densest(part)
    return Background(plate, share, share >= LEAST_SHARE, tuple(numbers))


def _densest(part: Array) -> tuple[Array, Array]:
    """Mean (rows, w, 3) of the largest group of like values over the frames, and its share."""
    known = part.max(axis=3) > 0  # moved in from outside: nothing
    logs = np.log2(np.maximum(part, 2e-3))
    best = np.zeros(part.shape[1:3], np.float32)
    out = np.median(part, axis=0)
    for k in range(len(part)):
        near = (np.abs(logs - logs[k]).max(axis=3) < CLOSE) & known & known[k]
        count = near.sum(axis=0)
        better = count > best
        if better.any():
            mean = (part * near[..., None]).sum(axis=0) / np.maximum(count, 1)[..., None]
            out[better] = mean[better]
            best[better] = count[better]
    return out.astype(np.float32), (best / np.maximum(known.sum(axis=0), 1)).astype(np.float32)
