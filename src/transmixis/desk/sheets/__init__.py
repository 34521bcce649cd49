"""What a step's sheet shows beside its controls: one plot a step kind. Kinds without one of their own show their readings."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from transmixis.desk.sheets.dust import DustPlot
from transmixis.desk.sheets.match import LookPlot
from transmixis.desk.sheets.readings import ReadingsPlot
from transmixis.desk.sheets.screen_key import PopulationPlot
from transmixis.desk.sheets.survey import exposure_plot, marks_plot, sharpness_plot, steadiness_plot, timing_plot
from transmixis.desk.state import State

PLOTS: dict[str, Callable[[State], QWidget]] = {
    "screen_key": PopulationPlot,
    "match": LookPlot,
    "steadiness": steadiness_plot,
    "exposure": exposure_plot,
    "sharpness": sharpness_plot,
    "timing": timing_plot,
    "marks": marks_plot,
    "survey": exposure_plot,
    "dust": DustPlot,
}


def plot_for(kind: str, state: State) -> QWidget:
    """The plot that explains a step kind."""
    return PLOTS.get(kind, ReadingsPlot)(state)
