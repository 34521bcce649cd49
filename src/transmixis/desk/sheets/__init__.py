"""What a step's sheet shows beside its controls: one plot a step kind. Kinds without one of their own show their readings."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from transmixis.desk.sheets import dust, match, screen_key, survey
from transmixis.desk.sheets.readings import ReadingsPlot
from transmixis.desk.state import State

PLOTS: dict[str, Callable[[State], QWidget]] = {**screen_key.PLOTS, **match.PLOTS, **survey.PLOTS, **dust.PLOTS}


def plot_for(kind: str, state: State) -> QWidget:
    """The plot that explains a step kind."""
    return PLOTS.get(kind, ReadingsPlot)(state)


def shows_readings(kind: str) -> bool:
    """True if the plot of a step kind shows its readings too."""
    return getattr(PLOTS.get(kind, ReadingsPlot), "shows_readings", True)
