"""What shutter and frame rate?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.shutter import (
    FLICKERS,
    angle_for_blur,
    beat_seconds,
    blur_px,
    exposure_time,
    mains_flicker,
    pan_strobes,
    rolling_bands,
    safe_angles,
    safe_rates,
    sharp_moment,
    slow_motion,
    stops_against,
)
from transmixis.core.readings import FAULT, Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, choice, number

MOST_BLUR = 12.0  # px: a usual tracking box loses its feature (common practice, as in the survey)
CHANCE = 80.0  # %: less and the freeze may not be there

ROLLING, GLOBAL = "rolling shutter", "global shutter"
MAINS = {"50 Hz": 50.0, "60 Hz": 60.0, "none": 0.0}


class ShutterParams(Params):
    rate: float = number(24.0, 1.0, 1000.0, "/s", "Frame rate", "Pictures a second while filming.", step=1)
    angle: float = number(180.0, 1.0, 360.0, "°", "Shutter", "180° is open for half the time of a picture.", step=1)
    crossing: float = number(2.0, 0.1, 60.0, "s", "Crosses in", "How long the fastest thing takes across the frame.", step=0.1)
    swing: float = number(1.0, 0.1, 20.0, "s", "Swing", "Period of the movement whose turning point is to be frozen.", step=0.1)
    sharp: float = number(3.0, 0.5, 30.0, "px", "Sharp within", "Blur up to this many pixels passes for sharp.", step=0.5)
    mains: str = choice("50 Hz", ("50 Hz", "60 Hz", "none"), "Lights on", "Frequency of the mains that the lights hang on.")
    sensor: str = choice(ROLLING, (ROLLING, GLOBAL), "Sensor", "Nearly all cameras read their rows one after the other.")


@dataclass(frozen=True)
class ShutterDrawing:
    """Blur px, way a frame px, frame width px, seconds open and seconds of a picture."""

    blur: float
    step: float
    width: int
    open: float
    picture: float


class ShutterQuestion(Question):
    kind, title = "shutter", "What shutter and frame rate?"
    says = "How far things smear and move from picture to picture, whether one is sharp, whether lights flicker."
    Params = ShutterParams

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        speed = shot.width / p.crossing
        blur, mains = blur_px(speed, p.rate, p.angle), MAINS[p.mains]
        sharp = sharp_moment(speed, p.swing, p.rate, p.angle, p.sharp)
        shown = float(shot.fps)
        readings = readings_of(p, shot.width)
        stops = stops_against(p.rate, p.angle, shown, 180)
        rows = [
            ("open for", f"1/{1 / exposure_time(p.rate, p.angle):.0f} s"), ("way a picture", f"{speed / p.rate:.1f} px"),
            ("light against 180°", f"{stops:+.2f} stops".replace("-", "\u2212")),
        ]  # fmt: skip
        if p.rate > shown * 1.01:
            rows.append(("slow motion", f"{slow_motion(p.rate, shown):.2f} times slower"))
        if mains:
            angles = [a for a in safe_angles(p.rate, mains) if a <= 360]
            rows.append(("no flicker at", ", ".join(f"{a:g}°" for a in angles[-4:]) or "no angle at this rate"))
            rates = [r for r in safe_rates(mains) if 0.5 < r / p.rate < 1.5]
            rows.append(("or at", ", ".join(f"{r:.4g} /s" for r in rates) or "no rate near this one"))
        return Answer(
            f"Blur of {blur:.0f} px, {speed / p.rate:.0f} px from picture to picture; a sharp moment in {100 * sharp.chance:.0f} % of tries.",
            readings, tuple(rows),
            cautions=("Short shutters take light: lamps brighter or nearer run hotter; keep guards on and cloth away.",) if stops < -1.5 else (),
            entries=(Entry(f"{p.rate:g} pictures a second, shutter {p.angle:g}°", "note it beside the take", setting=True),),
            proposal=_proposal(p, shot.width), drawing=ShutterDrawing(blur, speed / p.rate, shot.width, exposure_time(p.rate, p.angle), 1 / p.rate),
        )  # fmt: skip


def readings_of(p: Any, width: int) -> tuple[Reading, ...]:
    """What a rate and a shutter do in a frame of `width` px."""
    speed, mains = width / p.crossing, MAINS[p.mains]
    sharp = sharp_moment(speed, p.swing, p.rate, p.angle, p.sharp)
    flicker = mains_flicker(p.rate, p.angle, mains) if mains else 0.0
    bands = rolling_bands(p.rate, p.angle, mains) if mains and p.sensor == ROLLING else 0.0
    beat = beat_seconds(p.rate, mains) if mains else math.inf
    over = f"over a beat of {beat:.1f} s" if beat < 1000 else "in this take" if flicker else "every picture sees the same phase"
    return (
        Reading("blur", blur_px(speed, p.rate, p.angle), "px", MOST_BLUR, note="of what moves fastest"),
        Reading("sharp moment", 100 * sharp.chance, "%", CHANCE, better="high", note="chance of a frame to freeze"),
        Reading(
            "flicker",
            100 * flicker,
            "%",
            100 * FLICKERS,
            note=f"of lights that go dark between pulses, from peak to peak, {over}",
        ),
        Reading("bands", 100 * bands, "%", 100 * FLICKERS, note="between the rows of one picture, from peak to peak"),
        Reading(
            "strobing", pan_strobes(p.crossing, p.rate), "× usual", 1.0, note="a pan across in less than 7 s is seen as steps"
        ),
    )


def _proposal(p: Any, width: int) -> PlanProposal | None:
    """The rate and angle nearest to what is set that mend most of what is over its limit and make none of it worse."""
    now = {r.name: r for r in readings_of(p, width)}
    faults = {n for n, r in now.items() if r.state == FAULT}
    if not faults:
        return None
    best: tuple[float, Any, dict[str, Reading]] | None = None
    for rate, angle in _candidates(p, width, rates=bool(faults & {"flicker", "bands"})):
        q = p.model_copy(update={"rate": rate, "angle": angle})
        then = {r.name: r for r in readings_of(q, width)}
        over = {n for n, r in then.items() if r.state == FAULT}
        worse = any((then[n].ratio or 0) > (now[n].ratio or 0) * 1.001 for n in faults)
        if worse or over - faults or not faults - over:
            continue
        cost = 100 * len(over) + 20 * abs(math.log2(rate / p.rate)) + abs(math.log2(angle / p.angle))
        if best is None or cost < best[0]:
            best = (cost, q, then)
    if best is None:
        return None
    _, q, then = best
    values = {k: getattr(q, k) for k in ("rate", "angle") if abs(getattr(q, k) - getattr(p, k)) > 1e-6}
    what = " and ".join(f"{v:.4g}{'°' if k == 'angle' else ' pictures a second'}" for k, v in values.items())
    mended = ", ".join(f"{n} {_told(now[n])} becomes {_told(then[n])}" for n in now if n in faults and then[n].state != FAULT)
    left = [n for n in now if n in faults and then[n].state == FAULT]
    return PlanProposal(values, f"At {what}: {mended}{f'; {_both(left)} over the limit still' if left else ''}.")


def _told(r: Reading) -> str:
    return f"{r.value:.3g} {r.unit}"


def _both(names: list[str]) -> str:
    return f"{', '.join(names)} {'is' if len(names) == 1 else 'are'}"


def _candidates(p: Any, width: int, *, rates: bool) -> list[tuple[float, float]]:
    """Rates and angles as they could be set, rounded as they are shown."""
    mains = MAINS[p.mains]
    safe = [round(r, 3) for r in safe_rates(mains) if 0.5 < r / p.rate < 1.5 and 1 <= r <= 1000] if rates and mains else []
    near = [p.rate, *safe]
    out = []
    for rate in near:
        widest = float(int(angle_for_blur(width / p.crossing, rate, MOST_BLUR)))
        angles = [p.angle, widest, *(safe_angles(rate, mains) if mains else [])]
        out += [(rate, round(a, 2)) for a in angles if 1 <= a <= 360]
    return out
