"""One thing turning into another: both are warped towards each other along pairs of places while one goes over into the other."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from transmixis.core.build.warp import by_triangles, folds, framed, thin_plate, warped
from transmixis.core.errors import UserError
from transmixis.core.made.strokes import between_outlines
from transmixis.core.types import Array

ALONG = 24  # pairs along two outlines


@dataclass(frozen=True)
class Turned:
    """The picture; the least growth of area of both warps over their usual one (under 0: a fold), and where."""

    picture: Array
    least: float
    spot: tuple[int, int, int, int] | None


def pairs(one: Array | None, other: Array | None, named_one: Array, named_other: Array) -> tuple[Array, Array]:
    """(n, 2) places of both: along their outlines, if there are, and those that were named. Raises UserError if they do not pair."""
    if len(named_one) != len(named_other):
        raise UserError(
            f"{len(named_one)} places are named on the one and {len(named_other)} on the other; name as many on both."
        )
    a, b = [np.asarray(named_one, float).reshape(-1, 2)], [np.asarray(named_other, float).reshape(-1, 2)]
    if one is not None and other is not None:
        rows = between_outlines(one, other, ALONG, 1.0)
        a.append(rows[:, :2])
        b.append(rows[:, 2:4])
    return np.concatenate(a), np.concatenate(b)


def turned(one: Array, other: Array, a: Array, b: Array, warp: float, share: float, *, straight: bool = False) -> Turned:
    """`one` turning into the `other`, both (h, w, c) of one size: places have gone `warp` 0..1 of their way from `a` to `b`, and `share` 0..1 of the other is there. `straight`: by triangles between the places, else smoothly."""
    size = (one.shape[0], one.shape[1])
    if other.shape[:2] != size:
        raise UserError("The two have not one size; place both in the frame first.")
    now = (1 - warp) * a + warp * b
    least, spot = 1.0, None
    sides = []
    for picture, places, there in ((one, a, share < 1), (other, b, share > 0)):
        if not there:
            sides.append(picture)
            continue
        at = (by_triangles if straight else thin_plate)(*framed(places, now, size), size)
        tight, where = folds(at)
        if tight < least:
            least, spot = tight, where
        sides.append(warped(picture, at))
    channels = max(s.shape[2] for s in sides)
    full = [s if s.shape[2] == channels else np.concatenate([s, np.ones((*size, 1), np.float32)], 2) for s in sides]
    return Turned(np.asarray((1 - share) * full[0] + share * full[1], np.float32), least, spot)
