"""Changes to the schedule: a block moved to somebody or to a day."""

from __future__ import annotations

from datetime import timedelta

from transmixis.shot.model import Film
from transmixis.shot.planning.timetable import Timetable
from transmixis.shot.planning.work import tasks_in


def with_block_moved(film: Film, table: Timetable, code: str, tasks: tuple[str, ...], person: str, later: int) -> Film:
    """The film with some tasks of a shot given to a person, and begun so many days later (or sooner) than they stand now.

    A shot whose hours were set by hand gets its hours as it is: only its plates' day can be moved.
    """
    shot = film.shot(code)
    first = min((b.start for b in table.schedule.blocks if b.task.shot == code and b.task.name in tasks), default=0.0)
    day = table.start + timedelta(days=max(int(first) + later, 0))
    if not tasks_in(shot):
        return film.with_shot(shot.model_copy(update={"plates_due": day.isoformat()})) if later else film
    work = []
    for w in tasks_in(shot):
        if w.id in tasks:
            begin = w.not_before
            if later:
                begin = "" if day <= table.start else day.isoformat()
            w = w.model_copy(update={"who": (person,), "not_before": begin})
        work.append(w)
    return film.with_shot(shot.model_copy(update={"work": tuple(work)}))
