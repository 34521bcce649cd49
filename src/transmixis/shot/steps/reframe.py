"""Reframe: a push-in, a pan or a turn over the whole picture, and the shake of a hand."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.moving import Way, smeared
from transmixis.core.build.place import placing_matrix
from transmixis.core.errors import UserError
from transmixis.core.finish.framing import room_for, shaken
from transmixis.core.motion.motion import moved_points
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.pins import value_at
from transmixis.shot.steps.params import Params, number
from transmixis.shot.steps.place import RESOLUTION_LIMIT

PATH = ("x", "y", "size", "turn")
BARE = 0.5  # px of border that may show


class ReframeParams(Params):
    x: float = number(0.0, -20000, 20000, "px", "Right", "How far right of the middle it looks; with pins it moves.", step=1)
    y: float = number(0.0, -20000, 20000, "px", "Down", "How far below the middle it looks.", step=1)
    size: float = number(1.0, 1.0, 10.0, "×", "Enlarged", "1 is the whole picture; larger is nearer, and softer.", step=0.01)
    turn: float = number(0.0, -180, 180, "°", "Turn", "Turns the picture, anticlockwise.", step=0.1)
    shake: float = number(
        0.0,
        0.0,
        200.0,
        "px",
        "Shake",
        "Of a hand that holds the camera (standard deviation); 1 to 3 px on a locked-off shot.",
        step=0.25,
    )
    shake_turn: float = number(0.0, 0.0, 5.0, "°", "Shake turns", "By how much it rolls.", step=0.02)
    speed: float = number(1.0, 0.1, 5.0, "×", "Shake's speed", "1 is a hand; faster is a run.", step=0.1)
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number shakes otherwise.", step=1)
    shutter: float = number(180.0, 0.0, 360.0, "°", "Shutter", "Smears the picture by the move.", step=5)


class Reframe(StepKind[ReframeParams]):
    kind, title, stage, product = "reframe", "Reframe", "Build", "picture"
    says = "moves the frame over the whole picture, and shakes it"
    roles = ("result",)
    over_all = True
    slots = (Slot("picture", "what is reframed", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),)
    Params = ReframeParams
    near_pins = PATH
    scales = True

    def compute(self, inputs: Inputs, params: ReframeParams, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        size = (picture.shape[0], picture.shape[1])
        way = _way(inputs, params, size, frame)
        return Product(picture=smeared(picture, way, size, params.shutter, edge="carry"), work=way(0.0))

    def read(self, inputs: Inputs, params: ReframeParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        matrix: Array = product.work
        h, w = product.picture.shape[:2]
        grown = float(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))))
        inside = moved_points(np.linalg.inv(matrix), np.array([[0.0, 0], [w, 0], [w, h], [0, h]]))
        bare = grown * max(0.0, float(-inside.min()), float((inside - [w, h]).max()))
        note = f"of its resolution {100 / grown:.0f} % is left"
        return [
            Reading("enlargement", grown, "×", RESOLUTION_LIMIT, note=note),
            Reading("border", bare, "px", BARE, note="of the picture's own edge shows; enlarge it" if bare >= BARE else ""),
        ]


def _way(inputs: Inputs, params: ReframeParams, size: tuple[int, int], frame: int) -> Way:
    pins, fps = inputs.pins(), float(inputs.shot.fps)

    def value(name: str, t: float) -> float:
        try:
            return float(value_at(pins[name], frame + t)) if pins.get(name) else float(getattr(params, name))
        except (TypeError, ValueError) as e:
            raise UserError("A pin of the frame's move holds no number; set it anew.") from e

    # room for the shake is the same on all frames, so that it does not breathe
    room = room_for(size, params.shake, params.shake_turn) if params.shake or params.shake_turn else 1.0

    def way(t: float) -> Array:
        x, y, grown, turn = (value(k, t) for k in PATH)
        if params.shake or params.shake_turn:
            right, down, roll = shaken((frame - 1 + t) / fps, int(params.seed), params.speed)
            x, y, turn = x + right * params.shake, y + down * params.shake, turn + roll * params.shake_turn
        grown *= room
        return placing_matrix(size, size, -x * grown, -y * grown, grown, turn)

    return way
