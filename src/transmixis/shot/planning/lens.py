"""Which lens, how far?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.lens import circle_for, depth_of_field, distance_for_growth, field_of_view, growth, size_px
from transmixis.core.readings import FAULT, Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, choice, number

GROWS = 10.0  # %: a cut-out moved across the frame that should have grown by more looks pasted (judgement)
WHOLE = 100.0  # %: what is larger does not fit (geometry)
FITS = 0.95  # of the frame: what a proposal leaves the subject
ENLARGED = 25.0  # %: common practice for material beside untouched material


class LensParams(Params):
    focal: float = number(35.0, 4.0, 400.0, "mm", "Focal length", "The lens's own focal length.", step=1)
    sensor: float = number(24.0, 3.0, 60.0, "mm", "Sensor width", "Width of the part of the sensor that is recorded.", step=0.1)
    distance: float = number(4.0, 0.2, 200.0, "m", "Distance", "From the camera to the subject.", step=0.1)
    size: float = number(1.8, 0.01, 50.0, "m", "Size", "Of the subject: its height, or its width.", step=0.05)
    side: str = choice("height", ("height", "width"), "That is its", "What must fit: its height into the frame's, or its width.")
    stop: float = number(4.0, 1.0, 32.0, "", "Stop, f/", "The lens's stop.", step=0.1)
    sharp: float = number(2.0, 0.5, 10.0, "px", "Sharp within", "Blur up to this many pixels passes for sharp.", step=0.1)
    depth: float = number(
        0.5, 0.0, 50.0, "m", "Moves in depth", "How far the subject comes nearer while it is in the shot.", step=0.1
    )
    punch: float = number(100.0, 100.0, 300.0, "%", "Punch in", "Enlarging afterwards; 100 is none.", step=1)


@dataclass(frozen=True)
class LensDrawing:
    """Angle (degrees), distances of subject, near and far limit (m), subject's size (m), its share of the frame's width."""

    angle: float
    distance: float
    near: float
    far: float
    size: float
    share: float


class LensQuestion(Question):
    kind, title = "lens", "Which lens, how far?"
    says = "What the lens shows, how large the subject stands in it, and what is sharp."
    Params = LensParams

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        angle = field_of_view(p.sensor, p.focal)
        px = size_px(p.size, p.distance, p.focal, p.sensor, shot.width)
        deep = depth_of_field(p.focal, p.stop, p.distance, circle_for(p.sensor, shot.width, p.sharp))
        grows = 100 * (growth(p.distance - p.depth, p.distance) - 1) if p.distance > p.depth else math.inf
        back = distance_for_growth(p.depth, 1 + GROWS / 100) if p.depth > 0 else 0.0
        reaches = not math.isfinite(grows)
        note = "it would reach the camera" if reaches else "of a cut-out that is moved instead"
        fills = 100 * px / (shot.height if p.side == "height" else shot.width)
        readings = (
            Reading("growth", None if reaches else grows, "%", GROWS, note=note),
            *(
                (
                    Reading(
                        "comes nearer by",
                        100 * p.depth / p.distance,
                        "%",
                        WHOLE,
                        note="of its distance: it would reach the camera",
                    ),
                )
                if reaches
                else ()
            ),
            Reading(
                "fills", fills, "%", WHOLE, note=f"of the frame's {p.side}; from 100 % on the subject is larger than the frame"
            ),
            Reading("enlargement", p.punch - 100, "%", ENLARGED, note="beyond it softness shows beside untouched material"),
        )
        far = "the horizon" if math.isinf(deep.far) else f"{deep.far:.2f} m"
        proposal = None
        if grows > GROWS and back > p.distance:
            back = math.ceil(10 * back + 1) / 10  # a little more than just enough
            focal = float(round(p.focal * back / p.distance))  # what is set is what is promised
            proposal = PlanProposal(
                {"distance": back, "focal": focal},
                f"From {back:.1f} m the {p.depth:g} m nearer enlarge by less than {GROWS:g} %; a lens of {focal:.0f} mm shows the same from there.",
            )
        elif fills >= WHOLE:
            away = math.ceil(10 * p.distance * fills / (WHOLE * FITS)) / 10
            proposal = PlanProposal({"distance": away}, f"From {away:.1f} m the whole subject stands in the frame.")
        return Answer(
            _faults(readings, p, reaches) + f"{angle:.1f}° wide; the subject is {px:.0f} px, sharp from {deep.near:.2f} m to {far}.",
            readings,
            (
                ("angle of view", f"{angle:.2f}°"), ("subject", f"{px:.0f} px of {shot.height if p.side == 'height' else shot.width}"),
                ("sharp from", f"{deep.near:.2f} m"), ("sharp to", far), ("hyperfocal", f"{deep.hyperfocal:.2f} m"),
                ("left after punching in", f"{100 * shot.width / p.punch:.0f} px across"),
            ),
            entries=(Entry(f"lens {p.focal:g} mm at {p.distance:g} m, f/{p.stop:g}", "distance, height and tilt the same for all plates", True, True),),
            proposal=proposal,
            drawing=LensDrawing(angle, p.distance, deep.near, deep.far, p.size, px / shot.width),
        )  # fmt: skip


def _faults(readings: tuple[Reading, ...], p: Any, reaches: bool) -> str:
    """What is wrong comes first in the answer."""
    over = {r.name for r in readings if r.state == FAULT}
    words = []
    if reaches:
        words.append("The subject would reach the camera.")
    if "growth" in over:
        words.append(f"A cut-out that is moved {p.depth:g} m nearer looks pasted.")
    if "fills" in over:
        words.append("The subject is larger than the frame.")
    if "enlargement" in over:
        words.append("Enlarged too far.")
    return " ".join([*words, ""])
