"""Stand: a picture, a test card or a box stands in the solved place and is seen by its camera."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.over import with_alpha
from transmixis.core.build.place import local_scale
from transmixis.core.build.stand import (
    SHADES,
    Around,
    Card,
    Standing,
    box_at,
    card_at,
    drawn,
    facing,
    slip_card,
    spot_at,
    spot_on_ground,
    ways_at,
)
from transmixis.core.errors import UserError
from transmixis.core.motion.pose import Camera
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Handle, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.pins import value_at
from transmixis.shot.steps.attachment import SLIDES
from transmixis.shot.steps.laying import CROP, WHERE, Laid, cropped, ends_faded, laid
from transmixis.shot.steps.params import choice, hidden, number, rounded
from transmixis.shot.steps.place import RESOLUTION_LIMIT

PICTURE, BOX = "a picture", "a box"
ON_GROUND, AWAY = "on the ground", "at a distance"
UPRIGHT, LYING = "upright", "flat"
MOVES = ("distance", "raised", "right", "away", "width", "height", "depth", "turn")  # what it moves by between frames too
FOOT = "Press where its lower edge stands, or drag it there."


class StandParams(Laid):
    foot: tuple[tuple[float, float], ...] = hidden(())  # px of the frame at which it was set
    at: float = number(1, 1, 1_000_000, "frame", "Set at", "The frame in which its place was pressed.", step=1)
    thing: str = choice(PICTURE, (PICTURE, BOX), "Stands", "The picture in front (a test card if none is connected), or a box.")
    where: str = choice(ON_GROUND, (ON_GROUND, AWAY), "Where", "On the ground, or at a distance along the line of sight.")
    distance: float = number(5.0, 0.01, 10_000, "m", "Distance", "From the camera, if it stands at a distance.", step=0.1)
    raised: float = number(0.0, -1000, 1000, "m", "Raised", "How far its lower edge stands above that place.", step=0.05)
    right: float = number(
        0.0,
        -10_000,
        10_000,
        "m",
        "Gone right",
        "From where it was set, to the camera's right there; with pins it goes.",
        step=0.05,
    )
    away: float = number(
        0.0, -10_000, 10_000, "m", "Gone away", "From where it was set, away from the camera; below zero nearer.", step=0.05
    )
    width: float = number(1.0, 0.001, 10_000, "m", "Width", "How wide it is; a picture's height follows.", step=0.05)
    height: float = number(1.0, 0.001, 10_000, "m", "Height", "Of a box.", step=0.05)
    depth: float = number(1.0, 0.001, 10_000, "m", "Depth", "Of a box.", step=0.05)
    turn: float = number(
        0.0, -360, 360, "°", "Turned", "About the upright, from facing the camera at the frame it was set.", step=1
    )
    lies: str = choice(UPRIGHT, (UPRIGHT, LYING), "Lies", "A picture stands upright, or lies flat on the ground.")
    shutter: float = number(180.0, 0.0, 360.0, "°", "Shutter", "Smears it by the camera's way while the shutter is open.", step=5)


class Stand(StepKind[StandParams]):
    kind, title, stage, product = "stand_in", "Stand in the place", "Build", "picture"
    says = "stands a picture or a box in the solved place"
    gives = ("picture", "matte")
    roles = ("result",)
    work = "set extension"
    slots = (
        Slot("front", "the picture that stands there", optional=True, usual=("plate:element",)),
        Slot("back", "the picture behind", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        Slot("camera", "the solved camera", takes="camera", whole=True, usual=("step:camera",)),
        Slot("before", "mattes of what passes in front", takes="matte", optional=True, many=True, usual=("step:cut out",)),
        CROP,
        WHERE,
    )
    version = 3
    Params = StandParams
    near_pins = MOVES
    tools = ("point",)
    positions = ("foot",)

    def looks_at(self, slot: str, params: StandParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return tuple(sorted({min(int(params.at), length), *range(frame - 1, frame + 2)}))

    def depth(self, inputs: Inputs, params: StandParams, frame: int) -> float | None:
        """Of its foot."""
        camera = inputs.camera("camera", frame)
        if not params.foot or not camera.known:
            return None
        return float(np.linalg.norm(self._foot(inputs, params) - camera.place))

    def handles(self, inputs: Inputs, params: StandParams, frame: int) -> tuple[Handle, ...]:
        """Where it stands, as it is seen in this frame."""
        at: tuple[tuple[float, float], ...] = params.foot[:1]
        note = ""
        if at and (frame != int(params.at) or params.right or params.away):
            try:
                seen = self._camera(inputs, frame).project(self._foot(inputs, params)[None])
                at = tuple(map(tuple, seen.tolist())) if np.isfinite(seen).all() else ()
            except UserError as e:
                at, note = (), str(e)
        return (Handle("point", "foot", "Place", FOOT, at, here=frame == int(params.at), note=note),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """Where it is pressed it stands, and it is set in that frame from then on."""
        change: dict[str, Any] = {"foot": rounded(value), "at": frame}
        change |= {k: 0.0 for k in ("right", "away") if k in step.params and not step.pins.get(k)}
        return step.model_copy(update={"params": {**step.params, **change}})

    def _camera(self, inputs: Inputs, frame: int) -> Camera:
        camera = inputs.camera("camera", min(max(frame, 1), inputs.shot.length))
        if not camera.known:
            raise UserError(f"The camera is not known at frame {frame}: {camera.why}.")
        return camera

    def _foot(self, inputs: Inputs, params: StandParams) -> Array:
        """(3,) where it stands."""
        set_at = self._camera(inputs, min(int(params.at), inputs.shot.length))
        spot = (
            spot_on_ground(set_at, params.foot[0])
            if params.where == ON_GROUND
            else spot_at(set_at, params.foot[0], params.distance)
        )
        right, ahead = ways_at(facing(set_at, spot))
        return np.asarray(spot + params.right * right + params.away * ahead - np.array([0, params.raised, 0]))

    def _sides(self, inputs: Inputs, params: StandParams, shape: tuple[int, int]) -> tuple[Card, ...]:
        """The cards of it as it stands: one for a picture of `shape` (h, w), five of a box."""
        set_at = self._camera(inputs, min(int(params.at), inputs.shot.length))
        foot = self._foot(inputs, params)
        still = params.model_copy(update={"right": 0.0, "away": 0.0})
        turn = facing(set_at, self._foot(inputs, still)) + params.turn  # it keeps its turn while it goes
        if params.thing == BOX:
            return box_at(foot, params.width, params.height, params.depth, turn)
        height = params.width * shape[0] / shape[1]
        return (card_at(foot, params.width, height, turn, lying=params.lies == LYING),)

    def _cards(self, inputs: Inputs, params: StandParams, frame: int) -> list[Standing]:
        if params.thing == BOX:
            pictures = [slip_card(SHADES[k]) for k in (0, 0, 1, 1, 2)]
        elif inputs.has("front"):
            pictures = [ends_faded(with_alpha(inputs.picture("front", frame)), params.ends)]
        else:
            pictures = [slip_card()]
        shape = (pictures[0].shape[0], pictures[0].shape[1])
        before, now, after = (self._sides(inputs, self._at(inputs, params, frame + t), shape) for t in (-1, 0, 1))
        made = [Standing(c, p, b, a) for c, p, b, a in zip(now, pictures, before, after, strict=True)]
        if params.thing == BOX:
            eye = self._camera(inputs, frame)
            return [m for m in made if m.card.faces(eye)]
        return made

    def _at(self, inputs: Inputs, params: StandParams, frame: float) -> StandParams:
        """The settings as they are eased at another moment; what lies before the first pin and behind the last one stands."""
        pins = inputs.pins()
        try:
            values = {k: float(value_at(pins[k], frame)) for k in MOVES if pins.get(k)}
        except (TypeError, ValueError) as e:
            raise UserError("A pin of where it stands holds no number; set it anew.") from e
        return params.model_copy(update=values) if values else params

    def _speed(self, inputs: Inputs, params: StandParams, frame: int) -> str:
        """How fast it goes by itself, in words; '' where it stands."""
        if not any(inputs.pins().get(k) for k in MOVES[:4]):
            return ""
        before, after = (self._foot(inputs, self._at(inputs, params, frame + t)) for t in (-0.5, 0.5))
        gone = float(np.linalg.norm(after - before)) * float(inputs.shot.fps)
        unit = "m/s" if self._camera(inputs, frame).metres else "of these lengths a second"
        return f"; it goes at {gone:.3g} {unit}" if gone > 1e-6 else "; it rests"

    def _around(self, inputs: Inputs, frame: int) -> Around:
        """The cameras about a frame; where a neighbour is not known, as if it stood still there."""
        now = self._camera(inputs, frame)
        beside = []
        for n in (frame - 1, frame + 1):
            c = inputs.camera("camera", n) if 1 <= n <= inputs.shot.length else None
            beside.append(c if c is not None and c.known else None)
        before, after = beside
        return Around(before or now, now, after or now)

    def compute(self, inputs: Inputs, params: StandParams, frame: int) -> Product:
        back = inputs.picture("back", frame)
        size = (back.shape[0], back.shape[1])
        empty = np.zeros(size, np.float32)
        if not params.foot:
            return Product(picture=back, matte=empty, work=(None, "where it stands is not set yet"))
        camera = inputs.camera("camera", frame)
        if not camera.known:
            return Product(picture=back, matte=empty, work=(None, f"the camera is not known here: {camera.why}"))
        cards = self._cards(inputs, params, frame)
        made = drawn(cards, self._around(inputs, frame), size, params.shutter)
        made = cropped(inputs, params, made, frame)
        for matte in inputs.mattes("before", frame):
            made = made * (1 - matte[..., None])
        return Product(picture=laid(params, made, back), matte=np.ascontiguousarray(made[..., 3]), work=(cards, ""))

    def read(self, inputs: Inputs, params: StandParams, product: Product, frame: int) -> list[Reading]:
        cards, why = product.work
        if why:
            return [Reading("hold", None, "px", SLIDES, note=why), Reading("enlargement", None, "×", RESOLUTION_LIMIT, note=why)]
        camera = self._camera(inputs, frame)
        told = bool(np.isfinite(camera.error))
        note = "error of the camera it stands before" if told else "the camera does not say how good it is"
        note += "" if camera.metres else "; its lengths are not measured, so that 1 m here is as long as the camera's way"
        out = [Reading("hold", camera.error if told else None, "px", SLIDES, note=note + self._speed(inputs, params, frame))]
        if params.thing == BOX or not inputs.has("front"):
            return out
        (one,) = cards
        h, w = one.picture.shape[:2]
        matrix = one.card.matrix(camera, (h, w))
        grown = None if matrix is None else local_scale(matrix, (w / 2, h / 2))
        note = "" if grown is not None else "it lies behind the camera here"
        return [*out, Reading("enlargement", grown, "×", RESOLUTION_LIMIT, note=note)]
