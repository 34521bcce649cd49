"""Exposure and colour of a frame against a reference frame, robust to what moves in it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.types import Rgb


@dataclass(frozen=True)
class Drift:
    """Exposure and colour (largest channel against the mean) in stops, against the reference. Falsy if not measured."""

    exposure: float
    colour: float
    reason: str = ""

    def __bool__(self) -> bool:
        return not self.reason


def measure_drift(reference: Rgb, frame: Rgb) -> Drift:
    """Median log ratio over the pixels that did not change otherwise.

    Means follow whoever walks through; the median of ratios does not, as long as more than half of the frame is still.
    """
    size = (160, max(2, round(160 * frame.shape[0] / frame.shape[1])))
    a = cv2.resize(reference[..., :3], size, interpolation=cv2.INTER_AREA)
    b = cv2.resize(frame[..., :3], size, interpolation=cv2.INTER_AREA)
    lit = (a.min(axis=2) > 2e-3) & (b.min(axis=2) > 2e-3) & (a.max(axis=2) < 0.95) & (b.max(axis=2) < 0.95)
    if lit.sum() < 300:
        return Drift(0, 0, "too little of the frame is neither black nor clipped")
    stops = np.log2(b[lit] / a[lit])
    middle = np.median(stops, axis=0)
    spread = 1.4826 * np.median(np.abs(stops - middle), axis=0) + 0.01
    still = (np.abs(stops - middle) < 3 * spread).all(axis=1)
    middle = np.median(stops[still], axis=0) if still.sum() > 100 else middle
    mean = float(middle.mean())
    return Drift(mean, float(np.abs(middle - mean).max()))
