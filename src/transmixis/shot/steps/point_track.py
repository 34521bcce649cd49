"""Point track: follows one place of a thing from its reference frame."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.follow import Way, follow, found_in
from transmixis.core.motion.holds import GOOD, held_near, holds, neighbours
from transmixis.core.motion.level import Laid
from transmixis.core.motion.mark import Mark, follow_mark
from transmixis.core.motion.motion import Motion, grown, moved_points, turned
from transmixis.core.motion.point import about_point, proposed_half
from transmixis.core.motion.surface import Surface
from transmixis.core.motion.views import pattern_views
from transmixis.core.progress import Progress
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Handle, Inputs, Proposal, Slot
from transmixis.shot.steps.following import needs
from transmixis.shot.steps.instead import surface_about
from transmixis.shot.steps.params import Params, choice, hidden, number
from transmixis.shot.steps.reseats import Reseat, reseats_of
from transmixis.shot.steps.slips import WayOut, reseated_here, set_otherwise
from transmixis.shot.steps.tracking import Track
from transmixis.shot.steps.trackreadings import ERROR

PRESS = (
    "Press the thing that is to be followed, or drag the point to it. Veiled: nothing holds there. Ticks: places that hold best."
)
CARRIES = "Drag it to another place of the same thing: from this frame on that carries the point, its offset kept."
ONLY, TURN = "position", "position, turn and size"
PATTERN, COLOUR = "its pattern", "its colour"
MODELS = {ONLY: "position", TURN: "similarity"}
SPREAD = 16  # frames all over the shot on which other settings must find it too
TRIED = 3  # frames to either side of the reference that a pattern is proposed by
CLEARLY = 0.02  # of likeness: more than grain makes
HALVES = (5, 60)  # px, half the side of patterns that are tried
AROUND = 5.0  # halves of the pattern within which a neighbour is looked for: further off another thing is more likely
NEIGHBOURS = 3  # that are tried
SAME = 8  # frames before in which a neighbour must have moved as the point did
FINE = 0.02  # px of error that is not worth bettering
BETTER = 0.6  # of the foretold error: a place that is worth going to
STEADY = 0.5  # px by which its offset may change meanwhile


class PointTrackParams(Params):
    point: tuple[tuple[float, float], ...] = hidden(())  # px of the reference frame; none: not set yet
    seat: tuple[tuple[float, float], ...] = hidden(())  # pins hold where it was set by hand
    reseat: Any = hidden(None)  # pins hold where it goes on with another pattern (see reseats.Reseat)
    sight: bool = hidden(True)  # pins say from where on it is hidden, or in sight again
    reference: float = number(
        1, 1, 1_000_000, "frame", "Reference", "The frame whose pattern is looked for in all others.", step=1
    )
    half: float = number(
        12, 4, 200, "px", "Pattern", "Half the side of the square that is looked for. Keep what lies behind out.", step=1
    )
    reach: float = number(24, 2, 400, "px", "Reach", "How far from where it was expected it is looked for.", step=1)
    follows: str = choice(ONLY, (ONLY, TURN), "Follows", "Turn and size too, where the thing turns or comes nearer.")
    by: str = choice(
        PATTERN,
        (PATTERN, COLOUR),
        "Told by",
        "By its colour: a dab of paint or a bright mark of a few pixels, which has no pattern.",
    )
    first: float = number(1, 1, 1_000_000, "frame", "From", "The first frame on which it is to be seen.", step=1)
    last: float = number(0, 0, 1_000_000, "frame", "To", "The last frame on which it is to be seen. 0: the shot's last.", step=1)


class PointTrack(Track[PointTrackParams]):
    kind, title = "point_track", "Point track"
    says = "follows one place of a thing"
    work = "track"
    slots = (Slot("plate", "the plate it is seen on"),)
    Params = PointTrackParams
    tools = ("point",)

    sets = "point"

    def handles(self, inputs: Inputs, params: PointTrackParams, frame: int) -> tuple[Handle, ...]:
        places, reference = self.places(params), int(params.reference)
        if len(places) == 0 or frame == reference:
            facts = {"half": params.half, "reach": params.reach, "matrix": np.eye(3), "trail": self.trail(inputs, frame)}
            facts |= seen_if_read(lambda: self._held_where(inputs, params, frame))
            return (Handle("point", "point", "Point", PRESS, params.point, here=True, live=False, facts=facts),)
        there = reseats_of(inputs.pins(), int(params.reference)).get(frame)
        own = there.looks[0][:1] if there and there.looks else None
        pattern = self.look_handle(
            inputs,
            params,
            frame,
            "point",
            "Pattern",
            lambda m: own or tuple(map(tuple, moved_points(m, places).tolist())),
            CARRIES,
        )
        seat = self.seat_handle(inputs, params, frame, "point", "Point")
        close = seen_if_read(lambda: self._closely(inputs, params, frame))
        return (replace(seat, facts={**seat.facts, **close}), *pattern)

    def _held_where(self, inputs: Inputs, params: PointTrackParams, frame: int) -> dict[str, Any]:
        """At the reference frame: how surely what was pressed holds, and what near it holds better; the whole map before anything is."""
        if not inputs.has("plate"):
            return {}
        picture, places, half = inputs.picture("plate", frame), self.places(params), int(params.half)
        if len(places) == 0:
            return {"holds": holds(picture, half)}
        views = pattern_views(picture, places[0], half)
        near, own = held_near(picture, places[0], half, AROUND * half)
        better = near.best[near.best[:, 2] < BETTER * own] if own > GOOD else near.best[:0]
        return {
            "views": views, "reference": frame, "frame": frame, "half": half, "foretold": own,
            "better": neighbours(better, places[0], AROUND * half, half / 2)[:NEIGHBOURS],
        }  # fmt: skip

    def _closely(self, inputs: Inputs, params: PointTrackParams, frame: int) -> dict[str, Any]:
        """The pattern as it is looked for, as it is found, and what is left; its readings in a word."""
        motion = inputs.motion_if_there(frame)
        piece = inputs.piece(frame, make=False)
        start = int(params.reference) if piece is None else int(piece["by"])
        own = inputs.motion_if_there(start)
        if motion is None or own is None or not own.known:
            return {}
        reseat = reseats_of(inputs.pins(), int(params.reference)).get(start)
        at = (
            moved_points(own.matrix, self.places(params))[0]
            if reseat is None or not reseat.looks
            else np.array(reseat.looks[0][0])
        )
        here = motion.matrix @ np.linalg.inv(own.matrix) if motion.known else None
        picture = inputs.picture("plate", frame) if motion.known else None
        told = {} if here is None else {"turned": turned(here, at[None]), "grown": grown(here, at[None])}
        views = pattern_views(inputs.picture("plate", start), at, int(params.half), picture, here)
        return {"views": views, "reference": start, "frame": frame, "error": motion.error if motion.known else np.nan, **told}

    def looks(self, value: Any) -> Any:
        return (tuple(value),)

    def places(self, params: PointTrackParams) -> Array:
        return np.asarray(params.point, np.float64).reshape(-1, 2)[:1]

    def surface_of(self, inputs: Inputs, params: PointTrackParams, told: Array | None = None) -> Surface:
        places = self.places(params)
        if len(places) == 0:
            raise needs("press the thing in the picture.")
        picture = inputs.picture("plate", int(params.reference))
        if params.by == COLOUR:
            return marked(picture, places[0]).surface(picture)
        return about_point(picture, places[0], int(params.half), MODELS[params.follows], told)

    def freer(self, params: PointTrackParams) -> PointTrackParams | None:
        return params.model_copy(update={"follows": TURN}) if params.follows == ONLY and params.by == PATTERN else None

    def found_on(
        self, inputs: Inputs, params: PointTrackParams, surface: Surface, frames: list[int], way: Way, progress: Progress
    ) -> tuple[list[Laid], Way]:
        if params.by == PATTERN:
            return super().found_on(inputs, params, surface, frames, way, progress)
        at = self.places(params)[0]
        mark = marked(inputs.picture("plate", int(params.reference)), at)
        found = follow_mark(mark, surface, lambda n: self.look(inputs, n), at, frames, params.reach, progress, way)
        for laid in found:
            way = way.on(laid)
        return found, way

    def reseated(self, params: PointTrackParams, reseat: Reseat, matrix: Array, frame: int) -> PointTrackParams:
        middle = reseat.looks[0][0] if reseat.looks else tuple(moved_points(matrix, self.places(params))[0].tolist())
        return params.model_copy(update={"reference": frame, "point": (middle,)})

    def tries(
        self, inputs: Inputs, params: PointTrackParams, frame: int, sign: int, motion: Motion, progress: Progress
    ) -> list[WayOut]:
        """Its look there, a neighbour on the same thing, a pattern of another size or that may turn."""
        places, half = self.places(params), int(params.half)
        angle, size = turned(motion.matrix, places), grown(motion.matrix, places)
        changed = f" (turned {abs(angle):.0f}°, {size:.2f} times as large)" if abs(angle) > 1 or abs(size - 1) > 0.02 else ""
        words = f"By frame {frame} it looks otherwise than in its reference{changed}; with its look there it is found on."
        out = [reseated_here(self, inputs, params, frame, motion, (), words)]
        if params.by == COLOUR:  # a mark has neither a size nor neighbours like it
            return [o for o in out if o is not None]
        if params.follows == ONLY:
            words = "It turns or grows, which a pattern that only shifts cannot follow."
            out.append(set_otherwise(self, inputs, params, frame, motion, {"follows": TURN}, words))
        for factor, words in ((1.6, "A larger pattern holds on to more of the thing."), (0.6, "A smaller pattern leaves out what covers it or moves otherwise.")):  # fmt: skip
            other = int(np.clip(round(half * factor), *HALVES))
            if other != half:
                out.append(set_otherwise(self, inputs, params, frame, motion, {"half": float(other)}, words))
        for x, y in neighbours_of_its_own(self, inputs, params, frame, sign, motion, progress):
            away = (x - float(moved_points(motion.matrix, places)[0, 0]), y - float(moved_points(motion.matrix, places)[0, 1]))
            words = f"A place {np.hypot(*away):.0f} px beside it moves as it does and can be followed on; from frame {frame} it carries the point with its offset kept."
            out.append(reseated_here(self, inputs, params, frame, motion, (((x, y),),), words))
        return [o for o in out if o is not None]

    def instead(
        self, inputs: Inputs, params: PointTrackParams, frame: int, sign: int, motion: Motion, progress: Progress
    ) -> list[WayOut]:
        return surface_about(self, inputs, params, frame, sign, motion, progress)

    def at_first(self, inputs: Inputs, params: PointTrackParams, progress: Progress) -> Proposal | None:
        """The largest pattern that still moves as the thing itself does, by the frames beside the reference."""
        places = self.places(params)
        if params.by == COLOUR:  # a mark has no size to choose
            return None
        n = inputs.shot.length
        reference = min(int(params.reference), n)

        def look(i: int) -> Array:
            progress.at(0, 0, "trying patterns of several sizes")
            return inputs.picture("plate", i + 1)

        near = [k for k in range(reference - TRIED, reference + TRIED + 1) if 1 <= k <= n and k != reference]
        turns = self._turns(inputs, params, near)
        half = proposed_half(look, places[0], reference - 1, n)
        wanted = params.model_copy(update={"half": half, "follows": TURN if turns else params.follows})
        values = {k: getattr(wanted, k) for k in ("half", "follows") if getattr(wanted, k) != getattr(params, k)}
        if not values or not near:
            return None
        now, then = (self._found(inputs, p, near) for p in (params, wanted))
        if then is None or (now is not None and (then[0] >= now[0] or now[0] < FINE) and not turns):
            return None
        if not self._holds_all_over(inputs, wanted):
            return None
        reasons = ["It turns or grows beside the reference, which a pattern that only shifts cannot follow."] if turns else []
        if "half" in values:
            how = "more surely" if half > params.half else "best; larger ones hold what lies behind it"
            reasons.append(f"Patterns of {2 * half + 1} px still move as the thing does and tell its place {how}.")
        effects = (Effect("error", now[0], then[0], "px", ERROR),) if now is not None else ()
        return Proposal(values, " ".join(reasons), effects, gains=f"Measured on {len(near)} frames beside the reference.")

    def _holds_all_over(self, inputs: Inputs, wanted: PointTrackParams) -> bool:
        """Whether other settings find it in frames all over the shot too, where it has been followed and is known."""
        told = {n: m for n, m in enumerate(self.motions(inputs), 1) if m is not None and m.known and n != int(wanted.reference)}
        frames = list(told)
        some = [frames[i] for i in np.unique(np.linspace(0, len(frames) - 1, min(len(frames), SPREAD)).round().astype(int))]
        if not some:
            return True
        surface, at = self.surface_of(inputs, wanted), self.places(wanted)
        for n in some:
            m = told[n].matrix
            found = found_in(surface, inputs.picture("plate", n), Way(m, m), int(wanted.reach))
            if found.lost or np.hypot(*(moved_points(found.matrix, at)[0] - moved_points(m, at)[0])) > STEADY:
                return False
        return True

    def _turns(self, inputs: Inputs, params: PointTrackParams, frames: list[int]) -> bool:
        """Whether a pattern that may turn and grow is clearly more like the thing."""
        if params.follows == TURN:
            return False
        one, two = (self._found(inputs, params.model_copy(update={"follows": f}), frames) for f in (ONLY, TURN))
        return two is not None and (one is None or two[1] > one[1] + CLEARLY)

    def _found(self, inputs: Inputs, params: PointTrackParams, frames: list[int]) -> tuple[float, float] | None:
        """Error px that the fit tells and likeness, medians over frames; None where it is not found in all of them, or shows too little."""
        try:
            surface = self.surface_of(inputs, params)
        except UserError:
            return None
        found = [found_in(surface, inputs.picture("plate", n), Way(np.eye(3), np.eye(3)), int(params.reach)) for n in frames]
        told = [f for f in found if not f.lost and np.isfinite(f.error)]
        if len(told) < max(len(frames), 1):
            return None
        return float(np.median([f.error for f in told])), float(np.median([f.alike for f in told]))


def seen_if_read(look: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """What is drawn beside a tool, or nothing where a frame cannot be read: it can be taken hold of all the same."""
    try:
        return look()
    except UserError:
        return {}


def marked(picture: Array, at: Array) -> Mark:
    """The painted mark at a place (2,), by the colour that it has there. Raises UserError where none stands out."""
    h, w = picture.shape[:2]
    x, y = (int(np.clip(v, 1, n - 2)) for v, n in zip(at, (w, h), strict=True))
    return Mark(picture, at, np.median(picture[y - 1 : y + 2, x - 1 : x + 2, :3].reshape(-1, 3), axis=0))


def neighbours_of_its_own(
    kind: PointTrack, inputs: Inputs, params: PointTrackParams, frame: int, sign: int, motion: Motion, progress: Progress
) -> list[tuple[float, float]]:
    """Places (x, y) px beside the point at a frame that hold well, and that moved as it did in the frames before: they are of the same
    thing."""
    picture = inputs.picture("plate", frame)
    at, half = moved_points(motion.matrix, kind.places(params))[0], int(params.half)
    before = [n for n in (frame - sign * k for k in range(1, SAME + 1)) if 1 <= n <= inputs.shot.length]
    told = [kind.told(inputs, params, n).motion for n in before]
    back = np.linalg.inv(motion.matrix)
    out: list[tuple[float, float]] = []
    for x, y, _ in neighbours(held_near(picture, at, half, AROUND * half)[0].best, at, AROUND * half, half):
        if len(out) == NEIGHBOURS:
            break
        progress.at(0, 0, "looking for a neighbour of the same thing")
        place = np.array([x, y])
        try:
            pattern = about_point(picture, place, half, MODELS[params.follows])
        except UserError:
            continue
        found, _ = follow(pattern, lambda n: inputs.picture("plate", n), before, Way(np.eye(3), np.eye(3)), int(params.reach))
        off = [
            float(np.hypot(*(moved_points(f.matrix, place)[0] - moved_points(m.matrix @ back, place)[0])))
            for f, m in zip(found, told, strict=True)
            if m is not None and m.known and not f.lost
        ]
        if len(off) >= min(len(before), 2) and max(off, default=0.0) < STEADY:
            out.append((float(x), float(y)))
    return out
