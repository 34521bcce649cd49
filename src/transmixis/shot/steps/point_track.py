"""Point track: follows one place of a thing from its reference frame."""

from __future__ import annotations

import numpy as np

from transmixis.core.motion.point import about_point
from transmixis.core.motion.surface import Surface
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Slot
from transmixis.shot.steps.params import Params, choice, hidden, number
from transmixis.shot.steps.tracking import Track, needs

PRESS = "Press the thing that is to be followed, or drag the point to it."
ONLY, TURN = "position", "position, turn and size"
MODELS = {ONLY: "position", TURN: "similarity"}


class PointTrackParams(Params):
    point: tuple[tuple[float, float], ...] = hidden(())  # px of the reference frame; none: not set yet
    seat: tuple[tuple[float, float], ...] = hidden(())  # pins hold where it was set by hand
    reference: float = number(
        1, 1, 1_000_000, "frame", "Reference", "The frame whose pattern is looked for in all others.", step=1
    )
    half: float = number(
        12, 4, 200, "px", "Pattern", "Half the side of the square that is looked for. Keep what lies behind out.", step=1
    )
    reach: float = number(24, 2, 400, "px", "Reach", "How far from where it was expected it is looked for.", step=1)
    follows: str = choice(ONLY, (ONLY, TURN), "Follows", "Turn and size too, where the thing turns or comes nearer.")
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
        if len(self.places(params)) == 0 or frame == int(params.reference):
            facts = {"half": params.half, "reach": params.reach, "matrix": np.eye(3), "trail": self.trail(inputs, frame)}
            return (Handle("point", "point", "Point", PRESS, params.point, here=True, live=False, facts=facts),)
        return (self.seat_handle(inputs, params, frame, "point", "Point"),)

    def places(self, params: PointTrackParams) -> Array:
        return np.asarray(params.point, np.float64).reshape(-1, 2)[:1]

    def surface_of(self, inputs: Inputs, params: PointTrackParams) -> Surface:
        places = self.places(params)
        if len(places) == 0:
            raise needs("press the thing in the picture.")
        picture = inputs.picture("plate", int(params.reference))
        return about_point(picture, places[0], int(params.half), MODELS[params.follows])
