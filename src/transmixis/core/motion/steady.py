"""Steadying: from the path a plate takes, the moves that take its trembling or all its motion out, and what that costs."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.build.place import placed
from transmixis.core.motion.motion import HALF
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
    whole = np.vstack([move.matrix, [0, 0, 1]])
    enlarge = np.array([[zoom, 0, (1 - zoom) * (w - 1) / 2], [0, zoom, (1 - zoom) * (h - 1) / 2], [0, 0, 1]])
    matrix = HALF @ enlarge @ whole @ np.linalg.inv(HALF)
    return placed(np.ascontiguousarray(picture, np.float32), matrix, (h, w))


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
    centre = np.array([(w - 1) / 2, (h - 1) / 2])
    frame = np.array([[0, 0], [w - 1, 0], [w - 1, h - 1], [0, h - 1]], float)
    shown = (frame - centre) / zoom + centre
    for m in moves:
        source = m.inverse().apply(shown)
        if (source < -0.01).any() or (source[:, 0] > w - 0.99).any() or (source[:, 1] > h - 0.99).any():
            return False
    return True


def from_points(first: Array, now: Array, pivot: tuple[float, float]) -> Similarity:
    """Motion told by one point (position) or by two and more (position, rotation and scale); both (n, 2) px."""
    if len(first) == 1:
        dx, dy = np.asarray(now[0]) - np.asarray(first[0])
        return Similarity(float(dx), float(dy), 0.0, 1.0, pivot)
    return fit_similarity(first, now, pivot=pivot)


def follow_points(greys: list[Array | None], points: Array, reference: int, half: int = 15) -> Array:
    """Where `points` (k, 2) of frame `reference` are in all frames: (n, k, 2), nan where lost.

    Each step looks for the patch as the reference frame shows it, from where it was last seen (Lucas & Kanade), so that
    errors do not add up; it is lost where the patch no longer looks alike.
    """
    n = len(greys)
    out = np.full((n, len(points), 2), np.nan)
    out[reference] = points
    for order in (range(reference + 1, n), range(reference - 1, -1, -1)):
        last = np.asarray(points, np.float32).copy()
        for i in order:
            first, here = greys[reference], greys[i]
            if first is None or here is None:
                continue
            found, good = _patch_flow(first, here, np.asarray(points, np.float32), last, half)
            out[i][good] = found[good]
            last[good] = found[good]
    return out


def _patch_flow(a: Array, b: Array, points: Array, guess: Array, half: int) -> tuple[Array, Array]:
    crit = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 60, 0.001)
    there, ok, _ = cv2.calcOpticalFlowPyrLK(
        a, b, points.reshape(-1, 1, 2), guess.reshape(-1, 1, 2).copy(), winSize=(2 * half + 1, 2 * half + 1), maxLevel=2,
        criteria=crit, flags=cv2.OPTFLOW_USE_INITIAL_FLOW,
    )  # fmt: skip
    found = np.asarray(there).reshape(-1, 2)
    alike = np.array([_likeness(a, b, p, q, half) for p, q in zip(points, found, strict=True)])
    return found, (ok.ravel() > 0) & (alike > 0.6)


def _likeness(a: Array, b: Array, p: Array, q: Array, half: int) -> float:
    """Normalised correlation of two patches."""
    size = (2 * half + 1, 2 * half + 1)
    u = cv2.getRectSubPix(a, size, (float(p[0]), float(p[1]))).astype(np.float32)
    v = cv2.getRectSubPix(b, size, (float(q[0]), float(q[1]))).astype(np.float32)
    u, v = u - u.mean(), v - v.mean()
    return float((u * v).sum() / (np.sqrt((u * u).sum() * (v * v).sum()) + 1e-6))
