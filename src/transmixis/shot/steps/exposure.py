"""Exposure: how brightness and colour drift and flicker, what is clipped, and flashes."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.plot import Plot
from transmixis.core.readings import Reading
from transmixis.core.survey.findings import BLACK, COLOUR, EXPOSURE, FLASHES, FLICKER, WHITE
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import exposure_plot
from transmixis.core.survey.scan import Scan
from transmixis.shot.contract import ALWAYS, Slot, SurveyKind
from transmixis.shot.steps.steadiness import ReferenceParams


class Exposure(SurveyKind[ReferenceParams]):
    kind, title, stage, version = "exposure", "Exposure", "Survey", 3
    says = "how brightness and colour drift"
    begins = ALWAYS
    tells_topics = ("exposure", "colour", "clipping", "flashing")
    slots = (Slot("plate", "the plate to measure"),)
    Params = ReferenceParams

    def plot_survey(self, survey: PlateSurvey) -> Plot:
        return exposure_plot(survey)

    def read_survey(self, survey: PlateSurvey, params: ReferenceParams, frame: int) -> list[Reading]:
        return exposure_readings(survey, int(params.reference), frame)

    def read_scan(self, scan: Scan, params: ReferenceParams, frame: int) -> list[Reading]:
        return clipping_readings(scan["levels"][:2])


def exposure_readings(survey: PlateSurvey, reference: int, frame: int) -> list[Reading]:
    """Drift against the reference frame, flicker off the slow trend, colour, clipping, flashes."""
    i = frame - 1
    against = survey.gains.against(reference)[i]
    out: list[Reading]
    if np.isfinite(against[0]):
        drift, flicker = float(against.mean()), float(survey.flicker[i].mean())
        warm = float(survey.colour_drift(reference)[i])
        per = " ".join(f"{c} {v:+.3f}" for c, v in zip("RGB", against, strict=True))
        out = [
            Reading("exposure drift", abs(drift), "stops", EXPOSURE, note=f"{drift:+.3f} stops ({per})"),
            Reading("flicker", abs(flicker), "stops", FLICKER, note=f"{flicker:+.3f} stops off the slow trend"),
            Reading(
                "colour drift", abs(warm), "mired", COLOUR, note=f"{abs(warm):.1f} mired {'warmer' if warm > 0 else 'cooler'}"
            ),
        ]
    else:
        note = survey.gains.reason or "too little of this frame is neither black nor clipped"
        wanted = (("exposure drift", "stops", EXPOSURE), ("flicker", "stops", FLICKER), ("colour drift", "mired", COLOUR))
        out = [Reading(name, None, unit, limit, note=note) for name, unit, limit in wanted]
    out += clipping_readings(survey.clipped[i])
    return [*out, Reading("flashes", float(survey.flashes[i]), "a second", FLASHES + 0.5, note="more than three are unsafe")]


def clipping_readings(shares: Any) -> list[Reading]:
    """Shares of the frame at white and at black."""
    return [
        Reading("clipped white", 100 * float(shares[0]), "%", WHITE),
        Reading("clipped black", 100 * float(shares[1]), "%", BLACK),
    ]
