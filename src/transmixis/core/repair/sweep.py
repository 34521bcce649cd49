"""Marks covered: from which neighbour each is taken, for as long as that runs into nothing, and how it goes over into another."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from transmixis.core.repair.marklinks import Path, cover_of
from transmixis.core.repair.marks import JOINS, Seen
from transmixis.core.repair.patch import Patched, patched
from transmixis.core.types import Array, Mask, Rgb

DIRECTIONS, AWAY = 12, (1.35, 1.8, 2.4)  # sources tried about a mark, and how far, in its sizes
BARE, FEW = 30.0, 60  # levels and px: what beside a mark is taken for its surface
CHANGED = 2  # frames over which one source goes over into another


def barred(seen: Seen) -> Mask:
    """What of a frame is no bare surface (h, w)."""
    return np.asarray(cv2.dilate((seen.out > JOINS).astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def left_over(seen: Seen, cover: Array, path: Path) -> float:
    """How far what was covered still is off its surface the way the mark was, beyond what the surface beside it is off by itself, levels."""
    inner = cover > 0.5
    ring = (cv2.dilate((cover > 0.02).astype(np.uint8), np.ones((17, 17), np.uint8)) > 0) & (cover <= 0.02)
    ring &= np.abs(seen.shown - seen.surface).max(axis=2) < BARE
    if not inner.any() or ring.sum() < FEW:
        return float("nan")
    off = cv2.GaussianBlur(
        (seen.shown - seen.surface) @ (path.colour / np.linalg.norm(path.colour)).astype(np.float32), (0, 0), 1.5
    )
    return float(max(0.0, np.quantile(off[inner], 0.95) - np.quantile(off[ring], 0.95)))


@dataclass(frozen=True)
class Source:
    """From which neighbour a mark is covered from a frame on: px to the right and down."""

    since: int
    right: float
    down: float


def sources(path: Path, looks: Mapping[int, tuple[Seen, Mask]], frames: Sequence[int]) -> tuple[Source, ...]:
    """The neighbour that a mark is covered from: the one that goes best with its surroundings on the frames looked at, for as long as it runs into nothing; then the next best. `looks`: how
    it is seen, and what may not be a source (h, w)."""
    tried = [
        (float(np.cos(a) * far * path.size), float(np.sin(a) * far * path.size))
        for far in AWAY
        for a in 2 * np.pi * np.arange(DIRECTIONS) / DIRECTIONS
    ]
    costs = np.full((len(tried), len(frames)), np.inf)
    for k, n in enumerate(frames):
        seen, barred = looks[n]
        cover = cover_of(seen, path, n)
        if cover is None or cover.max() < 0.5:
            continue
        places = np.nonzero(cover > 0.02)
        for i, (dx, dy) in enumerate(tried):
            costs[i, k] = _cost(seen, barred, places, dx, dy)
    known = np.isfinite(costs).any(axis=0)
    if not known.any():
        return ()
    return _kept(tried, costs[:, known], [n for n, ok in zip(frames, known, strict=True) if ok])


def _kept(tried: Sequence[tuple[float, float]], costs: Array, frames: Sequence[int]) -> tuple[Source, ...]:
    """Stays with a source as long as it can; of those that can the one that lasts longest, then the likest."""
    out: list[Source] = []
    k = 0
    while k < len(frames):
        lasts = np.array([next((j for j in range(k, len(frames)) if not np.isfinite(c[j])), len(frames)) for c in costs])
        longest = int(lasts.max())
        if longest == k:
            k += 1  # nothing serves here: the one before goes on
            continue
        best = min(np.flatnonzero(lasts == longest), key=lambda i: costs[i, k:longest].mean())
        out.append(Source(1 if not out else frames[k], *tried[int(best)]))
        k = longest
    return tuple(out)


def _cost(seen: Seen, barred: Mask, places: tuple[Array, ...], dx: float, dy: float) -> float:
    """How unlike the surroundings of a source and of the mark are, levels; infinite where the source runs into something."""
    ys, xs = places
    u, v = xs + round(dx), ys + round(dy)
    h, w = barred.shape
    inside = (u >= 2) & (v >= 2) & (u < w - 2) & (v < h - 2)
    if inside.mean() < 0.999 or barred[v[inside], u[inside]].any():
        return float("inf")
    rough = seen.out[v, u]
    light = seen.surface[v, u].mean(axis=0) - seen.surface[ys, xs].mean(axis=0)
    return float(np.abs(light).max() + np.minimum(rough, 20).mean())


def source_at(path: tuple[Source, ...], n: int) -> list[tuple[Source, float]]:
    """The sources of a frame with their shares: one, or two where one goes over into the other."""
    k = max((i for i, s in enumerate(path) if s.since <= n), default=0)
    if k + 1 < len(path) and n >= path[k + 1].since - CHANGED:
        share = (n - (path[k + 1].since - CHANGED) + 1) / (CHANGED + 1)
        return [(path[k], 1 - share), (path[k + 1], share)]
    return [(path[k], 1.0)]


def free(seen: Seen, barred: Mask, cover: Array, s: Source) -> bool:
    """Whether a source runs into nothing in a frame."""
    return bool(np.isfinite(_cost(seen, barred, np.nonzero(cover > 0.02), s.right, s.down)))


def covered(
    picture: Rgb, seen: Seen, barred: Mask, cover: Array, path: tuple[Source, ...], n: int, seed: int
) -> tuple[Patched | None, str]:
    """The picture with a mark covered from its neighbour, or from two of them while one goes over into the other, and the grain that this averages away put back; where no neighbour
    is free, by the light about it alone. Also how it was done, in words. `barred` (h, w): what is no bare surface."""
    ways = [(s, share) for s, share in (source_at(path, n) if path else []) if free(seen, barred, cover, s)]
    if not ways:
        return patched(picture, cover, None, seed, barred), "by the light about it alone"
    made = [(patched(picture, cover, _shift(s), seed + 7 * i, barred), share) for i, (s, share) in enumerate(ways)]
    words = f"from {ways[0][0].right:+.0f}, {ways[0][0].down:+.0f} px" + (", going over into another" if len(ways) > 1 else "")
    return _blended(made, cover), words


def _blended(made: Sequence[tuple[Patched | None, float]], cover: Array) -> Patched | None:
    first = made[0][0]
    if first is None or len(made) == 1 or made[1][0] is None:
        return first
    x, y, w, h = first.box
    part = (slice(y, y + h), slice(x, x + w))
    a, b, t = first.picture[part], made[1][0].picture[part], made[1][1]
    mean = a + t * (b - a)
    kept = float(np.sqrt(t * t + (1 - t) ** 2))  # two grains averaged are weaker than one
    soft = cv2.GaussianBlur(mean, (0, 0), 1.0)
    inner = (cover[part] > 0.5)[..., None]
    out = np.array(first.picture)
    out[part] = np.where(inner, soft + (mean - soft) / kept, mean)
    return replace(first, picture=out, seam=max(first.seam, made[1][0].seam))


def _shift(s: Source) -> Array:
    return np.array([[1, 0, s.right], [0, 1, s.down], [0, 0, 1.0]])
