"""Shadow: what is added darkens the ground that it stands on, by the light's direction, in the colour of the plate's own shadows."""

from __future__ import annotations

import math
from datetime import date, datetime, timedelta, timezone
from typing import Any

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.light.shadow import (
    SUN,
    Cast,
    cast_of,
    contact,
    drawn_cast,
    foot_of,
    lies_along,
    shaded,
    shadow_colour,
    shadow_of,
    top_of,
)
from transmixis.core.plan.sun import Place, in_camera, shadow_bearing, sun_at
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte
from transmixis.shot.contract import Handle, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

BY_LIGHT, DRAWN = "by the light", "as drawn"
OFF_WAY = 10.0  # degrees: further apart, two shadows in one picture are seen to differ (as in the plan's question)
OFF_DARK = 10.0  # % of light that may be left more or less than in the plate's own shadows (judgement, docs/limits.md)
RING = 15  # px about the plate's own shadow in which its ground is lit
LINE = "Drag from where it stands to where the tip of its shadow lies."
Triple = tuple[float, float, float]


class ShadowParams(Params):
    line: tuple[tuple[float, float], ...] = hidden(())  # foot and tip, px
    by: str = choice(BY_LIGHT, (BY_LIGHT, DRAWN), "Falls", "By the light's direction, or along the line that is drawn.")
    points: float = number(
        30.0,
        -180,
        180,
        "°",
        "Points to",
        "Where the shadow points on the ground: 0 away from the camera, 90 to the right, 180 towards it.",
        step=1,
        when=("by", (BY_LIGHT,)),
    )
    elevation: float = number(
        40.0, 2, 89, "°", "Light's height", "How high the light stands over the ground.", step=1, when=("by", (BY_LIGHT,))
    )
    tilt: float = number(
        12.0, 1, 89, "°", "Looks down by", "How far the camera looks down on the ground there.", step=1, when=("by", (BY_LIGHT,))
    )
    across: float = number(
        SUN,
        0.0,
        60.0,
        "°",
        "Light is wide",
        "The Sun 0.5; a lamp as it looks from there, cloud tens of degrees.",
        step=0.1,
        when=("by", (BY_LIGHT,)),
    )
    soft: float = number(
        1.0, 0.0, 100.0, "%", "Edge widens by", "Of the height of what casts it.", step=0.5, when=("by", (DRAWN,))
    )
    density: float = number(1.0, 0.0, 1.0, "%", "Density", "How much of it is there.", percent=True)
    left: Triple = hidden((0.35, 0.40, 0.48))  # of each colour, in a whole shadow
    contact: float = number(6.0, 0.0, 200.0, "px", "Contact", "How far it is darkest where things touch.", step=1)
    contact_dark: float = number(0.5, 0.0, 1.0, "%", "Contact's dark", "How dark it is there.", percent=True)


