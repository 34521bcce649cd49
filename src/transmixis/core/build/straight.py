"""Whether the straight end of an element shows: the step that it makes in the frame along its own border."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.codes import to_codes
from transmixis.core.motion.motion import moved_points
from transmixis.core.types import Array

INSIDE = 1.5  # px within the border at which what it adds is read
RUN = 32  # px along the border that are averaged: grain goes, a line stays
LEVELS = 255


def ends_in_frame(
    made: Array, under: Array, matrix: Array, shape: tuple[int, int]
) -> tuple[float | None, tuple[int, int, int, int] | None]:
    """The largest step, 8-bit levels of the display, that an element of `shape` (h, w) laid by `matrix` makes along its border, from the picture with it `made` and without it
    `under`, and where (x, y, w, h); None if no part of its border lies in the frame."""
    h, w = shape
    fh, fw = made.shape[:2]
    corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
    worst: float | None = None
    spot = None
    middle = np.array([w / 2, h / 2])
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        inward = middle - (a + b) / 2
        inward = inward / max(float(np.hypot(*inward)), 1e-9)
        count = max(2, int(np.ceil(np.hypot(*np.diff(moved_points(matrix, np.array([a, b])), axis=0)[0]))))
        if count > 8 * (fh + fw):
            continue
        along = a + (b - a) * ((np.arange(count) + 0.5) / count)[:, None]
        scale = float(np.hypot(*(b - a))) / count  # element px to a frame px
        at = moved_points(matrix, along + INSIDE * scale * inward)
        out = moved_points(matrix, along - INSIDE * scale * inward)
        both = np.concatenate([at, out], axis=1)
        seen = (
            np.isfinite(both).all(axis=1) & (both.min(axis=1) >= 1) & ((np.array([fw, fh, fw, fh]) - 1 - both).min(axis=1) >= 0)
        )
        x, y = (
            np.floor(np.nan_to_num(at[:, 0])).astype(int).clip(0, fw - 1),
            np.floor(np.nan_to_num(at[:, 1])).astype(int).clip(0, fh - 1),
        )
        added = to_codes(made[y, x, :3][None]).mean(axis=2)[0] - to_codes(under[y, x, :3][None]).mean(axis=2)[0]
        for k in range(0, count, RUN):
            part = seen[k : k + RUN]
            if part.sum() < RUN // 2:
                continue
            step = abs(float(added[k : k + RUN][part].mean())) * LEVELS
            if worst is None or step > worst:
                worst = step
                i, j = x[k : k + RUN][part], y[k : k + RUN][part]
                spot = (int(i.min()), int(j.min()), int(np.ptp(i)) + 1, int(np.ptp(j)) + 1)
    return worst, spot
