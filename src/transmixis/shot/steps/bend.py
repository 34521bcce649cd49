"""Bend: a picture pulled along a line or by a grid, leaning with the speed of what it hangs on, or wrapped on a cylinder."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from transmixis.core.build.over import with_alpha
from transmixis.core.build.warp import along_line, bent, folds, framed, on_cylinder, thin_plate, warped
from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Act, Handle, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hold_at, hold_reading, hung_points
from transmixis.shot.steps.params import choice, hidden, number
from transmixis.shot.steps.place import RESOLUTION_LIMIT

PULL, GRID, LEAN, CYLINDER = "pulled along a line", "pulled by a grid", "leans with speed", "on a cylinder"
FOLD = 0.15  # of its usual area: tighter and a warp shows as a crease; under nothing it folds (judgement, docs/limits.md)
MESH = "Pull the places of the grid; with Shift all of it."
SEVERAL = 9  # places along a line
BACK = 2  # frames that a flame's lean looks back (common practice)
MOST_LEAN = 1.0  # of its height: farther and it lies


class BendParams(Attached):
    source: tuple[tuple[float, float], ...] = hidden(())
    target: tuple[tuple[float, float], ...] = hidden(())
    corners: tuple[tuple[float, float], ...] = hidden(())
    grid: tuple[tuple[float, float], ...] = hidden(())  # as it was drawn: top left, bottom right
    pulled: tuple[tuple[float, float], ...] = hidden(())  # its places, row by row, as they were pulled
    how: str = choice(
        PULL,
        (PULL, GRID, LEAN, CYLINDER),
        "Bent",
        "Pulled along a line or by the places of a grid, leaning back as a flame does, or wrapped on something round.",
    )
    fields: float = number(
        4,
        1,
        12,
        "",
        "Fields",
        "Of a grid to each side, when it is drawn next; more bend more finely.",
        step=1,
        when=("how", (GRID,)),
    )
    lean: float = number(
        2.0,
        -20,
        20,
        "×",
        "Leans by",
        "Times as far as its base has gone in two frames; flames about 2.",
        step=0.1,
        when=("how", (LEAN,)),
    )
    bulge: float = number(
        0.1,
        -1,
        1,
        "%",
        "Edges bow",
        "Of its height, downwards in the middle; below zero upwards.",
        percent=True,
        when=("how", (CYLINDER,)),
    )
    half: float = number(70.0, 5, 89, "°", "Seen round to", "Of the cylinder, to either side.", step=1, when=("how", (CYLINDER,)))
    share: float = number(1.0, -2, 2, "%", "Strength", "How much of it is done; with pins it moves.", percent=True)


class Bend(StepKind[BendParams]):
    kind, title, stage, product = "bend", "Bend", "Build", "picture"
    says = "bends a picture"
    gives = ("picture", "matte")
    roles = ("front",)
    slots = (Slot("picture", "what is bent", usual=("plate:element", "step:subject", "plate:any")), HANGS_ON)
    Params = BendParams
    tools = ("line", "corners", "mesh")
    positions = ("source", "target", "corners", "grid", "pulled")

    acts = (Act("anew", "Draw anew", "Takes away what was drawn for this way of bending, so that it can be drawn anew."),)

    def act(self, name: str, inputs: Inputs, step: Step, params: BendParams, frame: int) -> Step:
        drawn = {PULL: ("source", "target"), GRID: ("grid", "pulled"), LEAN: ("source",), CYLINDER: ("corners",)}[params.how]
        return step.model_copy(update={"params": {k: v for k, v in step.params.items() if k not in drawn}})

    def looks_at(self, slot: str, params: BendParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        if params.calm > 0 or params.lost != "hide it":
            return None
        return tuple(sorted({min(int(params.at), length), *range(max(1, frame - BACK), frame + 1)}))

    def handles(self, inputs: Inputs, params: BendParams, frame: int) -> tuple[Handle, ...]:
        if params.how == CYLINDER:
            points, matrix, note = hung_points(inputs, params, frame, np.asarray(params.corners, float).reshape(-1, 2))
            return (
                Handle(
                    "corners",
                    "corners",
                    "Corners",
                    "Drag from corner to corner, then drag each to where it lies.",
                    _places(points),
                    matrix,
                    note=note,
                ),
            )
        if params.how == GRID:
            hint = (
                "Drag from corner to corner over what is bent; then pull the places of the grid." if not params.pulled else MESH
            )
            return (Handle("mesh", "pulled", "Grid", hint, params.pulled, facts={"fields": params.fields}),)
        if params.how == LEAN:
            return (
                Handle("line", "source", "Base and tip", "Drag from the base that stands to the tip that leans.", params.source),
            )
        return (
            Handle("line", "source", "Along", "Draw a line along what is bent; a press on it adds a place.", params.source),
            Handle("line", "target", "To", "Draw the line that it is to lie on, from the same end.", params.target),
        )

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        points = np.asarray(value, float).reshape(-1, 2)
        change: dict[str, Any] = {}
        if handle.param == "corners":
            if step.params.get("corners"):
                points = moved_points(np.linalg.inv(handle.matrix), points)
            else:
                change["at"] = frame
        if handle.param == "pulled" and len(step.params.get("pulled", ())) != len(points):
            change["grid"] = np.round(points[[0, -1]], 2).tolist()  # drawn just now: from here it is pulled
        return step.model_copy(update={"params": {**step.params, **change, handle.param: np.round(points, 2).tolist()}})

    def compute(self, inputs: Inputs, params: BendParams, frame: int) -> Product:
        picture = with_alpha(inputs.picture("picture", frame))
        if params.how == CYLINDER:
            return self._round(inputs, params, picture, frame)
        at, lean, why = self._lookup(inputs, params, picture, frame)
        if at is None:
            return Product(picture=picture, matte=np.ascontiguousarray(picture[..., 3]), work=(None, 0.0, why))
        made = warped(picture, at)
        return Product(picture=made, matte=np.ascontiguousarray(made[..., 3]), work=(at, lean, ""))

    def _lookup(self, inputs: Inputs, params: BendParams, picture: Array, frame: int) -> tuple[Array | None, float, str]:
        size = (picture.shape[0], picture.shape[1])
        if params.how == PULL:
            if len(params.source) < 2 or len(params.target) < 2:
                return None, 0.0, "draw the line along it, and the line that it is to lie on"
            a, b = (along_line(np.asarray(p), SEVERAL) for p in (params.source, params.target))
            return thin_plate(*framed(a, a + params.share * (b - a), size), size), 0.0, ""
        if params.how == GRID:
            if len(params.grid) != 2 or len(params.pulled) < 4:
                return None, 0.0, "drag a grid over what is bent, and pull its places"
            b = np.asarray(params.pulled, float)
            a = regular(params.grid, len(b))
            return thin_plate(*framed(a, a + params.share * (b - a), size), size), 0.0, ""
        if len(params.source) < 2:
            return None, 0.0, "drag from its base to its tip"
        if not inputs.has("motion"):
            return None, 0.0, "connect the motion that it leans with"
        by = self._lean(inputs, params, frame)
        if by is None:
            return None, 0.0, "its motion is not known here"
        base, tip = params.source[0], params.source[-1]
        tall = max(float(np.hypot(tip[0] - base[0], tip[1] - base[1])), 1.0)
        return bent(size, base, tip, (float(by[0]), float(by[1]))), float(np.hypot(*by)) / tall, ""

    def _lean(self, inputs: Inputs, params: BendParams, frame: int) -> Array | None:
        """(2,) px that its tip lags behind: so many times what it has gone in two frames."""
        before = max(1, frame - BACK)
        now, then = hold_at(inputs, params, frame), hold_at(inputs, params, before)
        if not (now.known and then.known):
            return None
        at = np.array([params.source[0]])
        gone = (moved_points(now.matrix, at) - moved_points(then.matrix, at))[0]
        return np.asarray(-params.lean * params.share * gone * BACK / max(frame - before, 1))

    def _round(self, inputs: Inputs, params: BendParams, picture: Array, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        hold = hold_at(inputs, params, frame)
        if len(params.corners) != 4 or not hold.known:
            why = "set its four corners" if len(params.corners) != 4 else f"its motion is not known here: {hold.why}"
            return Product(picture=np.zeros((*size, 4), np.float32), matte=np.zeros(size, np.float32), work=(None, 0.0, why))
        try:
            uv = on_cylinder(size, moved_points(hold.matrix, np.asarray(params.corners)), params.bulge, params.half)
        except UserError as e:
            raise UserError(f"The corners of '{inputs.shot.step(inputs.step_id).name}' lie on one line; set them apart.") from e
        h, w = picture.shape[:2]
        made = warped(picture, uv * [w, h])
        return Product(picture=made, matte=np.ascontiguousarray(made[..., 3]), work=(uv, 0.0, ""))

    def read(self, inputs: Inputs, params: BendParams, product: Product, frame: int) -> list[Reading]:
        at, lean, why = product.work
        out = hold_reading(inputs, hold_at(inputs, params, frame)) if inputs.has("motion") else []
        if at is None:
            return [*out, Reading("crease", None, "of its area", FOLD, "high", note=why)]
        if params.how == LEAN:
            return [*out, Reading("lean", lean, "of its height", MOST_LEAN)]
        if params.how == CYLINDER:
            picture = inputs.picture("picture", frame)
            step = np.diff(at * [picture.shape[1], picture.shape[0]], axis=1)[..., 0]  # picture px for each of the frame
            seen = np.abs(step[np.isfinite(step)])
            if not len(seen) or seen.min() < 1e-6:
                return [*out, Reading("enlargement", None, "×", RESOLUTION_LIMIT, note="it is not seen here")]
            return [
                *out,
                Reading("enlargement", 1 / float(seen.min()), "×", RESOLUTION_LIMIT, note="across, where it comes nearest"),
            ]
        least, spot = folds(at)
        return [
            *out,
            Reading(
                "crease",
                max(least, 0.0),
                "of its area",
                FOLD,
                "high",
                spot=spot,
                note="it folds here" if least <= 0 else "where it is tightest",
            ),
        ]


def regular(ends: tuple[tuple[float, float], ...], count: int) -> Array:
    """(count, 2) the places of a square grid from its top left to its bottom right, row by row. Raises UserError for a count that is no square."""
    side = math.isqrt(count)
    if side * side != count:
        raise UserError(f"A grid has as many places across as down; {count} are none. Draw it anew.")
    (x0, y0), (x1, y1) = ends
    return np.stack(np.meshgrid(np.linspace(x0, x1, side), np.linspace(y0, y1, side)), -1).reshape(-1, 2)


def _places(points: Array) -> tuple[tuple[float, float], ...]:
    return tuple((float(x), float(y)) for x, y in points)
