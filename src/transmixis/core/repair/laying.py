"""How what lies behind a thing lies in other frames: the surface about it is followed from an anchor frame, what is hidden in either left out."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.follow import Way, found_in
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.surface import Surface
from transmixis.core.types import Array, Mask, Rgb

REACH = 40  # px from one frame looked at to the next
ABOUT = 0.7  # of the size of what is hidden: how far about it tells how what is behind it moves
LEAST = 70  # px of that at least
STILL = 0.06  # px: less is no motion but what the fit errs by, and sampling would only soften
WIDER = 7  # px across: what is hidden spreads a little, its blur
ALIKE = 0.55  # correlation below which a frame is not used

Box = tuple[int, int, int, int]


def spread(hidden: Mask, by: int = WIDER) -> Mask:
    """What is hidden, with its blur."""
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((by, by), np.uint8)) > 0)


def bounds(hidden: Sequence[Mask]) -> Box | None:
    """Left, top, right, bottom px of all that is hidden in some masks; None if nothing is."""
    rows = [np.flatnonzero(m.any(axis=1)) for m in hidden]
    columns = [np.flatnonzero(m.any(axis=0)) for m in hidden]
    rows, columns = [r for r in rows if len(r)], [c for c in columns if len(c)]
    if not rows:
        return None
    top, bottom = min(int(r[0]) for r in rows), max(int(r[-1]) for r in rows) + 1
    left, right = min(int(c[0]) for c in columns), max(int(c[-1]) for c in columns) + 1
    return left, top, right, bottom


def surface_about(picture: Rgb, hidden: Mask, box: Box) -> Surface:
    """What lies about `box` in the anchor's `picture` (h, w, 3), what is `hidden` left out. Raises UserError where it shows too little."""
    h, w = hidden.shape
    left, top, right, bottom = box
    room = max(LEAST, round(ABOUT * max(right - left, bottom - top)))
    x0, y0, x1, y1 = max(0, left - room), max(0, top - room), min(w, right + room), min(h, bottom + room)
    mask = np.zeros((h, w), np.float32)
    mask[y0:y1, x0:x1] = 1
    mask[spread(hidden)] = 0
    corners = np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], float)
    return Surface(picture, corners, mask)


def lay_out(surface: Surface, look: Callable[[int], tuple[Rgb, Mask]], anchor: int, frames: Sequence[int]) -> dict[int, Array]:
    """Matrices (3 x 3) from px of the anchor to px of `frames`, each found from the one before on its side of the anchor; `look` gives a frame's picture and
    what is hidden in it. A frame in which it is not found has none."""
    out = {anchor: np.eye(3)}
    for going in (1, -1):
        way = Way(np.eye(3), np.eye(3))
        for n in sorted((f for f in frames if (f - anchor) * going > 0), key=lambda f: abs(f - anchor)):
            try:
                picture, hidden = look(n)
            except UserError:
                continue
            seen = np.dstack([picture, (~spread(hidden)).astype(np.float32)])
            found = found_in(surface, seen, way, REACH)
            way = way.on(found, n)
            if not found.lost and found.alike >= ALIKE:
                out[n] = found.matrix
    return _stilled(out, surface.corners)


def _stilled(matrices: dict[int, Array], corners: Array) -> dict[int, Array]:
    """No motion at all where none is told."""
    far = [float(np.abs(moved_points(m, corners) - corners).max()) for m in matrices.values()]
    return {n: np.eye(3) for n in matrices} if max(far) < STILL else matrices
