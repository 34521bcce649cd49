"""Reseats: frames from which a track goes on with a pattern taken there, where the thing has changed, or with another part of it as the
first one leaves."""

from __future__ import annotations

from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, ValidationError

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points, through
from transmixis.core.types import Array
from transmixis.shot.contract import Pins

RESEAT = "reseat"  # the parameter whose pins they are
SEAT = "seat"  # the one whose pins are places set by hand
MOST = 1000  # points of an outline
Place = tuple[float, float]


class Reseat(BaseModel):
    """`places` px of its frame, where the track's places lie there; `looks` outlines (or one point) of that frame which are followed
    from there on, none: what was followed before; `error` px of the places as it was told there, None: set by hand."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    places: tuple[Place, ...]
    looks: tuple[tuple[Place, ...], ...] = ()
    error: float | None = None

    def plain(self) -> dict[str, Any]:
        """As a pin keeps it."""
        out: dict[str, Any] = {"places": _rounded(self.places)}
        if self.looks:
            out["looks"] = [_rounded(o) for o in self.looks]
        if self.error is not None:
            out["error"] = round(self.error, 4)
        return out


def reseats_of(pins: Pins, reference: int) -> dict[int, Reseat]:
    """By their frames; the reference frame itself has none. Raises UserError for a pin that is none."""
    out = {}
    for pin in pins.get(RESEAT, ()):
        try:
            made = Reseat.model_validate(pin.value)
        except ValidationError:
            raise UserError(f"The reseat at frame {pin.frame} cannot be read; take its pin out and set it anew.") from None
        if not all(made.looks):
            raise UserError(f"The outline at frame {pin.frame} has no points; take its pin out and draw it anew.")
        if any(len(o) > MOST for o in made.looks):
            raise UserError(f"The outline at frame {pin.frame} has more than {MOST} points; draw it with fewer.")
        if pin.frame != reference:
            out[pin.frame] = made
    return out


def lies_at(reseat: Reseat, places: Array) -> Array | None:
    """The matrix from the reference frame to the reseat's; None where it tells of other places than the track's `places` (k, 2)."""
    there = np.array(reseat.places, np.float64).reshape(-1, 2)
    return through(places, there) if len(there) == len(places) else None


def carried(shapes: tuple[tuple[Any, ...], ...], matrix: Array) -> tuple[tuple[Any, ...], ...]:
    """Outlines of points with identities (or bare ones) through a matrix."""
    out = []
    for shape in shapes:
        there = moved_points(matrix, np.array([m[-2:] for m in shape], np.float64).reshape(-1, 2)).tolist()
        out.append(tuple((*m[:-2], *p) for m, p in zip(shape, there, strict=True)))
    return tuple(out)


def _rounded(points: tuple[Place, ...]) -> list[list[float]]:
    return [[round(x, 3), round(y, 3)] for x, y in points]
