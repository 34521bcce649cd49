"""Changes to the schedule: blocks moved to somebody or to a day, and what helps taken up."""

from __future__ import annotations

from datetime import date, timedelta

from transmixis.core.plan.schedule import Help
from transmixis.shot.model import Film
from transmixis.shot.planning.timetable import Timetable


def with_block_moved(film: Film, table: Timetable, code: str, tasks: tuple[str, ...], person: str, later: int) -> Film:
    """The film with some tasks of a shot given to a person, and begun so many days later (or sooner) than they stand now.

    A shot without tasks gets its hours as it is: only its plates' day can be moved.
    """
    shot = film.shot(code)
    first = min((b.start for b in table.schedule.blocks if b.task.shot == code and b.task.name in tasks), default=0.0)
    day = table.start + timedelta(days=max(int(first) + later, 0))
    if not shot.work:
        return film.with_shot(shot.model_copy(update={"plates_due": day.isoformat()})) if later else film
    work = []
    for w in shot.work:
        if w.id in tasks:
            begin = w.not_before
            if later:
                begin = "" if day <= table.start else day.isoformat()
            w = w.model_copy(update={"who": (person,), "not_before": begin})
        work.append(w)
    return film.with_shot(shot.model_copy(update={"work": tuple(work)}))


def without_moves(film: Film) -> Film:
    """The film with every task free again: whoever is free, as early as can be."""
    shots = tuple(
        s.model_copy(update={"work": tuple(w.model_copy(update={"who": (), "not_before": ""}) for w in s.work)})
        for s in film.shots
    )
    return film.model_copy(update={"shots": shots})


def with_help(film: Film, found: Help) -> Film:
    """The film with what helps taken up."""
    if found.kind == "plates":
        shot = film.shot(found.whose)
        day = date.fromisoformat(shot.plates_due) - timedelta(days=found.amount)
        return film.with_shot(shot.model_copy(update={"plates_due": day.isoformat()}))
    people = tuple(
        p.model_copy(update={"week": tuple(min(h + found.amount, 24) if h > 0 else 0 for h in p.week)})
        if p.name == found.whose
        else p
        for p in film.production.people
    )
    return film.model_copy(update={"production": film.production.model_copy(update={"people": people})})
