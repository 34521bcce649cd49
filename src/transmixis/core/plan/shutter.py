"""Shutter and frame rate: blur, motion a frame, sharp moments, mains lights, strobing, exposure."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from transmixis.core.errors import UserError

SLOWEST_PAN = 7.0  # s for a thing to cross the frame at 24 a second (common practice)
FLICKERS = 0.02  # of the light, over a beat or between rows: seen (Weber fraction, from memory)


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


def pulse_swing(rate: float, angle: float, mains: float) -> float:
    """How far (share, from peak to peak) what a shutter averages swings with the phase at which it opens, under lights that pulse
    twice a period of the `mains` (Hz) and go dark in between.

    The light is taken as 1 - cos(2 pi 2 f t); averaged over T seconds its swing is sinc(2 f T). Bulbs swing less, simple LED
    lamps as much.
    """
    pulses = 2 * mains
    t = exposure_time(rate, angle)
    return 2 * abs(math.sin(math.pi * pulses * t) / (math.pi * pulses * t))


def mains_flicker(rate: float, angle: float, mains: float) -> float:
    """Change of light (share, from peak to peak) over the whole beat of frame rate and mains, however slow that is.

    It is steady only where the rate divides twice the mains, or the shutter is open for whole pulses. Where the frames see just
    a few phases (the rate is to the pulses as whole numbers), the worst place of these is taken.
    """
    phases = _phases(rate, mains)
    if phases == 1:
        return 0.0
    near = math.cos(math.pi / (2 * phases)) if phases % 2 and phases < 50 else 1.0
    return pulse_swing(rate, angle, mains) * near


def beat_seconds(rate: float, mains: float) -> float:
    """Seconds that a beat of frame rate and mains takes; infinite where there is none."""
    beat = 2 * mains / rate
    off = abs(beat - round(beat))
    return math.inf if off < 1e-9 else 1 / (off * rate)


def _phases(rate: float, mains: float) -> int:
    """How many phases of the light the frames see in turn."""
    beat = 2 * mains / rate
    near = Fraction(beat).limit_denominator(49)
    return near.denominator if abs(float(near) - beat) < 1e-9 else 1000


def rolling_bands(rate: float, angle: float, mains: float) -> float:
    """Change of light (share, from peak to peak) between the rows of one frame whose rows are read one after the other, over half
    a pulse or longer, as nearly all cameras do (10 to 30 ms a frame, common practice)."""
    return pulse_swing(rate, angle, mains)


def safe_rates(mains: float) -> list[float]:
    """Rates at which every frame sees the lights at the same phase."""
    return [2 * mains / k for k in range(1, 13)]


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
