"""Several copies of an element, each with an offset of its own in time, place, size and side, so that no two move alike."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.types import Array

ALIKE_SIZE = 1.15  # times: nearer in size, two copies can be compared
WIDE = 48  # px at which copies are compared
TRIES = 40  # of places, times and sizes of which those that are least alike are kept


@dataclass(frozen=True)
class Copy:
    """Where a copy lies, px from the middle, its size, whether it is flipped, and how many frames it runs late."""

    x: float
    y: float
    size: float
    flipped: bool
    late: int


def spread_out(count: int, wide: float, high: float, sizes: float, frames: int, flips: bool, seed: int) -> tuple[Copy, ...]:
    """`count` copies within `wide` by `high` px about the middle, smaller or larger by up to `sizes` (0.2: a fifth), the first as the element itself; those farther up are smaller and lie behind. Times are spread evenly over
    its `frames`, so that no two are near each other in it."""
    dice = np.random.default_rng(seed)
    if count < 1:
        return ()
    late = np.floor(np.arange(count) * frames / count).astype(int)
    rest = late[1:].copy()
    dice.shuffle(rest)
    out = [Copy(0.0, 0.0, 1.0, False, 0)]
    for k in range(1, count):
        tries = np.column_stack([dice.uniform(-wide / 2, wide / 2, TRIES), dice.uniform(-high / 2, high / 2, TRIES)])
        far = np.min([np.hypot(tries[:, 0] - c.x, tries[:, 1] - c.y) for c in out], axis=0)
        x, y = tries[int(np.argmax(far))]
        out.append(
            Copy(
                float(x), float(y), float(1 + dice.uniform(-sizes, sizes)), bool(flips and dice.random() < 0.5), int(rest[k - 1])
            )
        )
    return tuple(sorted(out, key=lambda c: c.y))


def likeness(shown: list[Array], mean: Array) -> tuple[float, tuple[int, int]]:
    """The largest likeness -1..1 of two copies, by what each shows beyond the element's own mean, small pictures (h, w) of one size; and which two."""
    rows = [(s - mean).ravel() for s in shown]
    best, pair = -1.0, (0, 0)
    for i in range(len(rows)):
        for j in range(i + 1, len(rows)):
            norm = float(np.linalg.norm(rows[i]) * np.linalg.norm(rows[j]))
            alike = 1.0 if norm < 1e-9 else float(rows[i] @ rows[j]) / norm
            if alike > best:
                best, pair = alike, (i, j)
    return best, pair


def small_grey(picture: Array, flipped: bool) -> Array:
    """What a copy shows, small."""
    grey = picture[..., :3].mean(axis=2)
    h, w = grey.shape
    out = cv2.resize(np.ascontiguousarray(grey, np.float32), (WIDE, max(4, round(WIDE * h / w))), interpolation=cv2.INTER_AREA)
    return np.asarray(out[:, ::-1] if flipped else out)
