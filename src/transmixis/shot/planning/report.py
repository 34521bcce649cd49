"""Reports as pages that print: shoot list, brief, breakdown, schedule, log book; and their tables as CSV."""

from __future__ import annotations

from transmixis.core.errors import UserError
from transmixis.core.plan.schedule import Block
from transmixis.shot.logbook import Entry as LogEntry
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning.dates import long_day
from transmixis.shot.planning.helps import words_for
from transmixis.shot.planning.overview import Overview
from transmixis.shot.planning.reportpage import Table, page
from transmixis.shot.planning.reportshot import answers_of, brief_html, shoot_list_html, shoot_table
from transmixis.shot.planning.timetable import Timetable, together_by_shot
from transmixis.shot.record import STAGES

KINDS = ("shoot", "brief", "breakdown", "schedule", "log")


# -- breakdown, schedule, log


def breakdown_table(film: Film, view: Overview) -> Table:
    """A row a shot: tricks, takes, hours by stage, left, due, waiting."""
    rows = []
    for shot in film.shots:
        r = view.rows[shot.code]
        takes = shot.plan.get("takes", {})
        stages = [f"{r.stages[s].hours.mean:.1f}" if s in r.stages else "" for s in STAGES]
        rows.append(
            (
                shot.code, shot.title, str(shot.length), str(takes.get("camera", "")), "; ".join(takes.get("tricks", ())), *stages,
                f"{r.whole.hours.mean:.1f}", f"{r.whole.hours.deviation:.1f}", f"{r.whole.spent:.1f}", f"{r.left:.1f}", r.risk,
                r.due.isoformat() if r.due else "", r.waits,
            )
        )  # fmt: skip
    heads = ("shot", "title", "frames", "camera", "tricks", *(f"{s} h" for s in STAGES), "hours", "give or take", "spent", "left", "risk", "due", "waits for")  # fmt: skip
    return Table(f"Breakdown of {film.production.name}", heads, tuple(rows))


def breakdown_html(film: Film, view: Overview) -> str:
    """The breakdown for print: a block a shot, so that it fits a page's width."""
    shots = [_in_breakdown(shot, view) for shot in film.shots]
    return page("breakdown.html", f"Breakdown of {film.production.name}", shots=shots, view=view)


def _in_breakdown(shot: Shot, view: Overview) -> dict[str, str]:
    r = view.rows[shot.code]
    tricks = ", ".join(shot.plan.get("takes", {}).get("tricks", ())) or "not said yet"
    whole = f"{r.whole.hours.mean:.1f} in all"
    hours = ", ".join(f"{s} {r.stages[s].hours.mean:.1f}" for s in STAGES if s in r.stages) or whole
    due = f"; due {long_day(r.due)}" if r.due else ""
    words = f"{hours}; {whole}, give or take {r.whole.hours.deviation:.1f}; {r.left:.1f} left{due}"
    return {"code": shot.code, "title": shot.title, "tricks": tricks, "hours": words, "risk": r.risk, "waits": r.waits}


def schedule_table(film: Film, view: Overview) -> Table:
    """A row a block: who, what, from when to when."""
    rows = []
    if view.table:
        for b, tasks in together_by_shot(view.table.schedule.blocks, view.table.people):
            first, last = view.table.day(b.start + 1e-3), view.table.day(b.end)
            rows.append(
                (
                    b.person,
                    b.task.shot,
                    film.shot(b.task.shot).title,
                    _tasks(tasks),
                    _hours(view, b, tasks),
                    first.isoformat(),
                    last.isoformat(),
                )
            )
    return Table(f"Schedule of {film.production.name}", ("who", "shot", "title", "tasks", "hours", "from", "to"), tuple(rows))


def _hours(view: Overview, block: Block, tasks: list[str]) -> str:
    """Hours of the tasks that are drawn as one block."""
    assert view.table is not None
    own = (b for b in view.table.schedule.blocks if b.person == block.person and b.task.shot == block.task.shot)
    return f"{sum(b.task.hours for b in own if b.task.name in tasks):.1f}"


def _tasks(names: list[str]) -> str:
    return ", ".join(n.replace("_", " ") for n in names)


def schedule_html(film: Film, view: Overview, picture: bytes | None = None) -> str:
    """The schedule by person, the deadlines, what drives the date and what would help."""
    title = f"Schedule of {film.production.name}"
    if view.table is None:
        return page("schedule.html", title, trouble=view.trouble or "Nothing is laid out.")
    table = schedule_table(film, view)
    tables = [Table(p.name, table.heads[1:], tuple(r[1:] for r in table.rows if r[0] == p.name)) for p in view.table.people]
    tables.append(Table("Deadlines", ("shot", "due", "done", ""), tuple(_deadlines(view.table))))
    head = f"Laid out from {long_day(view.today)}; version: {view.scenario}. {view.why}"
    helps = [words_for(h) for h in view.table.helps[:4]]
    return page("schedule.html", title, picture, trouble="", head=head, helps=helps, tables=tables)


def _deadlines(table: Timetable) -> list[tuple[str, str, str, str]]:
    """A row a shot that has a date: the date, when it is done, and whether that is kept."""
    rows = []
    for code, limit in table.deadlines.items():
        done = table.done_on(code)
        if done:
            late = table.working_days_late(code) if code in table.missed else 0
            kept = f"{late} working day{'s' if late != 1 else ''} late" if late else "kept"
            rows.append((code, long_day(table.day(limit)), long_day(done), kept))
    return rows


def log_table(entries: list[LogEntry]) -> Table:
    """The log book."""
    return Table("Log book", ("when", "shot", "what", "text"), tuple((e.when, e.shot, e.kind, e.text) for e in entries))


def log_html(film: Film, entries: list[LogEntry]) -> str:
    """The log book for print."""
    return page("log.html", f"Log book of {film.production.name}", table=log_table(entries))


def report(
    kind: str, film: Film, code: str, view: Overview, entries: list[LogEntry], form: str, picture: bytes | None = None
) -> str:
    """A report as 'html' or 'csv'. Raises UserError for one that there is none of."""
    shot = next((s for s in film.shots if s.code == code), film.shots[0] if film.shots and not code else None)
    if kind in ("shoot", "brief") and shot is None:
        raise UserError(f"The production has no shot '{code}'." if code else "The production has no shots yet.")
    if form == "csv":
        tables = {
            "breakdown": lambda: breakdown_table(film, view),
            "schedule": lambda: schedule_table(film, view),
            "log": lambda: log_table(entries),
        }
        if shot is not None:
            tables["shoot"] = lambda: shoot_table(shot, answers_of(film, shot))
        if kind not in tables:
            raise UserError(f"A {kind} is a page, not a table; write it as .html or .pdf.")
        return tables[kind]().csv()
    if kind == "shoot" and shot:
        return shoot_list_html(shot, answers_of(film, shot))
    if kind == "brief" and shot:
        return brief_html(film, shot, view, picture)
    if kind == "breakdown":
        return breakdown_html(film, view)
    if kind == "schedule":
        return schedule_html(film, view, picture)
    if kind == "log":
        return log_html(film, entries)
    raise UserError(f"There is no report '{kind}'; use one of {', '.join(KINDS)}.")
