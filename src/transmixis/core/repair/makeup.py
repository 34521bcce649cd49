"""A background with the rest of it made up from what is known of it and of its anchor's frame."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.repair.backing import Backing, carried_on
from transmixis.core.repair.fill import filled
from transmixis.core.repair.laying import spread
from transmixis.core.repair.quiet import quietened
from transmixis.core.types import Array, Mask, Rgb

AROUND = 120  # px about what is made up from which it may be made
CLEAN = 50.0  # as how many frames a made-up place counts: nearly all of its grain is new


def completed(
    backing: Backing, want: Mask, frame: Rgb, hidden: Mask, before: tuple[Backing, Array] | None = None
) -> tuple[Backing, Mask]:
    """The backing with all that is wanted (h, w, as it lies), and which of it is made up. `frame` and what is `hidden` are the anchor's; `before` is what was made up
    at an earlier anchor, with the matrix from its px to this one's, and is gone on from."""
    missing = want & (backing.count <= 0)
    if not missing.any():
        return backing, missing
    picture, known, (dx, dy) = _wide(backing, frame, hidden)
    hole = np.zeros(known.shape, bool)
    h, w = missing.shape
    hole[dy : dy + h, dx : dx + w] = missing
    if before is not None:
        picture, known = _gone_on(picture, known, hole, before, backing.left - dx, backing.top - dy)
    left = hole & ~known
    quiet, _ = quietened(np.where(known[..., None], picture, carried_on(picture, known)), backing.law, far=5)
    made = filled(quiet, left, known)
    out, count = np.array(backing.picture), np.array(backing.count)
    part = np.where(left[..., None], made, picture)[dy : dy + h, dx : dx + w]
    out[missing] = part[missing]
    count[missing] = CLEAN
    return replace(backing, picture=out, count=count), missing


def _wide(backing: Backing, frame: Rgb, hidden: Mask) -> tuple[Rgb, Mask, tuple[int, int]]:
    """What is known about the backing's place and AROUND it, and where (x, y) in that it begins."""
    h, w = backing.count.shape
    fh, fw = hidden.shape
    x0, y0 = min(backing.left, max(0, backing.left - AROUND)), min(backing.top, max(0, backing.top - AROUND))
    x1, y1 = max(backing.left + w, min(fw, backing.left + w + AROUND)), max(backing.top + h, min(fh, backing.top + h + AROUND))
    picture, known = np.zeros((y1 - y0, x1 - x0, 3), np.float32), np.zeros((y1 - y0, x1 - x0), bool)
    a, b, c, d = max(0, y0), min(fh, y1), max(0, x0), min(fw, x1)  # what of it lies in the frame
    if b > a and d > c:
        picture[a - y0 : b - y0, c - x0 : d - x0] = frame[a:b, c:d]
        known[a - y0 : b - y0, c - x0 : d - x0] = ~spread(hidden)[a:b, c:d]
    dx, dy = backing.left - x0, backing.top - y0
    own = backing.known
    picture[dy : dy + h, dx : dx + w][own] = backing.picture[own]
    known[dy : dy + h, dx : dx + w] |= own
    return picture, known, (dx, dy)


def _gone_on(picture: Rgb, known: Mask, hole: Mask, before: tuple[Backing, Array], left: int, top: int) -> tuple[Rgb, Mask]:
    """With what was made up before where that is missing still."""
    earlier, matrix = before
    y, x = np.nonzero(hole & ~known)
    values, count = earlier.at(moved_points(np.linalg.inv(matrix), np.stack([x + left + 0.5, y + top + 0.5], 1)))
    there = count > 0
    out, now = np.array(picture), np.array(known)
    out[y[there], x[there]] = values[there]
    now[y[there], x[there]] = True
    return out, now
