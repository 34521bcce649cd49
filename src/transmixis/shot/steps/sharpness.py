"""Sharpness: how much detail each frame keeps, how far it is smeared by motion, and its noise."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.plot import Plot
from transmixis.core.readings import Reading
from transmixis.core.survey.blur import measure_blur
from transmixis.core.survey.findings import BLUR, NOISE, SHARP
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import detail_plot
from transmixis.core.survey.scan import Scan
from transmixis.shot.contract import ALWAYS, Slot, SurveyKind
from transmixis.shot.steps.params import Params


class SharpnessParams(Params):
    """There is nothing to set."""


class Sharpness(SurveyKind[SharpnessParams]):
    kind, title, stage, version = "sharpness", "Sharpness", "Survey", 4
    says = "detail, motion blur and noise of every frame"
    begins = ALWAYS
    tells_topics = ("sharpness", "blur", "noise")
    slots = (Slot("plate", "the plate to measure"),)
    Params = SharpnessParams

    def plot_survey(self, survey: PlateSurvey) -> Plot:
        return detail_plot(survey)

    def read_survey(self, survey: PlateSurvey, params: SharpnessParams, frame: int) -> list[Reading]:
        return detail_readings(survey, frame)

    def read_scan(self, scan: Scan, params: SharpnessParams, frame: int) -> list[Reading]:
        blur = measure_blur(scan["spectrum"].astype(np.float32), alone=True)
        return [_blur_reading(blur), Reading("noise", float(scan["levels"][2]), "levels", NOISE)]


def detail_readings(survey: PlateSurvey, frame: int) -> list[Reading]:
    """Detail against the best frames, blur and noise."""
    i = frame - 1
    sharp = float(survey.sharpness[i])
    if np.isfinite(sharp):
        best = Reading("sharpness", 100 * sharp, "%", 100 * SHARP, better="high", note="of the detail of the best frames")
    else:
        best = Reading("sharpness", None, "%", 100 * SHARP, better="high", note="the picture has less detail than grain")
    return [best, _blur_reading(survey.blurs[i]), _noise_reading(survey, i)]


def _noise_reading(survey: PlateSurvey, i: int) -> Reading:
    """The noise in time where the plate stands still anywhere; else what the frame alone tells, which texture adds to."""
    if survey.noise is not None:
        return Reading("noise", survey.noise.level, "levels", NOISE, note="in the middle tones, from pairs of frames")
    noise = float(survey.noise_levels[i])
    note = "at most: from single frames, texture counts in it"
    return Reading("noise", noise if np.isfinite(noise) else None, "levels", NOISE, note=note)


def _blur_reading(blur: Any) -> Reading:
    note = f"towards {blur.direction:.0f}° (0 across, 90 down)" if blur.length else "no straight smear shows"
    return Reading("blur length", float(blur.length), "px", BLUR, note=note)
