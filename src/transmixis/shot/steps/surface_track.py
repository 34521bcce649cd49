"""Surface track: follows a flat surface with its perspective from its reference frame."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.matte.outline import Mark, marks_of, xy
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.surface import MODELS, Surface
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Slot
from transmixis.shot.steps.params import Params, choice, hidden, number
from transmixis.shot.steps.tracking import Track, needs

REGION = "Press round the flat surface; the first point again closes it. Another outline may be begun beside it."
LEAVE = "Press round what does not belong to the surface: glare, people, what lies deeper."


class SurfaceTrackParams(Params):
    region: tuple[tuple[Mark, ...], ...] = hidden(())  # outlines, px of the reference frame
    leave: tuple[tuple[Mark, ...], ...] = hidden(())  # outlines of what does not belong to it
    seat: tuple[tuple[float, float], ...] = hidden(())  # pins hold where its corners were set by hand
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

    def handles(self, inputs: Inputs, params: SurfaceTrackParams, frame: int) -> tuple[Handle, ...]:
        """At the reference frame region and what to leave out, at others its corners."""
        if len(self.places(params)) == 0 or frame == int(params.reference):
            region, leave = (tuple(marks_of(o) for o in v) for v in (params.region, params.leave))
            facts = {"trail": self.trail(inputs, frame)}
            return (
                Handle("outlines", "region", "Region", REGION, region, here=True, live=False, facts=facts),
                Handle("outlines", "leave", "Leave out", LEAVE, leave, here=True, live=False, facts={"dashed": True}),
            )
        return (self.seat_handle(inputs, params, frame, "corners", "Corners"),)

    def kept(self, value: Any) -> Any:
        return [[[i, round(x, 2), round(y, 2)] for i, x, y in outline] for outline in value]

    def places(self, params: SurfaceTrackParams) -> Array:
        """The corners of the upright box about the region: four, whatever was drawn."""
        outlines = [xy(marks_of(o)) for o in params.region if len(o) >= 3]
        if not outlines:
            return np.zeros((0, 2))
        every = np.vstack(outlines)
        (x0, y0), (x1, y1) = every.min(axis=0), every.max(axis=0)
        return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]])

    def surface_of(self, inputs: Inputs, params: SurfaceTrackParams) -> Surface:
        corners = self.places(params)
        if len(corners) == 0:
            raise needs("draw round the surface in the picture.")
        reference = int(params.reference)
        picture = inputs.picture("plate", reference)
        h, w = picture.shape[:2]
        mask = np.zeros((h, w), np.float32)
        for outline in params.region:
            mask = np.maximum(mask, fill_shape(xy(outline), h, w))
        for outline in params.leave:
            mask = np.minimum(mask, 1 - fill_shape(xy(outline), h, w))
        if inputs.has("leave"):
            mask = np.minimum(mask, 1 - inputs.matte("leave", reference))
        return Surface(picture, corners, mask, params.model)
