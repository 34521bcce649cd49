"""Which screen colour?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from transmixis.core.errors import UserError
from transmixis.core.matte.measure import EVEN_LIMIT, SEPARATION_LIMIT
from transmixis.core.plan import screen as core
from transmixis.core.plan.cautions import ELECTRIC, HEAT, of_cloth
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, choice, hidden, number

REACH_LIMIT = 20.0  # %: the key takes what goes further into the screen for screen (see core.matte.keyer)
SPILL_LIMIT = 15.0  # % of what a surface at the outline sees: beyond it, rims must be painted (judgement)
LEVEL_LIMIT = 1.0  # stops that the screen may lie from the subject's mean (common practice)
BINS = np.linspace(-0.6, 1.2, 73)


class Measured(BaseModel):
    """A colour measured on a still: mean, packed covariance, size in px."""

    model_config = ConfigDict(extra="forbid", frozen=True)
    name: str = Field(max_length=60)
    rgb: tuple[float, float, float]
    spread: tuple[float, float, float, float, float, float]
    share: float = Field(default=1.0, gt=0)


class ScreenParams(Params):
    cloth: str = choice("green", tuple(core.CLOTHS), "Cloth", "The colour of the screen that is planned.")
    wide: float = number(3.0, 0.3, 40.0, "m", "Cloth, width", "As much of it as is lit and stands behind the subject.", step=0.1)
    high: float = number(2.4, 0.3, 20.0, "m", "Cloth, height", "As much of it as is lit.", step=0.1)
    distance: float = number(2.5, 0.1, 40.0, "m", "Behind subject", "From the subject back to the cloth.", step=0.1)
    level: float = number(
        0.0,
        -4.0,
        4.0,
        "stops",
        "Light on cloth",
        "Light on the cloth against the light on the subject; below zero less.",
        step=0.1,
    )
    uneven: float = number(
        0.8, 0.0, 5.0, "stops", "Uneven by", "From the dark to the bright parts of the cloth (5 to 95 %).", step=0.1
    )
    grain: float = number(
        1.5,
        0.2,
        12.0,
        "levels",
        "Grain",
        "Noise of the camera at middle grey, in steps of 255; more at a high sensitivity.",
        step=0.1,
    )
    colours: tuple[str, ...] = hidden(())
    measured: tuple[Measured, ...] = hidden(())
    measured_cloth: tuple[float, float, float, float] | None = hidden(None)  # colour, and its darkest 5 % over its median


@dataclass(frozen=True)
class Row:
    """One cloth: name, steps apart, the subject's differences as shares in BINS of the cloth's own, and its 95 %."""

    name: str
    steps: float
    shares: Array
    subject: float
    chosen: bool


@dataclass(frozen=True)
class ScreenDrawing:
    """A row a cloth, and what goes into the chosen one: name, per cent, colour (sRGB-linear)."""

    rows: tuple[Row, ...]
    reach: tuple[tuple[str, float, tuple[float, float, float]], ...]


class ScreenQuestion(Question):
    kind, title = "screen", "Which screen colour?"
    says = "Cloth must stand clear of everything before it: measured as the key will measure it."
    Params = ScreenParams

    def used(self, values: dict[str, Any]) -> set[str]:
        names = super().used(values)
        return names - {"level", "uneven"} if values.get("measured_cloth") else names

    def is_answered(self, shot: Shot) -> bool:
        said = shot.plan.get(self.kind, {})
        return bool(said.get("colours") or said.get("measured"))

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        swatches = swatches_of(p)
        if not swatches:
            return Answer("Not answered: choose what stands before the screen, or measure it on a still.", entries=())
        law = core.law_of_grain(p.grain)
        side = core.seen_from_the_side(p.wide, p.high, p.distance)
        found = {k: core.separation(swatches, k, _cloth(p, k), law, spill=_mean_spill(side)) for k in core.CLOTHS}
        own, cloth = found[p.cloth], _cloth(p, p.cloth)
        best = max(found, key=lambda k: (found[k].steps, k == p.cloth))
        trouble = [(n, 100 * v) for n, v in own.reach if 100 * v > REACH_LIMIT]
        worst = max((100 * v for _, v in own.reach), default=0.0)
        level = core.light_on_cloth(cloth.rgb, p.cloth) if p.measured_cloth else p.level
        far = core.distance_for_spill(p.wide, p.high, SPILL_LIMIT / 100 - 0.005)
        readings = (
            Reading("separation", own.steps, "steps", SEPARATION_LIMIT, "high", note="of the camera's noise, as the key reads it"),
            Reading("goes into the screen", worst, "%", REACH_LIMIT, note=f"{max(own.reach, key=lambda r: r[1])[0]}; beyond it, it keys through"),
            Reading("spill at the outline", 100 * side, "%", SPILL_LIMIT, note="of what a cheek or sleeve there sees is cloth"),
            Reading("light on the cloth", level, "stops", LEVEL_LIMIT, note="over the light on the subject; brighter it spills, darker it is noisy"),
            Reading("unevenness", -2 * math.log2(max(cloth.low, 1e-3)), "stops", EVEN_LIMIT),
        )  # fmt: skip
        return Answer(
            _words(p.cloth, own, trouble, best, further=found[best].steps > 1.15 * own.steps),
            readings,
            (
                *((f"{k} cloth", f"{f.steps:.1f} steps") for k, f in found.items()),
                ("spill under its limit from", f"{far:.1f} m"),
                ("the cloth on a back", f"{100 * core.seen_face_on(p.wide, p.high, p.distance):.0f} % of its view"),
            ),
            cautions=(
                *(f"{n[0].upper()}{n[1:]} goes {v:.0f} % into {p.cloth}: change it, cover it, or cut it by hand." for n, v in trouble),
                *(("Brass, glass and wet things mirror the cloth: tilt them, dull them, or keep the cloth small.",) if 100 * side > 8 else ()),
                HEAT, ELECTRIC, *of_cloth(p.wide, p.high),
            ),
            entries=(
                Entry(f"{p.cloth} cloth {p.wide:g} × {p.high:g} m, {p.distance:g} m behind", "room for hands and hair, little spill", setting=True),
                Entry("the cloth lit by itself, within a stop of the subject", f"no more than {EVEN_LIMIT:g} stops from dark to bright", True),
                Entry("a still of everybody in costume before the cloth", "measure it here before the day", True),
            ),
            proposal=_proposal(p, found, best, far, side, level),
            drawing=ScreenDrawing(tuple(_row(k, f, k == p.cloth) for k, f in found.items()), _reached(own, swatches)),
        )  # fmt: skip


def swatches_of(p: Any) -> tuple[core.Swatch, ...]:
    """What stands before the screen: measured colours, and common ones that were ticked."""
    common = [core.common_swatch(n) for n in p.colours]
    measured = [core.Swatch(m.name, m.rgb, m.spread, m.share) for m in p.measured]
    return core.shared(core.shared(tuple(measured)) + tuple(common))


def _cloth(p: Any, kind: str) -> core.Cloth:
    if p.measured_cloth and kind == p.cloth:
        r, g, b, low = p.measured_cloth
        return core.Cloth((r, g, b), low)
    return core.even_cloth(core.lit(core.CLOTHS[kind], p.level), p.uneven)


def _mean_spill(side: float) -> float:
    """Over the whole subject: what faces the camera gets none, the outline all; a third of it is outline (judgement)."""
    return side / 3


def _words(kind: str, own: core.Separation, trouble: list[tuple[str, float]], best: str, *, further: bool) -> str:
    if trouble:
        return f"{kind.capitalize()} will not hold: {', '.join(n for n, _ in trouble)} would key through."
    more = f"; {best} stands further" if best != kind and further else ""
    if own.steps < SEPARATION_LIMIT:
        return f"{kind.capitalize()} does not hold: {own.steps:.0f} steps of noise apart where {SEPARATION_LIMIT:g} are needed{more}."
    return f"{kind.capitalize()} stands {own.steps:.0f} steps of noise clear{more}."


def _proposal(p: Any, found: dict[str, core.Separation], best: str, far: float, side: float, level: float) -> PlanProposal | None:
    values: dict[str, Any] = {}
    why = []
    usual = best if best in ("green", "blue") else max(("green", "blue"), key=lambda k: found[k].steps)
    own = found[p.cloth]
    holds = own.steps >= SEPARATION_LIMIT and all(100 * v <= REACH_LIMIT for _, v in own.reach)
    if usual != p.cloth and not holds and not p.measured_cloth:
        values["cloth"] = usual
        why.append(f"{usual.capitalize()} stands {found[usual].steps:.0f} steps clear, {p.cloth} {own.steps:.0f}.")
    if 100 * side > SPILL_LIMIT and far <= 40:
        values["distance"] = far
        why.append(f"From {far:.1f} m an outline sees less than {SPILL_LIMIT:g} % of cloth.")
    if abs(level) > LEVEL_LIMIT and not p.measured_cloth:
        values["level"] = 0.0
        why.append("The cloth then gets the light that the subject gets, whatever the subject's own colours are.")
    return PlanProposal(values, " ".join(why)) if values else None


def _row(name: str, s: core.Separation, chosen: bool) -> Row:
    whole = max(s.screen, 1e-6)
    shares, _ = np.histogram(np.clip(s.levels / whole, BINS[0], BINS[-1]), BINS, weights=s.weights)
    return Row(name, s.steps, shares, s.subject / whole, chosen)


def _reached(s: core.Separation, swatches: tuple[core.Swatch, ...]) -> tuple[tuple[str, float, tuple[float, float, float]], ...]:
    return tuple((n, 100 * v, w.rgb) for (n, v), w in zip(s.reach, swatches, strict=True))


def measured_from(
    picture: Array, boxes: tuple[tuple[str, tuple[int, int, int, int]], ...], cloth: tuple[int, int, int, int] | None
) -> dict[str, Any]:
    """Inputs from boxes on a still (scene linear); `cloth` is the box on the cloth. Raises UserError for boxes too small."""
    if not boxes and cloth is None:
        raise UserError("Draw a box on something before the screen first.")
    out: dict[str, Any] = {
        "measured_cloth": None,
        "measured": [
            {
                "name": s.name,
                "rgb": [round(v, 6) for v in s.rgb],
                "spread": [round(v, 9) for v in s.spread],
                "share": round(s.share, 6),
            }
            for s in core.measured_boxes(picture, boxes)
        ],
    }
    if cloth is not None:
        x, y, w, h = cloth
        c = core.measured_cloth(np.asarray(picture[y : y + h, x : x + w], float))
        out["measured_cloth"] = [*(round(v, 6) for v in c.rgb), round(c.low, 5)]
    return out
