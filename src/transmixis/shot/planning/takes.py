"""What is the trick?"""

from __future__ import annotations

from typing import Any

from transmixis.core.plan.takes import CAMERAS, TRICKS, take_list
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, Question
from transmixis.shot.steps.params import Params, choice, hidden, words


class TakesParams(Params):
    camera: str = choice("locked off", CAMERAS, "Camera", "How the camera stands or moves.")
    place: str = words("", "Place", "Where it is filmed: printed on the shoot list.")
    tricks: tuple[str, ...] = hidden(())


class TakesQuestion(Question):
    kind, title = "takes", "What is the trick?"
    says = "What must be filmed for it, why, what people forget, who must agree."
    Params = TakesParams

    def is_answered(self, shot: Shot) -> bool:
        return bool(shot.plan.get(self.kind, {}).get("tricks"))

    def answer(self, params: Any, shot: Shot) -> Answer:
        strange = [t for t in params.tricks if t not in TRICKS]
        tricks = tuple(t for t in params.tricks if t in TRICKS)
        left = f" Not known and left out: {', '.join(strange)[:80]}." if strange else ""
        if not tricks:
            return Answer(f"Not answered: choose what happens in the shot.{left}")
        found = take_list(tricks, params.camera)
        forgotten = sum(t.forgotten for t in found.takes)
        return Answer(
            f"{len(found.takes)} things to film or note, {forgotten} of them often forgotten.{left}",
            rows=(
                ("must agree", ", ".join(found.agree) or "nobody but you"),
                ("work", ", ".join(found.work) or "none yet"),
            ),
            cautions=found.cautions,
            entries=tuple(Entry(t.what, t.why, t.forgotten) for t in found.takes),
            drawing=found,
        )
