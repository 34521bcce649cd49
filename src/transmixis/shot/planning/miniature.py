"""How fast must the miniature run?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.cautions import ELECTRIC, FIRE, HEAT, WATER, of_height, of_motion
from transmixis.core.plan.miniature import DEBRIS_SCALE, FIRE_SCALE, WATER_SCALE, apparent_scale, filmed, stop_motion
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, Question
from transmixis.shot.steps.params import Params, choice, number

LIMITS = {"nothing that flows": 1000.0, "water": WATER_SCALE, "fire or smoke": FIRE_SCALE, "debris": DEBRIS_SCALE}
RATES_APART = 10.0  # %: two models in one take share one film rate; further apart, one of them floats or jerks (judgement)
FASTEST = 240.0  # pictures a second: what cheap cameras do at full size


class MiniatureParams(Params):
    real: float = number(12.0, 0.1, 1000.0, "m", "Looks", "How large the thing is to look.", step=0.5)
    model: float = number(1.0, 0.01, 100.0, "m", "Model", "How large the model is.", step=0.05)
    distance: float = number(30.0, 0.5, 2000.0, "m", "Camera away", "How far the camera would stand in the real scene.", step=1)
    speed: float = number(0.0, 0.0, 100.0, "m/s", "Camera moves", "How fast it would move there.", step=0.1)
    stop: float = number(2.0, 0.5, 16.0, "", "Stop there, f/", "The stop whose focus the model is to have.", step=0.1)
    flows: str = choice("nothing that flows", tuple(LIMITS), "Contains", "What cannot be made small.")
    other_real: float = number(
        0.0, 0.0, 1000.0, "m", "Another looks", "How large a second thing in the shot is to look; 0 is none.", step=0.5
    )
    other_model: float = number(0.3, 0.01, 100.0, "m", "Its model", "How large that one's model is.", step=0.05)
    seconds: float = number(4.0, 0.1, 600.0, "s", "Length", "How long it is on screen; for stop motion.", step=0.5)


@dataclass(frozen=True)
class MiniatureDrawing:
    """Scale (1 : n), the model's size and distance against the real ones (m)."""

    scale: float
    model: float
    real: float
    near: float
    far: float


class MiniatureQuestion(Question):
    kind, title = "miniature", "How fast must the miniature run?"
    says = "What falls, splashes or sways looks large when time is stretched by the square root of the scale."
    Params = MiniatureParams

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        scale = max(1.0, apparent_scale(p.real, p.model))
        shown = float(shot.fps)
        m = filmed(scale, shown, p.distance, p.speed, p.stop)
        work = stop_motion(p.seconds, shown, 1)
        limit = LIMITS[p.flows]
        other = _other(p, scale)
        readings = (
            Reading("film rate", m.rate, "/s", FASTEST, note="more than usual cameras do at full size"),
            Reading("scale", scale, ": 1", limit, note=f"{p.flows}: beyond it drops, flames or grains look too large"),
            Reading("f-number", m.stop, "", 22.0, note="beyond it the lens itself softens"),
            *other.readings,
        )
        cautions = {"water": (WATER,), "fire or smoke": (FIRE,)}.get(p.flows, ()) + ((HEAT, ELECTRIC) if m.stop > 11 else ())
        cautions += of_height(p.model) + of_motion(m.speed)
        return Answer(
            f"{m.rate:.0f} frames a second for 1 : {scale:.3g}, from {m.distance:.2f} m at f/{m.stop:.1f}.",
            readings,
            (
                ("scale", f"1 : {scale:.3g}"), ("film at", f"{m.rate:.1f} / s"), ("camera at", f"{m.distance:.2f} m"),
                ("moves at", f"{m.speed:.2f} m/s"), ("stop", f"f/{m.stop:.1f}"),
                *other.rows,
                ("or in stop motion", f"{work.positions} positions, {work.hours:.1f} h, {work.days:.1f} days"),
            ),
            cautions=cautions,
            entries=(
                Entry(f"model 1 : {scale:.3g} at {m.rate:.0f} pictures a second", "motion looks heavy only then", setting=True),
                Entry(f"camera {m.distance:.2f} m away, f/{m.stop:.1f}", "perspective and focus as at full size", True, True),
            ),
            drawing=MiniatureDrawing(scale, p.model, p.real, m.distance, p.distance),
        )  # fmt: skip


@dataclass(frozen=True)
class _Other:
    """What a second model in the shot adds."""

    readings: tuple[Reading, ...] = ()
    rows: tuple[tuple[str, str], ...] = ()


def _other(p: Any, scale: float) -> _Other:
    """The second model: it stands where it looks right, as far off as its own scale says, and shares the first one's film rate."""
    if p.other_real <= 0:
        return _Other()
    own = max(1.0, apparent_scale(p.other_real, p.other_model))
    apart = 100 * abs((own / scale) ** 0.5 - 1)
    return _Other(
        (Reading("rates apart", apart, "%", RATES_APART, note="of what the two models ask for; film them apart beyond it"),),
        (("the other", f"1 : {own:.3g}, {p.distance / own:.2f} m off"),),
    )
