"""Patch: covers a mark with the surface beside it, along a track, with the light brought over."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark, at_places, marks_of, xy
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.border import SEAM, UNLIKE, soft_edge
from transmixis.core.repair.patch import Patched, best_beside, patched
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Handle, Inputs, Pins, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.model import Step
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hold_at, hold_reading, hung_points, looked_at, set_back
from transmixis.shot.steps.attachment import hidden as not_seen
from transmixis.shot.steps.params import hidden, number

USED = 5.0  # % of the place that the source may show of itself, or of what lies outside of the frame
DRAW = "Press round what must go; the first point again closes it. Drag points, press a side for a new one."
SOURCE = "Drag the dashed outline to where the surface may be taken from."
TRIED = 3  # frames that offsets are tried on


class PatchParams(Attached):
    outline: tuple[Mark, ...] = hidden(())  # of what must go, px of the frame at which it was set
    right: float = number(
        24.0, -4000, 4000, "px", "From right", "How far to the right the source lies; below zero to the left.", step=0.25
    )
    down: float = number(0.0, -4000, 4000, "px", "From below", "How far below the source lies; below zero above.", step=0.25)
    feather: float = number(1.0, 0.0, 100.0, "px", "Feather", "How softly the patch ends.", step=0.1)


class Patch(StepKind[PatchParams]):
    kind, title, stage, product, version = "patch", "Patch", "Repair", "picture", 3
    gives = ("picture", "matte")
    says = "covers a mark with what lies beside it"
    work = "clean plate patch"
    slots = (
        Slot("plate", "the plate to mend", ground=True),
        HANGS_ON,
        Slot("gone", "a matte of what must go, beside what is drawn", takes="matte", optional=True, usual=()),
    )
    scales = True
    Params = PatchParams
    mends = True
    roles = ("mended",)
    keeps_pixels = True
    positions = ("outline",)
    tools = ("outline", "source")

    def handles(self, inputs: Inputs, params: PatchParams, frame: int) -> tuple[Handle, ...]:
        marks = marks_of(params.outline)
        points, matrix, note = hung_points(inputs, params, frame, xy(marks))
        there = at_places(marks, points)
        outline = Handle("outline", "outline", "What must go", DRAW, there, matrix, live=len(marks) >= 3, note=note)
        if len(marks) < 3:
            return (outline,)
        source = Handle(
            "source", "right", "Source", SOURCE, (params.right, params.down), matrix, note=note, facts={"outline": there}
        )
        return outline, source

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        if handle.tool == "source":
            return step.model_copy(update={"params": {**step.params, "right": float(value[0]), "down": float(value[1])}})
        points, change = set_back(step, handle, frame, xy(value), not step.params.get("outline"))
        change["outline"] = [list(m) for m in at_places(value, np.round(points, 2))]
        return step.model_copy(update={"params": {**step.params, **change}})

    def looks_at(self, slot: str, params: PatchParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return looked_at(params, frame, length)

    def compute(self, inputs: Inputs, params: PatchParams, frame: int) -> Product:
        plate = inputs.picture("plate", frame)
        nothing = np.zeros(plate.shape[:2], np.float32)
        if not _told(inputs, params):
            return Product(picture=plate, matte=nothing)
        hold = hold_at(inputs, params, frame)
        if not_seen(inputs, params, hold):
            return Product(picture=plate, matte=nothing, work=(hold, None))
        matte = self._matte(inputs, params, hold.matrix, frame)
        made = patched(plate, matte, _shift(params, hold.matrix), frame)
        return Product(picture=plate if made is None else made.picture, matte=matte, work=(hold, made))

    def _matte(self, inputs: Inputs, params: PatchParams, matrix: Array, frame: int) -> Array:
        h, w = inputs.shot.height, inputs.shot.width
        out = np.zeros((h, w), np.float32)
        if len(params.outline) >= 3:
            marks = marks_of(params.outline)
            there = at_places(marks, moved_points(matrix, xy(marks)))
            out = fill_shape(xy(there), h, w, params.feather)
        if inputs.has("gone"):
            out = np.maximum(out, soft_edge(inputs.matte("gone", frame), params.feather))
        return np.asarray(out, np.float32)

    def read(self, inputs: Inputs, params: PatchParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        assert product.matte is not None
        if product.work is None:
            return [Reading("seam", None, "levels", SEAM, note="nothing is drawn yet: draw round what must go")]
        hold, made = product.work
        out = hold_reading(inputs, hold)
        if made is None:
            return [*out, Reading("seam", None, "levels", SEAM, note="it is not to be seen here")]
        out.append(Reading("seam", made.seam, "levels", SEAM, spot=made.spot, note="the step that the patch adds at its border"))
        out.append(Reading("unlike", made.rough, "levels", UNLIKE, spot=made.spot, note="lines and texture that do not go on"))
        return [*out, _source_reading(made)]

    def propose(self, inputs: Inputs, params: PatchParams, progress: Progress) -> Proposal | None:
        if not _told(inputs, params):
            raise UserError("Nothing to cover yet: draw round what must go in the picture.")

        def looked(n: int) -> tuple[Array, Array, Array]:
            hold, plate = hold_at(inputs, params, n), inputs.picture("plate", n)[..., :3]
            return plate, self._matte(inputs, params, hold.matrix, n), hold.matrix

        seen = list(sampled(inputs.shot.length, TRIED, looked, progress, "trying sources").values())
        best = best_beside(seen, (params.right, params.down))
        if best is None or np.hypot(best.right - params.right, best.down - params.down) < 1:
            return None
        return Proposal(
            {"right": best.right, "down": best.down},
            f"Of {best.tried} places around it this one goes best with its surroundings on {len(seen)} frames.",
            (Effect("seam", best.now, best.then, "levels", SEAM),),
        )


def _told(inputs: Inputs, params: PatchParams) -> bool:
    """Whether anything says what must go."""
    return len(params.outline) >= 3 or inputs.has("gone")


def _shift(params: PatchParams, matrix: Array) -> Array:
    """Where the source of a px of the frame lies: beside it on the thing, as the thing lies in this frame."""
    beside = np.array([[1, 0, params.right], [0, 1, params.down], [0, 0, 1.0]])
    return np.asarray(matrix @ beside @ np.linalg.inv(matrix))


def _source_reading(made: Patched) -> Reading:
    used = 100 * max(made.overlap, made.outside)
    note = "shows the place itself; move it further away" if made.overlap >= made.outside else "lies outside of the frame"
    return Reading("source", used, "%", USED, note=note if used > 0 else "the source is free")
