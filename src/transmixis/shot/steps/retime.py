"""Retime: an element at another speed, rate or length, held, frozen or backwards, trimmed to its cues."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plot import Curve, Plot, Trace
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.time.conform import blended
from transmixis.core.time.inbetween import Pair
from transmixis.core.time.moments import BEFORE_HELD, BEFORE_NOTHING, at_speed, between_ends, middle_held, photos, seen
from transmixis.core.time.retime import STUTTER, Shows, retime_readings, shown
from transmixis.core.types import Array
from transmixis.shot.contract import Inputs, Pins, Product, Proposal, Slot, StepKind
from transmixis.shot.pins import value_at
from transmixis.shot.steps.counted import count_of
from transmixis.shot.steps.cues import OFF_CUE, action, amounts, cue_proposal, cue_reading, heeds, visible
from transmixis.shot.steps.params import Params, choice, number

SPEED, ENDS, MIDDLE, FREEZE, PHOTOS = "at a speed", "to exact ends", "middle held", "one frame frozen", "a photo for some frames"
HOLD, BLEND, FLOW, BOTH = "hold the nearest", "blend", "follow the motion", "motion where the matte is"
FORWARDS, BACKWARDS = "forwards", "backwards"
NOTHING_LIGHT = 1e-4  # of white: a frame that is nowhere brighter, and has nothing in its matte, is empty
RATE_OFF = 0.002
LOOKED_AT = 24  # frames of the element that its plot looks at; between them it is drawn straight


class RetimeParams(Params):
    how: str = choice(
        SPEED, (SPEED, ENDS, MIDDLE, FREEZE, PHOTOS), "Timed", "How the element's frames are spread over the shot's."
    )
    speed: float = number(
        1.0,
        0.0,
        100.0,
        "×",
        "Speed",
        "Frames of the element for each of the shot; with pins it changes.",
        step=0.05,
        when=("how", (SPEED, ENDS)),
    )
    first: float = number(1, 1, 1_000_000, "frame", "Its first", "The element's first frame that is used.", step=1)
    last: float = number(0, 0, 1_000_000, "frame", "Its last", "The element's last frame that is used.", step=1, zero="its end")
    begin: float = number(1, 1, 1_000_000, "frame", "Begins at", "The shot's frame that shows its first: its cue.", step=1)
    end: float = number(
        0, 0, 1_000_000, "frame", "Ends at", "The shot's last frame that shows it.", step=1, zero="the shot's end"
    )
    heeds: str = heeds()
    middle: float = number(
        1, 1, 1_000_000, "frame", "Held", "The element's frame that is held, or frozen.", step=1, when=("how", (MIDDLE, FREEZE))
    )
    held: float = number(
        3,
        1,
        1000,
        "frames",
        "Frames each",
        "For how many frames each photo is shown; 3 to 4 is usual.",
        step=1,
        when=("how", (PHOTOS,)),
    )
    way: str = choice(FORWARDS, (FORWARDS, BACKWARDS), "Runs", "Forwards, or backwards from its last frame.")
    frames: str = choice(FLOW, (HOLD, BLEND, FLOW, BOTH), "In between", "What is shown between two of the element's frames.")
    before: str = choice(BEFORE_NOTHING, (BEFORE_NOTHING, BEFORE_HELD), "Before it", "What is shown before it begins.")
    after: str = choice(BEFORE_NOTHING, (BEFORE_NOTHING, "its last frame"), "After it", "What is shown when it is over.")


class Retime(StepKind[RetimeParams]):
    kind, title, stage, product = "retime", "Retime", "Build", "picture"
    says = "brings an element to another speed, or to its cues"
    slots = (
        Slot("plate", "the element", whole=True, usual=("plate:element", "plate:hero", "plate:any")),
        Slot("flows", "where the motion is followed (elsewhere it blends)", takes="matte", optional=True, usual=()),
    )
    Params = RetimeParams
    cued = True
    own_pins = ("speed",)
    keeps_time = False
    other_frames = True
    plots = "whole"

    def compute(self, inputs: Inputs, params: RetimeParams, frame: int) -> Product:
        moments = moments_of(inputs, params)
        at = float(moments[frame - 1]) if frame <= len(moments) else float("nan")
        if not np.isfinite(at):
            return Product(picture=_nothing(inputs, params), work=(moments, None))
        now = shown(at, count_of(inputs, "plate"), hold=params.frames == HOLD)
        return Product(picture=self._picture(inputs, params, now, frame), work=(moments, now))

    def _picture(self, inputs: Inputs, params: RetimeParams, now: Shows, frame: int) -> Array:
        one = inputs.picture("plate", now.low)
        if not now.share:
            return one
        other = inputs.picture("plate", now.low + 1)
        if params.frames == BLEND:
            return blended(one, other, now.share)
        flown = Pair(one, other).at(now.share)
        if params.frames == FLOW or not inputs.has("flows"):
            return flown
        m = inputs.matte("flows", frame)[..., None]
        if m.shape[:2] != one.shape[:2]:
            raise UserError("The matte of where the motion is followed has not the element's size; take one of the element.")
        return np.asarray(m * flown + (1 - m) * blended(one, other, now.share), np.float32)

    def read(self, inputs: Inputs, params: RetimeParams, product: Product, frame: int) -> list[Reading]:
        moments, now = product.work
        hold = params.frames == HOLD
        if now is None:
            note = "it is not to be seen here"
            cue = self._cue(inputs, params, frame, seen=False)
            return [Reading("off its time", None, "frames", STUTTER, note=note), Reading("empty", None, "", 1.0, note=note), cue]
        # a photo is held on purpose, and at its cue there is nothing to differ from: then neither doubled nor skipped is read
        alone = params.how == PHOTOS or frame == 1 or not np.isfinite(moments[frame - 2])
        told, at = ([moments[frame - 1]], 1) if alone else (list(moments), frame)
        out = retime_readings(told, count_of(inputs, "plate"), at, hold=hold)
        assert product.picture is not None
        empty = not _shows(product.picture)
        why = f"shows {now.words}" + (", in which nothing is" if empty else "")
        cue = self._cue(inputs, params, frame, seen=visible(product.picture))
        return [replace(out[0], note=why), *out[1:], Reading("empty", float(empty), "", 1.0, note=why), cue]

    @staticmethod
    def _cue(inputs: Inputs, params: RetimeParams, frame: int, *, seen: bool) -> Reading:
        if params.before == BEFORE_HELD:
            note = "its first frame is held before it, so that it is there all the time"
            return Reading("off its cue", None, "frames", OFF_CUE, note=note)
        return cue_reading(inputs, params, frame, seen=seen)

    def propose(self, inputs: Inputs, params: RetimeParams, progress: Progress) -> Proposal | None:
        """The element's own rate against the shot's; then its cue."""

        def seen(n: int) -> bool:
            made = self.compute(inputs, params, n)
            return made.work[1] is not None and made.picture is not None and visible(made.picture)

        cued = params.before != BEFORE_HELD
        return self._rate(inputs, params) or (cue_proposal(inputs, params, seen, progress) if cued else None)

    def _rate(self, inputs: Inputs, params: RetimeParams) -> Proposal | None:
        facts = inputs.facts("plate")
        if facts is None or not facts.rate or params.how != SPEED or inputs.pins().get("speed"):
            return None
        want = facts.rate / float(inputs.shot.fps)
        if abs(want - 1) < RATE_OFF or params.speed != 1.0:
            return None
        values: dict[str, Any] = {"speed": round(want, 4)}
        if params.frames == HOLD and abs(want - round(want)) > RATE_OFF:
            values["frames"] = FLOW
        return Proposal(
            values,
            f"The element has {facts.rate:.4g} pictures a second, the shot {float(inputs.shot.fps):.4g}: at {want:.3f} of its frames for each of the shot's it moves as fast as it did.",
            gains="It moves at its own speed.",
        )

    def plot(self, inputs: Inputs, params: RetimeParams, frame: int) -> Plot | None:
        moments = moments_of(inputs, params)
        known = np.isfinite(moments)
        if not known.any():
            return None
        n = np.arange(1, len(moments) + 1)
        speed = np.concatenate([[np.nan], np.diff(moments)])
        cues = n[known]
        words = f"Seen from frame {cues[0]} to {cues[-1]}; shows the element's frames {np.nanmin(moments):.4g} to {np.nanmax(moments):.4g}."
        nearest = np.clip(np.round(np.where(known, moments, 1)), 1, count_of(inputs, "plate")).astype(int)
        shown_frames = sorted(set(nearest[known].tolist()))
        few = [shown_frames[i] for i in np.unique(np.linspace(0, len(shown_frames) - 1, LOOKED_AT).round().astype(int))]
        there = amounts(lambda k: inputs.picture("plate", k), few)
        values = np.where(known, np.interp(nearest, few, [there[k] for k in few]), np.nan)
        tip = "How much of the element is there in each frame of the shot, time downwards. Drag its begin and end, or the bar between them; at the right which of its frames is shown, and how fast."
        return Plot(
            "What it does",
            tip,
            (
                action(inputs.shot, "none to all of it", values, params),
                Curve("its frame", n[known].astype(float), moments[known]),
                Trace("speed", speed, unit="×"),
            ),
            words,
        )

    def looks_at(self, slot: str, params: RetimeParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return (frame,) if slot == "flows" else None


def moments_of(inputs: Inputs, params: RetimeParams) -> Array:
    """(length,) the moment of the element that each frame of the shot shows; nan: none. Raises UserError for what cannot be."""
    length, count = inputs.shot.length, count_of(inputs, "plate")
    first, last = params.first, float(min(params.last or count, count))
    begin, end = int(params.begin), int(min(params.end or length, length))
    if first > last or begin > length:
        raise UserError(
            f"The element has frames 1 to {count} and the shot 1 to {length}; from {first:.0f} to {last:.0f}, beginning at {begin}, nothing is left of it."
        )
    if params.how == ENDS:
        out = between_ends(length, first, last, begin, end, _speeds(inputs, params))
    elif params.how == MIDDLE:
        out = middle_held(length, first, last, begin, end, params.middle)
    elif params.how == FREEZE:
        out = np.full(length, float(min(params.middle, count)))
        return seen(out, out[0], out[0], begin, end, params.before, _after(params))
    elif params.how == PHOTOS:
        out = photos(length, first, last, begin, int(params.held))
    else:
        out = at_speed(_speeds(inputs, params), first, begin)
    out = seen(out, first, last, begin, end, params.before, _after(params))
    return first + last - out if params.way == BACKWARDS else out


def _after(params: RetimeParams) -> str:
    return BEFORE_NOTHING if params.after == BEFORE_NOTHING else BEFORE_HELD


def _speeds(inputs: Inputs, params: RetimeParams) -> Array:
    pins = inputs.pins().get("speed")
    n = range(1, inputs.shot.length + 1)
    try:
        return np.array([max(float(value_at(pins, k)), 0.0) if pins else params.speed for k in n])
    except (TypeError, ValueError) as e:
        raise UserError("A pin of the speed holds no number; set it anew.") from e


def _nothing(inputs: Inputs, params: RetimeParams) -> Array:
    """What is shown where it is not: as large as the element, and not there."""
    like = inputs.picture("plate", int(params.first))
    return np.zeros((*like.shape[:2], 4), np.float32)


def _shows(picture: Array) -> bool:
    if picture.shape[2] == 4 and float(picture[..., 3].max()) < NOTHING_LIGHT:
        return False
    return float(picture[..., :3].max()) > NOTHING_LIGHT
