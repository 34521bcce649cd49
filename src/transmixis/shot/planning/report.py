"""Reports as pages that print: shoot list, brief, breakdown, schedule, log book; and their tables as CSV."""

from __future__ import annotations

import base64
import csv
import io
from dataclasses import dataclass
from datetime import date
from html import escape

from transmixis.core.errors import UserError
from transmixis.shot.logbook import Entry as LogEntry
from transmixis.shot.model import Film, Shot
from transmixis.shot.planning import QUESTIONS, answered
from transmixis.shot.planning.contract import Answer
from transmixis.shot.planning.helps import words_for
from transmixis.shot.planning.overview import Overview
from transmixis.shot.planning.timetable import together_by_shot
from transmixis.shot.planning.work import scenario_of
from transmixis.shot.record import STAGES

STYLE = (
    "body{font-family:sans-serif;font-size:10pt;margin:2cm;color:#1e1e1e}h1,h2,b{font-weight:600}h1{font-size:16pt}h2{font-size:12pt;margin:1.2em 0 .3em}"
    "table{border-collapse:collapse;width:100%}td,th{vertical-align:top;text-align:left;border-bottom:1px solid #cccccc}"
    "th{color:#5a5a5a;font-weight:normal}.box{width:12pt}.why{color:#5a5a5a}.late{color:#a33e00;font-weight:bold}"
    "@page{size:A4;margin:1.5cm}@media print{body{margin:0}}"
)
KINDS = ("shoot", "brief", "breakdown", "schedule", "log")


@dataclass(frozen=True)
class Table:
    """A table: its heads and rows of plain values."""

    name: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    def html(self) -> str:
        """As HTML with a title."""
        head = "".join(f"<th>{escape(h)}</th>" for h in self.heads)
        rows = "".join("<tr>" + "".join(f"<td>{escape(v)}</td>" for v in r) + "</tr>" for r in self.rows)
        return f"<h2>{escape(self.name)}</h2><table cellpadding=4 width='100%'><tr>{head}</tr>{rows}</table>"

    def csv(self) -> str:
        """As CSV (RFC 4180). A value that a spreadsheet would take for a formula is kept from being one."""
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(self.heads)
        writer.writerows([_plain(v) for v in r] for r in self.rows)
        return out.getvalue()


def _plain(value: str) -> str:
    return f"'{value}" if value[:1] in ("=", "+", "-", "@", "\t") and not _number(value) else value


def _number(value: str) -> bool:
    try:
        float(value)
    except ValueError:
        return False
    return True


def page(title: str, body: str) -> str:
    """A whole page."""
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>{escape(title)}</title><style>{STYLE}</style>"
        f"<h1>{escape(title)}</h1>{body}</html>\n"
    )


def answers_of(film: Film, shot: Shot) -> list[tuple[str, Answer]]:
    """The answered questions of a shot; those whose inputs are wrong are left out."""
    out = []
    for k in answered(shot):
        try:
            out.append((QUESTIONS[k].title, QUESTIONS[k].of_shot(shot, film)))
        except UserError:
            continue
    return out


# -- shoot list


def shoot_table(shot: Shot, answers: list[tuple[str, Answer]]) -> Table:
    """What is to be filmed or noted."""
    entries = list({e.what: e for _, a in answers for e in a.entries}.values())
    rows = tuple((("yes" if e.what in shot.ticked else ""), e.what, e.why, ("yes" if e.forgotten else "")) for e in entries)
    return Table(f"Shoot list {shot.code}", ("done", "what", "why", "often forgotten"), rows)


def shoot_list_html(shot: Shot, answers: list[tuple[str, Answer]]) -> str:
    """The shoot list, the answers it rests on, and the cautions; `answers` are (question, answer)."""
    entries = list({e.what: e for _, a in answers for e in a.entries}.values())
    rows = "".join(
        f"<tr><td class=box>{'☒' if e.what in shot.ticked else '☐'}</td><td>{_strong(e.what, e.forgotten)}</td>"
        f"<td class=why>{escape(e.why)}</td></tr>"
        for e in entries
    )
    found = "".join(f"<tr><td>{escape(q)}</td><td>{escape(a.words)}</td></tr>" for q, a in answers)
    return page(
        f"Shoot list: {shot.code} {shot.title}".strip(),
        f"<table cellpadding=4 width='100%'>{rows}</table><h2>What it rests on</h2><table cellpadding=4 width='100%'>{found}</table>{_cautions(answers)}",
    )


def _cautions(answers: list[tuple[str, Answer]]) -> str:
    items = "".join(f"<li>{escape(c)}</li>" for c in dict.fromkeys(c for _, a in answers for c in a.cautions))
    return f"<h2>Cautions</h2><ul>{items}</ul>" if items else ""


def _strong(words: str, strong: bool) -> str:
    return f"<b>{escape(words)}</b>" if strong else escape(words)


# -- brief: one page to show to those who must agree


