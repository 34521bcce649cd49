"""Lay in: a picture laid into four corners, hung on a motion with its perspective, behind what passes in front."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from transmixis.core.build.moving import placed_moving
from transmixis.core.build.over import with_alpha
from transmixis.core.build.place import local_scale
from transmixis.core.build.stand import slip_card
from transmixis.core.motion.motion import through
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hold_at, hold_reading, hung_points, looked_at, set_back
from transmixis.shot.steps.attachment import hidden as not_seen
from transmixis.shot.steps.laying import CROP, WHERE, Laid, cropped, ends_faded, laid
from transmixis.shot.steps.params import hidden, number
from transmixis.shot.steps.place import RESOLUTION_LIMIT

Corner = tuple[float, float]
CORNERS = "Drag from corner to corner, then drag each corner to its place."


class LayInParams(Attached, Laid):
    corners: tuple[Corner, ...] = hidden(
        ()
    )  # top left, top right, bottom right, bottom left; px of the frame at which it was set
    soften: float = number(0.0, 0.0, 20.0, "px", "Soften", "Softens it to the plate's sharpness.", step=0.05)
    shutter: float = number(
        180.0, 0.0, 360.0, "°", "Shutter", "Smears it by its own way while the shutter is open, as the plate is.", step=5
    )


class LayIn(StepKind[LayInParams]):
    kind, title, stage, product = "lay_in", "Lay in", "Build", "picture"
    gives = ("picture", "matte")
    version = 3
    roles = ("result",)
    says = "lays a picture into four corners"
    work = "place and match"
    slots = (
        Slot(
            "front",
            "the picture that is laid in (a test card while there is none)",
            optional=True,
            usual=("plate:still", "plate:element"),
        ),
        Slot("back", "the picture behind", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        HANGS_ON,
        Slot("before", "mattes of what passes in front", takes="matte", optional=True, many=True, usual=("step:cut out",)),
        CROP,
        WHERE,
    )
    scales = True
    Params = LayInParams
    tools = ("corners",)
    positions = ("corners",)

    def handles(self, inputs: Inputs, params: LayInParams, frame: int) -> tuple[Handle, ...]:
        points, matrix, note = hung_points(inputs, params, frame, np.asarray(params.corners, np.float64).reshape(-1, 2))
        return (Handle("corners", "corners", "Corners", CORNERS, tuple(map(tuple, points.tolist())), matrix, note=note),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        points, change = set_back(step, handle, frame, np.asarray(value, np.float64), not step.params.get("corners"))
        change = {**change, "corners": np.round(points, 3).tolist()}
        return step.model_copy(update={"params": {**step.params, **change}})

    def looks_at(self, slot: str, params: LayInParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return looked_at(params, frame, length, beside=1)

    def compute(self, inputs: Inputs, params: LayInParams, frame: int) -> Product:
        back = inputs.picture("back", frame)
        size = (back.shape[0], back.shape[1])
        hold = hold_at(inputs, params, frame)
        if len(params.corners) != 4 or not_seen(inputs, params, hold):
            return Product(picture=back, matte=np.zeros(size, np.float32), work=(hold, None))
        front = ends_faded(_front(inputs, frame), params.ends)
        fit = through(_rectangle(front), np.asarray(params.corners))
        now = hold.matrix @ fit
        made = placed_moving(front, *self._ways(inputs, params, fit, now, frame), size, params.shutter)
        if params.soften > 0:
            made = np.asarray(cv2.GaussianBlur(made, (0, 0), params.soften))
        made = cropped(inputs, params, made, frame)
        for matte in inputs.mattes("before", frame):
            made = made * (1 - matte[..., None])
        return Product(picture=laid(params, made, back), matte=np.ascontiguousarray(made[..., 3]), work=(hold, now))

    def _ways(self, inputs: Inputs, params: LayInParams, fit: Array, now: Array, frame: int) -> tuple[Array, Array, Array]:
        """Where it lies in the frame before, in this one and in the next; where one is not known, as the other side tells."""
        beside = []
        for n in (frame - 1, frame + 1):
            hold = hold_at(inputs, params, n) if 1 <= n <= inputs.shot.length else None
            beside.append(hold.matrix @ fit if hold and hold.known else None)
        before, after = beside
        if before is None:
            before = now if after is None else now @ np.linalg.inv(after) @ now
        if after is None:
            after = now @ np.linalg.inv(before) @ now
        return before, now, after

    def read(self, inputs: Inputs, params: LayInParams, product: Product, frame: int) -> list[Reading]:
        hold, now = product.work
        out = hold_reading(inputs, hold)
        if now is None:
            note = "its four corners are not set yet" if len(params.corners) != 4 else "it is not to be seen here"
            note = note if inputs.has("front") else "the picture that is laid in is not connected yet"
            return [*out, Reading("enlargement", None, "×", RESOLUTION_LIMIT, note=note)]
        if not inputs.has("front"):
            return [*out, Reading("test card", 1.0, "", 1.0, note="it stands for the picture that is not connected yet")]
        front = inputs.picture("front", frame)
        grown = max(local_scale(now, (float(x), float(y))) for x, y in _rectangle(front))
        return [*out, Reading("enlargement", grown, "×", RESOLUTION_LIMIT, note="where it comes nearest")]


def _front(inputs: Inputs, frame: int) -> Array:
    """What is laid in, (h, w, 4); a card on which sliding is seen while nothing is connected."""
    return with_alpha(inputs.picture("front", frame)) if inputs.has("front") else slip_card()


def _rectangle(picture: Array) -> Array:
    h, w = picture.shape[:2]
    return np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float64)
