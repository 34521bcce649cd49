"""Shutter and frame rate: blur, motion a frame, sharp moments, mains lights, strobing, exposure."""

from __future__ import annotations

import math
from dataclasses import dataclass

from transmixis.core.errors import UserError

SLOWEST_PAN = 7.0  # s for a thing to cross the frame at 24 a second (common practice)
FLICKERS = 0.02  # of the light between frames: seen as flicker (Weber fraction, from memory)


def exposure_time(rate: float, angle: float) -> float:
    """Seconds that a shutter of `angle` degrees is open at `rate` pictures a second (definition)."""
    if not 0 < angle <= 360:
        raise UserError(f"A shutter angle of {angle:g}° cannot be; give one up to 360.")
    return angle / 360 / rate


def blur_px(speed: float, rate: float, angle: float) -> float:
    """Length (px) of the blur of something that moves `speed` px a second."""
    return speed * exposure_time(rate, angle)


def stops_against(rate: float, angle: float, rate0: float, angle0: float) -> float:
    """Stops that are gained (above zero) or lost against another rate and angle."""
    return math.log2(exposure_time(rate, angle) / exposure_time(rate0, angle0))


def angle_for_blur(speed: float, rate: float, most_px: float) -> float:
    """Widest shutter angle (degrees, at most 360) that keeps the blur of `speed` px a second within `most_px`."""
    return 360.0 if speed <= 0 else min(360.0, 360 * most_px * rate / speed)


@dataclass(frozen=True)
class Sharp:
    """Frames a second-long pass has near its turning point that are sharp enough, and the chance that at least one is."""

    frames: float
    chance: float


def sharp_moment(top_speed: float, period: float, rate: float, angle: float, most_px: float) -> Sharp:
    """Sharp frames at the turning point of a swing of `period` s whose fastest is `top_speed` px a second.

    About the turning point the speed is top * sin(2 pi t / period); the blur is the way covered while the shutter is open.
    """
    if top_speed <= 0:
        return Sharp(math.inf, 1.0)
    share = min(1.0, most_px / max(blur_px(top_speed, rate, angle), 1e-9))
    window = math.asin(share) * period / math.pi  # s in which it is slow enough, both sides of the turning point
    frames = window * rate
    return Sharp(frames, min(1.0, frames))


def mains_flicker(rate: float, angle: float, mains: float) -> float:
    """Largest change of light (share) from frame to frame under lights that pulse twice a period of the `mains` (Hz).

    The light is taken as 1 - cos(2 pi 2 f t): what a shutter of T seconds averages swings by sinc(2 f T); it is steady where
    the rate divides 2 f or the shutter is open for whole pulses.
    """
    pulses = 2 * mains
    t = exposure_time(rate, angle)
    swing = abs(math.sin(math.pi * pulses * t) / (math.pi * pulses * t))
    beat = pulses / rate
    off = abs(beat - round(beat))
    if off < 1e-9:
        return 0.0
    # neighbouring frames see phases `off` of a pulse apart
    return float(2 * swing * math.sin(math.pi * min(off, 0.5)))


def safe_angles(rate: float, mains: float) -> list[float]:
    """Shutter angles up to 360 at which lights on the mains do not flicker: open for whole pulses."""
    step = 360 * rate / (2 * mains)
    return [round(step * k, 2) for k in range(1, int(360 / step + 1e-9) + 1)]


def pan_strobes(crossing: float, rate: float) -> float:
    """How far past the usual limit a pan is that takes `crossing` s for a frame's width: 1 is at the limit."""
    return SLOWEST_PAN * 24 / rate / max(crossing, 1e-9)


def slow_motion(rate: float, shown: float) -> float:
    """How many times slower it looks: recorded at `rate`, shown at `shown`."""
    return rate / shown
