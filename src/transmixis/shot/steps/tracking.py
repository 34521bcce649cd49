"""What point and surface tracks share on the screen: what can be taken hold of, what is often done, what is drawn and proposed."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.plot import Path, Plot, Trace
from transmixis.core.progress import Progress
from transmixis.shot.contract import Act, Handle, Inputs, P, Proposal
from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import set_pin, value_at
from transmixis.shot.steps.following import SIGHT, Following
from transmixis.shot.steps.reseats import RESEAT, SEAT, Reseat
from transmixis.shot.steps.slips import WayOut, way_out
from transmixis.shot.steps.trackreadings import ERROR

SEAT_HINT = (
    "Drag it to where it is seen: it is set here by hand. P: set as it lies. R: a new look from here. I: hidden from here."
)
TRAIL = 24  # frames before and after whose places are shown
ACTS = (
    Act(
        "seat",
        "Seat here",
        "It lies right in this frame: it is set here by hand, and followed anew from here to the next place that is set. Key: P",
    ),
    Act(
        "reseat",
        "New look here",
        "From here on its look in this frame is looked for, where it has changed too much since the reference. Key: R",
    ),
    Act(
        "sight",
        "Hidden from here",
        "From this frame on it is hidden, and nothing is claimed; once more where it comes into sight again. Key: I",
    ),
)


class Track(Following[P]):
    """A kind that follows something from its reference frame. Subclasses say what: `surface_of` and `places`."""

    acts = ACTS
    weighs_itself = True

    def propose(self, inputs: Inputs, params: Any, progress: Progress) -> Proposal | None:
        """Before it is followed what suits the frames beside the reference; once it is, a way out where it asks for a hand."""
        if len(self.places(params)) == 0:
            return None
        if all(m is not None for m in self.motions(inputs)):
            out = way_out(self, inputs, params, progress)
            if out is not None:
                return out
        return self.at_first(inputs, params, progress)

    def at_first(self, inputs: Inputs, params: Any, progress: Progress) -> Proposal | None:
        """Settings that suit the frames beside the reference."""
        return None

    def tries(self, inputs: Inputs, params: Any, frame: int, sign: int, motion: Motion, progress: Progress) -> list[WayOut]:
        """Ways out of a slip that begins beyond a frame, where the track goes forwards (`sign` 1) or backwards from its seat."""
        raise NotImplementedError

    def instead(self, inputs: Inputs, params: Any, frame: int, sign: int, motion: Motion, progress: Progress) -> list[WayOut]:
        """What else could be followed from a frame on, where none of its ways out helps."""
        return []

    plots = "whole"

    def plot(self, inputs: Inputs, params: Any, frame: int) -> Plot:
        """Where it goes, and its error on every frame that has been followed."""
        motions = self.motions(inputs)
        error = np.array([m.error if m is not None and m.known else np.nan for m in motions])
        at = np.array([_middle(m) if m is not None and m.known else (np.nan, np.nan) for m in motions])
        there = np.isfinite(at[:, 0])
        at = at - (at[there].min(axis=0) + at[there].max(axis=0)) / 2 if there.any() else at
        tip = "Where it goes over the frame, and how sure each frame is, as the fit tells. Gaps: not followed yet, or hidden."
        why = "not followed yet"
        speed = np.full(len(at), np.nan)
        speed[1:-1] = np.hypot(*(at[2:] - at[:-2]).T) / 2
        return Plot(
            "Path and error",
            tip,
            (
                Path(at, 0.0),
                Trace("error, px", error, ERROR, "px", floor=True, why=why),
                Trace("speed, px a frame", speed, floor=True, why=why),
            ),
            followed(motions),
        )

    def motions(self, inputs: Inputs) -> list[Motion | None]:
        """Of every frame what is known without following anything now."""
        return [inputs.motion_if_there(k) for k in range(1, inputs.shot.length + 1)]

    sets = ""  # the parameter that says what is followed

    def seat_handle(self, inputs: Inputs, params: Any, frame: int, tool: str, words: str) -> Handle:
        """The places as they lie at another frame than the reference: dragged, they are set by hand there."""
        motion = inputs.motion_if_there(frame)
        places = self.places(params)
        there = moved_points(motion.matrix, places) if motion and motion.known else places
        note = "Not followed here yet." if motion is None else "" if motion.known else f"Not known here: {motion.why}"
        here = any(p.frame == frame for p in inputs.pins().get(SEAT, ()))
        matrix = motion.matrix if motion and motion.known else np.eye(3)
        facts = {"trail": self.trail(inputs, frame), "half": getattr(params, "half", 0), "reach": params.reach, "matrix": matrix}
        facts["known"] = motion is not None and motion.known
        return Handle(tool, SEAT, words, SEAT_HINT, tuple(map(tuple, there.tolist())), matrix, here, False, note, facts)

    def look_handle(
        self, inputs: Inputs, params: Any, frame: int, tool: str, words: str, value: Any, hint: str
    ) -> tuple[Handle, ...]:
        """What of it is looked for from this frame on, where it is known here; to be set elsewhere on the same thing."""
        motion = inputs.motion_if_there(frame)
        if motion is None or not motion.known:
            return ()
        places = tuple(map(tuple, moved_points(motion.matrix, self.places(params)).tolist()))
        told = motion.error if np.isfinite(motion.error) else None
        facts = {"places": places, "error": told, "half": getattr(params, "half", 0), "dashed": True, "matrix": np.eye(3)}
        here = any(p.frame == frame for p in inputs.pins().get(RESEAT, ()))
        return (Handle(tool, RESEAT, words, hint, value(motion.matrix), motion.matrix, here, False, "", facts),)

    def trail(self, inputs: Inputs, frame: int) -> list[tuple[int, float, float, float]]:
        """Frame, place and error px of the frames about this one that have been followed."""
        out = []
        for n in range(max(1, frame - TRAIL), min(inputs.shot.length, frame + TRAIL) + 1):
            m = inputs.motion_if_there(n)
            if m is not None and m.known:
                out.append((n, *_middle(m), m.error))
        return out

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """At the reference frame what is followed, at others where it is seen by hand."""
        if handle.param == RESEAT:
            looks = tuple(tuple((float(m[-2]), float(m[-1])) for m in o) for o in self.looks(value))
            value = Reseat(places=handle.facts["places"], looks=looks, error=handle.facts["error"])
            return set_pin(step, RESEAT, Pin(frame=frame, value=value.plain(), easing="linear"))
        if handle.param == SEAT:
            return set_pin(step, SEAT, Pin(frame=frame, value=[[round(x, 2), round(y, 2)] for x, y in value], easing="linear"))
        first = not step.params.get(handle.param) and not step.params.get(self.sets)
        change: dict[str, Any] = {handle.param: self.kept(value)}
        if first:
            change["reference"] = frame
        return step.model_copy(update={"params": {**step.params, **change}})

    def looks(self, value: Any) -> Any:
        """Outlines of what is looked for, from a handle's value."""
        return value

    def kept(self, value: Any) -> Any:
        """A handle's value as the parameter keeps it."""
        return [[round(x, 2), round(y, 2)] for x, y in value]

    def act(self, name: str, inputs: Inputs, step: Step, params: Any, frame: int) -> Step:
        """Seated, given a new look, or hidden at a frame."""
        if name == SIGHT:
            return self._hidden(step, frame)
        reference = int(params.reference)
        if len(self.places(params)) == 0:
            raise UserError("Nothing to follow was set yet; set it in the picture first.")
        if frame == reference:
            raise UserError("This is its reference frame: it is set here already.")
        motion = self.told(inputs, params, frame).motion
        if motion is None or not motion.known:
            why = motion.why if motion is not None else "it was not followed"
            raise UserError(f"It is not known at frame {frame} ({why}); drag it to where it is seen first.")
        places = moved_points(motion.matrix, self.places(params))
        if name == SEAT:
            return set_pin(
                step, SEAT, Pin(frame=frame, value=[[round(x, 3), round(y, 3)] for x, y in places.tolist()], easing="linear")
            )
        error = motion.error if np.isfinite(motion.error) else None
        value = Reseat(places=tuple(map(tuple, places.tolist())), error=error)
        return set_pin(step, RESEAT, Pin(frame=frame, value=value.plain(), easing="linear"))

    def _hidden(self, step: Step, frame: int) -> Step:
        """Hidden from a frame on, or in sight again where it was hidden."""
        pins = step.pins.get(SIGHT, ())
        seen = bool(value_at(pins, frame)) if pins else True
        if not pins and frame > 1:  # the first pin counts before its frame too
            step = set_pin(step, SIGHT, Pin(frame=1, value=True))
        return set_pin(step, SIGHT, Pin(frame=frame, value=not seen))


def followed(motions: list[Motion | None]) -> str:
    """On how many frames, and where not, in words."""
    missing = [k for k, m in enumerate(motions, 1) if m is not None and not m.known]
    known = sum(m is not None and m.known for m in motions)
    return f"Followed on {known} of {len(motions)} frames" + (f"; not known at {_named(missing)}." if missing else ".")


def _middle(motion: Motion) -> tuple[float, float]:
    x, y = moved_points(motion.matrix, motion.about.mean(axis=0))[0]
    return float(x), float(y)


def _named(frames: list[int]) -> str:
    """Frames as people say them: runs by their ends."""
    runs: list[list[int]] = []
    for n in frames:
        if runs and n == runs[-1][-1] + 1:
            runs[-1].append(n)
        else:
            runs.append([n])
    said = [f"{r[0]}" if len(r) == 1 else f"{r[0]} to {r[-1]}" for r in runs]
    return ", ".join(said[:4]) + (f" and {len(said) - 4} more places" if len(said) > 4 else "")
