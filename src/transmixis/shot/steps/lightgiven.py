"""Light given: what a glowing thing adds to what stands near it, from its own pixels on each frame; it begins and ends with the thing."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.codes import to_codes
from transmixis.core.colour.curves import luminance
from transmixis.core.light.flicker import CHANGES, flicker
from transmixis.core.light.lamp import Source, given, inflated, irradiance, source_of
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte
from transmixis.shot.contract import Effect, Handle, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

ROUNDED, FLAT = "rounded as their outline", "flat"
SHORT = (
    35.0  # % less light than the thing's own pixels ask for: the surroundings look unlit beside it (judgement, docs/limits.md)
)
PLACE = "Press where the light comes from; until then it is the middle of what glows."


class LightParams(Params):
    lamp: tuple[tuple[float, float], ...] = hidden(())
    strength: float = number(
        1.0,
        0.0,
        100.0,
        "×",
        "Strength",
        "Of the light that the thing's own pixels have; a burnt-out flame has more than it shows.",
        step=0.1,
    )
    ahead: float = number(
        60.0, 1.0, 5000.0, "px", "Before them", "How far before what it lights the thing is, in pixels there.", step=5
    )
    forms: str = choice(ROUNDED, (ROUNDED, FLAT), "Forms", "What stands near is rounded as its outline is, or flat as a wall.")
    reach: float = number(0.0, 0.0, 5000.0, "px", "Reach", "No light comes farther.", step=10, zero="as far as it goes")
    depth: float = number(
        0.0,
        0.0,
        1.0,
        "%",
        "Flickers by",
        "To either side; flames about 15 %. What flickers in the picture itself does so anyway.",
        percent=True,
    )
    changes: float = number(
        CHANGES, 0.1, 60.0, "a second", "Changes", "How often it flickers; flames about 4 times a second.", step=0.5
    )
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number flickers otherwise.", step=1)


class LightGiven(StepKind[LightParams]):
    kind, title, stage, product = "light_given", "Light given", "Build", "picture"
    says = "lights what stands near a thing that glows"
    roles = ("result",)
    over_all = True
    lights = "glows"
    slots = (
        Slot("back", "the picture that is lit", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        Slot("glows", "what glows, as it lies in the frame", usual=("plate:element",)),
        Slot("where", "the glowing thing's matte, if its picture holds more than it", takes="matte", optional=True, usual=()),
        Slot("near", "what stands near", takes="matte", optional=True, many=True, usual=("step:cut out",)),
        Slot("away", "what lies behind and stays as it is", takes="matte", optional=True, many=True, usual=()),
    )
    Params = LightParams
    tools = ("point",)
    positions = ("lamp",)

    def handles(self, inputs: Inputs, params: LightParams, frame: int) -> tuple[Handle, ...]:
        return (Handle("point", "lamp", "Lamp", PLACE, params.lamp[:1], here=bool(params.lamp)),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        at = rounded(value)
        return step.model_copy(update={"params": {**step.params, "lamp": at}})

    def compute(self, inputs: Inputs, params: LightParams, frame: int) -> Product:
        back = inputs.picture("back", frame)
        source = _source(inputs, params, frame)
        lit, near = _lit(inputs, params, source, back, frame)
        factor = params.strength * flicker((frame - 1) / float(inputs.shot.fps), params.changes, params.depth, int(params.seed))
        added = given(back, source, lit, factor)
        out = np.array(back, np.float32)
        out[..., :3] += added
        return Product(picture=out, work=(source, near, added))

    def read(self, inputs: Inputs, params: LightParams, product: Product, frame: int) -> list[Reading]:
        source, near, added = product.work
        if source.dark:
            note = "nothing glows here"
            return [Reading("light short", None, "%", SHORT, note=note)]
        back = inputs.picture("back", frame)
        short, levels, spot = _short(params, source, back, near, added)
        if short is None:
            return [Reading("light short", None, "%", SHORT, note="nothing stands near enough to be lit by a level")]
        return [
            Reading("light short", short, "%", SHORT, spot=spot, note=f"adds {levels:.1f} levels of 8 bit where it is strongest")
        ]

    def propose(self, inputs: Inputs, params: LightParams, progress: Progress) -> Proposal | None:
        """As much as the thing's own pixels ask for, where it gives less."""

        def short(n: int, tried: LightParams) -> float | None:
            source, near, added = self.compute(inputs, tried, n).work
            return None if source.dark else _short(tried, source, inputs.picture("back", n), near, added)[0]

        seen = sampled(inputs.shot.length, 6, lambda n: short(n, params), progress, "looking at its light")
        found = {n: v for n, v in seen.items() if v is not None}
        if not found or max(found.values()) < SHORT or params.strength >= 1:
            return None
        n = max(found, key=lambda k: found[k])
        then = short(n, params.model_copy(update={"strength": 1.0}))
        if then is None or then >= found[n]:
            return None
        return Proposal(
            {"strength": 1.0},
            f"What glows sends out more than it gives: at frame {n} its surroundings lack {found[n]:.0f} % of the light that its own pixels ask for.",
            (Effect("light short", found[n], then, "%", SHORT),),
            gains="It lights what stands near.",
        )


