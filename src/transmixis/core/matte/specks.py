"""Readings that fit any matte: specks outside the thing, and how well what is outside fits what should be there."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.matte.measure import region_box
from transmixis.core.matte.points import VISIBLE
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Mask, Matte

SMALL = 2e-4  # of the frame: a piece with less coverage is a speck, 100 px of 960 x 540
SPECKS_LIMIT = 0.01  # % of the frame: fifty pixels of 960 x 540
REST_LIMIT = 2.0  # times what noise and a small error make
CHI_HALF = 2.366  # the misfit that half of noise in three channels stays under (chi square, tables)
FEW = 1000  # px
CLOSED_LIMIT = 5.0  # % of the thing


def specks_reading(alpha: Matte) -> Reading:
    """The coverage (% of the frame) that lies in lone small pieces."""
    seen = (alpha > VISIBLE).astype(np.uint8)
    count, labels = cv2.connectedComponents(seen, connectivity=8)
    covers = np.bincount(labels.ravel(), alpha.ravel(), minlength=count)
    small = covers < SMALL * alpha.size
    small[0] = False
    lone = small[labels]
    return Reading("specks", 100 * float(covers[small].sum()) / alpha.size, "%", SPECKS_LIMIT, spot=region_box(lone))


def rest_reading(misfit: Array, outside: Mask, stood: str = "") -> Reading:
    """How far the background differs from its empty frame, times what noise and two per cent of error make (median); `stood` says how it
    was brought there."""
    if outside.sum() < FEW:
        return Reading("background off", None, "×", REST_LIMIT, note="hardly any background is seen")
    return Reading("background off", float(np.median(misfit[outside])) / CHI_HALF, "×", REST_LIMIT, note=stood)


def closed_reading(mask: Mask, misfit: Array, noise: float) -> Reading:
    """How much of the thing (%) looks like its background, so that it was closed by what lies around it and not by what is seen."""
    if mask.sum() < 200:
        return Reading("closed", None, "%", CLOSED_LIMIT, note="no thing in this frame")
    inner = cv2.erode(mask.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    closed = inner & (misfit < noise)
    return Reading("closed", 100 * float(closed.sum()) / float(mask.sum()), "%", CLOSED_LIMIT, spot=region_box(closed))
