"""Attachment: what hangs on a motion, as a group of parameters that any step kind may have.

It says what is taken of the motion, from which frame on, how much it is smoothed, and what happens where it is not known.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from transmixis.core.build.moving import Way, between
from transmixis.core.errors import UserError
from transmixis.core.motion.motion import EVERYTHING, TAKES, moved_points, taken, through
from transmixis.core.motion.smooth import smoothed
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Slot
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, number

HIDE, HOLD, CARRY = "hide it", "hold its last place", "carry it on"
WITH, AGAINST = "with it", "against it"
FARTHEST = 12  # frames that a motion is carried on at its last speed; then it stands
SLIDES = 0.5  # px: more and what is attached visibly slides on its ground (judgement, docs/limits.md)
HANGS_ON = Slot("motion", "the motion it hangs on", takes="motion", optional=True, whole=True, usual=("step:motion",))


class Attached(Params):
    """The common group; a kind with it has the slot HANGS_ON."""

    takes: str = choice(EVERYTHING, TAKES, "Takes", "What it takes of the motion. Without size a frozen figure does not grow.")
    at: float = number(1, 1, 1_000_000, "frame", "Set at", "The frame at which it was put in place.", step=1)
    calm: float = number(0.0, 0.0, 100.0, "frames", "Calmed by", "Smooths the motion over so many frames. 0: as it is.", step=1)
    way: str = choice(WITH, (WITH, AGAINST), "Moves", "With the motion, or against it so that what moves stands still.")
    lost: str = choice(HIDE, (HIDE, HOLD, CARRY), "If lost", "What happens on frames where the motion is not known.")


@dataclass(frozen=True)
class Hold:
    """Where what is attached has gone since the frame at which it was set: a matrix (3 x 3, px), whether it is known there, and its
    error px."""

    matrix: Array
    known: bool
    error: float
    why: str = ""


def looked_at(params: Any, frame: int, length: int, beside: int = 0, pins: tuple[int, ...] = ()) -> tuple[int, ...] | None:
    """The frames of the motion that an attachment looks at: where it was set, the frame with `beside` to either side, and pins."""
    if params.calm > 0 or params.lost != HIDE:
        return None
    near = {min(int(params.at), length), *pins, *range(frame - beside, frame + beside + 1)}
    return tuple(sorted(near))


def hold_at(inputs: Inputs, params: Any, frame: int) -> Hold:
    """The attachment at a frame; no motion where nothing is connected. Raises UserError if the motion is not known at the frame at
    which it was set."""
    if not inputs.has("motion"):
        return Hold(np.eye(3), True, 0.0)
    set_at = min(int(params.at), inputs.shot.length)
    base = inputs.motion("motion", set_at)
    if not base.known:
        raise UserError(
            f"The motion is not known at frame {set_at}, at which this was put in place ({base.why}); choose another frame."
        )
    about = moved_points(base.matrix, base.about)
    matrix, error, why = _since(inputs, params, base.matrix, about, frame)
    known = matrix is not None
    if matrix is None and params.lost != HIDE:
        matrix = _bridged(inputs, params, base.matrix, about, frame)
    matrix = np.eye(3) if matrix is None else matrix
    if params.way == AGAINST:
        matrix = np.linalg.inv(matrix)
        matrix = matrix / matrix[2, 2]
    return Hold(matrix, known, error, why)


def hold_way(inputs: Inputs, params: Any, frame: int) -> Way:
    """The matrix of the attachment at a time about a frame (-0.5..0.5 frames from it): along the motion's own way where it tells it, else through the frames beside."""
    now = hold_at(inputs, params, frame)
    if not inputs.has("motion"):
        return lambda t: now.matrix
    exact = _within(inputs, params, frame)
    if exact is not None:
        return _through_samples(exact)
    beside = []
    for n in (frame - 1, frame + 1):
        hold = hold_at(inputs, params, n) if 1 <= n <= inputs.shot.length else None
        beside.append(hold.matrix if hold and hold.known else None)
    if all(b is None for b in beside):
        return lambda t: now.matrix
    before, after = beside
    if before is None and after is not None:
        before = now.matrix @ np.linalg.inv(after) @ now.matrix
    if after is None and before is not None:
        after = now.matrix @ np.linalg.inv(before) @ now.matrix
    assert before is not None and after is not None
    about = np.array([[0.0, 0], [inputs.shot.width, 0], [inputs.shot.width, inputs.shot.height], [0, inputs.shot.height]])
    return lambda t: now.matrix if t == 0 else between(before, now.matrix, after, about, t)


def _within(inputs: Inputs, params: Any, frame: int) -> Array | None:
    """(k, 3, 3) of the attachment within the frame, where the motion tells its own way."""
    motion = inputs.motion("motion", frame)
    base = inputs.motion("motion", min(int(params.at), inputs.shot.length))
    if motion.within is None or not motion.known or params.calm > 0:
        return None
    about, back = moved_points(base.matrix, base.about), np.linalg.inv(base.matrix)
    out = [taken(m @ back, params.takes, about) for m in motion.within]
    return np.stack([np.linalg.inv(m) for m in out] if params.way == AGAINST else out)


