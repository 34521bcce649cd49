"""Conform: brings a plate to the shot's rate, range, size and square pixels, and makes frames that are missing."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from transmixis.core.build.place import placed, placing_matrix
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.time.conform import NEAR, blended, source_time, without_repeats
from transmixis.core.time.inbetween import between
from transmixis.core.types import Array
from transmixis.shot.contract import Inputs, Product, Proposal, Slot, StepKind
from transmixis.shot.steps.params import Params, choice, number

HOLD, BLEND, MOTION = "hold the nearest", "blend", "follow the motion"
AWAY = 0.25  # of a frame: held frames further from their time stutter (judgement, docs/limits.md)
RATE_OFF, SQUARE = 0.002, 0.005  # 23.976 counts as 24; share
FIT, FILL, KEEP = "fit inside", "fill the frame", "keep the size"


class ConformParams(Params):
    speed: float = number(
        1.0, 0.01, 100.0, "×", "Speed", "Recorded frames for each frame of the shot: 2.5 takes 60 a second to 24.", step=0.01
    )
    first: float = number(1.0, 1.0, 1_000_000, "frame", "First frame", "The recorded frame that is shown at frame 1.", step=0.1)
    frames: str = choice(HOLD, (HOLD, BLEND, MOTION), "In between", "What is shown where no frame was recorded.")
    repeats: str = choice("keep", ("keep", "leave out"), "Doubled frames", "Leave out shows only frames that differ.")
    size: str = choice(FILL, (FILL, FIT, KEEP), "Size", "How another size is brought to the shot's.")
    aspect: float = number(
        1.0, 0.1, 10.0, "", "Pixel aspect", "Width over height of the plate's pixels; 1 is square.", step=0.001
    )


class Conform(StepKind[ConformParams]):
    kind, title, stage, product, version = "conform", "Conform", "Survey", "picture", 2
    keeps_time = False
    says = "brings a plate to the shot's rate, range and size"
    mends_topics = ("timing", "size")
    roles = ("mended",)
    slots = (Slot("plate", "the plate to conform"),)
    mends = True
    Params = ConformParams
    other_frames = True

    def compute(self, inputs: Inputs, params: ConformParams, frame: int) -> Product:
        position = _position(inputs, params, frame)
        return Product(picture=_sized(_at(inputs, params, position), params, inputs.shot), work=position)

    def read(self, inputs: Inputs, params: ConformParams, product: Product, frame: int) -> list[Reading]:
        position = float(product.work)
        away = abs(position - round(position)) if params.frames == HOLD else 0.0
        return [Reading("off its time", away, "frames", AWAY, note=f"recorded frame {position:.2f}")]

    def propose(self, inputs: Inputs, params: ConformParams, progress: Progress) -> Proposal | None:
        values, words = _from_file(inputs)
        timing = inputs.survey("plate").timing
        if timing.doubled and params.repeats != "leave out":
            kept = inputs.shot.length - len(timing.doubled)
            values |= {"repeats": "leave out", "speed": round(kept / inputs.shot.length, 4), "frames": MOTION}
            words.append(timing.cadence or f"{len(timing.doubled)} frames repeat the one before")
        if all(getattr(params, k) == v for k, v in values.items()):
            return None
        smears = values.get("frames") == MOTION
        return Proposal(
            values, ". ".join(w[0].upper() + w[1:] for w in words) + ".",
            gains="The action keeps its length, and nothing repeats." if "speed" in values else "Circles are round.",
            costs="Made frames can smear where motion is complex." if smears else "",
        )  # fmt: skip


def _from_file(inputs: Inputs) -> tuple[dict[str, Any], list[str]]:
    """Settings that the plate's file asks for against the shot, and why."""
    facts, values, words = inputs.facts("plate"), dict[str, Any](), list[str]()
    if facts is None:
        return values, words
    fps = float(inputs.shot.fps)
    if facts.rate and abs(facts.rate / fps - 1) > RATE_OFF:
        speed = round(facts.rate / fps, 4)
        values |= {"speed": speed, "frames": HOLD if abs(speed - round(speed)) < 1e-3 else MOTION}
        words.append(f"recorded at {facts.rate:.4g} pictures a second, the shot runs at {fps:.4g}")
    if abs(facts.pixel_aspect - 1) > SQUARE:
        values["aspect"] = round(facts.pixel_aspect, 4)
        words.append(f"its pixels are {facts.pixel_aspect:.4g} times as wide as high")
    return values, words


def _position(inputs: Inputs, params: ConformParams, frame: int) -> float:
    t = source_time(frame, params.first, params.speed)
    if params.repeats == "leave out":
        doubled = set(inputs.survey("plate").timing.doubled)
        kept = [n for n in range(1, inputs.shot.length + 1) if n not in doubled]
        t = without_repeats(t, kept)
    return t


def _at(inputs: Inputs, params: ConformParams, position: float) -> Array:
    low = int(np.floor(position + NEAR))
    share = position - low
    if share <= NEAR:
        return inputs.picture("plate", max(1, low))
    if params.frames == HOLD:
        return inputs.picture("plate", max(1, round(position)))
    a = inputs.picture("plate", low)
    try:
        b = inputs.picture("plate", low + 1)
    except UserError:
        return a  # the recording ends here
    return blended(a, b, share) if params.frames == BLEND else between(a, b, share)


def _sized(picture: Array, params: ConformParams, shot: Any) -> Array:
    if params.aspect != 1.0:
        width = max(1, round(picture.shape[1] * params.aspect))
        way = cv2.INTER_AREA if width < picture.shape[1] else cv2.INTER_CUBIC
        picture = np.asarray(cv2.resize(picture, (width, picture.shape[0]), interpolation=way))
    size = (shot.height, shot.width)
    if picture.shape[:2] == size:
        return picture
    by = (size[0] / picture.shape[0], size[1] / picture.shape[1])
    scale = {FILL: max(by), FIT: min(by), KEEP: 1.0}[params.size]
    shape = (picture.shape[0], picture.shape[1])
    return placed(np.ascontiguousarray(picture), placing_matrix(shape, size, 0, 0, scale, 0), size)
