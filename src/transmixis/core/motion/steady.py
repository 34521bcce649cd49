"""Steadying: from the path a plate takes, the moves that take its trembling or all its motion out, and what that costs."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.place import placed
from transmixis.core.motion.motion import similarity_matrix
from transmixis.core.motion.similarity import Similarity, fit_similarity
from transmixis.core.motion.smooth import smoothed
from transmixis.core.types import Array


def corrections(path: list[Similarity | None], reference: int, strength: float, smooth: float) -> list[Similarity]:
    """The move of every frame that steadies it; a frame whose motion is not known is moved like its neighbours.

    `smooth` 0: everything goes to where frame `reference` (0-based) has it. Else only what departs from the path smoothed by
    a gaussian of `smooth` frames is taken out, so that a wanted pan stays. `strength` 0..1.
    """
    rows = _rows(path)
    target = np.repeat(rows[reference : reference + 1], len(rows), axis=0)
    if smooth > 0 and len(rows) > 1:
        target = smoothed(rows, smooth)
    pivot = next((p.pivot for p in path if p is not None), (0.0, 0.0))
    out = []
    for now, wanted in zip(rows, rows + strength * (target - rows), strict=True):
        out.append(_similarity(wanted, pivot).after(_similarity(now, pivot).inverse()).about(pivot))
    return out


def _rows(path: list[Similarity | None]) -> Array:
    """(n, 4) x, y, turn, log grow; gaps are filled from both sides."""
    known = [i for i, p in enumerate(path) if p is not None]
    rows = np.array([[p.x, p.y, p.turn, np.log(p.grow)] for p in path if p is not None])
    if not known:
        return np.zeros((len(path), 4))
    at = np.arange(len(path))
    return np.stack([np.interp(at, known, rows[:, c]) for c in range(4)], 1)


def _similarity(row: Array, pivot: tuple[float, float]) -> Similarity:
    return Similarity(float(row[0]), float(row[1]), float(row[2]), float(np.exp(row[3])), pivot)


def moved(picture: Array, move: Similarity, zoom: float = 1.0) -> Array:
    """The picture moved, then enlarged by `zoom` about the frame's middle; empty beyond its border."""
    h, w = picture.shape[:2]
    enlarge = np.array([[zoom, 0, (1 - zoom) * w / 2], [0, zoom, (1 - zoom) * h / 2], [0, 0, 1]])
    return placed(np.ascontiguousarray(picture, np.float32), enlarge @ similarity_matrix(move), (h, w))


def zoom_needed(moves: list[Similarity], size: tuple[int, int]) -> float:
    """The least enlargement about the middle at which no moved frame of `size` (h, w) shows its border."""
    h, w = size
    lo, hi = 1.0, 3.0
    if _covers(moves, w, h, lo):
        return 1.0
    for _ in range(24):
        mid = (lo + hi) / 2
        lo, hi = (lo, mid) if _covers(moves, w, h, mid) else (mid, hi)
    return hi


def _covers(moves: list[Similarity], w: int, h: int, zoom: float) -> bool:
    centre = np.array([w / 2, h / 2])
    # the middles of the corner pixels: up to there nothing of the border is mixed in
    frame = np.array([[0, 0], [w - 1, 0], [w - 1, h - 1], [0, h - 1]], float) + 0.5
    shown = (frame - centre) / zoom + centre
    for m in moves:
        source = m.inverse().apply(shown)
        if (source < 0.49).any() or (source[:, 0] > w - 0.49).any() or (source[:, 1] > h - 0.49).any():
            return False
    return True


def from_points(first: Array, now: Array, pivot: tuple[float, float]) -> Similarity:
    """Motion told by one point (position) or by two and more (position, rotation and scale); both (n, 2) px."""
    if len(first) == 1:
        dx, dy = np.asarray(now[0]) - np.asarray(first[0])
        return Similarity(float(dx), float(dy), 0.0, 1.0, pivot)
    return fit_similarity(first, now, pivot=pivot)