def _through_samples(matrices: Array) -> Way:
    """Between matrices at equal times from -0.5 to 0.5, straight from one to the next."""
    times = np.linspace(-0.5, 0.5, len(matrices))

    def way(t: float) -> Array:
        i = int(np.clip(np.searchsorted(times, t) - 1, 0, len(times) - 2))
        share = float(np.clip((t - times[i]) / (times[i + 1] - times[i]), 0, 1))
        return np.asarray((1 - share) * matrices[i] + share * matrices[i + 1])

    return way


def _bridged(inputs: Inputs, params: Any, base: Array, about: Array, frame: int) -> Array | None:
    """Where it lies in a frame in which its motion is not known: as in the nearest that is known, or gone on from there as it went."""
    near = _nearest_known(inputs, frame)
    if near is None:
        return None
    matrix = _since(inputs, params, base, about, near)[0]
    before = near - (1 if frame > near else -1)  # its neighbour on the far side
    if matrix is None or params.lost != CARRY or not 1 <= before <= inputs.shot.length:
        return matrix
    last = _since(inputs, params, base, about, before)[0]
    if last is None:
        return matrix
    step = matrix @ np.linalg.inv(last)
    out = np.linalg.matrix_power(step / step[2, 2], min(abs(frame - near), FARTHEST)) @ matrix
    return np.asarray(out / out[2, 2])


def _since(inputs: Inputs, params: Any, base: Array, about: Array, frame: int) -> tuple[Array | None, float, str]:
    motion = inputs.motion("motion", frame)
    if not motion.known:
        return None, float("nan"), motion.why
    if params.calm <= 0:
        since = motion.matrix @ np.linalg.inv(base)
        return taken(since / since[2, 2], params.takes, about), motion.error, ""
    return taken(_calmed(inputs, base, about, frame, params.calm), params.takes, about), motion.error, ""


def _calmed(inputs: Inputs, base: Array, about: Array, frame: int, frames: float) -> Array:
    """The slow part of the motion: of four places about the thing, each smoothed over time."""
    middle, reach = about.mean(axis=0), max(float(np.ptp(about, axis=0).max()), 50.0) / 2
    places = middle + reach * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
    near = range(max(1, frame - round(4 * frames)), min(inputs.shot.length, frame + round(4 * frames)) + 1)
    known = [(n, m) for n in near if (m := inputs.motion("motion", n)).known]
    rows = np.array([moved_points(m.matrix @ np.linalg.inv(base), places).ravel() for _, m in known])
    at = np.arange(known[0][0], known[-1][0] + 1)
    filled = np.stack([np.interp(at, [n for n, _ in known], rows[:, c]) for c in range(rows.shape[1])], 1)
    slow = smoothed(filled, frames) if len(at) > 1 else filled
    return through(places, slow[frame - at[0]].reshape(4, 2))


def _nearest_known(inputs: Inputs, frame: int) -> int | None:
    """The last frame before at which the motion is known, else the first behind."""
    before = next((n for n in range(frame - 1, 0, -1) if inputs.motion("motion", n).known), None)
    return before or next((n for n in range(frame + 1, inputs.shot.length + 1) if inputs.motion("motion", n).known), None)


def hidden(inputs: Inputs, params: Any, hold: Hold) -> bool:
    """True where it is not to be seen because its motion is not known."""
    return not hold.known and params.lost == HIDE and inputs.has("motion")


def hold_reading(inputs: Inputs, hold: Hold) -> list[Reading]:
    """How well what is attached holds; nothing where it is not attached."""
    if not inputs.has("motion"):
        return []
    if not hold.known:
        return [Reading("hold", None, "px", SLIDES, note=f"the motion is not known here: {hold.why}")]
    if not np.isfinite(hold.error):
        return [Reading("hold", None, "px", SLIDES, note="the motion does not say how good it is")]
    return [Reading("hold", hold.error, "px", SLIDES, note="error of the motion it hangs on")]


def hung_points(inputs: Inputs, params: Any, frame: int, points: Array) -> tuple[Array, Array, str]:
    """Points set at the attachment's frame as they lie in this one, the matrix that took them there, and what is to be said of it."""
    try:
        hold = hold_at(inputs, params, frame)
    except UserError as e:
        return points, np.eye(3), str(e)
    note = "" if hold.known else f"The motion is not known here: {hold.why}"
    return (moved_points(hold.matrix, points) if len(points) else points), hold.matrix, note


def set_back(step: Step, handle: Handle, frame: int, points: Array, first: bool) -> tuple[Array, dict[str, Any]]:
    """Points drawn at a frame taken back to where the thing was set, and the parameters to change: what is drawn first sets the frame."""
    if first:
        return points, {"at": frame}
    return moved_points(np.linalg.inv(handle.matrix), points), {}
