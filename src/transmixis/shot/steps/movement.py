"""Movement: where a thing goes, as a motion that anything can hang on: by hand with pins, or as its weight and a plan have it."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.going import (
    BY_HAND,
    FALL,
    KINDS,
    LAUNCH,
    LAUNCH_FRAMES,
    SPRING,
    SPRING_FRAMES,
    STREAK,
    STREAK_FRAMES,
    SWING,
    THROW,
    Going,
    Off,
    hangs,
    off_at,
    weighs,
)
from transmixis.core.errors import UserError
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.plan.timing import G
from transmixis.core.plot import Path, Plot, Trace
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Product, Proposal, StepKind
from transmixis.shot.model import Step
from transmixis.shot.pins import value_at
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

SAMPLES = 9  # of its way within a frame
OFF_WEIGHT = 15.0  # % off gravity before a fall looks light or heavy (judgement, docs/limits.md)
PATH = ("x", "y", "turn", "size")
PIVOT = "Press where it turns: where a rope hangs, where a flame stands."
MEASURED = (FALL, THROW)  # with a metre
# the plan's words for the same
PLANNED = {
    "fall": FALL,
    "throw": THROW,
    "swing": SWING,
    "launch out of frame": LAUNCH,
    "spring out": SPRING,
    "streak across": STREAK,
}


class MovementParams(Params):
    pivot: tuple[tuple[float, float], ...] = hidden(())
    what: str = choice(BY_HAND, KINDS, "Goes", "By hand with pins, or as its weight and time ask for.")
    begins: float = number(1, 1, 1_000_000, "frame", "Begins at", "The last frame that shows it where it starts.", step=1)
    x: float = number(
        0.0,
        -20000,
        20000,
        "px",
        "Right",
        "Moved by hand to the right; below zero to the left.",
        step=1,
        when=("what", (BY_HAND,)),
    )
    y: float = number(0.0, -20000, 20000, "px", "Down", "Moved by hand down; below zero up.", step=1, when=("what", (BY_HAND,)))
    turn: float = number(
        0.0, -36000, 36000, "°", "Turn", "Turned by hand about its pivot, anticlockwise.", step=1, when=("what", (BY_HAND,))
    )
    size: float = number(1.0, 0.01, 100, "×", "Size", "Grown by hand about its pivot.", step=0.01, when=("what", (BY_HAND,)))
    height: float = number(
        2.0,
        0.01,
        500,
        "m",
        "Height or length",
        "Of the fall, or of the rope that swings.",
        step=0.1,
        when=("what", (FALL, SWING)),
    )
    speed: float = number(6.0, 0.01, 200, "m/s", "Thrown at", "Its speed where it starts.", step=0.5, when=("what", (THROW,)))
    lands: float = number(
        0.0,
        -200,
        500,
        "m",
        "Lands lower by",
        "How far below where it starts it lands; below zero: higher.",
        step=0.1,
        when=("what", (THROW,)),
    )
    drag: float = number(
        0.0,
        0,
        300,
        "m/s",
        "Air holds at",
        "The speed at which air holds its weight; 0 is no air.",
        step=1,
        when=("what", (FALL, THROW)),
    )
    metre: float = number(
        200.0, 1, 20_000, "px", "A metre is", "Pixels that a metre takes where it happens.", step=5, when=("what", (FALL, THROW))
    )
    frames: float = number(5.0, 1, 10_000, "frames", "Frames", "That it takes.", step=1, when=("what", (LAUNCH, SPRING, STREAK)))
    way: float = number(600.0, 0, 20_000, "px", "Way", "How far it goes.", step=10, when=("what", (LAUNCH, SPRING, STREAK)))
    angle: float = number(
        90.0,
        -360,
        360,
        "°",
        "Direction",
        "0 is to the right, 90 up; of a throw above level, of a swing how far it goes to the side that it starts on.",
        step=5,
        when=("what", (THROW, SWING, LAUNCH, SPRING, STREAK)),
    )
    back: float = number(
        0,
        0,
        1_000_000,
        "frame",
        "Back at",
        "The frame at which it begins to go back; 0: it stays out.",
        step=1,
        when=("what", (SPRING,)),
        zero="never",
    )


class Movement(StepKind[MovementParams]):
    kind, title, stage, product = "movement", "Movement", "Build", "motion"
    says = "says where a thing goes"
    slots = ()
    Params = MovementParams
    near_pins = PATH
    reads_other_frames = True
    tools = ("point",)
    positions = ("pivot",)
    plots = "whole"

    def handles(self, inputs: Inputs, params: MovementParams, frame: int) -> tuple[Handle, ...]:
        return (Handle("point", "pivot", "Pivot", PIVOT, params.pivot[:1], here=bool(params.pivot)),)

    def compute(self, inputs: Inputs, params: MovementParams, frame: int) -> Product:
        pivot = _pivot(inputs, params)
        within = np.stack([matrix_at(inputs, params, frame + t) for t in np.linspace(-0.5, 0.5, SAMPLES)])
        return Product(motion=Motion(matrix_at(inputs, params, frame), pivot[None], error=0.0, within=within))

    def read(self, inputs: Inputs, params: MovementParams, product: Product, frame: int) -> list[Reading]:
        steps, places = _steps(inputs, params)
        i = frame - 1
        rests = hangs(steps, frame)
        out = [
            Reading(
                "hangs",
                float(rests),
                "",
                1.0,
                note="it stands still for a moment between two moves" if rests else f"{steps[i]:.1f} px from the frame before",
            )
        ]
        if params.what in MEASURED:
            out.append(_weight(params, places, frame, float(inputs.shot.fps), _going(inputs, params).lasts))
        return out

    def propose(self, inputs: Inputs, params: MovementParams, progress: Progress) -> Proposal | None:
        """As the plan has it."""
        plan = inputs.shot.plan.get("timing")
        what = PLANNED.get(str((plan or {}).get("what", ""))) if plan else None
        if plan is None or what is None:
            return None
        values = _as_planned(plan, what, inputs)
        if all(getattr(params, k) == v for k, v in values.items()):
            return None
        planned = params.model_copy(update=values)
        lasts = _going(inputs, planned).lasts
        then = f" and is over at frame {int(values['begins'] + np.ceil(lasts))}" if np.isfinite(lasts) else ""
        return Proposal(
            values, f"The plan has a {what} here: it begins at frame {int(values['begins'])}{then}.", gains="As it was planned."
        )

    def plot(self, inputs: Inputs, params: MovementParams, frame: int) -> Plot | None:
        steps, places = _steps(inputs, params)
        middle = (places.max(axis=0) + places.min(axis=0)) / 2
        trace = Trace("speed", steps, unit="px a frame", floor=True)
        reach = float(np.hypot(*(places - middle).T).max())
        words = f"Fastest {steps.max():.1f} px a frame, at frame {int(steps.argmax()) + 1}."
        return Plot("How it goes", "Its speed over the frames, and its way.", (trace, Path(places - middle, reach or 1.0)), words)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        return step.model_copy(update={"params": {**step.params, "pivot": rounded(value)}})


def _pivot(inputs: Inputs, params: MovementParams) -> Array:
    """(2,) px where it turns; the frame's middle until it is set."""
    return np.asarray(params.pivot[0] if params.pivot else (inputs.shot.width / 2, inputs.shot.height / 2), np.float64)


