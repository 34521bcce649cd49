"""The outline unrolled: what lies just inside it, one row a frame. Where it keeps to its stuff the seams stand upright; where it slips along they
slant, and where it creeps across, foreign colour comes in."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.types import Array

PLACES = 160  # along the outline
INSIDE = (2.0, 4.0)  # px inside of the border that are shown


def edge_row(levels: Array, line: Array, closed: bool = True, places: int = PLACES) -> Array:
    """(places, 3) uint8 what lies just inside a drawn line (n, 2) px, from its first place on, of a picture (h, w, 3) of levels 0..255; on an open
    line what lies on it."""
    p = np.asarray(line, np.float64)
    ring = np.vstack([p, p[:1]]) if closed else p
    length = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(ring, axis=0).T))])
    at = (np.arange(places) + 0.5) / places * length[-1]
    on = np.stack([np.interp(at, length, ring[:, c]) for c in range(2)], 1)
    total = np.zeros((places, 3))
    depths = np.linspace(*INSIDE, 3) if closed else np.zeros(1)
    inward = _inward(p, on, at, length, ring) if closed else np.zeros_like(on)
    for d in depths:
        q = (on + d * inward - 0.5).astype(np.float32)
        total += cv2.remap(levels, q[None, :, 0], q[None, :, 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)[0]
    return np.clip(np.round(total / len(depths)), 0, 255).astype(np.uint8)


def _inward(line: Array, on: Array, at: Array, length: Array, ring: Array) -> Array:
    """(m, 2) unit directions into the outline at places along it."""
    ahead = np.stack([np.interp((at + 2) % length[-1], length, ring[:, c]) for c in range(2)], 1)
    behind = np.stack([np.interp((at - 2) % length[-1], length, ring[:, c]) for c in range(2)], 1)
    along = ahead - behind
    along /= np.maximum(np.hypot(*along.T), 1e-9)[:, None]
    x, y = line.T
    area = np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))
    return np.asarray(np.stack([-along[:, 1], along[:, 0]], 1) * np.sign(area or 1.0))
