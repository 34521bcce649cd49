"""Loop: an element that goes on as long as the shot does, its end going over into its beginning so that nobody sees where."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.build.crossing import BANDS, WAYS
from transmixis.core.build.loop import STEP, Loop, LoopRead, best_loop, frame_of, loop_readings, loop_steps, small_of
from transmixis.core.errors import UserError
from transmixis.core.plot import Action, Limit, Plot, Stills, Trace
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Analysis, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.steps.counted import count_of
from transmixis.shot.steps.cues import amounts
from transmixis.shot.steps.params import Params, number

LOOKED_AT = 24  # frames at which its plot tells how much of it is there


class LoopParams(Params):
    first: float = number(1, 1, 1_000_000, "frame", "From frame", "The element's first frame that may be used.", step=1)
    last: float = number(
        0, 0, 1_000_000, "frame", "To frame", "The element's last frame that may be used.", step=1, zero="its end"
    )
    length: float = number(
        0, 0, 1_000_000, "frames", "Length", "Frames until it begins again; 0 for the best that there is.", step=1, zero="best"
    )
    blend: float = number(
        0,
        0,
        200,
        "frames",
        "Blend",
        "Frames in which its end goes over into its beginning; 0 for as many as are best.",
        step=1,
        zero="best",
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
    version = 2
    Params = LoopParams
    analyses = True
    analysis_params = ("first", "last", "length", "blend")
    keeps_time = False
    other_frames = True
    plots = "whole"

    def looks_at(self, slot: str, params: LoopParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return None  # which frames are shown follows from all of them

    def analyse(self, inputs: Inputs, params: LoopParams, progress: Progress) -> Analysis:
        count = _count(inputs)
        last = min(int(params.last) or count, count)

        def codes(n: int) -> Array:
            return to_codes(inputs.picture("plate", n))

        loop, read = best_loop(
            codes,
            int(params.first),
            last,
            progress,
            int(params.length) or None,
            int(params.blend) or None,
        )
        cut = np.array([loop.first, loop.last, loop.blend, WAYS.index(loop.way), last - int(params.first) + 1])
        steps = loop_steps(loop, lambda n: small_of(codes(n)))
        ends = np.stack([from_codes(small_of(frame_of(loop, codes, n)))[..., :3] for n in (loop.length, 1)])
        few = sorted(set(np.linspace(1, loop.length, LOOKED_AT).round().astype(int).tolist()))
        there = amounts(lambda n: from_codes(frame_of(loop, lambda k: small_of(codes(k)), n)), few)
        amount = np.interp(np.arange(1, loop.length + 1), few, [there[n] for n in few])
        return {
            "amount": amount,
            "cut": cut,
            "read": np.array([read.seam, read.step, read.contrast, read.detail]),
            "steps": steps,
            "ends": ends,
        }

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

    def plot(self, inputs: Inputs, params: LoopParams, frame: int) -> Plot | None:
        """What it does over the shot, with its seams; its steps over the loop, the last one that of the seam; and the two frames at it."""
        a = inputs.analysis_if_there()
        if a is None:
            return None
        loop = _loop(a)
        tip = "How much of it is there in each frame of the shot, time downwards; drag a seam to have it elsewhere. At the right how far each frame of the loop is from the next, the last from the first, over the usual step, and the two frames at the seam."
        steps = Trace("steps, times usual", a["steps"], STEP, floor=True, top=2.0)
        ends = Stills("at the seam", tuple(a["ends"]), (f"frame {loop.length}", "frame 1"), lines=False)
        words = f"Frames {loop.first} to {loop.last} of the element, {loop.length} in all; {loop.blend} of them go over into those before."
        return Plot("The loop", tip, (_action(inputs, params, loop, a["amount"]), steps, ends), words)


def _action(inputs: Inputs, params: LoopParams, loop: Loop, amount: Array) -> Action:
    """The loop over the shot's frames; its seams are where it goes over into its beginning, or the step to its first frame."""
    length = inputs.shot.length
    ring = (np.arange(length) + int(params.start)) % loop.length  # 0: its first frame
    first = loop.length - max(loop.blend, 1)
    runs = np.flatnonzero(np.diff(np.concatenate([[0], (ring >= first).astype(int), [0]])))
    seams = tuple((int(p) + 1, int(q)) for p, q in zip(runs[::2], runs[1::2], strict=True))
    slides = Limit("start", float(int(params.start) % loop.length), 0.0, float(loop.length - 1))
    cues = tuple((c.frame, c.name) for c in inputs.shot.cues)
    return Action("none to all of it", amount[ring], seams=seams, slides=slides, cues=cues)


def _count(inputs: Inputs) -> int:
    """The element's frames: those of its file, else the shot's."""
    count = count_of(inputs, "plate")
    if count < 2:
        raise UserError("A still has no end that could be seen: it needs no loop. Place it as it is.")
    return count


def _loop(a: Analysis) -> Loop:
    first, last, blend, way, _ = (int(v) for v in a["cut"])
    return Loop(first, last, blend, WAYS[way] if blend else BANDS)
