"""What point and surface tracks share: their pieces, how they are followed, and what is read of them."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import marks_of, xy
from transmixis.core.motion.agree import from_behind, jumps
from transmixis.core.motion.follow import Way, follow, stretches
from transmixis.core.motion.level import Laid
from transmixis.core.motion.motion import Motion, moved_points, through
from transmixis.core.motion.smear import Shutter
from transmixis.core.motion.surface import Surface
from transmixis.core.plot import Path, Plot, Trace
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Handle, Inputs, P, Piece, Pins, Product, StepKind
from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import set_pin
from transmixis.shot.steps.trackreadings import ERROR, gap_about, lost_readings, seat_readings, track_readings

SEAT_HINT = "Drag it to where it is seen in this frame: it is then set here by hand."
TRAIL = 24  # frames before and after whose places are shown
SEAT = "seat"  # the parameter whose pins are places set by hand


class Track(StepKind[P]):
    """A kind that follows something from its reference frame. Subclasses say what: `surface_of` and `places`."""

    stage, product, version = "Motion", "motion", 6
    roles = ("motion",)
    pieced = True
    held_pins = (SEAT,)

    def places(self, params: Any) -> Array:
        """(k, 2) px of the reference frame that seats are told of."""
        raise NotImplementedError

    def surface_of(self, inputs: Inputs, params: Any) -> Surface:
        """What is followed. Raises UserError where there is nothing to follow."""
        raise NotImplementedError

    def seats(self, params: Any, pins: Pins) -> dict[int, Array]:
        """Frames at which it was set by hand, and where: matrices from the reference frame."""
        out = {int(params.reference): np.eye(3)}
        places = self.places(params)
        for pin in pins.get(SEAT, ()):
            there = xy(marks_of(pin.value))
            if len(there) == len(places) and pin.frame != int(params.reference):
                out[pin.frame] = through(places, there)
        return out

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
        return Plot(
            "Path and error", tip, (Path(at, 0.0), Trace("error, px", error, ERROR, "px", floor=True, why=why)), followed(motions)
        )

    def motions(self, inputs: Inputs) -> list[Motion | None]:
        """Of every frame what is known without following anything now."""
        return [inputs.motion_if_there(k) for k in range(1, inputs.shot.length + 1)]

    surfaces = False  # whether it follows a surface, whose coverage counts
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
        return Handle(tool, SEAT, words, SEAT_HINT, tuple(map(tuple, there.tolist())), matrix, here, False, note, facts)

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
        if handle.param == SEAT:
            return set_pin(step, SEAT, Pin(frame=frame, value=[[round(x, 2), round(y, 2)] for x, y in value], easing="linear"))
        first = not step.params.get(handle.param) and not step.params.get(self.sets)
        change: dict[str, Any] = {handle.param: self.kept(value)}
        if first:
            change["reference"] = frame
        return step.model_copy(update={"params": {**step.params, **change}})

    def kept(self, value: Any) -> Any:
        """A handle's value as the parameter keeps it."""
        return [[round(x, 2), round(y, 2)] for x, y in value]

    def pieces(self, length: int, params: Any, pins: Pins) -> tuple[Piece, ...]:
        reference = int(params.reference)
        if len(self.places(params)) == 0 or not 1 <= reference <= length:
            return ()
        first, last = max(1, int(params.first)), min(length, int(params.last)) if params.last >= 1 else length
        seats = {n: m for n, m in self.seats(params, pins).items() if 1 <= n <= length}
        own = params.model_dump(exclude={SEAT, "first", "last"})
        out = []
        for s in stretches(first, last, list(seats)):
            start = [] if s.after else [s.start, *seats[s.start].ravel().tolist()]
            depends = {"params": own, "start": start, "frames": list(s.frames)}
            looked = (reference, *s.frames)
            out.append(Piece(s.name, min(s.frames), max(s.frames), looked, depends, s.after))
        return tuple(out)

    def analyse_piece(self, inputs: Inputs, params: Any, piece: Piece, before: Analysis | None, progress: Progress) -> Analysis:
        surface = self.surface_of(inputs, params)
        if before is None:
            seat = self.seats(params, inputs.pins())[int(piece.depends["start"][0])]
            way = Way(seat, seat)
        else:
            way = Way(before["last"], before["before"], int(before["lost"]), _shutter(before["shutter"]), _told(before["usual"]))
        frames, first = piece.depends["frames"], way

        def look(n: int) -> Array:
            return inputs.picture("plate", n)

        found, way = follow(surface, look, frames, way, int(params.reach), progress)
        table = _table(found, frames)
        back, jump = from_behind(surface, look, frames, found, way.shutter.share, progress), jumps(surface, first, found)
        usual = np.array(np.nan if way.usual is None else way.usual)
        numbers = [np.nan if way.shutter.share is None else way.shutter.share, *(way.shutter.bend or (np.nan, np.nan))]
        return {
            **table,
            "back": back,
            "jump": jump,
            "last": way.last,
            "before": way.before,
            "lost": np.array(way.lost),
            "shutter": np.array(numbers),
            "usual": usual,
        }

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        places = self.places(params)
        if len(places) == 0:
            why = "nothing to follow was set yet"
            return Product(motion=Motion(np.eye(3), np.zeros((1, 2)), known=False, why=why))
        seats = self.seats(params, inputs.pins())
        if frame in seats:
            # at the reference it is where it is; how well a hand has set it elsewhere nobody has measured
            error = 0.0 if frame == int(params.reference) else float("nan")
            return Product(motion=Motion(seats[frame], places, error=error), work={"seat": True})
        piece = inputs.piece(frame)
        if piece is None:
            return Product(motion=Motion(np.eye(3), places, known=False, why="the track does not go so far"))
        i = int(np.flatnonzero(piece["frames"] == frame)[0])
        why = str(piece["why"][i])
        motion = Motion(piece["matrix"][i], places, known=not why, error=float(piece["error"][i]), why=why)
        if why:
            return Product(motion=motion, work={"gap": gap_about(piece, i)})
        return Product(motion=motion, work={n: float(piece[n][i]) for n in ("alike", "seen", "back", "jump")})

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        motion = product.motion
        assert motion is not None
        work = product.work or {}
        if not motion.known:
            return lost_readings(motion, work.get("gap"))
        if work.get("seat"):
            return seat_readings(reference=frame == int(params.reference))
        return track_readings(motion, work, surface=self.surfaces)


def followed(motions: list[Motion | None]) -> str:
    """On how many frames, and where not, in words."""
    missing = [k for k, m in enumerate(motions, 1) if m is not None and not m.known]
    known = sum(m is not None and m.known for m in motions)
    return f"Followed on {known} of {len(motions)} frames" + (f"; not known at {_named(missing)}." if missing else ".")


def _told(number: Array) -> float | None:
    return float(number) if np.isfinite(number) else None


def _shutter(numbers: Array) -> Shutter:
    share, x, y = numbers
    return Shutter(_told(share), (float(x), float(y)) if np.isfinite(x) else None)


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


def _table(found: list[Laid], frames: list[int]) -> Analysis:
    return {
        "frames": np.array(frames),
        "matrix": np.array([f.matrix for f in found]),
        "alike": np.array([f.alike for f in found]),
        "seen": np.array([f.seen for f in found]),
        "error": np.array([f.error for f in found]),
        "why": np.array([f.why for f in found], dtype=np.str_),
    }


def needs(words: str) -> UserError:
    """What is said where nothing was set yet."""
    return UserError(f"Nothing to follow yet: {words}")
