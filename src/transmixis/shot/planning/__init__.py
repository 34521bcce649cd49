"""The questions before the shoot, in the order in which they are asked."""

from __future__ import annotations

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, SOUND, WATCH
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning.agree import AgreeQuestion
from transmixis.shot.planning.contract import Question
from transmixis.shot.planning.estimate import EstimateQuestion
from transmixis.shot.planning.fix import FixQuestion
from transmixis.shot.planning.lens import LensQuestion
from transmixis.shot.planning.markers import MarkersQuestion
from transmixis.shot.planning.miniature import MiniatureQuestion
from transmixis.shot.planning.screen import ScreenQuestion
from transmixis.shot.planning.setups import SetupsQuestion
from transmixis.shot.planning.shadow import ShadowQuestion
from transmixis.shot.planning.shutter import ShutterQuestion
from transmixis.shot.planning.takes import TakesQuestion
from transmixis.shot.planning.timing import TimingQuestion

_ASKED: tuple[Question, ...] = (
    TakesQuestion(), ScreenQuestion(), MarkersQuestion(), ShutterQuestion(), LensQuestion(), SetupsQuestion(), ShadowQuestion(),
    MiniatureQuestion(), TimingQuestion(), FixQuestion(), EstimateQuestion(), AgreeQuestion(),
)  # fmt: skip
QUESTIONS: dict[str, Question] = {q.kind: q for q in _ASKED}


def question_of(kind: str) -> Question:
    """The question of this name. Raises UserError."""
    if kind not in QUESTIONS:
        raise UserError(f"'{kind}' is no question of the plan; ask one of {', '.join(QUESTIONS)}.")
    return QUESTIONS[kind]


def answered(shot: Shot) -> tuple[str, ...]:
    """The questions that a shot has answers to, in order."""
    return tuple(k for k, q in QUESTIONS.items() if q.is_answered(shot))


def plan_state(shot: Shot, film: Film | None = None) -> tuple[str, int]:
    """Mark of the plan (none, sound, watch, fault) and how many readings of answered questions are faults."""
    states, faults = [], 0
    for kind in answered(shot):
        try:
            found = QUESTIONS[kind].of_shot(shot, film)
        except UserError:
            return "fault", 1
        states.append(found.state)
        faults += sum(r.state == FAULT for r in found.readings)
    return (FAULT if faults else WATCH if WATCH in states else SOUND if answered(shot) else "none"), faults
