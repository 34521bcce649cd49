"""Survey: all readings of a plate in one column, for plates that are not the hero."""

from __future__ import annotations

from transmixis.core.plot import Plot
from transmixis.core.readings import Reading
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import exposure_plot
from transmixis.core.survey.scan import Scan
from transmixis.shot.contract import Slot, SurveyKind
from transmixis.shot.steps.exposure import Exposure, exposure_readings
from transmixis.shot.steps.marks import mark_readings
from transmixis.shot.steps.sharpness import detail_readings
from transmixis.shot.steps.steadiness import ReferenceParams, scanned_shift, shift_readings
from transmixis.shot.steps.timing import timing_readings


class Survey(SurveyKind[ReferenceParams]):
    kind, title, stage = "survey", "Survey", "Survey"
    version = 2
    says = "everything that is measured of a plate"
    roles = ("survey of another",)
    slots = (Slot("plate", "the plate to measure"),)
    Params = ReferenceParams

    def plot_survey(self, survey: PlateSurvey) -> Plot:
        return exposure_plot(survey)

    def read_survey(self, survey: PlateSurvey, params: ReferenceParams, frame: int) -> list[Reading]:
        reference = int(params.reference)
        out = shift_readings(survey, reference, frame) + exposure_readings(survey, reference, frame)
        return out + detail_readings(survey, frame) + timing_readings(survey, frame) + mark_readings(survey, frame)

    def read_scan(self, scan: Scan, params: ReferenceParams, frame: int) -> list[Reading]:
        return scanned_shift(scan) + Exposure().read_scan(scan, params, frame)
