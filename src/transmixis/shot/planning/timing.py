"""When does it happen?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plan import timing as t
from transmixis.core.plan.cautions import ROPES, of_flight
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.model import Pin, Shot
from transmixis.shot.pins import set_pin
from transmixis.shot.planning.contract import Answer, Entry, Question
from transmixis.shot.steps.params import Params, choice, number

FALL, THROW, SWING, LAUNCH, SPRING, STREAK, TURN, LOOP, LAPSE, CUES = (
    "fall", "throw", "swing", "launch out of frame", "spring out", "streak across", "whole turn", "loop", "time lapse", "hit two cues",
)  # fmt: skip
WHAT = (FALL, THROW, SWING, LAUNCH, SPRING, STREAK, TURN, LOOP, LAPSE, CUES)
LAUNCH_FRAMES, STREAK_FRAMES, SPRING_FRAMES = 5, 4, 4  # common practice
SPEEDS = (0.5, 3.0)  # times: what stock elements bear (common practice)


class TimingParams(Params):
    what: str = choice(FALL, WHAT, "What moves", "The movement that is timed.")
    start: float = number(1.0, 1.0, 100_000.0, "frame", "Begins at", "The frame that shows it where it starts.", step=1)
    height: float = number(2.0, 0.01, 500.0, "m", "Height or length", "Of the fall, or of the rope or rod that swings.", step=0.1)
    speed: float = number(6.0, 0.0, 200.0, "m/s", "Thrown at", "Speed of a throw.", step=0.5)
    angle: float = number(
        45.0, -90.0, 90.0, "°", "Angle", "Of a throw above level, or how far a swing goes to each side.", step=1
    )
    lands: float = number(
        0.0, -200.0, 500.0, "m", "Lands lower by", "How far below where it starts it lands; below zero: higher.", step=0.1
    )
    drag: float = number(
        0.0,
        0.0,
        300.0,
        "m/s",
        "Air holds at",
        "Speed at which air holds its weight; 0 is no air. Paper about 2, a ball 20.",
        step=1,
    )
    metre: float = number(200.0, 1.0, 20_000.0, "px", "A metre is", "Pixels that a metre takes where it happens.", step=5)
    frames: float = number(
        24.0, 2.0, 10_000.0, "frames", "Frames", "Length of what has no physics of its own: turn, loop, photos held.", step=1
    )
    count: float = number(90.0, 1.0, 100_000.0, "", "Recorded", "Frames of the loop, photos of the lapse.", step=1)
    first_event: float = number(
        1.0, -10_000.0, 100_000.0, "frame", "Element's first", "First of two events in the element.", step=1
    )
    second_event: float = number(24.0, -10_000.0, 100_000.0, "frame", "Element's second", "Second event in the element.", step=1)
    second_cue: float = number(
        24.0,
        2.0,
        100_000.0,
        "frame",
        "Second cue",
        "Frame of the shot for the second event; the first is where it begins.",
        step=1,
    )


USED = {
    FALL: ("height", "drag", "metre"), THROW: ("speed", "angle", "lands", "drag", "metre"), SWING: ("height", "angle", "metre"), LAUNCH: (),
    SPRING: ("height", "metre"), STREAK: (), TURN: ("frames",), LOOP: ("count",), LAPSE: ("count", "frames"),
    CUES: ("first_event", "second_event", "second_cue"),
}  # fmt: skip


@dataclass(frozen=True)
class TimingDrawing:
    """Frames of the shot, and right and down (px) at each from where it starts; `up` what is drawn upwards."""

    frames: Array
    right: Array
    down: Array
    shot_length: int


class TimingQuestion(Question):
    kind, title = "timing", "When does it happen?"
    says = "Falls, throws and swings by their weight; launches, streaks, loops and laps to the exact frame. Frame 1 is the first."
    Params = TimingParams

    def used(self, values: dict[str, Any]) -> set[str]:
        what = str(values.get("what", FALL))
        return {"what", *USED.get(what, ()), *(() if what in (LOOP, LAPSE) else ("start",))}

    def answer(self, params: Any, shot: Shot) -> Answer:
        p, rate, start = params, float(shot.fps), int(params.start)
        make = {FALL: _fall, THROW: _throw, SWING: _swing, LAUNCH: _launch, SPRING: _spring, STREAK: _streak, TURN: _turn}
        if p.what in make:
            words, rows, right, down = make[p.what](p, shot, rate)
            frames = start + np.arange(len(right))
            last = int(frames[-1])
            readings = (
                Reading("ends", float(last), "frame", float(shot.length), note="beyond the shot's last frame it is not seen"),
            )
            rows = (*rows, ("first frame", str(start)), ("last frame", str(last)))
            return Answer(words, readings, rows, _cautions(p), drawing=TimingDrawing(frames, right, down, shot.length))
        return {LOOP: _loop, LAPSE: _lapse, CUES: _cues}[p.what](p, shot, rate)


def _cautions(p: Any) -> tuple[str, ...]:
    """For what falls, flies or swings where people are."""
    if p.what == FALL:
        return of_flight(p.height, 0.0)
    if p.what == THROW:
        return of_flight(max(p.lands, 0.0), p.speed)
    return (ROPES, *of_flight(p.height, 0.0)) if p.what == SWING else ()


def _fall(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    free = t.fall_time(p.height)
    seconds = t.landing_time(0.0, 0.0, p.height, p.drag)
    n = _frames_of(seconds, rate)
    up = t.thrown(0.0, 0.0, rate, n + 1, p.drag)[:, 1]
    end = _speed_at(seconds, 0.0, 0.0, p.drag)
    words = f"{p.height:g} m take {n} frames; it arrives at {end:.1f} m/s."
    return (
        words,
        (("without air", f"{free:.3f} s, {free * rate:.1f} frames"), ("lands after", f"{seconds:.3f} s"), ("frames", str(n))),
        np.zeros(n + 1),
        -np.maximum(up, -p.height) * p.metre,
    )


MOST_FRAMES = 20_000  # a plan's drawing and pins hold no more


def _frames_of(seconds: float, rate: float) -> int:
    """Frames until something has happened, the one that shows it done among them."""
    n = math.ceil(seconds * rate - 1e-9)
    if n > MOST_FRAMES:
        raise UserError(f"That takes {seconds:.0f} s, more than {MOST_FRAMES} frames; give smaller figures.")
    return max(n, 1)


def _speed_at(seconds: float, speed: float, angle: float, drag: float) -> float:
    """Speed (m/s) after some seconds, from two positions close by."""
    step = 1e-3
    path = t.thrown(speed, angle, 1 / step, 2, drag) if seconds < step else t.thrown(speed, angle, 1 / seconds, 2, drag)
    before = t.thrown(speed, angle, 1 / max(seconds - step, 1e-9), 2, drag)
    return float(np.linalg.norm(path[1] - before[1]) / step)


def _throw(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    seconds = t.landing_time(p.speed, p.angle, p.lands, p.drag)
    n = _frames_of(seconds, rate)
    path = t.thrown(p.speed, p.angle, rate, n + 1, p.drag)
    fine = t.thrown(p.speed, p.angle, max(200 / max(seconds, 1e-3), rate), 220, p.drag)
    top, far = (
        float(max(fine[: 200 + 1, 1].max(), 0.0)),
        float(t.thrown(p.speed, p.angle, 1 / max(seconds, 1e-9), 2, p.drag)[1, 0]),
    )
    where = "its own height" if p.lands == 0 else f"{abs(p.lands):g} m {'below' if p.lands > 0 else 'above'}"
    words = f"Comes down to {where} after {n} frames, {far:.2f} m away, {top:.2f} m up at most."
    return (
        words,
        (("top", f"{top:.2f} m"), ("away", f"{far:.2f} m"), ("lands after", f"{seconds:.3f} s"), ("frames", str(n))),
        path[: n + 1, 0] * p.metre,
        -np.maximum(path[: n + 1, 1], -p.lands) * p.metre,
    )


def _swing(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    side = min(max(abs(p.angle), 1.0), 179.0)
    period = t.pendulum_period(p.height, side)
    n = max(2, round(period * rate))
    angle = np.radians(t.pendulum(p.height, side, rate, n + 1))
    words = f"A full swing takes {period:.3f} s, {period * rate:.1f} frames; small swings {t.pendulum_period(p.height):.3f} s."
    right, down = p.height * np.sin(angle), p.height * np.cos(angle)
    return (
        words,
        (("period", f"{period:.3f} s"), ("frames", f"{period * rate:.1f}")),
        (right - right[0]) * p.metre,
        (down - down[0]) * p.metre,
    )


def _launch(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    y = t.eased(0, -float(shot.height), LAUNCH_FRAMES + 1, (0.5, 0, 1, 1))
    return (
        f"Leaves the frame in {LAUNCH_FRAMES} frames, faster and faster.",
        (("frames", str(LAUNCH_FRAMES)),),
        np.zeros(len(y)),
        y,
    )


def _spring(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    y = t.eased(0, -p.height * p.metre, SPRING_FRAMES + 1, (0, 0.6, 0.4, 1))
    return f"Springs out in {SPRING_FRAMES} frames and settles.", (("frames", str(SPRING_FRAMES)),), np.zeros(len(y)), y


def _streak(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    x = np.linspace(0, shot.width, STREAK_FRAMES + 1)
    return (
        f"Crosses in {STREAK_FRAMES} frames, {shot.width / STREAK_FRAMES:.0f} px a frame.",
        (("frames", str(STREAK_FRAMES)),),
        x,
        np.zeros(len(x)),
    )


def _turn(p: Any, shot: Shot, rate: float) -> tuple[str, tuple[tuple[str, str], ...], Array, Array]:
    n, step = t.wrap_speed(shot.width, rate, p.frames / rate)
    words = f"One turn in {n} frames, {step:.3f} px a frame; frame {n + 1} shows frame 1 again, so the loop ends on {n}."
    return words, (("frames a turn", str(n)), ("px a frame", f"{step:.3f}")), np.arange(n) * step, np.zeros(n)


def _loop(p: Any, shot: Shot, rate: float) -> Answer:
    n, last = t.loop_frames(int(p.count))
    turns = shot.length / n
    return Answer(
        f"{int(p.count)} frames loop over {n} with a fade of {t.CROSS_FADE}; the loop's last frame is {last}, frame {last + 1} is its first.",
        rows=(("loop", f"{n} frames, {n / rate:.2f} s"), ("fits the shot", f"{turns:.2f} times")),
        entries=(Entry(f"record at least {n + t.CROSS_FADE} frames of it", "the ends are faded into each other"),),
    )


def _lapse(p: Any, shot: Shot, rate: float) -> Answer:
    held = max(1, round(p.frames))
    seconds = t.lapse_length(int(p.count), held, rate)
    return Answer(
        f"{int(p.count)} photos held for {held} frames last {seconds:.2f} s, {int(p.count) * held} frames.",
        (
            Reading(
                "too short", shot.length / max(int(p.count) * held, 1), "of the shot", 1.0, note="over 1 the photos do not last"
            ),
        ),
        (("photos for the shot", str(math.ceil(shot.length / held))),),
        entries=(Entry(f"{math.ceil(shot.length / held)} photos", f"held for {held} frames each they fill the shot"),),
    )


def _cues(p: Any, shot: Shot, rate: float) -> Answer:
    speed, first = t.speed_to_hit(int(p.start), int(p.second_cue), int(p.first_event), int(p.second_event))
    over = max(speed / SPEEDS[1], SPEEDS[0] / speed)
    return Answer(
        f"Runs at {speed:.3f} times its speed; frame 1 of the shot shows its frame {first:.2f}.",
        (Reading("speed", over, "of what it bears", 1.0, note="elements bear half to three times their speed"),),
        (("speed", f"{speed:.4f} ×"), ("conform", f"speed {speed:.4f}, first frame {first:.2f}")),
    )


def with_path(shot: Shot, answer: Answer, step_id: str) -> Shot:
    """The shot with a movement put on a Place step as pins, one a frame, beside where the step has its picture at the start."""
    d: TimingDrawing = answer.drawing
    step = shot.step(step_id)
    for name, way in (("x", d.right), ("y", d.down)):
        if not np.ptp(way):
            continue
        base = float(step.params.get(name, 0.0))
        for n, v in zip(d.frames, way, strict=True):
            step = set_pin(step, name, Pin(frame=int(n), value=round(base + float(v), 3), easing="linear"))
    return shot.with_step(step)
