"""Beam: a beam, a jagged arc, a streak, or lines between two outlines, whose ends hang on motions."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.light.flicker import flicker
from transmixis.core.made.strokes import arc, beam, between_outlines, coloured, drawn, streak
from transmixis.core.motion.motion import moved_points
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Pins, Product, Proposal, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.attachment import SLIDES
from transmixis.shot.steps.cues import action, cue_proposal, cue_reading, heeds
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

BEAM, ARC, STREAK, BETWEEN = "beam", "jagged arc", "streak", "lines between outlines"
LINE = "Drag from where it begins to where it ends."
CROSSES = 4  # frames of a streak (common practice)


class BeamParams(Params):
    line: tuple[tuple[float, float], ...] = hidden(())
    what: str = choice(
        BEAM,
        (BEAM, ARC, STREAK, BETWEEN),
        "Is",
        "A straight beam, a jagged arc, a streak that flies by, or lines between two outlines.",
    )
    at: float = number(1, 1, 1_000_000, "frame", "Set at", "The frame at which its ends were put in place.", step=1)
    begin: float = number(1, 1, 1_000_000, "frame", "Begins at", "The first frame that shows it: its cue.", step=1)
    end: float = number(0, 0, 1_000_000, "frame", "Ends at", "The last frame that shows it.", step=1, zero="the shot's end")
    heeds: str = heeds()
    wide: float = number(6.0, 0.2, 1000, "px", "Wide", "At its beginning.", step=0.5)
    wide_end: float = number(
        0.0, 0.0, 1000, "px", "Wide at its end", "By perspective the farther end is thinner.", step=0.5, zero="the same"
    )
    soft: float = number(0.5, 0.0, 1.0, "%", "Soft", "How much of its width is a soft skirt.", percent=True)
    red: float = number(1.0, 0.0, 50.0, "× white", "Red", "Of its light.", step=0.1)
    green: float = number(0.7, 0.0, 50.0, "× white", "Green", "Of its light.", step=0.1)
    blue: float = number(0.3, 0.0, 50.0, "× white", "Blue", "Of its light.", step=0.1)
    hot: float = number(0.6, 0.0, 1.0, "%", "White core", "How white its middle is.", percent=True)
    flickers: float = number(0.0, 0.0, 1.0, "%", "Flickers by", "To either side.", percent=True)
    jag: float = number(0.12, 0.0, 1.0, "%", "Jagged by", "Of its length, aside.", percent=True, when=("what", (ARC,)))
    forks: float = number(3, 0, 40, "", "Forks", "That leave it.", step=1, when=("what", (ARC,)))
    holds: float = number(2, 1, 100, "frames", "Stays for", "Frames until an arc strikes anew.", step=1, when=("what", (ARC,)))
    frames: float = number(
        CROSSES, 1, 1000, "frames", "Flies for", "Frames from end to end; 4 are usual.", step=1, when=("what", (STREAK,))
    )
    tail: float = number(0.5, 0.02, 1.0, "%", "Tail", "Of its way.", percent=True, when=("what", (STREAK,)))
    count: float = number(24, 1, 2000, "", "Lines", "Between the two outlines.", step=1, when=("what", (BETWEEN,)))
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number is another arc.", step=1)


class Beam(StepKind[BeamParams]):
    kind, title, stage, product = "beam", "Beam or arc", "Build", "picture"
    says = "makes a beam, an arc, a streak or lines"
    gives = ("picture", "matte")
    slots = (
        Slot(
            "motion", "the motion that its beginning hangs on", takes="motion", optional=True, whole=True, usual=("step:motion",)
        ),
        Slot(
            "other", "the motion that its end hangs on (else the first one)", takes="motion", optional=True, whole=True, usual=()
        ),
        Slot("from", "an outline that lines begin at", takes="shape", optional=True, usual=()),
        Slot("to", "an outline that lines end at", takes="shape", optional=True, usual=()),
        Slot("before", "mattes of what passes in front", takes="matte", optional=True, many=True, usual=()),
    )
    Params = BeamParams
    cued = True
    plots = "whole"
    tools = ("line",)
    positions = ("line",)

    def looks_at(self, slot: str, params: BeamParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return tuple(sorted({min(int(params.at), length), frame}))

    def handles(self, inputs: Inputs, params: BeamParams, frame: int) -> tuple[Handle, ...]:
        if params.what == BETWEEN:
            return ()
        ends, _, note = _ends(inputs, params, frame)
        shown = ends if ends is not None else params.line[:2]
        return (
            Handle(
                "line",
                "line",
                "Ends",
                LINE,
                tuple(map(tuple, np.asarray(shown).tolist())),
                note=note,
                here=frame == int(params.at),
            ),
        )

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """Where its ends are set they lie, and from that frame on they go with their motions."""
        line = rounded((value[0], value[-1]))
        return step.model_copy(update={"params": {**step.params, "line": line, "at": frame}})

    def compute(self, inputs: Inputs, params: BeamParams, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        strokes, error, why = self._strokes(inputs, params, frame)
        if strokes is None:
            return Product(picture=np.zeros((*size, 4), np.float32), matte=np.zeros(size, np.float32), work=(None, why))
        light = drawn(strokes, size, params.soft)
        light *= np.float32(flicker((frame - 1) / float(inputs.shot.fps), 8.0, params.flickers, int(params.seed)))
        made = coloured(light, (params.red, params.green, params.blue), params.hot)
        for m in inputs.mattes("before", frame):
            made *= 1 - m[..., None]
        return Product(picture=made, matte=np.ascontiguousarray(made[..., 3]), work=(error, ""))

    def _strokes(self, inputs: Inputs, params: BeamParams, frame: int) -> tuple[Array | None, float, str]:
        """Its strokes at a frame, how sure their places are, and why there are none."""
        end = int(params.end) or inputs.shot.length
        if not params.begin <= frame <= end:
            return None, 0.0, "it is not to be seen here"
        wide_end = params.wide_end or params.wide
        if params.what == BETWEEN:
            if not (inputs.has("from") and inputs.has("to")):
                return None, 0.0, "the two outlines are not connected yet"
            one, other = inputs.shape("from", frame), inputs.shape("to", frame)
            if not one or not other:
                return None, 0.0, "one of the outlines is not there in this frame"
            return between_outlines(one[0], other[0], int(params.count), params.wide), float("nan"), ""
        ends, error, why = _ends(inputs, params, frame)
        if ends is None:
            return None, 0.0, why
        a, b = (float(ends[0, 0]), float(ends[0, 1])), (float(ends[1, 0]), float(ends[1, 1]))
        if params.what == ARC:
            strike = int((frame - params.begin) // params.holds)
            return arc(a, b, params.wide, params.jag, int(params.forks), (int(params.seed), strike)), error, ""
        if params.what == STREAK:
            share = (frame - params.begin + 1) / params.frames
            made = streak(a, b, params.wide, min(share, 1 + params.tail), params.tail)
            return (made, error, "") if len(made) else (None, 0.0, "it has flown by")
        return beam(a, b, params.wide, wide_end), error, ""

    def read(self, inputs: Inputs, params: BeamParams, product: Product, frame: int) -> list[Reading]:
        error, why = product.work
        cue = cue_reading(inputs, params, frame, seen=error is not None)
        if error is None:
            return [Reading("hold", None, "px", SLIDES, note=why), cue]
        if not inputs.has("motion") and not inputs.has("other"):
            return [Reading("hold", None, "px", SLIDES, note="it hangs on no motion"), cue]
        known = bool(np.isfinite(error))
        return [
            cue,
            Reading(
                "hold",
                error if known else None,
                "px",
                SLIDES,
                note="error of the motions it hangs on" if known else "the motions do not say how good they are",
            ),
        ]

    def propose(self, inputs: Inputs, params: BeamParams, progress: Progress) -> Proposal | None:
        """Its cue."""
        return cue_proposal(inputs, params, lambda n: self._strokes(inputs, params, n)[0] is not None, progress)

    def plot(self, inputs: Inputs, params: BeamParams, frame: int) -> Plot | None:
        """How much of it is drawn in each frame."""
        length = inputs.shot.length
        made = [self._strokes(inputs, params, n)[0] for n in range(1, length + 1)]
        values = np.array([np.nan if s is None else float(len(s)) for s in made])
        if not np.isfinite(values).any():
            return None
        tip = "In which frames it is there, time downwards. Drag its begin and end, or the bar between them."
        return Plot("What it does", tip, (action(inputs.shot, "none to all of it", values / np.nanmax(values), params),))


def _ends(inputs: Inputs, params: BeamParams, frame: int) -> tuple[Array | None, float, str]:
    """(2, 2) px of both ends at a frame, the larger error of their motions, and why they are not known."""
    if len(params.line) < 2:
        return None, 0.0, "its ends are not set yet: drag from where it begins to where it ends"
    ends = np.array(params.line[:2], np.float64)
    errors = [0.0]
    for k, slot in enumerate(("motion", "other")):
        slot = slot if inputs.has(slot) else "motion"
        if not inputs.has(slot):
            continue
        base = inputs.motion(slot, min(int(params.at), inputs.shot.length))
        now = inputs.motion(slot, frame)
        if not (base.known and now.known):
            return None, 0.0, f"a motion that it hangs on is not known here: {now.why or base.why}"
        ends[k] = moved_points(now.matrix @ np.linalg.inv(base.matrix), ends[k])[0]
        errors.append(now.error)
    return ends, float(np.max(errors)), ""
