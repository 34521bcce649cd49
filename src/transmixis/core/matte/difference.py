"""The colour difference: how much the screen's channel stands above the stronger of the other two."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from transmixis.core.types import Array

ScreenKind = Literal["green", "blue"]


@dataclass(frozen=True)
class Channels:
    """Indices of the screen's channel and of the two others."""

    screen: int
    first: int
    second: int


def channels_of(kind: ScreenKind) -> Channels:
    """Which channel is the screen's."""
    return Channels(1, 0, 2) if kind == "green" else Channels(2, 0, 1)


def colour_difference(rgb: Array, ch: Channels) -> Array:
    """Screen channel minus the larger of the others, for (..., 3) scene linear colours (Vlahos' difference)."""
    return np.asarray(rgb[..., ch.screen] - np.maximum(rgb[..., ch.first], rgb[..., ch.second]))
