"""Surface track: follows a flat surface with its perspective from its reference frame."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from transmixis.core.matte.outline import Mark, marks_of, xy
from transmixis.core.motion.motion import Motion
from transmixis.core.motion.straight import slid, straightened
from transmixis.core.motion.surface import MODELS, Surface, surface_in, upright
from transmixis.core.plot import Plot, Stills
from transmixis.core.progress import Progress
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Slot
from transmixis.shot.steps.following import needs
from transmixis.shot.steps.params import Params, choice, hidden, number
from transmixis.shot.steps.reseats import Reseat, carried, reseats_of
from transmixis.shot.steps.slips import WayOut, reseated_here, set_otherwise
from transmixis.shot.steps.tracking import Track, followed
from transmixis.shot.steps.trackreadings import ERROR

FREER = {"position": "similarity", "similarity": "perspective", "affine": "perspective"}  # what tells whether it changes more
STILLS, STILL = 4, 160  # how many are shown, and px that each is wide
STANDS = "The surface straightened by its track: it must stand still on the two lines. Below each frame how far it lies off the reference, by phase correlation."
REGION = "Press round the flat surface; the first point again closes it. Another outline may be begun beside it."
CARRIES = "Draw it over another part of the same surface: from this frame on that is followed, and its motion carries the rest."
LEAVE = "Press round what does not belong to the surface: glare, people, what lies deeper."


class SurfaceTrackParams(Params):
    region: tuple[tuple[Mark, ...], ...] = hidden(())  # outlines, px of the reference frame
    leave: tuple[tuple[Mark, ...], ...] = hidden(())  # outlines of what does not belong to it
    seat: tuple[tuple[float, float], ...] = hidden(())  # pins hold where its corners were set by hand
    reseat: Any = hidden(None)  # pins hold where it goes on by another part of it, or by its look there (see reseats.Reseat)
    sight: bool = hidden(True)  # pins say from where on it is hidden, or in sight again
    reference: float = number(1, 1, 1_000_000, "frame", "Reference", "The frame that all others are compared with.", step=1)
    model: str = choice("perspective", tuple(MODELS), "Follows", "How much the surface may change. Small ones bear less.")
    reach: float = number(30, 2, 400, "px", "Reach", "How far from where it was expected it is looked for.", step=1)
    first: float = number(1, 1, 1_000_000, "frame", "From", "The first frame on which it is to be seen.", step=1)
    last: float = number(0, 0, 1_000_000, "frame", "To", "The last frame on which it is to be seen. 0: the shot's last.", step=1)


class SurfaceTrack(Track[SurfaceTrackParams]):
    kind, title = "surface_track", "Surface track"
    says = "follows a flat surface with its perspective"
    work = "track"
    slots = (
        Slot("plate", "the plate it is seen on"),
        Slot("leave", "a matte of what passes in front", takes="matte", optional=True, usual=()),
    )
    Params = SurfaceTrackParams
    tools = ("outlines", "corners")

    sets = "region"
    surfaces, tried_on = True, 12

    def handles(self, inputs: Inputs, params: SurfaceTrackParams, frame: int) -> tuple[Handle, ...]:
        """At the reference frame region and what to leave out, at others its corners."""
        if len(self.places(params)) == 0 or frame == int(params.reference):
            region, leave = (tuple(marks_of(o) for o in v) for v in (params.region, params.leave))
            facts = {"trail": self.trail(inputs, frame)}
            return (
                Handle("outlines", "region", "Region", REGION, region, here=True, live=False, facts=facts),
                Handle("outlines", "leave", "Leave out", LEAVE, leave, here=True, live=False, facts={"dashed": True}),
            )
        there = reseats_of(inputs.pins(), int(params.reference)).get(frame)

        def region_at(matrix: Array) -> Any:
            return tuple(marks_of(o) for o in there.looks) if there and there.looks else carried(params.region, matrix)

        on = self.look_handle(inputs, params, frame, "outlines", "Region", region_at, CARRIES)
        seat = self.seat_handle(inputs, params, frame, "corners", "Corners")
        return (replace(seat, facts={**seat.facts, **self._seen(inputs, params, frame)}), *on)

    def _seen(self, inputs: Inputs, params: SurfaceTrackParams, frame: int) -> dict[str, Any]:
        """Which parts of it do not agree with the reference here: hold-outs that were found by themselves."""
        piece = inputs.piece(frame, make=False)
        at = None if piece is None else np.flatnonzero(piece["frames"] == frame)
        if piece is None or at is None or not len(at) or piece["why"][at[0]]:
            return {}
        own = int(piece["by"]) == int(params.reference)  # of a region that was moved on the parts are others
        return {"where": piece["where"][at[0]]} if own else {}

    def plot(self, inputs: Inputs, params: Any, frame: int) -> Plot:
        """The surface straightened by its track on a few frames: it must stand still."""
        motions = self.motions(inputs)
        return Plot("Straightened by its track", STANDS, (self._stills(inputs, params, motions),), followed(motions))

    def _stills(self, inputs: Inputs, params: SurfaceTrackParams, motions: list[Motion | None]) -> Stills:
        words, corners = "must stand still", self.places(params)
        known = [(n, m) for n, m in enumerate(motions, 1) if m is not None and m.known]
        if not len(corners) or not known:
            return Stills(words, why="not followed yet")
        reference = int(params.reference)
        shown = [known[i] for i in np.unique(np.linspace(0, len(known) - 1, min(len(known), STILLS)).round().astype(int))]
        base, scale = straightened(inputs.picture("plate", reference), np.eye(3), corners, STILL)
        pictures, below, bad = [], [], []
        for n, motion in shown:
            picture, _ = straightened(inputs.picture("plate", n), motion.matrix, corners, STILL)
            off = slid(base, picture)
            pictures.append(picture)
            below.append(f"{n}" if off is None else f"{n}: {off / scale:.2f} px")
            bad.append(off is not None and off / scale > ERROR)
        return Stills(words, tuple(pictures), tuple(below), tuple(bad))

    def kept(self, value: Any) -> Any:
        return [[[i, round(x, 2), round(y, 2)] for i, x, y in outline] for outline in value]

    def places(self, params: SurfaceTrackParams) -> Array:
        """The corners of the upright box about the region: four, whatever was drawn."""
        outlines = [xy(marks_of(o)) for o in params.region if len(o) >= 3]
        if not outlines:
            return np.zeros((0, 2))
        return upright(outlines)

    def tries(
        self, inputs: Inputs, params: SurfaceTrackParams, frame: int, sign: int, motion: Motion, progress: Progress
    ) -> list[WayOut]:
        words = f"By frame {frame} it looks otherwise than in its reference; with its look there it is found on."
        out = [reseated_here(self, inputs, params, frame, motion, (), words)]
        for model in MODELS:
            if model not in (params.model, "position"):
                less = list(MODELS).index(model) < list(MODELS).index(params.model)
                why = "What little is seen bears no more." if less else "It changes in more ways than that."
                out.append(set_otherwise(self, inputs, params, frame, motion, {"model": model}, f"Follow {model}. {why}"))
        return [o for o in out if o is not None]

    def freer(self, params: SurfaceTrackParams) -> SurfaceTrackParams | None:
        if params.model not in FREER:
            return None
        return params.model_copy(update={"model": FREER[params.model]})

    def reseated(self, params: SurfaceTrackParams, reseat: Reseat, matrix: Array, frame: int) -> SurfaceTrackParams:
        region = tuple(marks_of(o) for o in reseat.looks) if reseat.looks else carried(params.region, matrix)
        return params.model_copy(update={"reference": frame, "region": region, "leave": carried(params.leave, matrix)})

    def surface_of(self, inputs: Inputs, params: SurfaceTrackParams, told: Array | None = None) -> Surface:
        if len(self.places(params)) == 0:
            raise needs("draw round the surface in the picture.")
        reference = int(params.reference)
        outlines, leave = ([xy(marks_of(o)) for o in outlines if len(o) >= 3] for outlines in (params.region, params.leave))
        picture = self.look(inputs, reference)
        there = picture[..., 3] if picture.shape[2] == 4 else None
        return surface_in(picture[..., :3], outlines, leave, params.model, there, told)

    def look(self, inputs: Inputs, frame: int) -> Array:
        """What the matte holds out is no picture."""
        picture = inputs.picture("plate", frame)[..., :3]
        return np.dstack([picture, 1 - inputs.matte("leave", frame)]) if inputs.has("leave") else picture
