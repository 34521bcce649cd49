"""Dust and edges: spots on the sensor, and things that reach in from the frame's edge."""

from __future__ import annotations

from transmixis.core.plot import Plot
from transmixis.core.readings import Reading
from transmixis.core.survey.findings import spots_words
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import marks_plot
from transmixis.core.survey.scan import Scan
from transmixis.shot.contract import ALWAYS, Slot, SurveyKind
from transmixis.shot.steps.params import Params

SPOT = 1.5  # % of the light: a spot that takes more shows after darkening (common practice)
REACH = 1.0  # % of the frame's side


class MarksParams(Params):
    """There is nothing to set."""


class Marks(SurveyKind[MarksParams]):
    kind, title, stage, version = "marks", "Dust and edges", "Survey", 3
    says = "spots on the sensor, and what reaches in at the edge"
    begins = ALWAYS
    tells_topics = ("dust", "intruder")
    slots = (Slot("plate", "the plate to measure"),)
    Params = MarksParams

    def plot_survey(self, survey: PlateSurvey) -> Plot:
        return marks_plot(survey)

    def read_survey(self, survey: PlateSurvey, params: MarksParams, frame: int) -> list[Reading]:
        return mark_readings(survey, frame)

    def read_scan(self, scan: Scan, params: MarksParams, frame: int) -> list[Reading]:
        return [Reading("dust", None, "%", SPOT, note="told when all frames have been looked at")]


def mark_readings(survey: PlateSurvey, frame: int) -> list[Reading]:
    """Depth of the darkest spot, and how far something reaches in at this frame."""
    spots = survey.dust.spots
    if survey.dust.reason:
        dust = Reading("dust", None, "%", SPOT, note=survey.dust.reason)
    elif spots:
        d = max(spots, key=lambda s: s.depth)
        r = 2 * d.radius
        box = (round(d.x - r), round(d.y - r), round(2 * r), round(2 * r))
        dust = Reading("dust", 100 * d.depth, "%", SPOT, spot=box, note=f"{spots_words(len(spots))}; the darkest is marked")
    else:
        dust = Reading("dust", 0.0, "%", SPOT, note=f"no spot found; {survey.dust.seen}" if survey.dust.seen else "no spot found")
    return [dust, _intruder(survey, frame)]


def _intruder(survey: PlateSurvey, frame: int) -> Reading:
    if not survey.intruders_told:
        return Reading("intruder", None, "%", REACH, note="the camera moves, so edges cannot be compared")
    here = [i for i in survey.intruders if i.first <= frame <= i.last]
    if not here:
        return Reading("intruder", 0.0, "%", REACH)
    i = max(here, key=lambda k: k.box[2] * k.box[3])
    h, w = survey.path.size
    x, y, bw, bh = i.box
    reach = 100 * (bw if i.edge in ("left", "right") else bh)
    box = (round(x * w), round(y * h), round(bw * w), round(bh * h))
    return Reading("intruder", reach, "%", REACH, spot=box, note=f"something reaches in at the {i.edge} edge")
