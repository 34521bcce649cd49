"""Place: puts one picture over another, scaled, moved, turned and faded, with pins over time and smeared by its own way."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from transmixis.core.build.moving import Way, asked_blur, corners_of, smeared
from transmixis.core.build.over import with_alpha
from transmixis.core.build.place import fit_scale, placing_matrix
from transmixis.core.errors import UserError
from transmixis.core.motion.motion import moved_points
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import BACKGROUND, Effect, Inputs, Pins, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.model import Step
from transmixis.shot.pins import value_at
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hold_at, hold_reading, hold_way, looked_at
from transmixis.shot.steps.attachment import hidden as not_seen
from transmixis.shot.steps.laying import (
    CROP,
    ENDS,
    OFF_BLUR,
    WHERE,
    Laid,
    blur_reading,
    cropped,
    end_reading,
    ends_faded,
    laid_within,
    plate_shutter,
    touched,
)
from transmixis.shot.steps.params import choice, number

RESOLUTION_LIMIT = 1.25  # enlargement: beyond this softness shows beside an untouched plate (docs/limits.md)


PATH = ("x", "y", "scale", "turn", "pivot_x", "pivot_y")  # what it goes along between frames too


class PlaceParams(Attached, Laid):
    moved: str = choice("front", ("front", "back"), "Moves", "Which of the two pictures the settings below move.")
    x: float = number(0.0, -20000, 20000, "px", "Right", "Moves to the right; below zero to the left.", step=1.0)
    y: float = number(0.0, -20000, 20000, "px", "Down", "Moves down; below zero up.", step=1.0)
    scale: float = number(
        1.0, 0.01, 20.0, "×", "Scale", "1 is the picture's own size (the back one is first fitted to fill the frame).", step=0.01
    )
    turn: float = number(0.0, -3600.0, 3600.0, "°", "Turn", "Turns about its pivot, anticlockwise.", step=0.5)
    pivot_x: float = number(
        0.0, -20000, 20000, "px", "Pivot right", "Where it turns and grows: so far right of its own middle.", step=1.0
    )
    pivot_y: float = number(
        0.0, -20000, 20000, "px", "Pivot down", "So far below its own middle; the top of a rope, the base of a flame.", step=1.0
    )
    flip: str = choice("no", ("no", "left to right"), "Flipped", "Left to right, so that a copy is no twin.")
    soften: float = number(0.0, 0.0, 50.0, "px", "Soften", "Softens the front picture, as what is out of focus.", step=0.1)
    shutter: float = number(
        180.0, 0.0, 360.0, "°", "Shutter", "Smears it by its own way while the shutter is open, as the plate is.", step=5
    )


class Place(StepKind[PlaceParams]):
    kind, title, stage, product = "place", "Place", "Build", "picture"
    says = "puts one picture over another"
    begins = BACKGROUND
    gives = ("picture", "matte")
    roles = ("result", "path")
    work = "place and match"
    slots = (
        Slot("front", "the picture in front", usual=("step:subject",)),
        Slot("back", "the picture behind", optional=True, ground=True, usual=("plate:background", "plate:still")),
        HANGS_ON,
        CROP,
        WHERE,
    )
    version = 2
    scales = True
    Params = PlaceParams
    offsets = ("x", "y")
    near_pins = PATH
    timeless = True

    def stays(self, step: Step) -> str:
        return "it moves the picture behind; let it move the front one" if step.params.get("moved") == "back" else ""

    def looks_at(self, slot: str, params: PlaceParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return looked_at(params, frame, length, beside=1)

    def compute(self, inputs: Inputs, params: PlaceParams, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        front = _front(inputs, params, frame)
        hold = hold_at(inputs, params, frame)
        way = front_way(inputs, params, front, frame)
        box = (0, 0, 0, 0)
        if not_seen(inputs, params, hold):
            front = np.zeros((*size, 4), np.float32)
        else:
            box = touched(way, (front.shape[0], front.shape[1]), size, params.shutter, params.soften)
            front = smeared(front, way, size, params.shutter)
            if params.soften > 0:
                y0, y1, x0, x1 = box
                if y1 > y0 and x1 > x0:
                    part = np.ascontiguousarray(front[y0:y1, x0:x1])
                    front[y0:y1, x0:x1] = cv2.GaussianBlur(part, (0, 0), params.soften)
            front = cropped(inputs, params, front, frame)
        if not inputs.has("back"):
            return Product(picture=front, matte=front[..., 3], work=None)
        back = inputs.picture("back", frame)
        moves = params.moved == "back"

        def behind(t: float) -> Array:
            return _matrix(_params_at(inputs, params, frame, t), back, size, fitted=True, moved=moves)

        under = smeared(back, behind, size, params.shutter if moves else 0.0, edge="carry")
        return Product(picture=laid_within(params, front, under, box), matte=front[..., 3], work=under)

    def read(self, inputs: Inputs, params: PlaceParams, product: Product, frame: int) -> list[Reading]:
        size = (inputs.shot.height, inputs.shot.width)
        scales = [params.scale if params.moved == "front" else 1.0]
        if inputs.has("back"):
            back = inputs.picture("back", frame)
            scales.append(fit_scale(back.shape[:2], size) * (params.scale if params.moved == "back" else 1.0))
        hold = hold_at(inputs, params, frame)
        out = [*hold_reading(inputs, hold), Reading("enlargement", max(scales), "×", RESOLUTION_LIMIT)]
        front = _front(inputs, params, frame)
        way = front_way(inputs, params, front, frame)
        if not not_seen(inputs, params, hold):
            out.append(blur_reading(inputs, way, corners_of(front), params.shutter))
        if product.work is not None and product.picture is not None:
            bare = params.moved == "back" and _leaves_gap(params, inputs.picture("back", frame), size)
            out.append(
                Reading("gap", 1.0 if bare else 0.0, "", 1.0, note="the back picture does not fill the frame" if bare else "")
            )
            smear = asked_blur(way, corners_of(front), params.shutter)
            out.append(end_reading(inputs, params, front, product.work, way(0.0), frame, smear))
        return out

    def propose(self, inputs: Inputs, params: PlaceParams, progress: Progress) -> Proposal | None:
        """The plate's own shutter where its blur is off; else fade the picture's own ends where one of them shows."""
        return self._shutter(inputs, params, progress) or self._ends(inputs, params, progress)

    def _shutter(self, inputs: Inputs, params: PlaceParams, progress: Progress) -> Proposal | None:
        """Smeared as its speed asks for at the shutter that the plate tells, or at the usual one."""

        def read(n: int, shutter: float) -> Reading | None:
            if not_seen(inputs, params, hold_at(inputs, params, n)):
                return None
            front = _front(inputs, params, n)
            return blur_reading(inputs, front_way(inputs, params, front, n), corners_of(front), shutter)

        seen = {
            n: r
            for n, r in sampled(
                inputs.shot.length, 12, lambda n: read(n, params.shutter), progress, "looking at its speed"
            ).items()
            if r is not None
        }
        worst = max((r.value or 0.0 for r in seen.values()), default=0.0)
        plate = plate_shutter(inputs)
        if worst < OFF_BLUR or abs(plate - params.shutter) < 1:
            return None
        n = max(seen, key=lambda k: seen[k].value or 0.0)
        then = read(n, round(plate))
        assert then is not None
        return Proposal(
            {"shutter": round(plate)},
            f"At frame {n} {seen[n].note}; a shutter of {plate:.0f}° smears it as the plate is.",
            (Effect("motion blur", worst, then.value or 0.0, "px", OFF_BLUR),),
            gains="It moves as what was filmed does.",
        )

    def _ends(self, inputs: Inputs, params: PlaceParams, progress: Progress) -> Proposal | None:
        if not inputs.has("back"):
            return None
        size = (inputs.shot.height, inputs.shot.width)

        def worst(n: int, ends: float) -> float:
            tried = params.model_copy(update={"ends": ends})
            front = _front(inputs, tried, n)
            under = self.compute(inputs, tried, n).work
            return end_reading(inputs, tried, front, under, front_way(inputs, tried, front, n)(0.0), n, 0.0).value or 0.0

        seen = sampled(inputs.shot.length, 5, lambda n: worst(n, params.ends), progress, "looking for its ends")
        now = max(seen.values())
        if now < ENDS or params.ends > 0:
            return None
        n = max(seen, key=lambda k: seen[k])
        by = float(np.clip(round(0.06 * size[0]), 24, 100))
        then = worst(n, by)
        return Proposal(
            {"ends": by},
            f"The picture's own straight end shows by {now:.1f} levels at frame {n}; faded over {by:.0f} px it does by {then:.1f}.",
            gains="No straight edge.",
            costs="What lies near its border fades too.",
        )


def _front(inputs: Inputs, params: PlaceParams, frame: int) -> Array:
    """What is laid, (h, w, 4), its ends faded."""
    front = with_alpha(inputs.picture("front", frame))
    if params.flip != "no":
        front = np.ascontiguousarray(front[:, ::-1])
    return ends_faded(front, params.ends)


def front_way(inputs: Inputs, params: PlaceParams, front: Array, frame: int) -> Way:
    """Where the front picture lies about a frame."""
    size = (inputs.shot.height, inputs.shot.width)
    hold = hold_way(inputs, params, frame)
    moves = params.moved == "front"

    def way(t: float) -> Array:
        return hold(t) @ _matrix(_params_at(inputs, params, frame, t), front, size, fitted=False, moved=moves)

    return way


def _params_at(inputs: Inputs, params: PlaceParams, frame: int, t: float) -> PlaceParams:
    """The settings as they are eased `t` frames from a frame."""
    pins = inputs.pins()
    if t == 0 or not any(pins.get(k) for k in PATH):
        return params
    try:
        values: dict[str, Any] = {k: float(value_at(pins[k], frame + t)) for k in PATH if pins.get(k)}
    except (TypeError, ValueError) as e:
        raise UserError("A pin of the place holds no number; set it anew.") from e
    return params.model_copy(update=values)


def _matrix(params: PlaceParams, picture: Array, size: tuple[int, int], *, fitted: bool, moved: bool) -> Array:
    shape = (picture.shape[0], picture.shape[1])
    base = fit_scale(shape, size) if fitted else 1.0
    if not moved:
        return placing_matrix(shape, size, 0, 0, base, 0)
    matrix = placing_matrix(shape, size, params.x, params.y, base * params.scale, params.turn)
    if not (params.pivot_x or params.pivot_y):
        return matrix
    still = placing_matrix(shape, size, params.x, params.y, base, 0)  # the pivot stays where the picture's own size has it
    pivot = np.array([[shape[1] / 2 + params.pivot_x, shape[0] / 2 + params.pivot_y]])
    off = (moved_points(still, pivot) - moved_points(matrix, pivot))[0]
    return np.asarray(np.array([[1, 0, off[0]], [0, 1, off[1]], [0, 0, 1.0]]) @ matrix)


def _leaves_gap(params: PlaceParams, back: Array, size: tuple[int, int]) -> bool:
    """True if a corner of the frame lies outside the back picture."""
    inverse = np.linalg.inv(_matrix(params, back, size, fitted=True, moved=True))
    corners = np.array([[0.5, 0.5, 1], [size[1] - 0.5, 0.5, 1], [0.5, size[0] - 0.5, 1], [size[1] - 0.5, size[0] - 0.5, 1]])
    p = (inverse @ corners.T)[:2]
    return bool((p < -0.51).any() or (p[0] > back.shape[1] + 0.51).any() or (p[1] > back.shape[0] + 0.51).any())
