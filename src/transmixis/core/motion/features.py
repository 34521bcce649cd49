"""Where a surface may lie after a large move: features of it found again, and the perspective most of them share.

Scale-invariant features (Lowe, 2004) matched by the ratio of the nearest to the second, and a perspective by random samples (Fischler &
Bolles, 1981). It only says where to begin: how the surface lies is then fitted on the light itself. Positions are (x, y) px, pixel
centres at +0.5.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.motion.coding import coded
from transmixis.core.types import Array, Mask

RATIO = 0.8  # of the nearest match's distance to the second's (Lowe, 2004, section 7.1)
NEAR = 3.0  # px that a match may lie beside the perspective
LEAST = 10  # matches that must share it
MOST = 4000
SEED = 7


@dataclass(frozen=True)
class Features:
    """`places` (n, 2) px, and what they look like (n, 128)."""

    places: Array
    looks: Array


def features_of(picture: Array, where: Mask | None = None) -> Features:
    """The features of a linear picture (h, w, channels), `where` (h, w) is true."""
    grey = cv2.cvtColor(coded8(picture), cv2.COLOR_RGB2GRAY)
    # without the precise upscale every place is a quarter of a pixel off
    sift = cv2.SIFT_create(MOST, enable_precise_upscale=True)  # type: ignore[attr-defined]
    mask = None if where is None else where.astype(np.uint8) * 255
    points, looks = sift.detectAndCompute(grey, mask)
    places = np.array([p.pt for p in points], np.float64).reshape(-1, 2) + 0.5
    return Features(places, np.zeros((0, 128), np.float32) if looks is None else np.asarray(looks, np.float32))


def coded8(picture: Array) -> Array:
    """A linear picture display coded in 8 bit, three channels."""
    p = np.asarray(picture[..., :3], np.float32)
    p = np.repeat(p, 3, axis=2) if p.shape[2] == 1 else p
    return np.ascontiguousarray((coded(p) * 255 + 0.5).astype(np.uint8))


def matched(one: Features, two: Features) -> Array:
    """Pairs (n, 2) of numbers of features that are each other's nearest, and clearly nearer than the next."""
    if min(len(one.looks), len(two.looks)) < 2:
        return np.zeros((0, 2), int)
    finder = cv2.BFMatcher(cv2.NORM_L2)
    there = finder.knnMatch(one.looks, two.looks, k=2)
    back = {m.queryIdx: m.trainIdx for m in finder.match(two.looks, one.looks)}
    pairs = [(a.queryIdx, a.trainIdx) for a, b in there if a.distance < RATIO * b.distance and back.get(a.trainIdx) == a.queryIdx]
    return np.array(pairs, int).reshape(-1, 2)


def perspective(one: Features, two: Features) -> Array | None:
    """The 3 x 3 matrix that most matches share; None if too few do."""
    pairs = matched(one, two)
    if len(pairs) < LEAST:
        return None
    a, b = one.places[pairs[:, 0]], two.places[pairs[:, 1]]
    cv2.setRNGSeed(SEED)  # the same pictures, the same answer
    m, near = cv2.findHomography(a, b, cv2.USAC_MAGSAC, NEAR, maxIters=5000, confidence=0.9999)
    if m is None or near is None or int(near.sum()) < LEAST or abs(float(np.linalg.det(m))) < 1e-9:
        return None
    return np.asarray(m / m[2, 2], np.float64)
