"""Timing: doubled, dropped, frozen, missing and combed frames."""

from __future__ import annotations

from transmixis.core.plot import Plot
from transmixis.core.readings import Reading
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import timing_plot
from transmixis.core.survey.scan import Scan
from transmixis.core.survey.timing import COMBED
from transmixis.shot.contract import ALWAYS, Slot, SurveyKind
from transmixis.shot.steps.params import Params


class TimingParams(Params):
    """There is nothing to set."""


class Timing(SurveyKind[TimingParams]):
    kind, title, stage, version = "timing", "Timing", "Survey", 3
    says = "doubled, dropped and combed frames"
    begins = ALWAYS
    tells_topics = ("timing",)
    slots = (Slot("plate", "the plate to measure"),)
    Params = TimingParams

    def plot_survey(self, survey: PlateSurvey) -> Plot:
        return timing_plot(survey)

    def read_survey(self, survey: PlateSurvey, params: TimingParams, frame: int) -> list[Reading]:
        return timing_readings(survey, frame)

    def read_scan(self, scan: Scan, params: TimingParams, frame: int) -> list[Reading]:
        return [Reading("combed", float(scan["levels"][4]), "%", COMBED)]


def timing_readings(survey: PlateSurvey, frame: int) -> list[Reading]:
    """1 where a frame repeats the one before, or where one is missing before it; share that is combed."""
    t = survey.timing
    comb = 2 * COMBED if frame in t.combed else 0.0
    drop = Reading(
        "dropped", float(frame in t.dropped), "frames", 1.0,
        note="" if t.told_drops else "too little motion to see every dropped frame",
    )  # fmt: skip
    return [
        Reading("doubled", float(frame in t.doubled), "frames", 1.0, note=t.cadence),
        drop,
        Reading("combed", comb, "%", COMBED, note="lines of two times" if comb else ""),
    ]
