"""How tracks follow: their pieces, the references that they are found by, and what is read of each frame."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import marks_of, xy
from transmixis.core.motion.agree import drifts, from_behind, jumps, strains
from transmixis.core.motion.follow import Way, follow, stretches
from transmixis.core.motion.level import CELLS, Laid
from transmixis.core.motion.motion import Motion, moved_points, through
from transmixis.core.motion.smear import Shutter
from transmixis.core.motion.surface import Surface
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Inputs, P, Piece, Pins, Product, StepKind
from transmixis.shot.pins import value_at
from transmixis.shot.steps.reseats import RESEAT, SEAT, Reseat, lies_at, reseats_of
from transmixis.shot.steps.slips import HIDDEN, NOT_SO_FAR
from transmixis.shot.steps.trackreadings import gap_about, lost_readings, seat_readings, track_readings

NO_PART = 255
SIGHT = "sight"  # the parameter whose pins say from where on it is hidden, or in sight again


class Following(StepKind[P]):
    """A kind that follows something from its reference frame. Subclasses say what: `surface_of` and `places`."""

    stage, product, version = "Motion", "motion", 10
    roles = ("motion",)
    pieced = True
    held_pins = (SEAT, RESEAT)

    def places(self, params: Any) -> Array:
        """(k, 2) px of the reference frame that seats are told of."""
        raise NotImplementedError

    def surface_of(self, inputs: Inputs, params: Any, told: Array | None = None) -> Surface:
        """What is followed; its error is told at its places, or at `told` (k, 2) px. Raises UserError where there is nothing to follow."""
        raise NotImplementedError

    def freer(self, params: Any) -> Any:
        """The parameters by which it may change in more ways; None where there are none."""
        return None

    def look(self, inputs: Inputs, frame: int) -> Array:
        """(h, w, 3) linear, or (h, w, 4): where alpha is low there is no picture."""
        return inputs.picture("plate", frame)

    def seats(self, params: Any, pins: Pins) -> dict[int, Array]:
        """Frames at which it was set by hand, and where: matrices from the reference frame."""
        out = {int(params.reference): np.eye(3)}
        places = self.places(params)
        for frame, reseat in reseats_of(pins, int(params.reference)).items():
            seated = lies_at(reseat, places)
            if seated is not None:
                out[frame] = seated
        for pin in pins.get(SEAT, ()):  # by hand, over what a new look was told there
            there = xy(marks_of(pin.value))
            if len(there) == len(places) and pin.frame != int(params.reference):
                out[pin.frame] = through(places, there)
        return out

    def reseated(self, params: Any, reseat: Reseat, matrix: Array, frame: int) -> Any:
        """The parameters as if `frame` were the reference frame, where `matrix` lays what is followed."""
        raise NotImplementedError

    surfaces = False  # whether it follows a surface, whose coverage counts
    tried_on = 48  # frames of a slip on which ways out are tried at most, so that a proposal takes seconds

    def told(self, inputs: Inputs, params: Any, frame: int) -> Product:
        """What is known at a frame, the working parts for its readings with it."""
        pins = inputs.pins().get(SIGHT)
        here = params.model_copy(update={SIGHT: bool(value_at(pins, frame))}) if pins else params
        return self.compute(inputs, here, frame)

    def pieces(self, length: int, params: Any, pins: Pins) -> tuple[Piece, ...]:
        reference = int(params.reference)
        if len(self.places(params)) == 0 or not 1 <= reference <= length:
            return ()
        first, last = max(1, int(params.first)), min(length, int(params.last)) if params.last >= 1 else length
        seats = {n: m for n, m in self.seats(params, pins).items() if 1 <= n <= length}
        plain = params.model_dump(exclude={SEAT, RESEAT, SIGHT, "first", "last"})
        anew = reseats_of(pins, reference)
        hidden = [n for n in range(1, length + 1) if pins.get(SIGHT) and not value_at(pins[SIGHT], n)]
        out = []
        for s in stretches(first, last, list(seats), hidden):
            look = anew[s.start].plain() if s.start in anew else None
            own = 0.0 if look is None else float(np.nan_to_num(_error_told(anew[s.start], pins, s.start)))
            depends = {
                "params": plain, "seat": [s.start, *seats[s.start].ravel().tolist()], "look": look, "own": own, "frames": list(s.frames),
            }  # fmt: skip
            looked = dict.fromkeys((reference, s.start, *s.frames))  # at the seat its surroundings are looked at, if not its look
            out.append(Piece(s.name, min(s.frames), max(s.frames), tuple(looked), depends, s.after))
        return tuple(out)

    def analyse_piece(self, inputs: Inputs, params: Any, piece: Piece, before: Analysis | None, progress: Progress) -> Analysis:
        frame, matrix = int(piece.depends["seat"][0]), np.array(piece.depends["seat"][1:]).reshape(3, 3)
        first = self.surface_of(inputs, params)
        anew = piece.depends["look"] is not None
        surface, here, told = first, params, None
        if anew:
            reseat = Reseat.model_validate(piece.depends["look"])
            here = self.reseated(params, reseat, matrix, frame)
            told = moved_points(matrix, self.places(params))
            surface = self.surface_of(inputs, here, told)
        seat = np.eye(3) if anew else matrix
        way = Way(seat, seat, at=frame) if before is None else _way(before)
        frames, begun = piece.depends["frames"], way

        def look(n: int) -> Array:
            return self.look(inputs, n)

        found, way = self.found_on(inputs, here, surface, frames, way, progress)
        share = way.shutter.share
        freer = self.freer(here)
        if freer is not None:
            strain = strains(self.surface_of(inputs, freer, told), surface, look, frames, found, share, progress)
            found = [replace(f, error=float(np.hypot(f.error, s))) for f, s in zip(found, strain, strict=True)]
        back, jump = from_behind(surface, look, frames, found, share, progress), jumps(surface, begun, found)
        drift = np.full(len(frames), np.nan)
        if anew:
            drift = drifts(first, matrix, surface, look, frames, found, share, progress)
            # what is found from there on is at least as far off as it was there
            found = [replace(f, matrix=f.matrix @ matrix, error=float(np.hypot(f.error, piece.depends["own"]))) for f in found]
        where = _seen_where(found) if self.surfaces else np.zeros(0, np.uint8)
        by = np.array(frame if anew else int(params.reference))  # the frame whose look it is found by
        kept = {**_table(found, frames), "lost_before": np.array(begun.lost)}
        return {**kept, "by": by, "where": where, "back": back, "jump": jump, "drift": drift, **_kept_way(way)}

    def found_on(
        self, inputs: Inputs, params: Any, surface: Surface, frames: list[int], way: Way, progress: Progress
    ) -> tuple[list[Laid], Way]:
        """The surface in `frames`, one after the other, and the way it was going at their end."""
        return follow(surface, lambda n: self.look(inputs, n), frames, way, int(params.reach), progress)

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        places = self.places(params)
        if len(places) == 0:
            why = "nothing to follow was set yet"
            return Product(motion=Motion(np.eye(3), np.zeros((1, 2)), known=False, why=why))
        seats = self.seats(params, inputs.pins())
        if frame in seats:
            return Product(
                motion=Motion(seats[frame], places, error=self._seat_error(inputs, params, frame)), work={"seat": True}
            )
        hidden = not params.sight
        piece = None if hidden else inputs.piece(frame)
        if piece is None:
            why = HIDDEN if hidden else NOT_SO_FAR
            return Product(motion=Motion(np.eye(3), places, known=False, why=why))
        i = int(np.flatnonzero(piece["frames"] == frame)[0])
        why = str(piece["why"][i])
        motion = Motion(piece["matrix"][i], places, known=not why, error=float(piece["error"][i]), why=why)
        if why:
            lost = np.asarray(piece["why"]) != ""
            goes_on = int(piece["lost_before"]) if lost[: i + 1].all() else 0  # it was lost already where this piece begins
            return Product(motion=motion, work={"gap": gap_about(lost, i) + goes_on})
        return Product(motion=motion, work={n: float(piece[n][i]) for n in ("alike", "seen", "back", "jump", "drift")})

    def _seat_error(self, inputs: Inputs, params: Any, frame: int) -> float:
        """At the reference it is where it is, and a reseat may know what it was told there; how well a hand has set it elsewhere nobody
        has measured."""
        if frame == int(params.reference):
            return 0.0
        pins = inputs.pins()
        return _error_told(reseats_of(pins, int(params.reference)).get(frame), pins, frame)

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        motion = product.motion
        assert motion is not None
        work = product.work or {}
        if not motion.known:
            return lost_readings(motion, work.get("gap"))
        if work.get("seat"):
            return seat_readings(motion.error, reference=frame == int(params.reference))
        return track_readings(motion, work, surface=self.surfaces)


def _error_told(reseat: Reseat | None, pins: Pins, frame: int) -> float:
    """px that its places were off at a reseat; nan where a hand has set them, or there is none."""
    by_hand = any(p.frame == frame for p in pins.get(SEAT, ()))
    return float("nan") if by_hand or reseat is None or reseat.error is None else reseat.error


def _told(number: Array) -> float | None:
    return float(number) if np.isfinite(number) else None


def _way(kept: Analysis) -> Way:
    """The way it was going at the end of a piece."""
    at, around = (int(v) for v in kept["at"])
    shutter, usual = _shutter(kept["shutter"]), _told(kept["usual"])
    return Way(kept["last"], kept["before"], int(kept["lost"]), shutter, usual, at if at >= 0 else None, around)


def _kept_way(way: Way) -> Analysis:
    numbers = [np.nan if way.shutter.share is None else way.shutter.share, *(way.shutter.bend or (np.nan, np.nan))]
    usual = np.array(np.nan if way.usual is None else way.usual)
    at = np.array([-1 if way.at is None else way.at, way.around])
    return {
        "last": way.last,
        "before": way.before,
        "lost": np.array(way.lost),
        "shutter": np.array(numbers),
        "usual": usual,
        "at": at,
    }


def _shutter(numbers: Array) -> Shutter:
    share, x, y = numbers
    return Shutter(_told(share), (float(x), float(y)) if np.isfinite(x) else None)


def _table(found: list[Laid], frames: list[int]) -> Analysis:
    return {
        "frames": np.array(frames),
        "matrix": np.array([f.matrix for f in found]),
        "alike": np.array([f.alike for f in found]),
        "seen": np.array([f.seen for f in found]),
        "error": np.array([f.error for f in found]),
        "why": np.array([f.why for f in found], dtype=np.str_),
    }


def _seen_where(found: list[Laid]) -> Array:
    """(n, cells, cells) how far each part agrees, in % ; NO_PART where nothing of it lies, or it is lost."""
    maps = [f.seen_where if f.seen_where is not None else np.full((CELLS, CELLS), np.nan) for f in found]
    return np.where(np.isfinite(maps), np.round(100 * np.nan_to_num(maps)), NO_PART).astype(np.uint8)


def needs(words: str) -> UserError:
    """What is said where nothing was set yet."""
    return UserError(f"Nothing to follow yet: {words}")
