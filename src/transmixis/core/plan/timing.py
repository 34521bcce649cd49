"""When things happen: falls, throws, swings, launches, loops, holds, as positions over frames.

Frame 1 is the first that shows the thing where it starts; the time of frame n is (n - 1) / rate. A loop of n frames shows
frame 1 again as frame n + 1, so its last frame is n.
"""

from __future__ import annotations

import math

import numpy as np
from scipy.integrate import solve_ivp
from scipy.special import ellipj, ellipk

from transmixis.core.easing import cubic_bezier
from transmixis.core.errors import UserError
from transmixis.core.types import Array

G = 9.80665  # m/s2, standard gravity (CGPM 1901)
CROSS_FADE = 3  # frames that hide a loop's seam (common practice)


def fall_time(height: float) -> float:
    """Seconds to fall `height` m from rest without air."""
    if height < 0:
        raise UserError("A height is above zero.")
    return math.sqrt(2 * height / G)


SLOWEST = 0.01  # m/s: what sinks more slowly floats
LONGEST = 600.0  # s: nothing that is filmed falls for longer


def landing_time(speed: float, angle: float, below: float, terminal: float = 0.0) -> float:
    """Seconds until a thing thrown at `speed` m/s, `angle` degrees above level, comes down to `below` m under where it starts (above
    zero: lower). `terminal` as in `thrown`. Raises UserError if it never gets there."""
    up = speed * math.sin(math.radians(angle))
    if 0 < terminal < SLOWEST:
        raise UserError(f"What sinks at {terminal:g} m/s floats; give a faster speed, or 0 for no air.")
    if terminal <= 0:
        inside = up * up + 2 * G * below
        if inside < 0 or (below < 0 and up <= 0):
            raise UserError(f"It never rises to {-below:g} m; throw it faster or steeper.")
        return (up + math.sqrt(inside)) / G
    if speed == 0 and below >= 0:  # straight down from rest: in closed form
        return (
            terminal / G * math.acosh(math.exp(min(G * below / terminal**2, 700.0)))
            if G * below / terminal**2 < 700
            else (below / terminal + terminal / G * math.log(2))
        )
    k = G / terminal**2

    def motion(_: float, s: Array) -> list[float]:
        v = math.hypot(s[1], s[2])
        return [s[2], -k * v * s[1], -G - k * v * s[2]]

    def lands(_: float, s: Array) -> float:
        return float(s[0] + below)

    lands.terminal, lands.direction = True, -1  # type: ignore[attr-defined]
    across = speed * math.cos(math.radians(angle))
    found = solve_ivp(motion, (0, LONGEST), [0.0, across, up], events=lands, rtol=1e-8, atol=1e-9, max_step=5.0)
    hits = [float(e) for e in found.t_events[0] if e > 1e-9]
    if not hits:
        raise UserError(f"It never comes down to that height within {LONGEST:g} s; give another height.")
    return hits[0]


def thrown(speed: float, angle: float, rate: float, frames: int, terminal: float = 0.0) -> Array:
    """Right and up (m) of a thing thrown at `speed` m/s, `angle` degrees above level, at each of `frames` (frames, 2).

    `terminal`: the speed (m/s) at which air holds its weight; 0 for no air. The drag goes with the square of the speed.
    """
    t = np.arange(frames) / rate
    vx, vy = speed * math.cos(math.radians(angle)), speed * math.sin(math.radians(angle))
    if terminal <= 0:
        return np.stack([vx * t, vy * t - G * t * t / 2], 1)
    k = G / terminal**2

    def motion(_: float, s: Array) -> list[float]:
        v = math.hypot(s[2], s[3])
        return [s[2], s[3], -k * v * s[2], -G - k * v * s[3]]

    found = solve_ivp(motion, (0, max(float(t[-1]), 1e-6)), [0, 0, vx, vy], t_eval=t, rtol=1e-8, atol=1e-9)
    return np.asarray(found.y[:2].T)


def pendulum_period(length: float, amplitude: float = 0.0) -> float:
    """Seconds of a full swing of a pendulum of `length` m that goes `amplitude` degrees to each side (complete elliptic integral)."""
    if length <= 0 or not 0 <= amplitude < 180:
        raise UserError("A pendulum has a length above zero and swings by less than 180 degrees to each side.")
    small = 2 * math.pi * math.sqrt(length / G)
    return small * 2 / math.pi * float(ellipk(math.sin(math.radians(amplitude) / 2) ** 2))


def pendulum(length: float, amplitude: float, rate: float, frames: int) -> Array:
    """Angle (degrees) of a pendulum at each frame, let go at `amplitude` at frame 1."""
    m = math.sin(math.radians(amplitude) / 2) ** 2
    t = np.arange(frames) / rate
    quarter = float(ellipk(m))
    sn = ellipj(quarter - math.sqrt(G / length) * t, m)[0]
    return np.asarray(np.degrees(2 * np.arcsin(math.sqrt(m) * sn)))


def eased(start: float, end: float, frames: int, handles: tuple[float, float, float, float] = (0.42, 0, 0.58, 1)) -> Array:
    """Values from `start` at frame 1 to `end` at frame `frames`, eased as a cubic-bezier (W3C CSS Easing Functions)."""
    if frames < 2:
        return np.full(max(frames, 0), end, float)
    return np.array([start + (end - start) * cubic_bezier(*handles, k / (frames - 1)) for k in range(frames)])


def wrap_speed(width: int, rate: float, seconds: float) -> tuple[int, float]:
    """Whole turns of a background that wraps: frames of one turn and px a frame, nearest to `seconds` a turn.

    The turn is a whole number of frames, so that the picture comes back to itself exactly.
    """
    frames = max(1, round(seconds * rate))
    return frames, width / frames


def loop_frames(count: int, fade: int = CROSS_FADE) -> tuple[int, int]:
    """Frames of the loop that `count` recorded frames give when its ends are cross-faded over `fade`, and its last frame."""
    if count <= 2 * fade:
        raise UserError(f"{count} frames are too few to loop with a fade of {fade}; record more, or fade over fewer.")
    return count - fade, count - fade


def lapse_length(photos: int, held: int, rate: float) -> float:
    """Seconds that `photos` shown for `held` frames each last."""
    return photos * held / rate


def speed_to_hit(first_cue: int, second_cue: int, first_event: int, second_event: int) -> tuple[float, float]:
    """Speed of an element and the frame of it that shot frame 1 shows, so that its two events fall on two cues of the shot."""
    if second_cue <= first_cue or second_event <= first_event:
        raise UserError("The second cue must come after the first, and so must the second event.")
    speed = (second_event - first_event) / (second_cue - first_cue)
    return speed, first_event - (first_cue - 1) * speed
