"""Place: puts one picture over another, scaled, moved and faded, with pins over time."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.build.over import added, over, screened, with_alpha
from transmixis.core.build.place import fit_scale, placed, placing_matrix
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import BACKGROUND, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.attachment import HANGS_ON, Attached, hold_at, hold_reading, looked_at
from transmixis.shot.steps.attachment import hidden as not_seen
from transmixis.shot.steps.params import choice, number

OVER, ADD, SCREEN_BLEND = "over", "add", "screen"
BLENDS = {OVER: over, ADD: added, SCREEN_BLEND: screened}
RESOLUTION_LIMIT = 1.25  # enlargement: beyond this softness shows beside an untouched plate (docs/limits.md)


class PlaceParams(Attached):
    moved: str = choice("front", ("front", "back"), "Moves", "Which of the two pictures the settings below move.")
    x: float = number(0.0, -20000, 20000, "px", "Right", "Moves to the right; below zero to the left.", step=1.0)
    y: float = number(0.0, -20000, 20000, "px", "Down", "Moves down; below zero up.", step=1.0)
    scale: float = number(
        1.0, 0.01, 20.0, "×", "Scale", "1 is the picture's own size (the back one is first fitted to fill the frame).", step=0.01
    )
    turn: float = number(0.0, -3600.0, 3600.0, "°", "Turn", "Turns about the picture's middle, anticlockwise.", step=0.5)
    opacity: float = number(1.0, 0.0, 1.0, "%", "Opacity", "How much of the front picture is there.", percent=True)
    blend: str = choice(
        OVER,
        (OVER, ADD, SCREEN_BLEND),
        "Blend",
        "Over covers by its matte; add and screen let light on black glow over what lies behind.",
    )
    soften: float = number(0.0, 0.0, 50.0, "px", "Soften", "Softens the front picture, as what is out of focus.", step=0.1)


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
    )
    scales = True
    Params = PlaceParams
    offsets = ("x", "y")
    timeless = True

    def stays(self, step: Step) -> str:
        return "it moves the picture behind; let it move the front one" if step.params.get("moved") == "back" else ""

    def looks_at(self, slot: str, params: PlaceParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return looked_at(params, frame, length)

    def compute(self, inputs: Inputs, params: PlaceParams, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        front = with_alpha(inputs.picture("front", frame))
        moved_front = params.moved == "front"
        hold = hold_at(inputs, params, frame)
        opacity = 0.0 if not_seen(inputs, params, hold) else params.opacity
        way = hold.matrix @ _matrix(params, front, size, fitted=False, moved=moved_front)
        front = placed(front, way, size)
        if params.soften > 0:
            front = np.asarray(cv2.GaussianBlur(front, (0, 0), params.soften))
        if opacity < 1:
            front = front * np.float32(opacity)
        under = np.zeros((*size, 3), np.float32)
        if inputs.has("back"):
            back = inputs.picture("back", frame)
            under = placed(back, _matrix(params, back, size, fitted=True, moved=not moved_front), size, edge="carry")
        picture = BLENDS[params.blend](front, under) if inputs.has("back") else front
        return Product(picture=picture, matte=front[..., 3], work=under)

    def read(self, inputs: Inputs, params: PlaceParams, product: Product, frame: int) -> list[Reading]:
        size = (inputs.shot.height, inputs.shot.width)
        scales = [params.scale if params.moved == "front" else 1.0]
        if inputs.has("back"):
            back = inputs.picture("back", frame)
            scales.append(fit_scale(back.shape[:2], size) * (params.scale if params.moved == "back" else 1.0))
        out = [*hold_reading(inputs, hold_at(inputs, params, frame)), Reading("enlargement", max(scales), "×", RESOLUTION_LIMIT)]
        if inputs.has("back"):
            bare = params.moved == "back" and _leaves_gap(params, inputs.picture("back", frame), size)
            out.append(
                Reading("gap", 1.0 if bare else 0.0, "", 1.0, note="the back picture does not fill the frame" if bare else "")
            )
        return out


def _matrix(params: PlaceParams, picture: Array, size: tuple[int, int], *, fitted: bool, moved: bool) -> Array:
    shape = (picture.shape[0], picture.shape[1])
    base = fit_scale(shape, size) if fitted else 1.0
    if not moved:
        return placing_matrix(shape, size, 0, 0, base, 0)
    return placing_matrix(shape, size, params.x, params.y, base * params.scale, params.turn)


def _leaves_gap(params: PlaceParams, back: Array, size: tuple[int, int]) -> bool:
    """True if a corner of the frame lies outside the back picture."""
    inverse = np.linalg.inv(_matrix(params, back, size, fitted=True, moved=True))
    corners = np.array([[0.5, 0.5, 1], [size[1] - 0.5, 0.5, 1], [0.5, size[0] - 0.5, 1], [size[1] - 0.5, size[0] - 0.5, 1]])
    p = (inverse @ corners.T)[:2]
    return bool((p < -0.51).any() or (p[0] > back.shape[1] + 0.51).any() or (p[1] > back.shape[0] + 0.51).any())
