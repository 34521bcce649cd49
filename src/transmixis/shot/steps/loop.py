"""Loop: an element that goes on as long as the shot does, its end going over into its beginning so that nobody sees where."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.build.crossing import BANDS, WAYS
from transmixis.core.build.loop import Loop, LoopRead, best_loop, frame_of, loop_readings
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.shot.contract import Analysis, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number


class LoopParams(Params):
    first: float = number(1, 1, 1_000_000, "frame", "From frame", "The element's first frame that may be used.", step=1)
    last: float = number(
        0, 0, 1_000_000, "frame", "To frame", "The element's last frame that may be used; 0 for its end.", step=1
    )
    length: float = number(
        0, 0, 1_000_000, "frames", "Length", "Frames until it begins again; 0 for the best that there is.", step=1
    )
    blend: float = number(
        0, 0, 200, "frames", "Blend", "Frames in which its end goes over into its beginning; 0 for as many as are best.", step=1
    )
    start: float = number(
        0,
        0,
        1_000_000,
        "frames",
        "Begins at",
        "Frames of the loop that are over at the shot's first frame: several loops of one element, each begun elsewhere, do not move alike.",
        step=1,
    )


class LoopStep(StepKind[LoopParams]):
    kind, title, stage, product = "looping", "Loop", "Build", "picture"
    says = "makes an element go on without a seam"
    slots = (Slot("plate", "the element", whole=True),)
    Params = LoopParams
    analyses = True
    analysis_params = ("first", "last", "length", "blend")
    keeps_time = False
    other_frames = True

    def looks_at(self, slot: str, params: LoopParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return None  # which frames are shown follows from all of them

    def analyse(self, inputs: Inputs, params: LoopParams, progress: Progress) -> Analysis:
        count = _count(inputs)
        last = min(int(params.last) or count, count)
        loop, read = best_loop(
            lambda n: to_codes(inputs.picture("plate", n)),
            int(params.first),
            last,
            progress,
            int(params.length) or None,
            int(params.blend) or None,
        )
        cut = np.array([loop.first, loop.last, loop.blend, WAYS.index(loop.way), last - int(params.first) + 1])
        return {"cut": cut, "read": np.array([read.seam, read.step, read.contrast, read.detail])}

    def compute(self, inputs: Inputs, params: LoopParams, frame: int) -> Product:
        loop = _loop(inputs.analysis())
        n = (frame - 1 + int(params.start)) % loop.length + 1
        shown, into, _ = loop.sources(n)
        if not into:
            return Product(picture=inputs.picture("plate", shown), work=n)
        return Product(picture=from_codes(frame_of(loop, lambda k: to_codes(inputs.picture("plate", k)), n)), work=n)

    def read(self, inputs: Inputs, params: LoopParams, product: Product, frame: int) -> list[Reading]:
        a = inputs.analysis()
        loop, read = _loop(a), LoopRead(*(float(v) for v in a["read"]))
        out = loop_readings(read, loop, int(a["cut"][4]))
        shown, into, share = loop.sources(int(product.work))
        words = f"shows frame {shown}" + (f", {100 * share:.0f} % frame {into}" if into else "")
        return [replace(out[0], note=f"{words} of the element; {out[0].note}"), *out[1:]]


def _count(inputs: Inputs) -> int:
    """The element's frames: those of its file, else the shot's."""
    facts = inputs.facts("plate")
    count = inputs.shot.length if facts is None else facts.count
    if count < 2:
        raise UserError("A still has no end that could be seen: it needs no loop. Place it as it is.")
    return count


def _loop(a: Analysis) -> Loop:
    first, last, blend, way, _ = (int(v) for v in a["cut"])
    return Loop(first, last, blend, WAYS[way] if blend else BANDS)
