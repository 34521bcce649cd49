"""The film's work laid into its people's days: tasks, deadlines and plates not yet in as dates."""

from __future__ import annotations

import math
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import cached_property

from transmixis.core.errors import UserError
from transmixis.core.plan.schedule import LOST, Block, Person, Schedule, schedule, working_days_late
from transmixis.core.progress import Progress
from transmixis.shot.model import Film
from transmixis.shot.planning.helps import Help, what_helps
from transmixis.shot.planning.tasks import people_of, tasks_of, today_of


@dataclass(frozen=True)
class Timetable:
    """A schedule with its dates. Day 0 is `start`. `missed`: days past the deadline by shot; `helps`: best first;
    `undated`: hours of shots whose plates are not there and have no day to come, which stand in no day."""

    start: date
    schedule: Schedule
    people: tuple[Person, ...]
    deadlines: dict[str, float]
    hours_left: dict[str, float]
    helps: tuple[Help, ...] = ()
    undated: dict[str, float] = field(default_factory=dict)

    def day(self, at: float) -> date:
        """The date of a moment; the end of a day belongs to that day."""
        return self.start + timedelta(days=int(max(at - 1e-6, 0)))

    @cached_property
    def missed(self) -> dict[str, float]:
        """Shots that are done after their deadline, and by how many days of the calendar."""
        return {s: d for s, d in self.schedule.late.items() if d > LOST}

    def done_on(self, shot: str) -> date | None:
        """The day a shot is done; None if it has nothing left to do."""
        at = self.schedule.done.get(shot)
        return None if at is None else self.day(at)

    def working_days_late(self, shot: str) -> int:
        """Days between deadline and end on which anybody works."""
        return self._days_late.get(shot, 0)

    @cached_property
    def _days_late(self) -> dict[str, int]:
        return working_days_late(self.schedule, self.deadlines, self.people)

    def working_days_left(self, shot: str) -> int:
        """Whole days after its end and before its deadline is over on which anybody works."""
        done, limit = self.schedule.done.get(shot, 0.0), self.deadlines.get(shot, 0.0)
        return sum(any(p.hours(d) > 0 for p in self.people) for d in range(math.ceil(done - LOST), int(limit)))

    def spare(self, days: int) -> list[float]:
        """Hours of all people on each of so many days that no block takes."""
        by_name = {p.name: p for p in self.people}
        left = [sum(p.hours(d) for p in self.people) for d in range(days)]
        for b in self.schedule.blocks:
            for d in range(int(b.start), min(int(b.end) + 1, days)):
                left[d] -= max(min(b.end, d + 1) - max(b.start, d), 0.0) * by_name[b.person].hours(d)
        return [max(h, 0.0) for h in left]

    def days(self) -> int:
        """Days to show: to the end or the last deadline, in whole weeks, two at least."""
        last = max([self.schedule.end, *(d for c, d in self.deadlines.items() if c in self.schedule.done)], default=0.0)
        return max(14, 7 * int((last + 9) // 7))


def lay_out(
    film: Film, *, search: bool = True, helps: bool = True, progress: Progress | None = None, gone: frozenset[str] = frozenset()
) -> Timetable:
    """The timetable of a film. Raises UserError without people, or for work that nobody does.

    Without `search` it is laid at once by deadlines alone, so that a page can follow a block that is dragged. `gone`: shots whose
    plates' files are missing.
    """
    start = today_of(film)
    if not film.production.people:
        raise UserError("Nobody works on this film yet; add people and their hours first.")
    work = tasks_of(film, start, progress, gone)
    people = people_of(film, start)
    found = schedule(work.tasks, people, work.deadlines, search=search, progress=progress)
    left: dict[str, float] = {}
    for t in work.tasks:
        left[t.shot] = left.get(t.shot, 0.0) + t.hours
    table = Timetable(start, found, tuple(people), work.deadlines, left, undated=work.undated)
    if helps and table.missed:
        return replace(table, helps=what_helps(film, start, work, found, gone, progress))
    return table


def together_by_shot(blocks: tuple[Block, ...], people: tuple[Person, ...]) -> list[tuple[Block, list[str]]]:
    """Blocks of one person and shot that follow on each other drawn as one, with the names of their tasks."""
    out: list[tuple[Block, list[str]]] = []
    for p in people:
        last: Block | None = None
        for b in (b for b in blocks if b.person == p.name):
            if last is not None and last.task.shot == b.task.shot and not _worked_between(p, last.end, b.start):
                last = Block(last.task, p.name, last.start, b.end)
                out[-1] = (last, [*out[-1][1], b.task.name])
            else:
                last = b
                out.append((b, [b.task.name]))
    return out


def _worked_between(p: Person, end: float, start: float) -> bool:
    """True if a person has hours between two moments."""
    day = int(end)
    if int(start) == day:
        return start - end > LOST and p.hours(day) > 0
    if (day + 1 - end) > LOST and p.hours(day) > 0:
        return True
    return any(p.hours(d) > 0 for d in range(day + 1, int(start))) or (start - int(start) > LOST and p.hours(int(start)) > 0)
