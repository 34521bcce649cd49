"""Which recorded frame a shot's frame shows when rates differ."""

from __future__ import annotations

import numpy as np

from transmixis.core.types import Array

NEAR = 0.02  # of a frame: closer to a recorded frame than this, that frame is shown


def source_time(frame: int, first: float, speed: float) -> float:
    """Position in the recording, counted from 1, of a shot's frame 1, 2, …: `first` is shown at frame 1."""
    return first + (frame - 1) * speed


def without_repeats(position: float, kept: list[int]) -> float:
    """A position among the frames that are kept (doubled ones left out), as a position in the recording.

    `kept` lists the recording's frames in order; position 1.5 lies half way between the first two of them.
    """
    at = np.interp(position, np.arange(1, len(kept) + 1), kept)
    return float(at)


def blended(a: Array, b: Array, share: float) -> Array:
    """Plain mix in linear light."""
    return np.asarray(a * (1 - share) + b * share, np.float32)
