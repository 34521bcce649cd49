"""Steadiness: how far the camera has moved, and whether it is locked off."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.readings import Reading
from transmixis.core.survey.findings import SHIFT
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.scan import Scan, move_of
from transmixis.shot.contract import Slot, SurveyKind
from transmixis.shot.steps.params import Params, number


class ReferenceParams(Params):
    reference: float = number(
        1, 1, 1_000_000, "frame", "Measured against", "The frame that all others are compared with.", step=1
    )


class Steadiness(SurveyKind):
    kind, title, stage, version = "steadiness", "Steadiness", "Survey", 2
    says = "how far the camera moves"
    slots = (Slot("plate", "the plate to measure"),)
    Params = ReferenceParams

    def read_survey(self, survey: PlateSurvey, params: Any, frame: int) -> list[Reading]:
        return shift_readings(survey, int(params.reference), frame)

    def read_scan(self, scan: Scan, params: Any, frame: int) -> list[Reading]:
        move = move_of(scan["shift"])
        value = move.length if move else None
        return [Reading("camera shift", value, "px", SHIFT, note="against the first frame; the whole plate follows")]


def shift_readings(survey: PlateSurvey, reference: int, frame: int) -> list[Reading]:
    """How far the picture has moved since the reference frame, at its worst corner."""
    path = survey.path
    base = min(reference, survey.count) - 1
    if not (path.known[frame - 1] and path.known[base]):
        return [Reading("camera shift", None, "px", SHIFT, note="too few still points agree on one movement")]
    move = path.similarity(frame - 1).after(path.similarity(base).inverse())
    h, w = path.size
    corners = np.array([[0, 0], [w - 1, 0], [0, h - 1], [w - 1, h - 1]], float)
    away = float(np.linalg.norm(move.apply(corners) - corners, axis=1).max())
    turn = f", turned {np.degrees(move.turn):+.2f}°" if move.turn else ""
    grown = f", grown {100 * (move.grow - 1):+.2f} %" if move.grow != 1 else ""
    middle = move.about(((w - 1) / 2, (h - 1) / 2))
    note = f"x {middle.x:+.2f} y {middle.y:+.2f} ± {path.error[frame - 1]:.3f} px{turn}{grown}; {survey.steadiness.words}"
    return [Reading("camera shift", away, "px", SHIFT, note=note)]
