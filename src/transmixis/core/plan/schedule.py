"""Who does what when: tasks of shots in their order, laid into the hours of people, so that deadlines are kept if they can be.

Every task is done by one person; a person does one task at a time, without leaving it. Days are counted from 0, the first day;
a task may begin when the one before it in its shot is done and its plates are in.
"""

from __future__ import annotations

import itertools
import math
import random
from collections.abc import Sequence
from dataclasses import dataclass

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress

LOCAL_MOST = 60  # tasks: up to here the order is searched, beyond it deadlines alone order it
ROUNDS = 12  # fresh starts of the search
TRIALS = 3000  # of laying six tasks: the search takes a tenth of a second for six tasks, one or two for thirty
HORIZON = 3650  # days
LOST = 0.02  # days: rounding, not lateness
LEAST_GAP = 0.03  # days: nothing is done in less
STRETCH = 40  # tasks laid between two looks at whether to stop


@dataclass(frozen=True)
class Task:
    """A piece of work: its shot, hours, the day its plates are in, and who can do it (nobody named: anybody). `held`: the day before
    which somebody wants it not begun."""

    name: str
    shot: str
    hours: float
    first_day: int = 0
    people: tuple[str, ...] = ()
    held: int = 0
    wait: float = 0.0  # days that must pass after the shot's task before it, for somebody to look at it


@dataclass(frozen=True)
class Person:
    """Hours on each day of the week from day 0, and days off."""

    name: str
    week: tuple[float, ...]
    off: frozenset[int] = frozenset()

    def hours(self, day: int) -> float:
        """Hours on a day."""
        return 0.0 if day in self.off else self.week[day % len(self.week)]


@dataclass(frozen=True)
class Block:
    """A task of a person from a moment to a moment, days with fractions of the day's hours."""

    task: Task
    person: str
    start: float
    end: float


@dataclass(frozen=True)
class Schedule:
    """Blocks in order of their start; when each shot is done; lateness (days) of shots past their deadline; the shot that drives."""

    blocks: tuple[Block, ...]
    done: dict[str, float]
    late: dict[str, float]
    drives: str
    order: tuple[int, ...] = ()
    who: tuple[tuple[int, str], ...] = ()

    @property
    def end(self) -> float:
        """When all is done."""
        return max((b.end for b in self.blocks), default=0.0)


