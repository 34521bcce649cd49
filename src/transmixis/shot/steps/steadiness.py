"""Steadiness: how far the camera has moved, and whether it is locked off."""

from __future__ import annotations

import numpy as np

from transmixis.core.motion.similarity import turn_words
from transmixis.core.plot import Plot
from transmixis.core.readings import Reading
from transmixis.core.survey.findings import SHIFT, TREMBLE_MOVING
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.survey.plots import path_plot
from transmixis.core.survey.scan import Scan, move_of
from transmixis.shot.contract import ALWAYS, Slot, SurveyKind
from transmixis.shot.steps.params import Params, choice, number

FOUND = "as found"


class ReferenceParams(Params):
    reference: float = number(
        1, 1, 1_000_000, "frame", "Measured against", "The frame that all others are compared with.", step=1
    )


class SteadinessParams(ReferenceParams):
    camera: str = choice(
        FOUND, (FOUND, "locked off", "moving"), "Camera should be",
        "Locked off: any shift counts. Moving: only trembling off the smooth path counts. As found: by how far it goes.",
    )  # fmt: skip


class Steadiness(SurveyKind[SteadinessParams]):
    kind, title, stage, version = "steadiness", "Steadiness", "Survey", 4
    says = "how far the camera moves"
    begins = ALWAYS
    tells_topics = ("camera",)
    slots = (Slot("plate", "the plate to measure"),)
    Params = SteadinessParams

    def plot_survey(self, survey: PlateSurvey) -> Plot:
        return path_plot(survey)

    def read_survey(self, survey: PlateSurvey, params: SteadinessParams, frame: int) -> list[Reading]:
        return shift_readings(survey, int(params.reference), frame, params.camera)

    def read_scan(self, scan: Scan, params: SteadinessParams, frame: int) -> list[Reading]:
        return scanned_shift(scan)


def scanned_shift(scan: Scan) -> list[Reading]:
    """What one frame's scan says of the camera, before the others have been looked at."""
    move = move_of(scan["shift"])
    value = move.length if move else None
    return [Reading("camera shift", value, "px", SHIFT, note="against the first frame; the whole plate follows")]


def shift_readings(survey: PlateSurvey, reference: int, frame: int, camera: str = FOUND) -> list[Reading]:
    """How far the picture has moved since the reference frame, at its worst corner; for a camera that is meant to move, how
    far it trembles off its smooth path."""
    path = survey.path
    if camera == "moving" or (camera == FOUND and survey.steadiness.meant):
        off = survey.steadiness.off[frame - 1]
        note = survey.steadiness.words if np.isfinite(off) else "too few still points agree on one movement"
        return [Reading("tremble", off if np.isfinite(off) else None, "px", TREMBLE_MOVING, note=note)]
    base = min(reference, survey.count) - 1
    if not (path.known[frame - 1] and path.known[base]):
        return [Reading("camera shift", None, "px", SHIFT, note="too few still points agree on one movement")]
    move = path.similarity(frame - 1).after(path.similarity(base).inverse())
    h, w = path.size
    corners = np.array([[0, 0], [w, 0], [0, h], [w, h]], float)
    away = float(np.linalg.norm(move.apply(corners) - corners, axis=1).max())
    turn = f", turned {turn_words(move.turn)}" if move.turn else ""
    grown = f", grown {100 * (move.grow - 1):+.2f} %" if move.grow != 1 else ""
    middle = move.about((w / 2, h / 2))
    note = f"x {middle.x:+.2f} y {middle.y:+.2f} ± {path.error[frame - 1]:.3f} px{turn}{grown}; {survey.steadiness.words}"
    return [Reading("camera shift", away, "px", SHIFT, note=note)]