def _source(inputs: Inputs, params: LightParams, frame: int) -> Source:
    picture = inputs.picture("glows", frame)
    light = picture[..., :3]
    if inputs.has("where"):
        light = light * inputs.matte("where", frame)[..., None]
    found = source_of(light)
    if params.lamp:
        return Source(*params.lamp[0], found.power)
    return found


def _lit(inputs: Inputs, params: LightParams, source: Source, back: Array, frame: int) -> tuple[Array, Matte]:
    """(h, w) the light that comes to each place, and (h, w) where it may."""
    size = (back.shape[0], back.shape[1])
    near: Matte = np.ones(size, np.float32)
    mattes = inputs.mattes("near", frame)
    if mattes:
        near = np.maximum.reduce(mattes)
    form = inflated(near) if mattes and params.forms == ROUNDED else None
    for m in inputs.mattes("away", frame):
        near = near * (1 - m)
    if params.reach > 0:
        yy, xx = np.mgrid[0 : size[0], 0 : size[1]] + 0.5
        t = np.clip(1 - np.hypot(xx - source.x, yy - source.y) / params.reach, 0, 1)
        near = near * (t * t * (3 - 2 * t)).astype(np.float32)
    return irradiance(source, params.ahead, size, form) * near, np.asarray(near, np.float32)


def _short(
    params: LightParams, source: Source, back: Array, near: Matte, added: Array
) -> tuple[float | None, float, tuple[int, int, int, int] | None]:
    """% of the light that its pixels ask for which is not given, where they ask for most; what it adds there in levels; and where. None where they ask for less than a level."""
    whole = given(back, source, irradiance(source, params.ahead, near.shape, None) * (near > 0.5), 1.0)
    asked = luminance(whole)
    i = int(np.argmax(asked))
    y, x = divmod(i, asked.shape[1])
    levels = 255 * float(
        (to_codes(back[y : y + 1, x : x + 1, :3] + whole[y : y + 1, x : x + 1]) - to_codes(back[y : y + 1, x : x + 1, :3])).max()
    )
    if levels < 1:
        return None, levels, None
    top = asked > 0.5 * asked.flat[i]
    got, want = float(luminance(added)[top].sum()), float(asked[top].sum())
    yy, xx = np.nonzero(top)
    spot = (int(xx.min()), int(yy.min()), int(np.ptp(xx)) + 1, int(np.ptp(yy)) + 1)
    strongest = 255 * float((to_codes(back[..., :3][top][None] + added[top][None]) - to_codes(back[..., :3][top][None])).max())
    return 100 * max(0.0, 1 - got / want), strongest, spot
