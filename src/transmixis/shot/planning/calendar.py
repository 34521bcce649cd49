"""The timetable as a calendar, and days off from one."""

from __future__ import annotations

from datetime import date, timedelta

from transmixis.media.calendar import DayEvent
from transmixis.shot.model import Film
from transmixis.shot.office import Worker
from transmixis.shot.planning.timetable import Timetable, together_by_shot


def events_of(film: Film, table: Timetable, person: str = "") -> list[DayEvent]:
    """Blocks of everybody or of one person, and the deadlines of their shots."""
    name = film.production.name
    out = []
    for i, (b, tasks) in enumerate(together_by_shot(table.schedule.blocks, table.people)):
        if person and b.person != person:
            continue
        shot = film.shot(b.task.shot)
        out.append(
            DayEvent(
                f"{name}-{b.task.shot}-{b.person}-{i}@transmixis".replace(" ", "-"), table.day(b.start + 1e-3), table.day(b.end),
                f"{b.task.shot} {shot.title}: {b.person}".strip(), f"Tasks: {', '.join(tasks).replace('_', ' ')}",
            )
        )  # fmt: skip
    own = {e.summary.split()[0] for e in out}
    for code, limit in table.deadlines.items():
        if code in own:
            day = table.day(limit)
            late = " (missed as it stands)" if code in table.missed else ""
            out.append(DayEvent(f"{name}-{code}-deadline@transmixis".replace(" ", "-"), day, day, f"{code}: deadline{late}"))
    return out


def with_days_off(film: Film, person: str, days: list[date]) -> Film:
    """The film with more days off for a person; days long past are left out."""
    people = tuple(_off(p, days) if p.name == person else p for p in film.production.people)
    return film.model_copy(update={"production": film.production.model_copy(update={"people": people})})


def _off(p: Worker, days: list[date]) -> Worker:
    oldest = date.today() - timedelta(days=3650)
    kept = sorted({*p.off, *(d.isoformat() for d in days if d >= oldest)})
    return p.model_copy(update={"off": tuple(kept)})
