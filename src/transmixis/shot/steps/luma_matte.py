"""Luma matte: takes an element off its black or white ground, or makes a matte from brightness, darkness or a sampled colour."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.build.over import join
from transmixis.core.errors import UserError
from transmixis.core.matte.ground import (
    brightness,
    found_ground,
    given_back,
    ground_alpha,
    like_colour,
    off_ground,
    ranged,
    rim_of,
    sampled_colour,
)
from transmixis.core.matte.measure import holes_reading
from transmixis.core.matte.specks import specks_reading
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte, Rgba
from transmixis.shot.contract import Analysis, Handle, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number

AUTO, BLACK, WHITE = "off its ground", "off black", "off white"
BRIGHT, DARK, COLOUR, AS_IS = "what is bright", "what is dark", "a sampled colour", "the picture is a matte"
LEARN_FROM = 6
BACK_LIMIT = 1.0  # 8-bit levels: what nobody sees
PRESS = "Press the colour that is wanted in the picture."
GRAINS = 4.0  # deviations of the ground's noise: what is fainter is ground
GROUNDS = (AUTO, BLACK, WHITE)
BY_COLOUR, BY_LIGHT = ("by", (COLOUR,)), ("by", (AUTO, BLACK, WHITE, BRIGHT, DARK, AS_IS))


class LumaMatteParams(Params):
    by: str = choice(
        AUTO, (AUTO, BLACK, WHITE, BRIGHT, DARK, COLOUR, AS_IS), "Takes",
        "Elements shot on black or white come off their ground exactly; else a matte is made from brightness, darkness or a colour.",
    )  # fmt: skip
    low: float = number(
        0.0,
        0.0,
        0.99,
        "",
        "Begins at",
        "Empty up to here. Raise it when a ground that is not quite black or white shows.",
        when=BY_LIGHT,
    )
    high: float = number(
        1.0, 0.01, 1.0, "", "Solid from", "Solid from here on. Lower it when a solid thing stays see-through.", when=BY_LIGHT
    )
    along: float = number(
        25.0,
        1.0,
        100.0,
        "ΔE",
        "Light and shade",
        "How much lighter or darker than the sampled colour still counts (CIELAB lightness).",
        step=1,
        when=BY_COLOUR,
    )
    across: float = number(
        12.0,
        1.0,
        80.0,
        "ΔE",
        "Colour",
        "How far in hue and strength from the sampled colour still counts.",
        step=1,
        when=BY_COLOUR,
    )
    soft: float = number(
        0.5, 0.02, 3.0, "×", "Soft", "How wide the edge of the colour's range is, in its tolerances.", step=0.05, when=BY_COLOUR
    )
    spots: tuple[tuple[float, float], ...] = hidden(())
    at: float = number(
        1, 1, 1_000_000, "frame", "Sampled at", "The frame in which the colour was pressed.", step=1, when=BY_COLOUR
    )


class LumaMatte(StepKind[LumaMatteParams]):
    kind, title, stage, product = "luma_matte", "Luma matte", "Matte", "picture"
    says = "makes a matte from light or colour"
    gives = ("picture", "matte")
    roles = ("cut out",)
    slots = (
        Slot("plate", "the element, or the plate", whole=True, usual=("plate:element", "plate:hero", "plate:any")),
        Slot("garbage", "a matte around what is wanted", takes="matte", optional=True, usual=()),
    )
    Params = LumaMatteParams
    full_chroma = True
    analyses = True
    analysis_params = ("by", "spots", "at")
    not_analysed = ("garbage",)
    positions = ("spots",)
    timeless = True
    tools = ("point",)

    def looks_at(self, slot: str, params: LumaMatteParams, pins: Any, frame: int, length: int) -> tuple[int, ...]:
        return ()

    def handles(self, inputs: Inputs, params: LumaMatteParams, frame: int) -> tuple[Handle, ...]:
        if params.by != COLOUR:
            return ()
        return (Handle("point", "spots", "Colour", PRESS, params.spots, here=frame == int(params.at)),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        return step.model_copy(
            update={"params": {**step.params, "spots": [[round(float(x), 1), round(float(y), 1)] for x, y in value], "at": frame}}
        )

    def analyse(self, inputs: Inputs, params: LumaMatteParams, progress: Progress) -> Analysis:
        """The ground's colour, or the sampled one."""
        if params.by == COLOUR:
            if not params.spots:
                raise UserError("No colour is sampled yet; show the plate and press the wanted colour in it.")
            frame = inputs.picture("plate", min(int(params.at), inputs.shot.length))[..., :3]
            return {"colour": np.median([sampled_colour(frame, x, y) for x, y in params.spots], axis=0).astype(np.float32)}
        if params.by not in GROUNDS:
            return {"colour": np.zeros(3, np.float32)}
        words = "looking for the ground"
        found = sampled(inputs.shot.length, LEARN_FROM, lambda n: inputs.picture("plate", n)[..., :3], progress, words)
        name, colour = found_ground(list(found.values()))
        if params.by == AUTO and name is None:
            raise UserError("The picture's rim is no plain black or white ground; choose what the matte is made from.")
        asked = {BLACK: "black", WHITE: "white"}.get(params.by, name)
        return {"colour": colour if name == asked else np.full(3, float(asked == "white"), np.float32)}

    def compute(self, inputs: Inputs, params: LumaMatteParams, frame: int) -> Product:
        picture = _cut(inputs.picture("plate", frame), params, inputs.analysis()["colour"])
        if inputs.has("garbage"):
            picture = picture * inputs.matte("garbage", frame)[..., None]
        return Product(picture=picture)

    def read(self, inputs: Inputs, params: LumaMatteParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        alpha = product.picture[..., 3]
        out = [specks_reading(alpha), holes_reading(alpha)]
        plate = inputs.picture("plate", frame)
        if params.by in GROUNDS and not _has_alpha(plate) and not inputs.has("garbage"):
            back = given_back(plate[..., :3], product.picture[..., :3], alpha, inputs.analysis()["colour"])
            out.insert(0, Reading("off its ground", back, "levels", BACK_LIMIT))
        return out

    def propose(self, inputs: Inputs, params: LumaMatteParams, progress: Progress) -> Proposal | None:
        """Where the ground's own noise ends."""
        if params.by not in GROUNDS:
            return None
        colour = inputs.analysis()["colour"]
        found = sampled(
            inputs.shot.length,
            LEARN_FROM,
            lambda n: ground_alpha(rim_of(inputs.picture("plate", n)[..., :3]), colour),
            progress,
            "measuring the ground",
        )
        rims = np.concatenate(list(found.values()))
        lower, middle = np.quantile(rims, [0.16, 0.5])
        low = round(
            float(middle + GRAINS * (middle - lower)), 3
        )  # told by the lower half, which an element that reaches the rim leaves alone
        if not 0.002 < low < 0.2 or abs(low - params.low) < 0.005:
            return None
        frames = list(found)
        now, then = (100 * float((rims > v).mean()) for v in (params.low, low))
        return Proposal(
            values={"low": low},
            reason=f"The ground is not quite plain: {now:.1f} % of its rim would show; from {low:.3f} on, {then:.1f} %.",
            gains="The ground's grain and glow do not come along.",
            costs=f"What is fainter than {100 * low:.1f} % goes with it.",
            frames=(frames[0], frames[-1]),
        )


def _has_alpha(plate: Array) -> bool:
    return plate.shape[2] == 4 and float(plate[..., 3].min()) < 1


def _cut(plate: Array, params: LumaMatteParams, colour: Array) -> Rgba:
    """The premultiplied element (h, w, 4). One with an alpha of its own keeps within it; from a ground it need not be taken any more."""
    own = np.ascontiguousarray(plate[..., 3]) if _has_alpha(plate) else None
    rgb = np.ascontiguousarray(plate[..., :3], np.float32)
    if params.by == AS_IS:
        alpha = ranged(rgb.mean(axis=2) if own is None else own, params.low, params.high)
        return join(np.repeat(alpha[..., None], 3, axis=2), alpha)
    if params.by in GROUNDS:
        if own is not None:
            return join(rgb, own)
        alpha = ranged(ground_alpha(rgb, colour), params.low, params.high)
        return join(off_ground(rgb, alpha, colour), alpha)
    alpha = _alpha(rgb, params, colour)
    return join(rgb * alpha[..., None], alpha if own is None else alpha * own)


def _alpha(rgb: Array, params: LumaMatteParams, colour: Array) -> Matte:
    """The matte of brightness, darkness or a colour."""
    if params.by == COLOUR:
        return ranged(like_colour(rgb, colour, params.along, params.across, params.soft), params.low, params.high)
    light = brightness(rgb)
    return ranged(light if params.by == BRIGHT else 1 - light, params.low, params.high)
