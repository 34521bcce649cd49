"""Two terms of radial distortion (Brown, 1966), laid on and taken out; see core.motion.pose for the convention."""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array

ROUNDS = 30
DONE = 1e-14


def bent(flat: Array, k1: float, k2: float) -> Array:
    """Where directions (n, 2), in focal lengths, are seen."""
    q = (flat**2).sum(axis=-1, keepdims=True)
    return np.asarray(flat * (1 + q * (k1 + q * k2)))


def unbent(seen: Array, k1: float, k2: float) -> Array:
    """The directions (n, 2) that are seen there: Newton's rounds on the radius, exact to rounding inside of where the law is one to one."""
    if k1 == 0 and k2 == 0:
        return np.asarray(seen, np.float64)
    rd = np.sqrt((seen**2).sum(axis=-1, keepdims=True))
    r = rd.copy()
    with np.errstate(all="ignore"):
        for _ in range(ROUNDS):
            q = r * r
            step = (r * (1 + q * (k1 + q * k2)) - rd) / (1 + q * (3 * k1 + q * 5 * k2))
            r = r - step
            if float(np.nanmax(np.abs(step), initial=0.0)) < DONE:
                break
        return np.asarray(np.where(rd > 0, seen * (r / np.where(rd > 0, rd, 1)), seen))


def flat_of(places: Array, focal: float, middle: Array, k1: float = 0.0, k2: float = 0.0) -> Array:
    """Directions (…, 2) in focal lengths of places in px; nan stays nan."""
    return unbent((np.asarray(places, np.float64) - middle) / focal, k1, k2)
