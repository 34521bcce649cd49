"""What shutter and frame rate?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.shutter import (
    FLICKERS,
    angle_for_blur,
    blur_px,
    exposure_time,
    mains_flicker,
    pan_strobes,
    safe_angles,
    sharp_moment,
    slow_motion,
    stops_against,
)
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, choice, number

MOST_BLUR = 12.0  # px: a usual tracking box loses its feature (common practice, as in the survey)
CHANCE = 80.0  # %: less and the freeze may not be there


class ShutterParams(Params):
    rate: float = number(24.0, 1.0, 1000.0, "/s", "Frame rate", "Pictures a second while filming.", step=1)
    angle: float = number(180.0, 1.0, 360.0, "°", "Shutter", "180° is open for half the time of a picture.", step=1)
    crossing: float = number(2.0, 0.1, 60.0, "s", "Crosses in", "How long the fastest thing takes across the frame.", step=0.1)
    swing: float = number(1.0, 0.1, 20.0, "s", "Swing", "Period of the movement whose turning point is to be frozen.", step=0.1)
    sharp: float = number(3.0, 0.5, 30.0, "px", "Sharp within", "Blur up to this many pixels passes for sharp.", step=0.5)
    mains: str = choice("50 Hz", ("50 Hz", "60 Hz", "none"), "Lights on", "Frequency of the mains that the lights hang on.")


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
        blur = blur_px(speed, p.rate, p.angle)
        sharp = sharp_moment(speed, p.swing, p.rate, p.angle, p.sharp)
        mains = {"50 Hz": 50.0, "60 Hz": 60.0, "none": 0.0}[p.mains]
        flicker = mains_flicker(p.rate, p.angle, mains) if mains else 0.0
        shown = float(shot.fps)
        readings = (
            Reading("blur", blur, "px", MOST_BLUR, note="of what moves fastest"),
            Reading("sharp moment", 100 * sharp.chance, "%", CHANCE, better="high", note="chance of a frame to freeze"),
            Reading("flicker", 100 * flicker, "%", 100 * FLICKERS, note="of lights on the mains, from picture to picture"),
            Reading(
                "strobing", pan_strobes(p.crossing, p.rate), "× usual", 1.0, note="a pan across in less than 7 s is seen as steps"
            ),
        )
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
        return Answer(
            f"Blur of {blur:.0f} px, {speed / p.rate:.0f} px from picture to picture; a sharp moment in {100 * sharp.chance:.0f} % of tries.",
            readings, tuple(rows),
            cautions=("Short shutters take light: lamps brighter or nearer run hotter; keep guards on and cloth away.",) if stops < -1.5 else (),
            entries=(Entry(f"{p.rate:g} pictures a second, shutter {p.angle:g}°", "note it beside the take", False),),
            proposal=_proposal(p, speed, mains), drawing=ShutterDrawing(blur, speed / p.rate, shot.width, exposure_time(p.rate, p.angle), 1 / p.rate),
        )  # fmt: skip


def _proposal(p: Any, speed: float, mains: float) -> PlanProposal | None:
    """An angle that keeps the blur in bounds and, where lights pulse, is open for whole pulses."""
    widest = angle_for_blur(speed, p.rate, MOST_BLUR)
    flickers = mains > 0 and mains_flicker(p.rate, p.angle, mains) > FLICKERS
    if p.angle <= widest and not flickers:
        return None
    steady = [a for a in (safe_angles(p.rate, mains) if mains else []) if a <= widest]
    if flickers and not steady:
        near = min(safe_angles(p.rate, mains) or [p.angle], key=lambda a: abs(a - p.angle))
        if abs(near - p.angle) < 0.05:
            return None
        return PlanProposal({"angle": near}, f"At {near:g}° the lights do not flicker; the blur stays over {MOST_BLUR:g} px.")
    angle = steady[-1] if steady else float(int(widest))
    if angle < 1:
        return None
    why = " and the lights do not flicker" if steady else ""
    return PlanProposal({"angle": angle}, f"At {angle:g}° the blur is {blur_px(speed, p.rate, angle):.0f} px{why}.")
