"""Whether the straight end of an element shows: the step that it makes in the frame along its own border."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from transmixis.core.build.codes import to_codes
from transmixis.core.motion.motion import moved_points
from transmixis.core.types import Array

INSIDE = 1.5  # px within the border at which what it adds is read
RUN = 32  # px along the border that are averaged: grain goes, a line stays
LEVELS = 255


def ends_in_frame(
    front: Array, under: Array, matrix: Array, lay: Callable[[Array, Array], Array], share: Array | None = None
) -> tuple[float | None, tuple[int, int, int, int] | None]:
    """The largest step, 8-bit levels of the display, that an element `front` (h, w, 4) laid by `matrix` onto `under` makes along its own border: its outermost pixels, laid by `lay` (pixels in front, pixels behind) on what lies there; `share` (h, w) of the frame is how much of it is to
    be seen where. And where (x, y, w, h); None if no part of its border lies in the frame."""
    h, w = front.shape[:2]
    worst: float | None = None
    spot = None
    corners = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        found = _side(front, under, matrix, lay, share, a, b)
        if found is not None and (worst is None or found[0] > worst):
            worst, spot = found
    return worst, spot


def _side(
    front: Array, under: Array, matrix: Array, lay: Callable[[Array, Array], Array], share: Array | None, a: Array, b: Array
) -> tuple[float, tuple[int, int, int, int]] | None:
    h, w = front.shape[:2]
    fh, fw = under.shape[:2]
    count = max(2, int(np.ceil(np.hypot(*np.diff(moved_points(matrix, np.array([a, b])), axis=0)[0]))))
    if count > 8 * (fh + fw):
        return None
    inward = np.array([w / 2, h / 2]) - (a + b) / 2
    inward = inward / max(float(np.hypot(*inward)), 1e-9)
    own = a + (b - a) * ((np.arange(count) + 0.5) / count)[:, None] + INSIDE * inward
    at = moved_points(matrix, own)
    seen = np.isfinite(at).all(axis=1) & (at.min(axis=1) >= 2) & ((np.array([fw, fh]) - 2 - at).min(axis=1) >= 0)
    x, y = (np.floor(np.nan_to_num(at[:, c])).astype(int).clip(0, n - 1) for c, n in ((0, fw), (1, fh)))
    u, v = (np.floor(own[:, c]).astype(int).clip(0, n - 1) for c, n in ((0, w), (1, h)))
    pixels, behind = front[v, u][None], np.ascontiguousarray(under[y, x][None])
    if share is not None:
        pixels = pixels * share[y, x][None, :, None]
    added = (to_codes(lay(np.ascontiguousarray(pixels), behind)[..., :3]) - to_codes(behind[..., :3])).mean(axis=2)[0]
    best: tuple[float, tuple[int, int, int, int]] | None = None
    for k in range(0, count, RUN):
        part = seen[k : k + RUN]
        if part.sum() < min(RUN // 2, count // 2 + 1):
            continue
        step = abs(float(added[k : k + RUN][part].mean())) * LEVELS
        if best is None or step > best[0]:
            i, j = x[k : k + RUN][part], y[k : k + RUN][part]
            best = step, (int(i.min()), int(j.min()), int(np.ptp(i)) + 1, int(np.ptp(j)) + 1)
    return best
