"""Lens and bars: darker corners, a trace of coloured fringe, grain once, and the bars of another format, the picture re-centred under them."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.match import Grade, apply_grade, measure_look
from transmixis.core.build.over import with_alpha
from transmixis.core.build.place import placed
from transmixis.core.finish.framing import barred, bars, fringed, vignetted
from transmixis.core.readings import Reading
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, number

FRINGE = 1.0  # px: a fringe under one is felt, a wider one seen (common practice)
GRAIN = 1.0  # levels off the plate's, as in Match
DARK = 1.5  # stops in the corner: a darker one looks like a hole (judgement, docs/limits.md)


class FrameParams(Params):
    aspect: float = number(
        0.0,
        0.0,
        10.0,
        ": 1",
        "Format",
        "Width over height of what is seen, 2.39 for wide; black bars hide the rest.",
        step=0.01,
        zero="as it is",
    )
    up: float = number(
        0.0,
        -5000,
        5000,
        "px",
        "Moved up",
        "Moves the picture under the bars, so that nobody's head is cut; below zero down.",
        step=1,
    )
    vignette: float = number(0.0, 0.0, 5.0, "stops", "Darker corners", "How dark the farthest corner becomes.", step=0.05)
    fringe: float = number(0.0, 0.0, 5.0, "px", "Fringe", "Red and blue apart from green in the corner; under 1 px.", step=0.05)
    grain: float = number(0.0, 0.0, 20.0, "levels", "Grain", "Over all, once, at the end.", step=0.1)


class LensAndBars(StepKind[FrameParams]):
    kind, title, stage, product = "lens_and_bars", "Lens and bars", "Build", "picture"
    says = "darkens corners, adds fringe, grain and bars"
    roles = ("result",)
    over_all = True
    slots = (
        Slot("picture", "the finished picture", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        Slot("like", "a plate whose grain it is to have", optional=True, usual=("plate:hero",)),
    )
    Params = FrameParams

    def compute(self, inputs: Inputs, params: FrameParams, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        size = (picture.shape[0], picture.shape[1])
        if params.up:
            top, bottom, _, _ = bars(size, params.aspect)
            by = float(np.clip(params.up, -bottom, top)) if params.aspect else params.up
            picture = placed(picture, np.array([[1, 0, 0], [0, 1, -by], [0, 0, 1.0]]), size, edge="carry")
        picture = fringed(vignetted(picture, params.vignette), params.fringe)
        if params.grain > 0:
            made = apply_grade(with_alpha(picture), Grade(grain=params.grain), frame)
            picture = made[..., : picture.shape[2]]
        clean = picture
        return Product(picture=barred(picture, params.aspect), work=clean)

    def read(self, inputs: Inputs, params: FrameParams, product: Product, frame: int) -> list[Reading]:
        top, bottom, _, _ = bars(product.work.shape[:2], params.aspect)
        room = top if params.up >= 0 else bottom
        out = [
            Reading("fringe", params.fringe, "px", FRINGE),
            Reading("corners", params.vignette, "stops", DARK),
            Reading(
                "moved too far",
                max(0.0, abs(params.up) - room) if params.aspect else abs(params.up),
                "px",
                0.5,
                note=f"the bars hide {room} px there",
            ),
        ]
        if not inputs.has("like"):
            return out
        looks = [measure_look(p[..., :3], np.ones(p.shape[:2], bool)) for p in (product.work, inputs.picture("like", frame))]
        if looks[0] is None or looks[1] is None:
            return [*out, Reading("grain", None, "levels", GRAIN, note="the frame is too small to read grain")]
        ours, theirs = looks[0].grain, looks[1].grain
        return [
            *out,
            Reading("grain", abs(ours - theirs), "levels", GRAIN, note=f"{ours:.2f} levels, the plate has {theirs:.2f}"),
        ]
