"""Wrap round: a background that turns all the way round, whole widths in whole frames."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.wrap import seam_of, way_at, wrapped
from transmixis.core.readings import Reading
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number

SEAM = 3.0  # times the usual step from column to column: a line is seen to pass (judgement, docs/limits.md)
OFF = 0.5  # px that the end may be off the beginning


class WrapParams(Params):
    begins: float = number(1, 1, 1_000_000, "frame", "Begins at", "The last frame on which it stands.", step=1)
    frames: float = number(24, 1, 100_000, "frames", "In frames", "Until it is round.", step=1)
    turns: float = number(
        1.0, -100, 100, "", "Turns", "Whole ones come back to where they began; below zero to the left.", step=1
    )
    eases: float = number(0.0, 0.0, 1.0, "%", "Eases", "How softly it sets out and comes to rest.", percent=True)
    shutter: float = number(180.0, 0.0, 360.0, "°", "Shutter", "Smears it along its way.", step=5)


class WrapRound(StepKind[WrapParams]):
    kind, title, stage, product = "wrap_round", "Wrap round", "Build", "picture"
    says = "turns a background all the way round"
    roles = ("mended",)
    slots = (
        Slot("picture", "the background; its sides go on in each other", usual=("plate:background", "plate:still", "plate:any")),
    )
    Params = WrapParams

    def compute(self, inputs: Inputs, params: WrapParams, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        width = picture.shape[1]
        t, half = frame - params.begins, params.shutter / 720
        begin, end = (way_at(t + k * half, params.frames, params.turns, width, params.eases) for k in (-1, 1))
        return Product(picture=wrapped(picture, begin, end), work=picture)

    def read(self, inputs: Inputs, params: WrapParams, product: Product, frame: int) -> list[Reading]:
        width = product.work.shape[1]
        gone = params.turns * width
        off = abs(gone - round(gone / width) * width)
        return [
            Reading("seam", seam_of(product.work), "times", SEAM, note="the step where its sides meet, over the usual one"),
            Reading("off its beginning", float(np.abs(off)), "px", OFF, note="when it is round"),
        ]
