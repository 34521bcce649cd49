"""Two camera set-ups that are to be laid over each other: what differs in perspective, horizon and size (pinhole geometry)."""

from __future__ import annotations

import math
from dataclasses import dataclass

from transmixis.core.errors import UserError


@dataclass(frozen=True)
class Setup:
    """Lens and sensor width (mm), distance to the subject (m), height over its ground (m), tilt (degrees, down positive)."""

    focal: float
    sensor: float
    distance: float
    height: float
    tilt: float


@dataclass(frozen=True)
class Apart:
    """Distance (% of the first), height (% of the distance), horizon (% of the frame's height once the second is brought to size),
    and by how much the second must be enlarged for the subject to come out as large as in the first."""

    distance: float
    height: float
    horizon: float
    enlarge: float


def horizon(s: Setup, shape: float) -> float:
    """Where the horizon lies: 0 at the frame's top, 1 at its bottom. `shape`: height over width of the frame."""
    up = s.focal * math.tan(math.radians(s.tilt))  # mm above the middle
    return 0.5 - up / (s.sensor * shape)


def size_on_frame(s: Setup) -> float:
    """Widths of the frame that a metre takes at the subject."""
    if min(s.focal, s.sensor, s.distance) <= 0:
        raise UserError("Lens, sensor and distance must be larger than nothing.")
    return s.focal / s.sensor / s.distance


def compared(first: Setup, second: Setup, shape: float) -> Apart:
    """The second set-up against the first."""
    enlarge = size_on_frame(first) / size_on_frame(second)
    # enlarged about the subject's place on the ground, so that feet meet feet; the horizon then lies where perspective puts it
    feet = [_down(s, shape) for s in (first, second)]
    moved = feet[0] + (horizon(second, shape) - feet[1]) * enlarge
    return Apart(
        100 * abs(second.distance / first.distance - 1),
        100 * abs(second.height - first.height) / first.distance,
        100 * abs(moved - horizon(first, shape)),
        enlarge,
    )


def left_bare(first: Setup, second: Setup, shape: float) -> tuple[float, str]:
    """The widest strip of the first's frame that the second does not reach once it is brought to size with feet on feet, as a share
    of the frame's width or height, and at which side."""
    enlarge = size_on_frame(first) / size_on_frame(second)
    feet = [_down(s, shape) for s in (first, second)]
    top = feet[0] - feet[1] * enlarge
    # the two sum to what is missing in height, so one of them is at least as wide as each strip at the sides
    strips = {"top": top, "bottom": 1 - (top + enlarge)}
    side = max(strips, key=lambda s: strips[s])
    return max(strips[side], 0.0), side


def _down(s: Setup, shape: float) -> float:
    """Where the ground under the subject lies in the frame, 0 top to 1 bottom."""
    below = math.atan2(s.height, s.distance) - math.radians(s.tilt)
    return 0.5 + s.focal * math.tan(below) / (s.sensor * shape)
