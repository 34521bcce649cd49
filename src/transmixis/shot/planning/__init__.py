"""The questions before the shoot, in the order in which they are asked."""

from __future__ import annotations

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, SOUND, WATCH, Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Question
from transmixis.shot.planning.lens import LensQuestion
from transmixis.shot.planning.markers import MarkersQuestion
from transmixis.shot.planning.miniature import MiniatureQuestion
from transmixis.shot.planning.screen import ScreenQuestion
from transmixis.shot.planning.shadow import ShadowQuestion
from transmixis.shot.planning.shutter import ShutterQuestion
from transmixis.shot.planning.takes import TakesQuestion
from transmixis.shot.planning.timing import TimingQuestion

QUESTIONS: dict[str, Question] = {
    q.kind: q
    for q in (TakesQuestion(), ScreenQuestion(), MarkersQuestion(), ShutterQuestion(), LensQuestion(), ShadowQuestion(), MiniatureQuestion(), TimingQuestion())
}


def question_of(kind: str) -> Question:
    """The question of this name. Raises UserError."""
    if kind not in QUESTIONS:
        raise UserError(f"'{kind}' is no question of the plan; ask one of {', '.join(QUESTIONS)}.")
    return QUESTIONS[kind]


def plan_state(shot: Shot) -> tuple[str, int]:
    """Mark of the plan (none, sound, watch, fault) and how many readings of answered questions are faults."""
    readings: list[Reading] = []
    for kind in shot.plan:
        if kind in QUESTIONS:
            try:
                readings += QUESTIONS[kind].of_shot(shot).readings
            except UserError:
                return "fault", 1
    states = [r.state for r in readings]
    faults = states.count(FAULT)
    return (FAULT if faults else WATCH if WATCH in states else SOUND if shot.plan else "none"), faults
