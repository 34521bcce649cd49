"""Whether a mend shows: its grain, and how it stirs from frame to frame, against the surroundings."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.readings import Reading
from transmixis.core.repair.border import bare_ring, ring_of
from transmixis.core.repair.fine import grain_share
from transmixis.core.types import Array, Mask, Matte, Rgb

GRAIN_OFF, BOIL, STILL = 30.0, 160.0, 50.0  # %
BURIED = 2.0  # times its grain that the plate shows of finest detail: then that is no grain
FEW = 60  # pixels


def grain_reading(frame: Rgb, made: Rgb, want: Array, matte: Matte) -> Reading:
    """How far the mend's grain is off what the plate's noise law wants there (`want` (h, w, 3) variance), %; read from the very finest detail where that is
    least, which texture only adds to, against the plate's own beside it."""
    inner, ring = (
        cv2.erode((matte > 0.99).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0,
        ring_of(matte) & (want.max(axis=2) > 0),
    )
    if inner.sum() < FEW or ring.sum() < FEW:
        return Reading("grain off", None, "%", GRAIN_OFF, note="too small a place to tell")
    beside = grain_share(frame, want, ring)
    if beside > BURIED:
        return Reading(
            "grain off",
            None,
            "%",
            GRAIN_OFF,
            note="the plate's grain is too weak beside its texture to be told, as coding leaves it",
        )
    ratio = grain_share(made, want, inner)
    ratio = ratio if ratio < 1 else max(1.0, ratio / max(beside, 1.0))  # as much texture as the plate has beside it is no grain
    return Reading(
        "grain off", 100 * abs(ratio - 1), "%", GRAIN_OFF, note=f"{ratio:.2f} times the plate's grain where least texture is"
    )


def stir_readings(now: Rgb, before: Rgb, matte: Matte, want: Array, front: Matte | None = None) -> list[Reading]:
    """How the mend changes from the frame before, against how what lies beside it does, %: more boils, much less stands still. Both are set against what the plate's
    grain alone would change there (`want` (h, w, 3) variance), since bright places have more of it."""
    inner, ring = matte > 0.99, bare_ring(matte, front) & (want.max(axis=2) > 0)
    if inner.sum() < FEW or ring.sum() < FEW:
        return []
    a, b = (linear_to_srgb(np.clip(x, 0, 1)) for x in (now, before))
    slope = (linear_to_srgb(np.clip(now, 0, 1) + 1e-3) - a) / 1e-3
    change, grain = np.abs(a - b).mean(axis=2), np.sqrt(want * slope * slope).mean(axis=2)

    def over_grain(where: Mask) -> float:
        return float(change[where].mean()) / max(float(grain[where].mean()), 1e-5)

    share = 100 * over_grain(inner) / max(over_grain(ring), 1e-6)
    return [Reading("boil", share, "%", BOIL), Reading("stirs", share, "%", STILL, "high")]
