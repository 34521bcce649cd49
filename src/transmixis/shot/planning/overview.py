"""Everything the board says of hours and dates, worked out at once so that it can be done beside the window."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date

from transmixis.core.errors import UserError
from transmixis.core.plan.schedule import Block
from transmixis.core.progress import Progress
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning.drives import why
from transmixis.shot.planning.tasks import not_there, today_of
from transmixis.shot.planning.timetable import Timetable, lay_out, together_by_shot
from transmixis.shot.planning.work import Spent, learnt, left_in, scenario_of, shot_hours, stage_hours


@dataclass(frozen=True)
class ShotRow:
    """A shot's hours by stage and in all, hours left, how likely it misses its date, that date, and what it waits for."""

    code: str
    stages: dict[str, Spent]
    whole: Spent
    left: float
    risk: str
    due: date | None
    waits: str


@dataclass(frozen=True)
class Overview:
    """Rows by shot, the timetable (None with the reason in `trouble`), and what drives the date."""

    rows: dict[str, ShotRow]
    table: Timetable | None
    trouble: str
    why: str
    today: date
    scenario: str
    deadline: date | None
    blocks: tuple[tuple[Block, tuple[str, ...]], ...] = ()  # with the names of their tasks, as they are drawn
    days: int = 14
    spare: tuple[float, ...] = ()

    @property
    def spent(self) -> float:
        """Hours spent on all shots."""
        return sum(r.whole.spent for r in self.rows.values())

    @property
    def hours(self) -> float:
        """Hours that all shots should take."""
        return sum(r.whole.hours.mean for r in self.rows.values())


def overview(
    film: Film, *, search: bool = True, progress: Progress | None = None, gone: frozenset[str] = frozenset()
) -> Overview:
    """The board's figures. Without `search` dates alone order the work, which is quick; with it, what helps is looked for too.
    `gone`: shots whose plates' files are missing."""
    known, scenario = learnt(film), scenario_of(film)
    table, trouble, reason = None, "", ""
    try:
        table = lay_out(film, search=search, helps=search, progress=progress, gone=gone)
        reason = why(film, table)
    except UserError as e:
        trouble = str(e)
    rows = {}
    for shot in film.shots:
        if progress:
            progress.at(0, 0)
        whole, left = shot_hours(film, shot, known), left_in(film, shot, known)
        due = shot.due or scenario.deadline
        rows[shot.code] = ShotRow(
            shot.code, stage_hours(film, shot, known), whole, left, _risk(shot, whole, left, table), date.fromisoformat(due) if due else None,
            _waits(shot, today_of(film), left > 0 and not_there(shot, today_of(film), gone)),
        )  # fmt: skip
    deadline = date.fromisoformat(scenario.deadline) if scenario.deadline else None
    found = Overview(rows, table, trouble, reason, today_of(film), scenario.name, deadline)
    if table is None:
        return found
    blocks = tuple((b, tuple(t)) for b, t in together_by_shot(table.schedule.blocks, table.people))
    days = table.days()
    return replace(found, blocks=blocks, days=days, spare=tuple(table.spare(days)))


def _risk(shot: Shot, whole: Spent, left: float, table: Timetable | None) -> str:
    """How the room before the deadline stands against what the estimate may be off by."""
    if left <= 0:
        return "none"
    if table is None or shot.code not in table.deadlines or shot.code not in table.schedule.done:
        return ""
    if shot.code in table.missed:
        return "high"
    days = range(int(table.schedule.done[shot.code]), int(table.deadlines[shot.code]))
    room = sum(max(p.hours(d) for p in table.people) for d in days)
    return "low" if room > whole.hours.deviation else "some"


def _waits(shot: Shot, today: date, undated: bool) -> str:
    if undated:
        return f"{shot.waits_for or 'plates'}, {'overdue' if shot.plates_due else 'no day set'}"
    if shot.plates_due and date.fromisoformat(shot.plates_due) > today:
        d = date.fromisoformat(shot.plates_due)
        return f"{shot.waits_for or 'plates'}, due {d.day} {d:%b}"
    return shot.waits_for if shot.waits_for and not shot.plates_due else ""
