"""Who agreed?"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from transmixis.core.plan.takes import TRICKS, take_list
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.office import ROLES_ASKED, Agreement
from transmixis.shot.planning.contract import Answer, Question
from transmixis.shot.steps.params import Params

WHY = {
    "director": "does it harm the idea?",
    "post supervisor": "can it be done, and what else must be captured?",
    "producer": "what does it cost in money and hours?",
}


class AgreeParams(Params):
    """Nothing to set: what was said is kept with the shot."""


@dataclass(frozen=True)
class AgreeDrawing:
    """Roles with why they are asked and the last thing that each said (None: not asked yet); and all that was said, latest first."""

    asked: tuple[tuple[str, str, Agreement | None], ...]
    said: tuple[Agreement, ...]


class AgreeQuestion(Question):
    kind, title = "agree", "Who agreed?"
    says = "Decided before the shoot, and kept: what was shown, what they said, and when."
    Params = AgreeParams

    def is_answered(self, shot: Shot) -> bool:
        return bool(shot.agreements)

    def answer(self, params: Any, shot: Shot) -> Answer:
        last = {a.who: a for a in sorted(shot.agreements, key=lambda a: a.when)}
        open_ = [r for r in ROLES_ASKED if r not in last]
        against = [r for r, a in last.items() if a.answer == "against"]
        others = [w for w in others_to_ask(shot) if w not in ROLES_ASKED]
        if against:
            words = f"Against: {', '.join(against)}."
        elif open_:
            words = f"Not asked yet: {', '.join(open_)}."
        else:
            words = "All three agreed" + (", with conditions." if any(a.answer == "agreed if" for a in last.values()) else ".")
        return Answer(
            words,
            (Reading("against", float(len(against)), "", 0.5, note="settle it before the shoot"),) if against else (),
            (
                ("asked", f"{len(last)} of {len(ROLES_ASKED)}"),
                *((("this trick also needs", ", ".join(others)),) if others else ()),
            ),
            drawing=AgreeDrawing(
                tuple((r, WHY[r], last.get(r)) for r in ROLES_ASKED),  # type: ignore[call-overload]
                tuple(sorted(shot.agreements, key=lambda a: a.when, reverse=True)),
            ),
        )


def others_to_ask(shot: Shot) -> tuple[str, ...]:
    """Everybody whom the shot's tricks ask to agree."""
    tricks = tuple(t for t in shot.plan.get("takes", {}).get("tricks", ()) if t in TRICKS)
    return take_list(tricks).agree