def _going(inputs: Inputs, params: MovementParams) -> Going:
    back = params.back - params.begins
    if params.what == SPRING and params.back and back < params.frames:
        raise UserError(
            f"It goes back at frame {params.back:.0f}, before it is out at {params.begins + params.frames:.0f}; say a later one."
        )
    return Going(
        params.what,
        float(inputs.shot.fps),
        params.frames,
        params.way,
        params.angle,
        params.height,
        params.speed,
        params.lands,
        params.drag,
        params.metre,
        max(back, 0.0) if params.back else 0.0,
    )


def matrix_at(inputs: Inputs, params: MovementParams, frame: float) -> Array:
    """(3, 3) from where it stands to where it is at a frame, or between two."""
    size = 1.0
    if params.what == BY_HAND:
        x, y, turn, size = (_eased(inputs, params, k, frame) for k in PATH)
        off = Off(x, y, turn)
    else:
        off = off_at(_going(inputs, params), frame - params.begins)
    a = np.radians(off.turn)
    c, s = size * np.cos(a), size * np.sin(a)
    px, py = _pivot(inputs, params)
    return np.array([[c, s, px - c * px - s * py + off.x], [-s, c, py + s * px - c * py + off.y], [0, 0, 1.0]])


def _eased(inputs: Inputs, params: MovementParams, name: str, frame: float) -> float:
    pins = inputs.pins().get(name)
    try:
        return float(value_at(pins, frame)) if pins else float(getattr(params, name))
    except (TypeError, ValueError) as e:
        raise UserError("A pin of the movement holds no number; set it anew.") from e


def _steps(inputs: Inputs, params: MovementParams) -> tuple[Array, Array]:
    """(n,) px from the frame before, and (n, 2) px where a place beside its pivot is, over the shot."""
    beside = _pivot(inputs, params) + np.array([0, inputs.shot.height / 4])
    places = np.array([moved_points(matrix_at(inputs, params, n), beside)[0] for n in range(1, inputs.shot.length + 1)])
    return np.concatenate([[0.0], np.hypot(*np.diff(places, axis=0).T)]), places


def _weight(params: MovementParams, places: Array, frame: int, rate: float, lasts: float) -> Reading:
    note = "it is not in the air here"
    if 2 <= frame < len(places):
        t = frame - params.begins
        inside = 1 <= t <= lasts - 1  # neither setting out nor landing
        found = weighs(places[frame - 2 : frame + 1], rate, params.metre)
        if found is not None and inside:
            off = 100 * abs(found / G - 1)
            if params.drag <= 0:
                return Reading("weight", off, "%", OFF_WEIGHT, note=f"falls with {found:.2f} m/s², gravity is {G:.2f}")
            note = f"falls with {found:.2f} m/s² through air"
    return Reading("weight", None, "%", OFF_WEIGHT, note=note)


def _as_planned(plan: Any, what: str, inputs: Inputs) -> dict[str, Any]:
    """Settings that the plan's figures ask for."""
    values: dict[str, Any] = {"what": what, "begins": float(plan.get("start", 1.0))}
    same = {FALL: ("height", "drag", "metre"), THROW: ("speed", "angle", "lands", "drag", "metre"), SWING: ("height", "angle")}
    defaults = {"height": 2.0, "speed": 6.0, "angle": 45.0, "lands": 0.0, "drag": 0.0, "metre": 200.0}
    values |= {k: float(plan.get(k, defaults[k])) for k in same.get(what, ())}
    if what == LAUNCH:
        values |= {"frames": float(LAUNCH_FRAMES), "way": float(inputs.shot.height), "angle": 90.0}
    if what == SPRING:
        values |= {
            "frames": float(SPRING_FRAMES),
            "way": float(plan.get("height", 2.0)) * float(plan.get("metre", 200.0)),
            "angle": 90.0,
        }
    if what == STREAK:
        values |= {"frames": float(STREAK_FRAMES), "way": float(inputs.shot.width), "angle": 0.0}
    return values
