"""Evening out exposure and colour by the gains that a survey has found."""

from __future__ import annotations

import numpy as np

from transmixis.core.survey.exposure import Gains
from transmixis.core.types import Array

CALM = 0.002  # stops: a gain this close to its target is left alone


def target_stops(gains: Gains, rate: float, anchors: list[int], *, keep_drift: bool) -> Array:
    """Where every frame's gain should lie (n, 3), stops.

    `keep_drift`: the plate's own slow trend stays and only flicker goes. Else all go to the anchor frame's gain; between two
    anchors (1-based frames) it runs evenly from one to the other.
    """
    trend = gains.trend(rate)
    if keep_drift:
        return trend
    n = len(trend)
    known = np.isfinite(gains.stops[:, 0])
    chosen = [a for a in anchors if 1 <= a <= n and known[a - 1]]
    if not chosen:
        chosen = [int(np.flatnonzero(known)[0]) + 1] if known.any() else [1]
    at = [a - 1 for a in sorted(set(chosen))]
    return np.stack([np.interp(np.arange(n), at, gains.stops[at, c]) for c in range(3)], 1)


def factors(gains: Gains, target: Array, strength: float, *, by_channel: bool) -> Array:
    """What every frame is multiplied by (n, 3); 1 where its gain could not be measured."""
    off = np.where(np.isfinite(gains.stops), target - gains.stops, 0.0)
    if not by_channel:
        off = np.repeat(off.mean(axis=1, keepdims=True), 3, axis=1)
    unsure = 2 * np.nan_to_num(np.asarray(gains.error, float))[:, None]
    off = np.where(np.abs(off) < np.maximum(CALM, unsure), 0.0, off)  # what may be no change at all is left alone
    return np.exp2(strength * off).astype(np.float32)
