"""Flicker of a flame or lamp: smooth chance about 1, the same for the same seed."""

from __future__ import annotations

import math

import numpy as np

CHANGES, DEPTH = 4.0, 0.15  # a second, and of the light to either side (common practice)


def flicker(seconds: float, changes: float, depth: float, seed: int) -> float:
    """A factor within 1 - depth .. 1 + depth, that goes to a new value `changes` times a second."""
    if depth <= 0 or changes <= 0:
        return 1.0
    t = seconds * changes
    k = math.floor(t)
    a, b = (float(np.random.default_rng((seed, n + 1_000_000)).uniform(-1, 1)) for n in (k, k + 1))
    u = t - k
    return 1.0 + depth * (a + (b - a) * u * u * (3 - 2 * u))