def brief_html(film: Film, shot: Shot, view: Overview, picture: bytes | None = None) -> str:
    """One page of a shot: picture (PNG), layers, takes, cost, risks, and what was said so far."""
    answers = answers_of(film, shot)
    row = view.rows[shot.code]
    image = _image(picture, 420)
    facts = [
        ("length", f"{shot.length} frames, {shot.length / float(shot.fps):.1f} s, {shot.width} × {shot.height}"),
        ("layers", ", ".join(p.name or p.role for p in shot.plates) or "none yet"),
        ("version", scenario_of(film).name),
        ("hours", f"{row.whole.hours.mean:.1f}, give or take {row.whole.hours.deviation:.1f}; {row.whole.spent:.1f} spent"),
        ("due", f"{row.due:%a} {row.due.day} {row.due:%b %Y}" if row.due else "no date"),
        ("risk", row.risk or "not known without people and dates"),
        ("waits for", row.waits or "nothing"),
    ]
    done = view.table.done_on(shot.code) if view.table else None
    if done:
        facts.insert(5, ("done as it stands", f"{done:%a} {done.day} {done:%b %Y}"))
    table = "".join(f"<tr><td class=why>{escape(n)}</td><td>{escape(v)}</td></tr>" for n, v in facts)
    takes = "".join(
        f"<li>{_strong(e.what, e.forgotten)}</li>" for e in {e.what: e for _, a in answers for e in a.entries}.values()
    )
    risks = [f"{q} {a.words}" for q, a in answers if any(r.state == "fault" for r in a.readings)]
    said = "".join(
        f"<tr><td>{a.when}</td><td>{escape(a.who)}</td><td>{escape(a.answer)}</td><td>{escape(a.said)}</td></tr>"
        for a in shot.agreements
    )
    return page(
        f"{shot.code} {shot.title}: brief".replace(" :", ":"),
        image + f"<table cellpadding=4 width='100%'>{table}</table>"
        + (f"<h2>Risks</h2><ul>{''.join(f'<li class=late>{escape(r)}</li>' for r in risks)}</ul>" if risks else "")
        + (f"<h2>To film or note</h2><ul>{takes}</ul>" if takes else "")
        + _cautions(answers)
        + (f"<h2>What was said</h2><table cellpadding=4 width='100%'>{said}</table>" if said else "<h2>Agreed by</h2><p>director ______ &nbsp; post supervisor ______ &nbsp; producer ______</p>"),
    )  # fmt: skip


def _image(picture: bytes | None, width: int) -> str:
    return f'<p><img width="{width}" src="data:image/png;base64,{base64.b64encode(picture).decode()}"></p>' if picture else ""


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
    parts = []
    for shot in film.shots:
        r = view.rows[shot.code]
        takes = shot.plan.get("takes", {})
        tricks = ", ".join(takes.get("tricks", ())) or "not said yet"
        hours = (
            ", ".join(f"{s} {r.stages[s].hours.mean:.1f}" for s in STAGES if s in r.stages) or f"{r.whole.hours.mean:.1f} in all"
        )
        due = f"; due {r.due.isoformat()}" if r.due else ""
        parts.append(
            f"<h2>{escape(shot.code)} {escape(shot.title)}</h2><table cellpadding=4 width='100%'><tr><td class=why>trick</td><td>{escape(tricks)}</td></tr>"
            f"<tr><td class=why>hours</td><td>{escape(hours)}; {r.whole.hours.mean:.1f} in all, give or take {r.whole.hours.deviation:.1f}; "
            f"{r.left:.1f} left{due}</td></tr>"
            + (f"<tr><td class=why>risk</td><td>{escape(r.risk)}</td></tr>" if r.risk else "")
            + (f"<tr><td class=why>waits for</td><td>{escape(r.waits)}</td></tr>" if r.waits else "")
            + "</table>"
        )
    total = (
        f"<p>{len(film.shots)} shots, {view.hours:.1f} h in all, {view.spent:.1f} h spent; version: {escape(view.scenario)}.</p>"
    )
    return page(f"Breakdown of {film.production.name}", total + "".join(parts))


def schedule_table(film: Film, view: Overview) -> Table:
    """A row a block: who, what, from when to when."""
    rows = []
    if view.table:
        for b, tasks in together_by_shot(view.table.schedule.blocks, view.table.people):
            first, last = view.table.day(b.start + 1e-3), view.table.day(b.end)
            rows.append((b.person, b.task.shot, film.shot(b.task.shot).title, _tasks(tasks), first.isoformat(), last.isoformat()))
    return Table(f"Schedule of {film.production.name}", ("who", "shot", "title", "tasks", "from", "to"), tuple(rows))


def _tasks(names: list[str]) -> str:
    return ", ".join(n.replace("_", " ") for n in names)


def schedule_html(film: Film, view: Overview, picture: bytes | None = None) -> str:
    """The schedule by person, the deadlines, what drives the date and what would help."""
    if view.table is None:
        return page(f"Schedule of {film.production.name}", f"<p>{escape(view.trouble)}</p>")
    table = schedule_table(film, view)
    parts = [Table(p.name, table.heads[1:], tuple(r[1:] for r in table.rows if r[0] == p.name)).html() for p in view.table.people]
    dates = []
    for code, limit in view.table.deadlines.items():
        done = view.table.done_on(code)
        if done:
            late = view.table.working_days_late(code) if code in view.table.missed else 0
            dates.append(
                (
                    code,
                    _day(view.table.day(limit)),
                    _day(done),
                    f"{late} working day{'s' if late != 1 else ''} late" if late else "kept",
                )
            )
    helps = "".join(f"<li>{escape(words_for(h))}</li>" for h in view.table.helps[:4])
    return page(
        f"Schedule of {film.production.name}",
        f"<p>Laid out from {_day(view.today)}; version: {escape(view.scenario)}. {escape(view.why)}</p>"
        + _image(picture, 660)
        + (f"<h2>What would help</h2><ul>{helps}</ul>" if helps else "")
        + "".join(parts) + Table("Deadlines", ("shot", "due", "done", ""), tuple(dates)).html(),
    )  # fmt: skip


def log_table(entries: list[LogEntry]) -> Table:
    """The log book."""
    return Table("Log book", ("when", "shot", "what", "text"), tuple((e.when, e.shot, e.kind, e.text) for e in entries))


def log_html(film: Film, entries: list[LogEntry]) -> str:
    """The log book for print."""
    return page(f"Log book of {film.production.name}", log_table(entries).html())


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


def _day(d: date) -> str:
    return f"{d:%a} {d.day} {d:%b %Y}"
