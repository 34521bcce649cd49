"""The patch's own view: a line through the mend, straightened on what lies behind it, a row a frame, so that what boils or jumps is seen at a glance."""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.motion.motion import moved_points
from transmixis.core.repair.laying import bounds
from transmixis.core.types import Array, Mask, Rgb

PLACES = 192  # along the line
ROOM = 0.25  # of the mend's length on either side of it
THICK = 3  # px of the line
STRONGER = 3.0  # how much changes over time are shown too strong


def line_through(gone: Mask) -> Array | None:
    """(PLACES, 2) px along the longer side of what must go, through its middle and a little beyond; None where nothing must."""
    box = bounds([gone])
    if box is None:
        return None
    x0, y0, x1, y1 = box
    ys, xs = np.nonzero(gone)
    x, y = float(xs.mean()) + 0.5, float(ys.mean()) + 0.5
    if x1 - x0 >= y1 - y0:
        room = ROOM * (x1 - x0) + 4
        return np.stack([np.linspace(x0 - room, x1 + room, PLACES), np.full(PLACES, y)], 1)
    room = ROOM * (y1 - y0) + 4
    return np.stack([np.full(PLACES, x), np.linspace(y0 - room, y1 + room, PLACES)], 1)


def row_of(picture: Rgb, line: Array, matrix: Array) -> Array:
    """The line (n, 2) as `matrix` lays it into a frame: display code (n, 3) 0..255, a few px across averaged."""
    along = line[-1] - line[0]
    across = np.array([-along[1], along[0]]) / max(float(np.linalg.norm(along)), 1e-6)
    total = np.zeros((len(line), 3))
    for k in range(THICK):
        p = np.asarray(moved_points(matrix, line + (k - THICK // 2) * across) - 0.5, np.float32)
        total += cv2.remap(picture, p[None, :, 0], p[None, :, 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
    return np.asarray(linear_to_srgb(np.clip(total / THICK, 0, 1)) * 255)


def stacked(rows: Mapping[int, Array], length: int) -> tuple[Array, Mask]:
    """Rows of some frames below each other, (length, PLACES, 3) uint8 and which are there; what changes over time is STRONGER than it is."""
    out, known = np.zeros((length, PLACES, 3), np.uint8), np.zeros(length, bool)
    if rows:
        every = np.stack(list(rows.values()))
        middle = np.median(every, axis=0)
        strong = np.clip(middle + STRONGER * (every - middle), 0, 255).round().astype(np.uint8)
        for k, n in enumerate(rows):
            out[n - 1], known[n - 1] = strong[k], True
    return out, known