def schedule(
    tasks: list[Task], people: list[Person], deadlines: dict[str, float], *, search: bool = True, like: Schedule | None = None,
    progress: Progress | None = None,
) -> Schedule:  # fmt: skip
    """A schedule with as little lateness as the search finds, then as early an end. Raises UserError for work nobody can do.

    Without `search` it is laid by deadlines alone, at once. `like`: a schedule of as many tasks to start from; it is bettered a
    little only.
    """
    _check(tasks, people)
    p = progress or Progress()
    order = sorted(range(len(tasks)), key=lambda i: (deadlines.get(tasks[i].shot, math.inf), i))
    best = _laid(order, {}, tasks, people, deadlines, p)
    if like is not None and len(like.order) == len(tasks):
        again = _laid(list(like.order), dict(like.who), tasks, people, deadlines, p)
        best = min(best, again, key=_cost)
        if search and len(tasks) <= LOCAL_MOST:
            few = TRIALS // max(len(tasks), 6)
            found = _searched(list(best.order), tasks, people, deadlines, few, p, dict(best.who))
            best = min(best, found, key=_cost)
        return best
    if search and len(tasks) <= LOCAL_MOST:
        dice, trials = random.Random(1), TRIALS * 12 // max(len(tasks), 6)
        for r in range(ROUNDS):
            start = order if r == 0 else dice.sample(order, len(order))
            found = _searched(start, tasks, people, deadlines, trials // ROUNDS if r else trials // 2, p)
            if _cost(found) < _cost(best):
                best = found
    return best


def working_days_late(s: Schedule, deadlines: dict[str, float], people: Sequence[Person]) -> dict[str, int]:
    """For every shot that is late, the days between its deadline and its end on which anybody works."""
    late = [shot for shot in s.late if s.done[shot] - deadlines.get(shot, math.inf) > LOST]
    horizon = max((int(s.done[shot]) for shot in late), default=0) + 2
    worked = list(itertools.accumulate((any(p.hours(d) > 0 for p in people) for d in range(horizon)), initial=0))
    out = {}
    for shot in late:
        first, last = deadlines[shot], s.done[shot]
        out[shot] = worked[int(max(last - 1e-6, first)) + 1] - worked[int(max(first, 0))]
    return out


def _check(tasks: list[Task], people: list[Person]) -> None:
    names = {p.name for p in people if any(h > 0 for h in p.week)}
    if tasks and not names:
        raise UserError("Nobody has any hours; give the people of the production hours on some days of the week.")
    for t in tasks:
        if t.people and not names & set(t.people):
            raise UserError(f"Nobody who can do '{t.name}' of {t.shot} has any hours; name somebody else.")


def _cost(s: Schedule) -> tuple[float, float, float]:
    return round(sum(s.late.values()), 6), round(s.end, 6), round(sum(s.done.values()), 6)


def _searched(
    order: list[int], tasks: list[Task], people: list[Person], deadlines: dict[str, float], trials: int,
    progress: Progress, who: dict[int, str] | None = None,
) -> Schedule:  # fmt: skip
    """Move tasks in the order, and hand them to others, as long as that helps and trials are left."""
    order, who = list(order), dict(who or {})
    best = _laid(order, who, tasks, people, deadlines, progress)
    better = True
    while better:
        better = False
        for trial_order, trial_who in _neighbours(order, who, tasks, people):
            trials -= 1
            if trials < 0:
                return best
            progress.at(0, 0)
            found = _laid(trial_order, trial_who, tasks, people, deadlines, progress)
            if _cost(found) < _cost(best):
                order, who, best, better = trial_order, trial_who, found, True
                break
    return best


def _neighbours(order: list[int], who: dict[int, str], tasks: list[Task], people: list[Person]):  # type: ignore[no-untyped-def]
    for i in range(len(order)):
        for j in range(len(order)):
            if i != j:
                moved = [*order[:i], *order[i + 1 :]]
                moved.insert(j, order[i])
                yield moved, who
    for i in range(len(tasks)):
        for p in people:
            if (not tasks[i].people or p.name in tasks[i].people) and who.get(i) != p.name:
                yield order, {**who, i: p.name}
        if i in who:
            yield order, {k: v for k, v in who.items() if k != i}


def _laid(
    order: list[int], who: dict[int, str], tasks: list[Task], people: list[Person], deadlines: dict[str, float],
    progress: Progress | None = None,
) -> Schedule:  # fmt: skip
    """Lay tasks into people's hours in this order; each with who it is given to, else with whom it is done first. A task goes into
    the first stretch of free time that holds it whole."""
    free = {p.name: [(0.0, math.inf)] for p in people}
    working = [p for p in people if any(h > 0 for h in p.week)]
    ready: dict[str, float] = {}
    by_shot: dict[str, list[int]] = {}
    for i, t in enumerate(tasks):
        by_shot.setdefault(t.shot, []).append(i)
    blocks = []
    for n, k in enumerate(order):
        if progress and n % STRETCH == STRETCH - 1:
            progress.at(0, 0)
        i = by_shot[tasks[k].shot].pop(0)  # a shot's tasks keep their own order
        t = tasks[i]
        able = [p for p in working if not t.people or p.name in t.people]
        given = [p for p in able if p.name == who.get(i)] or able
        begin = max(ready[t.shot] + t.wait if t.shot in ready else 0.0, float(max(t.first_day, t.held)))
        places = [(*_first_place(p, free[p.name], begin, t.hours), p.name) for p in given]
        # of two, the one who would wait less
        start, end, at, name = min(places, key=lambda s: (round(s[1], 9), s[0] - free[s[3]][s[2]][0]))
        a, b = free[name][at]
        free[name][at : at + 1] = [g for g in ((a, start), (end, b)) if g[1] - g[0] > LEAST_GAP]
        ready[t.shot] = end
        blocks.append(Block(t, name, start, end))
    late = {s: max(0.0, d - deadlines[s]) for s, d in ready.items() if s in deadlines}
    slack = {s: deadlines[s] - d for s, d in ready.items() if s in deadlines}
    drives = min(slack, key=lambda s: slack[s]) if slack else max(ready, key=lambda s: ready[s], default="")
    blocks.sort(key=lambda b: (b.start, b.end))
    return Schedule(tuple(blocks), ready, late, drives, tuple(order), tuple(sorted(who.items())))


def _first_place(p: Person, free: list[tuple[float, float]], begin: float, hours: float) -> tuple[float, float, int]:
    """Start and end of work in the first stretch of free time from `begin` that holds it, and which stretch that is."""
    for i, (a, b) in enumerate(free):
        if b > begin:
            start, end = _span(p, max(a, begin), hours)
            if end <= b + 1e-9:
                return start, end, i
    raise AssertionError("the last stretch has no end")


def _span(p: Person, begin: float, hours: float) -> tuple[float, float]:
    """When a person who is free from `begin` starts and ends work of so many hours."""
    day, share = int(begin), begin - int(begin)
    start: float | None = None
    left = hours
    while day < HORIZON:
        there = p.hours(day)
        usable = there * (1 - share)
        if usable > 1e-9:
            if start is None:
                start = day + share
            if left <= usable + 1e-9:
                return start, day + share + left / there
            left -= usable
        day, share = day + 1, 0.0
    raise UserError(f"{p.name} cannot do it within ten years; give more hours, or fewer days off.")
