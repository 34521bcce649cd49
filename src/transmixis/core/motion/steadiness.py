"""How far the camera has moved between two frames, robust to people who walk through.

Sparse optical flow (Lucas & Kanade, pyramidal) of corners, checked forwards and backwards (Kalal, Mikolajczyk, Matas,
2010); the median shift of those that agree. Phase correlation and image alignment follow the people instead.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.types import Array, Mask

FAINT = 0.012  # of the code range: texture weaker than this is not lifted to full strength, or grain would be
AGREE = 0.15  # px: points within this of a movement share it
PLACES = (24, 14)  # the frame's division into places, across and down


@dataclass(frozen=True)
class Shift:
    """Median shift (px, x right, y down) and its standard error; `points` that agree. Falsy when it could not be measured."""

    x: float
    y: float
    error: float
    points: int
    reason: str = ""

    def __bool__(self) -> bool:
        return not self.reason

    @property
    def length(self) -> float:
        return float(np.hypot(self.x, self.y))


def grey_of(frame: Array) -> Array:
    """8-bit picture for tracking: texture of like strength everywhere, since a screen's seams and marks are faint."""
    g = linear_to_srgb(np.clip(frame[..., :3].mean(axis=2), 0, 1)).astype(np.float32)
    fine = cv2.GaussianBlur(g, (0, 0), 1.0)  # grain would be followed as if it were texture
    rest = fine - cv2.GaussianBlur(g, (0, 0), 12.0)
    strength = np.sqrt(cv2.GaussianBlur(rest * rest, (0, 0), 12.0))
    even = rest / (strength + FAINT)
    return np.clip(even * 40 + 128, 0, 255).astype(np.uint8)


def _spread_features(grey: Array, points: int, where: Mask | None) -> Array | None:
    """Corners from all over the frame: each of eight parts gives its share, so that one busy part does not take all."""
    h, w = grey.shape
    found = []
    for j in range(2):
        for i in range(4):
            y, x = j * h // 2, i * w // 4
            part = np.ascontiguousarray(grey[y : y + h // 2, x : x + w // 4])
            mask = None if where is None else where[y : y + h // 2, x : x + w // 4].astype(np.uint8)
            p = cv2.goodFeaturesToTrack(part, points // 8, 0.02, 7, mask=mask, blockSize=7)
            if p is not None:
                found.append(p + np.array([x, y], np.float32))
    return np.concatenate(found) if found else None


def _followed(a: Array, b: Array, points: Array) -> tuple[Array, Array]:
    """Where `points` of picture `a` are in `b`, and which were found (pyramidal Lucas & Kanade)."""
    crit = (cv2.TERM_CRITERIA_COUNT | cv2.TERM_CRITERIA_EPS, 40, 0.001)
    there, found, _ = cv2.calcOpticalFlowPyrLK(a, b, points, np.empty(0), winSize=(21, 21), maxLevel=3, criteria=crit)
    return np.asarray(there), np.asarray(found)


def measure_shift(reference: Array, grey: Array, points: int = 600, *, where: Mask | None = None) -> Shift:
    """Shift of `grey` against `reference`, both (h, w) uint8, read `where` (h, w) is true. Needs 12 points that agree."""
    start = _spread_features(reference, points, where)
    if start is None or len(start) < 12:
        return Shift(0, 0, 0, 0, "too little texture to measure the camera by")
    there, ok1 = _followed(reference, grey, start)
    back, ok2 = _followed(grey, reference, there)
    good = (ok1.ravel() > 0) & (ok2.ravel() > 0) & (np.linalg.norm((back - start).reshape(-1, 2), axis=1) < 0.3)
    moves, at = (there - start).reshape(-1, 2)[good], start.reshape(-1, 2)[good]
    if len(moves) < 12:
        return Shift(0, 0, 0, len(moves), "too few points can be followed")
    near = _one_movement(moves, at, reference.shape)
    if near.sum() < 8:
        return Shift(0, 0, 0, int(near.sum()), "the points do not agree on one movement")
    agree = moves[near]
    middle = np.median(agree, axis=0)
    spread = 1.4826 * np.median(np.abs(agree - middle), axis=0)
    error = float(1.2533 * np.hypot(*spread) / np.sqrt(len(agree)))
    return Shift(float(middle[0]), float(middle[1]), error, len(agree))


def _one_movement(moves: Array, at: Array, shape: tuple[int, ...]) -> Array:
    """Mask of the points that share the movement found at the most places of the frame.

    Counting places, not points, keeps a well-textured person from outvoting a plain set; and what the camera does is
    shared to a tenth of a pixel by all that stands still, while a body's parts each move in their own way.
    """
    cell = (at[:, 1] // (shape[0] / PLACES[1])).astype(int) * PLACES[0] + (at[:, 0] // (shape[1] / PLACES[0])).astype(int)
    agree = np.linalg.norm(moves[:, None] - moves[None], axis=2) < AGREE
    score = np.array([len(np.unique(cell[row])) for row in agree])
    # among the candidates with the most places, the one whose followers lie closest together
    best = np.flatnonzero(score >= 0.9 * score.max())
    spread = [float(np.linalg.norm(moves[agree[i]] - moves[i], axis=1).mean()) for i in best]
    centre = moves[best[int(np.argmin(spread))]]
    for _ in range(3):
        near = np.linalg.norm(moves - centre, axis=1) < AGREE
        centre = np.median(moves[near], axis=0)
    return np.asarray(near)
