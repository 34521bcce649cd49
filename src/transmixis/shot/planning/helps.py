"""What would bring lateness down: each thing is tried on the film itself, and laid out again."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, timedelta
from typing import Any

from transmixis.core.plan.schedule import Person, Schedule, Task, schedule, working_days_late
from transmixis.core.progress import Progress
from transmixis.shot.model import Film
from transmixis.shot.office import Scenario, Worker
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.tasks import Left, people_of, tasks_of
from transmixis.shot.planning.work import scenario_of, without_moves

LEAST_SAVED = 0.05  # days: less is no help
MORE_HOURS, SOONER = (1, 2), (1, 2, 4)  # hours a day, days
LOWER = 20  # hundredths of quality
NEWCOMER = "One more person"
# what costs least to ask for comes first of two that do the same; what gives something up comes after all that does not
KINDS: tuple[str, ...] = ("freed", "review", "plates", "hours", "person", "quality", "date")
GIVES_UP = ("quality", "date")


@dataclass(frozen=True)
class Help:
    """Something that would bring lateness down. `kind`: freed (what was moved by hand), review (days sooner), plates (of
    a shot, days sooner), hours (of a person, a day), person (one more with `whose` week), quality (hundredths less), date (a version
    or shot, days later). `saved`, `left`: lateness over all shots in days of the calendar; `days`: working days of lateness left,
    `before`: without it."""

    kind: str
    whose: str
    amount: int
    saved: float = 0.0
    left: float = 0.0
    days: int = 0
    before: int = 0
    words: str = ""


def what_helps(
    film: Film, start: date, work: Left, now: Schedule, gone: frozenset[str] = frozenset(), progress: Progress | None = None
) -> tuple[Help, ...]:
    """All that helps, best first. `now`: the schedule of this film as it stands."""
    people = people_of(film, start)
    before = sum(now.late.values())
    days = _days(now, work.deadlines, people)
    found = []
    for h in _to_try(film, start, now):
        tasks, deadlines, workers = _with(film, start, h, work, people, gone, progress)
        tried = schedule(tasks, workers, deadlines, like=now, progress=progress)
        left = sum(tried.late.values())
        if before - left > LEAST_SAVED:
            found.append(replace(h, saved=before - left, left=left, days=_days(tried, deadlines, workers), before=days))
    return tuple(sorted(found, key=lambda h: (h.kind in GIVES_UP, round(h.left, 3), KINDS.index(h.kind), h.amount)))


def _days(s: Schedule, deadlines: dict[str, float], people: list[Person]) -> int:
    return sum(working_days_late(s, deadlines, people).values())


def _with(
    film: Film, start: date, h: Help, work: Left, people: list[Person], gone: frozenset[str], progress: Progress | None
) -> tuple[list[Task], dict[str, float], list[Person]]:
    """Tasks, deadlines and people with a help. Only what the help touches is worked out anew."""
    after = with_help(film, h)
    if h.kind in ("hours", "person"):
        if h.kind == "person":  # somebody new may do what nobody is named for, so who can do what changes
            return tasks_of(after, start, progress, gone).tasks, work.deadlines, people_of(after, start)
        return work.tasks, work.deadlines, people_of(after, start)
    left = tasks_of(after, start, progress, gone)
    return left.tasks, left.deadlines, people


def _to_try(film: Film, start: date, now: Schedule) -> Iterator[Help]:
    scenario = scenario_of(film)
    late = [s for s, d in now.late.items() if d > 0]
    if any(w.not_before or w.who for s in film.shots for w in s.work):
        yield Help("freed", "", 0, words="The blocks that were moved by hand are freed")
    whole = math.ceil(scenario.review_days)
    for sooner in sorted({*(d for d in SOONER if d < whole), whole} - {0}):  # a little, and all of it
        to = max(scenario.review_days - sooner, 0.0)
        how = f"within {_many(to)}" if to else "on the day it is built, or while nobody works,"
        yield Help("review", "", sooner, words=f"The director looks {how} rather than for {_many(scenario.review_days)}")
    for code in dict.fromkeys(b.task.shot for b in now.blocks if b.task.first_day > 0):
        for d in SOONER:
            if (date.fromisoformat(film.shot(code).plates_due) - start).days >= d:
                yield Help("plates", code, d, words=f"The plates of {code} come {_many(d)} sooner")
    for p in film.production.people:
        for h in MORE_HOURS:
            yield Help("hours", p.name, h, words=f"{p.name} works {h} more hour{'s' if h > 1 else ''} a day")
    busiest = max(film.production.people, key=lambda p: sum(p.week))
    yield Help(
        "person",
        busiest.name,
        round(sum(busiest.week)),
        words=f"One more person works as many hours as {busiest.name}, on any stage",
    )
    for step in range(LOWER, 1 + round(100 * scenario.quality), LOWER):
        to = scenario.quality - step / 100
        yield Help(
            "quality",
            scenario.name,
            step,
            words=f"The {scenario.name} is made to a quality of {to:.2g} rather than {scenario.quality:.2g} (0.5 is usual)",
        )
    yield from _later(film, scenario, start, now, late)


def _later(film: Film, scenario: Scenario, start: date, now: Schedule, late: list[str]) -> Iterator[Help]:
    """The dates that would be kept."""
    ends = {s: start + timedelta(days=int(max(now.done[s] - 1e-6, 0))) for s in late}
    whole = max((d for s, d in ends.items() if not film.shot(s).due), default=None)
    if whole is not None and scenario.deadline:
        d = (whole - date.fromisoformat(scenario.deadline)).days
        if d > 0:
            yield Help("date", "", d, words=f"The date of the {scenario.name} is moved to {short_day(whole)}")
    for s, end in ends.items():
        if film.shot(s).due and (d := (end - date.fromisoformat(film.shot(s).due)).days) > 0:
            yield Help("date", s, d, words=f"{s} is due on {short_day(end)}")


def _many(days: float) -> str:
    return f"{days:g} day{'' if days == 1 else 's'}"


def words_for(h: Help) -> str:
    """A help in one sentence, with what is left then, in working days as everywhere on the board."""
    if h.days == 0:
        rest = "nothing is late then"
    elif h.days < h.before:
        rest = f"{h.days} of {h.before} working days of lateness {'is' if h.days == 1 else 'are'} left"
    else:
        rest = f"less late, but still {h.days} working day{'' if h.days == 1 else 's'}"
    return f"{h.words}: {rest}."


def with_help(film: Film, h: Help) -> Film:
    """The film with what helps taken up."""
    if h.kind == "freed":
        return without_moves(film)
    if h.kind in ("plates", "date") and h.whose:
        shot, way = film.shot(h.whose), (-h.amount if h.kind == "plates" else h.amount)
        name = "plates_due" if h.kind == "plates" else "due"
        return film.with_shot(shot.model_copy(update={name: _moved(getattr(shot, name), way)}))
    production = film.production
    if h.kind == "hours":
        people = tuple(p.model_copy(update={"week": _longer(p, h.amount)}) if p.name == h.whose else p for p in production.people)
        return film.model_copy(update={"production": production.model_copy(update={"people": people})})
    if h.kind == "person":
        week = next(p.week for p in production.people if p.name == h.whose)
        taken = {p.name for p in production.people}
        name = next(n for n in (NEWCOMER, *(f"{NEWCOMER} {i}" for i in range(2, 99))) if n not in taken)
        more = (*production.people, Worker(name=name, week=week))
        return film.model_copy(update={"production": production.model_copy(update={"people": more})})
    return film.model_copy(update={"production": production.model_copy(update={"scenarios": _scenarios(film, h)})})


def _scenarios(film: Film, h: Help) -> tuple[Scenario, ...]:
    at = scenario_of(film)
    new: dict[str, Any] = {}
    if h.kind == "review":
        new = {"review_days": max(at.review_days - h.amount, 0.0)}
    elif h.kind == "quality":
        new = {"quality": round(max(at.quality - h.amount / 100, 0.0), 6)}
    elif at.deadline:
        new = {"deadline": _moved(at.deadline, h.amount)}
    changed = at.model_copy(update=new)
    scenarios = film.production.scenarios
    return tuple(changed if s is at else s for s in scenarios) if at in scenarios else (changed,)


def _longer(p: Worker, more: int) -> tuple[float, ...]:
    return tuple(min(h + more, 24) if h > 0 else 0 for h in p.week)


def _moved(day: str, by: int) -> str:
    return (date.fromisoformat(day) + timedelta(days=by)).isoformat()