class ShadowCast(StepKind[ShadowParams]):
    kind, title, stage, product = "shadow_cast", "Shadow", "Build", "picture"
    says = "lays the shadow of what is added on its ground"
    gives = ("picture", "matte")
    roles = ("result",)
    work = "place and match"
    slots = (
        Slot(
            "back",
            "the picture whose ground is darkened",
            ground=True,
            usual=("step:result", "step:mended", "plate:hero", "plate:any"),
        ),
        Slot("casts", "the matte of what casts it", takes="matte", usual=("step:subject", "step:cut out")),
        Slot("own", "a shadow that is in the plate, to be like it", takes="matte", optional=True, usual=()),
        Slot("off", "what it does not fall on", takes="matte", optional=True, many=True, usual=()),
    )
    Params = ShadowParams
    tools = ("line",)
    positions = ("line",)

    def handles(self, inputs: Inputs, params: ShadowParams, frame: int) -> tuple[Handle, ...]:
        return (Handle("line", "line", "Foot and tip", LINE, params.line[:2], here=bool(params.line)),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        line = rounded(value)
        return step.model_copy(update={"params": {**step.params, "line": line, "by": step.params.get("by", DRAWN)}})

    def compute(self, inputs: Inputs, params: ShadowParams, frame: int) -> Product:
        back = inputs.picture("back", frame)
        matte = inputs.matte("casts", frame)
        if matte.shape != back.shape[:2]:
            raise UserError("What casts the shadow has not the frame's size; place it first.")
        cast = cast_at(params, matte)
        if cast is None:
            return Product(picture=back, matte=np.zeros(matte.shape, np.float32), work=None)
        whole = shadow_of(matte, cast) * np.float32(params.density)
        dark = contact(matte, params.contact) * np.float32(params.contact_dark)
        shadow = 1 - (1 - whole) * (1 - dark)
        for m in (matte, *inputs.mattes("off", frame)):
            shadow = shadow * (1 - m)
        shadow = np.asarray(shadow, np.float32)
        return Product(picture=shaded(back, shadow, np.asarray(params.left)), matte=shadow, work=(cast, whole))

    def read(self, inputs: Inputs, params: ShadowParams, product: Product, frame: int) -> list[Reading]:
        names = (("off the plate's shadow", "°", OFF_WAY), ("off its darkness", "%", OFF_DARK))
        if product.work is None:
            return [Reading(n, None, u, limit, note="nothing casts a shadow here") for n, u, limit in names]
        if not inputs.has("own"):
            return [
                Reading(n, None, u, limit, note="no shadow of the plate is connected to compare with") for n, u, limit in names
            ]
        cast, _ = product.work
        own = inputs.matte("own", frame)
        along, found = lies_along(own), _own_colour(inputs, frame)
        way = math.degrees(math.atan2(-cast.down, cast.right)) % 180
        apart = None if along is None else abs((along - way + 90) % 180 - 90)
        out = [
            Reading(
                "off the plate's shadow",
                apart,
                "°",
                OFF_WAY,
                note="the plate's own lies along nothing"
                if apart is None
                else f"it lies along {way:.0f}°, the plate's along {along:.0f}°",
            )
        ]
        if found is None:
            return [
                *out,
                Reading("off its darkness", None, "%", OFF_DARK, note="its shadow or the lit ground beside it is too small"),
            ]
        left = 1 - params.density * (1 - np.asarray(params.left))
        off = 100 * float(np.abs(left - found).max())
        return [
            *out,
            Reading("off its darkness", off, "%", OFF_DARK, note="it leaves " + ", ".join(f"{100 * v:.0f} %" for v in left)),
        ]

    def propose(self, inputs: Inputs, params: ShadowParams, progress: Progress) -> Proposal | None:
        """The colour of the plate's own shadow, and the direction that the plan or that shadow tells."""
        values: dict[str, Any] = {}
        words: list[str] = []
        if inputs.has("own"):
            found = [
                c
                for c in sampled(
                    inputs.shot.length, 5, lambda n: _own_colour(inputs, n), progress, "looking at its shadows"
                ).values()
                if c is not None
            ]
            if found:
                left = np.median(found, axis=0)
                if np.abs(left - (1 - params.density * (1 - np.asarray(params.left)))).max() > 0.02:
                    values |= {"left": [round(float(v), 3) for v in left], "density": 1.0}
                    words.append(
                        "the plate's own shadow leaves " + ", ".join(f"{100 * v:.0f} %" for v in left) + " of red, green and blue"
                    )
        sun = _planned(inputs.shot.plan.get("shadow"))
        if sun is not None and (
            abs(params.points - sun[0]) > 0.5 or abs(params.elevation - sun[1]) > 0.5 or params.by != BY_LIGHT
        ):
            values |= {"by": BY_LIGHT, "points": round(sun[0], 1), "elevation": round(sun[1], 1), "across": SUN}
            words.append(f"by the plan the Sun stands {sun[1]:.0f}° high and shadows point to {sun[0]:.0f}°")
        if not values:
            return None
        reason = "; ".join(words)
        return Proposal(values, reason[0].upper() + reason[1:] + ".", gains="It is as dark and lies as the shadows beside it.")


def cast_at(params: ShadowParams, matte: Matte) -> Cast | None:
    """How the shadow falls at a frame; None where nothing casts one."""
    foot, top = foot_of(matte), top_of(matte)
    if foot is None or top is None:
        return None
    if params.line:
        foot = params.line[0]
    if params.by == DRAWN:
        if len(params.line) < 2:
            return None
        return drawn_cast(foot, params.line[1], top, params.soft / 100)
    s = math.radians(params.points)
    azimuth = math.degrees(math.atan2(-math.cos(s), -math.sin(s)))  # where the light comes from
    return cast_of(foot, azimuth, params.elevation, params.tilt, params.across)


def _own_colour(inputs: Inputs, frame: int) -> Array | None:
    own = inputs.matte("own", frame)
    plate = inputs.picture("back", frame)[..., :3]
    if own.shape != plate.shape[:2]:
        return None
    inside = cv2.erode((own > 0.9).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    near = cv2.dilate((own > 0.02).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    ring = (cv2.dilate(near.astype(np.uint8), np.ones((2 * RING + 1,) * 2, np.uint8)) > 0) & ~near
    if inputs.has("casts"):
        ring &= inputs.matte("casts", frame) < 0.02
    return shadow_colour(plate, inside, ring)


def _planned(plan: Any) -> tuple[float, float] | None:
    """Where the plan's first plate has shadows point to, and how high its light stands, degrees; None if it does not tell."""
    if not plan or plan.get("first_light", "the Sun") != "the Sun" or "first_hour" not in plan:
        return None
    try:
        day = date.fromisoformat(str(plan.get("first_day", "2026-05-09")))
        when = datetime(day.year, day.month, day.day, tzinfo=timezone(timedelta(hours=float(plan.get("zone", 1.0)))))
        when += timedelta(minutes=round(60 * min(float(plan["first_hour"]), 23.999)))
        sun = sun_at(Place(float(plan.get("latitude", 50.0)), float(plan.get("longitude", 8.0))), when)
    except (ValueError, TypeError, UserError):
        return None
    if sun.elevation < 2:
        return None
    return in_camera(shadow_bearing(sun.azimuth), float(plan.get("first_camera", 285.0))), sun.elevation
