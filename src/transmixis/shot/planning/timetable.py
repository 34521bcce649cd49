"""The film's work laid into its people's days: tasks, deadlines and plates not yet in as dates."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from functools import cached_property

from transmixis.core.errors import UserError
from transmixis.core.plan.schedule import Block, Help, Person, Schedule, Task, schedule, what_helps
from transmixis.core.progress import Progress
from transmixis.shot.model import Film, Shot
from transmixis.shot.office import Work
from transmixis.shot.planning.work import hours_of, learnt, left_of, scenario_of

LOST = 0.02  # days: rounding, not lateness


@dataclass(frozen=True)
class Timetable:
    """A schedule with its dates. Day 0 is `start`. `missed`: days past the deadline by shot; `helps`: best first, with the date."""

    start: date
    schedule: Schedule
    people: tuple[Person, ...]
    deadlines: dict[str, float]
    hours_left: dict[str, float]
    helps: tuple[Help, ...] = ()

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
        first, last = self.deadlines.get(shot, 0.0), self.schedule.done.get(shot, 0.0)
        days = range(int(first), int(max(last - 1e-6, first)) + (1 if last - first > LOST else 0))
        return sum(any(p.hours(d) > 0 for p in self.people) for d in days)

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


def today_of(film: Film) -> date:
    """The day that counts as today."""
    return date.fromisoformat(film.production.day) if film.production.day else date.today()


def people_of(film: Film, start: date) -> list[Person]:
    """Workers with their weeks turned so that day 0 is `start`."""
    turn = start.weekday()
    return [
        Person(w.name, (*w.week[turn:], *w.week[:turn]), frozenset((date.fromisoformat(d) - start).days for d in w.off))
        for w in film.production.people
    ]


def tasks_of(film: Film, start: date, progress: Progress | None = None) -> tuple[list[Task], dict[str, float]]:
    """What is left to do, in order, and each shot's deadline as the day after which it is late."""
    scenario, known = scenario_of(film), learnt(film)
    tasks: list[Task] = []
    deadlines: dict[str, float] = {}
    for shot in film.shots:
        if progress:
            progress.at(0, 0)
        if shot.delivered:
            continue
        due = shot.due or scenario.deadline
        if due:
            deadlines[shot.code] = float((date.fromisoformat(due) - start).days + 1)
        ready = _days(shot.plates_due, start)
        if not shot.work:
            left = max(shot.hours_estimate - shot.hours_spent, 0.0)
            if left > 0:
                tasks.append(Task("work", shot.code, left, ready, _able(film, shot, None)))
            continue
        built = False
        for w in shot.work:
            left = left_of(w, hours_of(w, shot, scenario, known))
            if left > 0:
                wait = scenario.review_days if w.stage == "Check" and built else 0.0
                first = ready if w.stage != "Plan" else 0
                tasks.append(Task(w.id, shot.code, left, first, _able(film, shot, w), _days(w.not_before, start), wait))
                built = built or w.stage == "Build"
    return tasks, deadlines


def _days(day: str, start: date) -> int:
    return max((date.fromisoformat(day) - start).days, 0) if day else 0


def _able(film: Film, shot: Shot, w: Work | None) -> tuple[str, ...]:
    """Who may do a task: those named, else all who do its stage; () for anybody."""
    everybody = [p.name for p in film.production.people]
    if w and (named := tuple(n for n in w.who if n in everybody)):
        return named
    able = tuple(p.name for p in film.production.people if not w or not p.does or w.stage in p.does)
    if not able:
        raise UserError(f"Nobody does {w.stage if w else 'anything'} of {shot.code}; give that stage to somebody on the board.")
    return able if len(able) < len(everybody) else ()


def lay_out(film: Film, *, search: bool = True, helps: bool = True, progress: Progress | None = None) -> Timetable:
    """The timetable of a film. Raises UserError without people, or for work that nobody does.

    Without `search` it is laid at once by deadlines alone, so that a page can follow a block that is dragged.
    """
    start = today_of(film)
    if not film.production.people:
        raise UserError("Nobody works on this film yet; add people and their hours first.")
    tasks, deadlines = tasks_of(film, start, progress)
    people = people_of(film, start)
    found = schedule(tasks, people, deadlines, search=search, progress=progress)
    left: dict[str, float] = {}
    for t in tasks:
        left[t.shot] = left.get(t.shot, 0.0) + t.hours
    table = Timetable(start, found, tuple(people), deadlines, left)
    if helps and table.missed:
        better = what_helps(tasks, people, deadlines, found, progress)
        table = Timetable(start, found, tuple(people), deadlines, left, tuple(better))
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


def why(film: Film, table: Timetable) -> str:
    """What drives the date, in a sentence or two."""
    code = table.schedule.drives
    if not code:
        return "Nothing is left to do."
    shot = film.shot(code)
    end = table.done_on(code)
    own = [b for b in table.schedule.blocks if b.task.shot == code]
    shares: dict[str, float] = {}
    for b in own:
        shares[b.person] = shares.get(b.person, 0.0) + b.task.hours
    who = ", ".join(f"{h:.1f} h {n}" for n, h in sorted(shares.items(), key=lambda s: -s[1]))
    late = code in table.missed
    words = []
    if shot.plates_due and date.fromisoformat(shot.plates_due) > table.start:
        what = shot.waits_for or "its plates"
        words.append(f"{code} cannot begin before {what}, due {short_day(date.fromisoformat(shot.plates_due))}.")
    words.append(
        f"{code} has {table.hours_left.get(code, 0):.1f} h left ({who}) and is done on {short_day(end) if end else 'no day'}."
    )
    if late:
        n = table.working_days_late(code)
        words.append(f"That is {n} working {'day' if n == 1 else 'days'} late.")
    elif code in table.deadlines:
        words.append(f"That leaves {table.deadlines[code] - table.schedule.done[code]:.1f} days.")
    return " ".join(words)


def words_for(table: Timetable, h: Help) -> str:
    """A help in one sentence."""
    what = (
        f"{h.whose} works {h.amount} more hour{'s' if h.amount > 1 else ''} a day"
        if h.kind == "hours"
        else f"The plates of {h.whose} come {h.amount} day{'s' if h.amount > 1 else ''} sooner"
    )
    rest = "nothing is late then" if h.left <= LOST else f"{h.left:.1f} days of lateness are left"
    return f"{what}: {h.saved:.1f} days of lateness less, {rest}."


def short_day(d: date) -> str:
    """A date as the board writes it: Fri 5 Jun."""
    return f"{d:%a} {d.day} {d:%b}"
