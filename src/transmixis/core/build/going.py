"""Where a thing goes: falls, throws, swings, launches, springs and streaks at any moment, between frames too.

Everything begins at time 0 (frames since the frame that it begins at), where it stands in its place; x and y are px from there, y down; angles are degrees, anticlockwise as seen.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.interpolate import CubicSpline
from scipy.special import ellipj, ellipk

from transmixis.core.easing import cubic_bezier
from transmixis.core.errors import UserError
from transmixis.core.plan.timing import G, landing_time, thrown
from transmixis.core.types import Array

BY_HAND, FALL, THROW, SWING, LAUNCH, SPRING, STREAK = "by hand", "fall", "throw", "swing", "launch", "spring out", "streak"
KINDS = (BY_HAND, FALL, THROW, SWING, LAUNCH, SPRING, STREAK)
WEIGHTY = (FALL, THROW, SWING)
LAUNCH_FRAMES, SPRING_FRAMES, STREAK_FRAMES = 5, 4, 4  # common practice
FASTER = (0.5, 0.0, 1.0, 1.0)  # the handles of what gets away: faster and faster
SETTLES = (0.0, 0.6, 0.4, 1.0)  # and of what springs and settles
FINE = 8  # samples of a throw with air between two frames


@dataclass(frozen=True)
class Going:
    """How a thing goes. `frames`: of a launch, spring or streak; `way` px and `angle` its direction (0 right, 90 up), or a throw's above level, or a swing's to either side; `height` m of a fall or of a
    swing's rope, `speed` m/s and `lands` m lower of a throw, `drag` the m/s at which air holds its weight (0: none), `metre` px; `back` frames after its beginning at which a spring goes back, 0: never."""

    kind: str
    rate: float
    frames: float = 5.0
    way: float = 100.0
    angle: float = 90.0
    height: float = 2.0
    speed: float = 6.0
    lands: float = 0.0
    drag: float = 0.0
    metre: float = 200.0
    back: float = 0.0

    @property
    def lasts(self) -> float:
        """Frames until it has come to its end; a swing never does."""
        if self.kind == FALL:
            return landing_time(0.0, 0.0, self.height, self.drag) * self.rate
        if self.kind == THROW:
            return landing_time(self.speed, self.angle, self.lands, self.drag) * self.rate
        if self.kind == SWING:
            return math.inf
        return self.back + self.frames if self.kind == SPRING and self.back else self.frames


@dataclass(frozen=True)
class Off:
    """Where it is against its place: `x`, `y` px, and `turn` degrees about where it hangs."""

    x: float = 0.0
    y: float = 0.0
    turn: float = 0.0


def off_at(going: Going, t: float) -> Off:
    """Where it is `t` frames after its beginning; before it and after its end it stands."""
    if going.kind == SWING:
        return Off(turn=_swing(going, t))
    t = min(max(t, 0.0), going.lasts)
    seconds = t / going.rate
    if going.kind == FALL:
        return Off(y=_fallen(seconds, going.drag) * going.metre)
    if going.kind == THROW:
        right, up = _throw(going)(seconds) if going.drag > 0 else _free(going, seconds)
        return Off(float(right) * going.metre, -float(up) * going.metre)
    return _along(going, _share(going, t))


def _share(going: Going, t: float) -> float:
    """Of its way, 0..1."""
    if going.kind == SPRING:
        share = cubic_bezier(*SETTLES, min(t / going.frames, 1.0))
        if going.back and t > going.back:  # back the way it came
            share = cubic_bezier(*SETTLES, max(1 - (t - going.back) / going.frames, 0.0))
        return share
    if going.kind == LAUNCH:
        return cubic_bezier(*FASTER, t / going.frames)
    return t / going.frames


def _along(going: Going, share: float) -> Off:
    a = math.radians(going.angle)
    return Off(going.way * share * math.cos(a), -going.way * share * math.sin(a))


def _fallen(seconds: float, drag: float) -> float:
    """Metres fallen from rest; with air that brakes with the square of the speed in closed form."""
    if drag <= 0:
        return G * seconds**2 / 2
    x = G * seconds / drag
    return drag**2 / G * (x + math.log1p(math.exp(-2 * x)) - math.log(2))


def _free(going: Going, s: float) -> tuple[float, float]:
    a = math.radians(going.angle)
    return going.speed * math.cos(a) * s, going.speed * math.sin(a) * s - G * s * s / 2


@lru_cache(maxsize=64)
def _throw(going: Going) -> CubicSpline:
    """Right and up (m) over seconds."""
    count = math.ceil(going.lasts * FINE) + 2
    if count > 200_000:
        raise UserError("It flies for too long; give a slower or steeper throw.")
    return CubicSpline(
        np.arange(count) / (going.rate * FINE), thrown(going.speed, going.angle, going.rate * FINE, count, going.drag)
    )


def _swing(going: Going, t: float) -> float:
    """Degrees of a pendulum let go at its angle; before its beginning it is held there."""
    side = min(max(abs(going.angle), 0.1), 179.0)
    m = math.sin(math.radians(side) / 2) ** 2
    u = float(ellipk(m)) - math.sqrt(G / max(going.height, 1e-3)) * max(t, 0.0) / going.rate
    angle = math.degrees(2 * math.asin(math.sqrt(m) * float(ellipj(u, m)[0])))
    return math.copysign(1.0, going.angle or 1.0) * angle


def weighs(places: Array, rate: float, metre: float) -> float | None:
    """Downward acceleration (m/s²) of places (3, 2) px at three frames in a row; None where it rests."""
    a, b, c = np.asarray(places, float)
    if np.hypot(*(c - b)) < 1e-6 and np.hypot(*(b - a)) < 1e-6:
        return None
    return float((a[1] - 2 * b[1] + c[1]) * rate**2 / metre)


def hangs(steps: Array, frame: int, least: float = 0.5, most: int = 2) -> bool:
    """Whether it stands still at `frame` (from 1) for hardly a moment between two moves: `steps` (n,) px from the frame before, 0 at the first."""
    moving = np.asarray(steps) > least
    i = frame - 1
    if moving[i] or not moving[:i].any() or not moving[i:].any():
        return False
    before = i - int(np.argmax(moving[: i + 1][::-1]))  # the last frame that moved
    after = i + int(np.argmax(moving[i:]))
    return after - before - 1 <= most
