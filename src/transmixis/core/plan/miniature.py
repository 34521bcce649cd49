"""Miniatures and stop motion: rates, distances, focus and hours.

Froude scaling: what falls or splashes looks large if time is stretched by the square root of the scale (handbook rule).
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from transmixis.core.errors import UserError

WATER_SCALE, FIRE_SCALE, DEBRIS_SCALE = 8.0, 6.0, 20.0  # beyond 1 : n drops, flames, grains look too large (common practice)
STOP_MOTION_HOURS = 1.0  # for a second of 24 positions (common practice)


@dataclass(frozen=True)
class Miniature:
    """`rate` pictures a second to film at; `distance` m and `speed` m/s of the camera at the model; `stop` for the same depth."""

    rate: float
    distance: float
    speed: float
    stop: float


def froude_rate(scale: float, shown: float) -> float:
    """Pictures a second to film a model of 1 : `scale` at, so that its motion looks heavy when shown at `shown` a second."""
    _model(scale)
    return shown * math.sqrt(scale)


def filmed(scale: float, shown: float, distance: float, speed: float, stop: float) -> Miniature:
    """What a camera at `distance` m, moving at `speed` m/s with f/`stop` in the real scene, becomes at the model.

    Distance scales with the model; its speed so that it takes the same time on screen; the lens opening with the model too, so
    that the focus falls off as at full size.
    """
    _model(scale)
    rate = froude_rate(scale, shown)
    return Miniature(rate, distance / scale, speed / scale * rate / shown, stop * scale)


def apparent_scale(real: float, model: float) -> float:
    """The scale (1 : n) of a model of `model` m that stands for `real` m."""
    if model <= 0 or real <= 0:
        raise UserError("Sizes must be above zero; measure the model and say how large it is to look.")
    return real / model


def nearer_for_scale(distance: float, scale: float, other: float) -> float:
    """Where a model of 1 : `other` must stand so that it looks as large as one of 1 : `scale` at `distance` m."""
    return distance * scale / other


@dataclass(frozen=True)
class StopMotion:
    """Positions to set, hours of animating, and days of `hours_a_day`."""

    positions: int
    hours: float
    days: float


def stop_motion(
    seconds: float, rate: float, held: int, hours_a_second: float = STOP_MOTION_HOURS, hours_a_day: float = 8.0
) -> StopMotion:
    """Work for `seconds` at `rate` pictures a second, each position held for `held` pictures."""
    positions = math.ceil(seconds * rate / max(held, 1) - 1e-9)
    hours = positions / 24 * hours_a_second
    return StopMotion(positions, hours, hours / hours_a_day)


def _model(scale: float) -> None:
    if scale < 1:
        raise UserError(f"A model of 1 : {scale:g} is larger than life; give 1 or more.")
