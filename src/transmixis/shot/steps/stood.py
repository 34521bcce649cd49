"""How a clean plate stood beside its take, as it is kept with an analysis, and in words."""

from __future__ import annotations

import numpy as np

from transmixis.core.motion.camera import Move
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis


def kept(move: Move) -> dict[str, Array]:
    """A move as plain arrays."""
    numbers = np.array([move.x, move.y, move.turn, move.grow, move.error, move.points])
    return {"move": numbers, "why": np.array(move.reason, dtype=np.str_)}


def move_of(a: Analysis) -> Move:
    """The move of an analysis that was `kept`."""
    x, y, turn, grow, error, points = (float(v) for v in a["move"])
    return Move(x, y, turn, grow, error, int(points), str(a["why"]))


def stood_words(move: Move, what: str) -> str:
    """How far `what` stood beside the take."""
    return f"the {what} stood {move.length:.2f} px beside the take" if move else f"not aligned: {move.reason}"
