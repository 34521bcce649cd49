"""What a question of the plan is: inputs with units, and an answer with readings, cautions and what to film."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass, replace
from typing import Any, ClassVar

from pydantic import BaseModel, ValidationError

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, SOUND, UNKNOWN, WATCH, Reading
from transmixis.shot.model import Film, Shot


@dataclass(frozen=True)
class Entry:
    """A line of the shoot list: what, why or how, and whether it is what people forget. `setting`: it says how something is to be
    set, which is only printed while the answer holds."""

    what: str
    why: str
    forgotten: bool = False
    setting: bool = False


@dataclass(frozen=True)
class PlanProposal:
    """Values by input, and the reason with its numbers."""

    values: dict[str, Any]
    reason: str


@dataclass(frozen=True)
class Answer:
    """`words`: the answer in one line. `rows`: figures (name, value with unit). `drawing`: plain values for the drawing."""

    words: str
    readings: tuple[Reading, ...] = ()
    rows: tuple[tuple[str, str], ...] = ()
    cautions: tuple[str, ...] = ()
    entries: tuple[Entry, ...] = ()
    proposal: PlanProposal | None = None
    drawing: Any = None

    @property
    def state(self) -> str:
        """The worst of its readings; one that could not be measured is not sound."""
        states = [r.state for r in self.readings]
        return FAULT if FAULT in states else WATCH if WATCH in states or UNKNOWN in states else SOUND


class Question(ABC):
    """One question. Instances hold no state; `answer` is quick enough to follow a number that is dragged, unless it is slow."""

    kind: ClassVar[str]
    title: ClassVar[str]
    says: ClassVar[str]
    Params: ClassVar[type[BaseModel]]
    slow: ClassVar[bool] = False  # simulates: its answer is found beside the window, not in it

    @abstractmethod
    def answer(self, params: Any, shot: Shot) -> Answer:
        """The answer for these inputs. Raises UserError for inputs that cannot be."""

    def used(self, values: dict[str, Any]) -> set[str]:
        """The inputs that matter with these values; the others need not be shown."""
        return set(self.Params.model_fields)

    def params(self, values: dict[str, Any]) -> BaseModel:
        """Checked inputs. Raises UserError naming the one that is wrong."""
        try:
            return self.Params.model_validate(values)
        except ValidationError as e:
            first = e.errors()[0]
            raise UserError(f"{self.title} {'.'.join(map(str, first['loc']))}: {first['msg'].lower()}; set it anew.") from e

    def is_answered(self, shot: Shot) -> bool:
        """True if the shot's plan says something of it."""
        return self.kind in shot.plan

    def within(self, params: Any, shot: Shot, film: Film | None) -> Answer:
        """The answer within a film, for questions that look at more than the shot."""
        return self.answer(params, shot)

    def answer_in(self, params: Any, shot: Shot, film: Film | None) -> Answer:
        """The answer as it is shown: a proposal is one that can be set, and the shoot list prints no setting that was found wrong."""
        found = self.within(params, shot, film)
        if found.proposal is not None:
            new = found.proposal.values
            stands = all(getattr(params, k, None) == v for k, v in new.items())
            if stands or not self._can_be_set(params, new):
                found = replace(found, proposal=None)
        if found.state not in (SOUND, WATCH) and any(e.setting for e in found.entries):
            open_ = Entry(f"not settled yet: {self.title}", found.words, True)
            found = replace(found, entries=(open_, *(e for e in found.entries if not e.setting)))
        return found

    def _can_be_set(self, params: BaseModel, values: dict[str, Any]) -> bool:
        try:
            self.params({**params.model_dump(), **values})
        except UserError:
            return False
        return True

    def of_shot(self, shot: Shot, film: Film | None = None) -> Answer:
        """The answer to what the shot's plan says."""
        return self.answer_in(self.params(dict(shot.plan.get(self.kind, {}))), shot, film)


def with_plan(shot: Shot, kind: str, values: dict[str, Any]) -> Shot:
    """The shot with some inputs of a question set."""
    return shot.model_copy(update={"plan": {**shot.plan, kind: {**shot.plan.get(kind, {}), **values}}})
