"""What is left to do on a film, as tasks for the schedule: who can do them, and the day from which they can be done."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.core.plan.schedule import Person, Task
from transmixis.core.progress import Progress
from transmixis.shot.model import Film, Shot
from transmixis.shot.office import Scenario, Work
from transmixis.shot.planning.work import hours_of, learnt, left_of, scenario_of, tasks_in
from transmixis.shot.store import real_path


@dataclass
class Left:
    """Tasks in order, each shot's deadline as the day after which it is late, and hours that can be laid into no day because the
    shot's plates are not there and nobody has said when they come."""

    tasks: list[Task] = field(default_factory=list)
    deadlines: dict[str, float] = field(default_factory=dict)
    undated: dict[str, float] = field(default_factory=dict)


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


def shots_without_files(film: Film, folder: Path) -> frozenset[str]:
    """Shots of which a plate's file is not where it should be."""
    return frozenset(s.code for s in film.shots if not all(_stands(real_path(folder, p.path)) for p in s.plates))


def _stands(path: Path) -> bool:
    try:
        return path.exists() or ("#" in path.name and path.parent.is_dir())
    except (OSError, ValueError):
        return False


def not_there(shot: Shot, today: date, gone: frozenset[str]) -> bool:
    """True for plates that are not there and have no day to come, or one that is past."""
    there = bool(shot.plates) and shot.code not in gone
    return not there and (not shot.plates_due or date.fromisoformat(shot.plates_due) < today)


def tasks_of(film: Film, start: date, progress: Progress | None = None, gone: frozenset[str] = frozenset()) -> Left:
    """What is left to do. `gone`: shots whose plates' files are missing."""
    scenario, known, left = scenario_of(film), learnt(film), Left()
    for shot in film.shots:
        if progress:
            progress.at(0, 0)
        if shot.delivered:
            continue
        due = shot.due or scenario.deadline
        if due:
            left.deadlines[shot.code] = float((date.fromisoformat(due) - start).days + 1)
        tasks = _tasks(
            film,
            shot,
            start,
            hours={w.id: left_of(w, hours_of(w, shot, scenario, known)) for w in tasks_in(shot)},
            scenario=scenario,
        )
        if not_there(shot, start, gone):
            before = {w.id for w in tasks_in(shot) if w.stage == "Plan"}
            hours = sum(t.hours for t in tasks if t.name not in before)
            if hours > 0:
                left.undated[shot.code] = hours
            tasks = [t for t in tasks if t.name in before]
        left.tasks += tasks
    return left


def _tasks(film: Film, shot: Shot, start: date, hours: dict[str, float], scenario: Scenario) -> list[Task]:
    ready = days_to(shot.plates_due, start)
    if not tasks_in(shot):
        left = max((shot.hours_estimate or 0.0) - shot.hours_spent, 0.0)
        return [Task("work", shot.code, left, ready, _able(film, shot, None))] if left > 0 else []
    out, built = [], False
    for w in tasks_in(shot):
        if hours[w.id] > 0:
            wait = scenario.review_days if w.stage == "Check" and built else 0.0
            first = ready if w.stage != "Plan" else 0
            out.append(Task(w.id, shot.code, hours[w.id], first, _able(film, shot, w), days_to(w.not_before, start), wait))
            built = built or w.stage == "Build"
    return out


def days_to(day: str, start: date) -> int:
    """Days from `start` to a day; 0 where it is past or not set."""
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
