"""Two step kinds that only tests know: one gives several products by name, the other takes them."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.motion.pose import Camera
from transmixis.core.readings import Reading
from transmixis.shot.contract import Given, Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number

HIDDEN_AT = 3  # the frame at which the further picture is not valid


class PartedParams(Params):
    at: float = number(0.5, 0.0, 1.0, "", "At", "Where it is parted.")


class Parted(StepKind[PartedParams]):
    """The left of a picture; by name its right, the matte of the left, its outline, and a camera."""

    kind, title, stage, product = "parted_for_a_test", "Parted", "Matte", "picture"
    says = "parts a picture"
    slots = (Slot("picture", "what is parted"),)
    also = (
        Given("right", "picture", "the right side"), Given("cut", "matte", "the left's matte"),
        Given("line", "shape", "the left's outline"), Given("view", "camera", "the camera"),
    )  # fmt: skip
    Params = PartedParams

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        h, w = picture.shape[:2]
        matte = np.zeros((h, w), np.float32)
        matte[:, : round(params.at * w)] = 1
        right = Product(picture=picture * (1 - matte[..., None]), why="it is hidden" if frame == HIDDEN_AT else "")
        line = np.array([[0.0, 0.0], [params.at * w, 0.0], [params.at * w, h], [0.0, h]])
        view = Camera(100.0 * frame, (w / 2, h / 2), np.eye(3), np.zeros(3))
        also = {"right": right, "cut": Product(matte=matte), "line": Product(shape=(line,)), "view": Product(camera=view)}
        return Product(picture=picture * matte[..., None], also=also)

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        return [Reading("left", 100 * params.at, "%", 90.0)]


class Taker(StepKind[Params]):
    """Shows a picture inside a matte, moved by what a camera and an outline say."""

    kind, title, stage, product = "taker_for_a_test", "Taker", "Build", "picture"
    says = "takes everything"
    slots = (
        Slot("picture", "a picture"),
        Slot("inside", "a matte", takes="matte", optional=True, usual=()),
        Slot("view", "a camera", takes="camera", optional=True, usual=()),
        Slot("line", "an outline", takes="shape", optional=True, usual=()),
    )
    Params = Params

    def compute(self, inputs: Inputs, params: Any, frame: int) -> Product:
        out = np.array(inputs.picture("picture", frame))
        if inputs.has("inside"):
            out = out * inputs.matte("inside", frame)[..., None]
        if inputs.has("view"):
            camera = inputs.camera("view", frame)
            out = out + np.float32(camera.focal / 1000 if camera.known else 0.0)
        if inputs.has("line"):
            out = out + np.float32(sum(float(o[:, 0].max()) for o in inputs.shape("line", frame)) / 1000)
        return Product(picture=out)

    def read(self, inputs: Inputs, params: Any, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        return [Reading("light", 100 * float(product.picture.mean()), "%", 90.0)]
