"""People, hours and agreements as data: what the schedule and the estimate are laid out from."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, field_validator

from transmixis.core.plan.estimate import RATES
from transmixis.shot.record import Record, Stage

ANSWERS: tuple[str, ...] = ("agreed", "agreed if", "against")
ROLES_ASKED: tuple[str, ...] = ("director", "post supervisor", "producer")


def _is_a_day(v: str) -> str:
    if v:
        date.fromisoformat(v)
    return v


Day = Annotated[str, AfterValidator(_is_a_day)]  # ISO, e.g. 2026-05-22; '' is not set
WeekHours = Annotated[float, Field(ge=0, le=24)]


class Worker(Record):
    """Somebody who works on the film: hours Monday to Sunday, days off, and the stages that they do (none named: all)."""

    name: str = Field(min_length=1, max_length=40)
    week: tuple[WeekHours, WeekHours, WeekHours, WeekHours, WeekHours, WeekHours, WeekHours] = (8, 8, 8, 8, 8, 0, 0)
    off: tuple[Day, ...] = ()
    does: tuple[Stage, ...] = ()


class Scenario(Record):
    """A version of the film that is worked towards: its date, the quality asked for (0 rough, 0.5 usual, 1 for a large screen), and
    the days that the director looks at a shot before it is checked."""

    name: str = Field(min_length=1, max_length=40)
    deadline: Day = ""
    quality: float = Field(default=0.5, ge=0, le=1)
    review_days: float = Field(default=0.0, ge=0, le=60)


class Work(Record):
    """A task of a shot: the kind of work (core.plan.estimate.RATES) under a stage, what it is made of, and what it took."""

    id: str
    stage: Stage
    kind: str
    name: str = ""
    frames: int | None = Field(default=None, ge=1)  # None: all of the shot's
    spent: float = Field(default=0.0, ge=0)
    done: bool = False
    finished: Day = ""  # the day it was done: what was learnt, in order
    estimated: float | None = Field(default=None, gt=0)  # hours that the rates said when it was done: what it teaches by
    who: tuple[str, ...] = ()
    not_before: Day = ""

    @field_validator("kind")
    @classmethod
    def _kind_is_known(cls, v: str) -> str:
        if v not in RATES:
            raise ValueError(f"'{v}' is no kind of work; use one of {', '.join(RATES)}")
        return v


class Agreement(Record):
    """What somebody was shown of a shot, what they said and when."""

    who: Literal["director", "post supervisor", "producer"]
    when: Day
    shown: str = ""
    said: str = ""
    answer: Literal["agreed", "agreed if", "against"] = "agreed"
