"""Reports of one shot: the shoot list, and the brief that is shown to those who must agree."""

from __future__ import annotations

from typing import Any

from transmixis.core.errors import UserError
from transmixis.shot.model import Film, Shot
from transmixis.shot.office import ROLES_ASKED, Agreement
from transmixis.shot.planning import QUESTIONS, answered, question_of
from transmixis.shot.planning.agree import others_to_ask
from transmixis.shot.planning.contract import Answer, Entry
from transmixis.shot.planning.dates import long_day
from transmixis.shot.planning.overview import Overview
from transmixis.shot.planning.reportpage import Table, page, said_day
from transmixis.shot.planning.shadowparams import OTHER, SUN
from transmixis.shot.planning.work import scenario_of
from transmixis.shot.steps.params import clock_words


def answers_of(film: Film, shot: Shot) -> list[tuple[str, Answer]]:
    """The answered questions of a shot; those whose inputs are wrong are left out."""
    out = []
    for k in answered(shot):
        try:
            out.append((QUESTIONS[k].title, QUESTIONS[k].of_shot(shot, film)))
        except UserError:
            continue
    return out


def shoot_table(shot: Shot, answers: list[tuple[str, Answer]]) -> Table:
    """What is to be filmed or noted."""
    entries = _entries(answers)
    rows = tuple((("yes" if e.what in shot.ticked else ""), e.what, e.why, ("yes" if e.forgotten else "")) for e in entries)
    return Table(f"Shoot list {shot.code}", ("done", "what", "why", "often forgotten"), rows)


def shoot_list_html(shot: Shot, answers: list[tuple[str, Answer]]) -> str:
    """The shoot list, the answers it rests on, and the cautions; `answers` are (question, answer)."""
    return page(
        "shoot.html",
        f"Shoot list: {shot.code} {shot.title}".strip(),
        where=where_and_when(shot),
        entries=_entries(answers),
        ticked=shot.ticked,
        answers=answers,
        cautions=_cautions(answers),
    )


def _entries(answers: list[tuple[str, Answer]]) -> list[Entry]:
    """What is to be filmed or noted, each once."""
    return list({e.what: e for _, a in answers for e in a.entries}.values())


def _cautions(answers: list[tuple[str, Answer]]) -> list[str]:
    return list(dict.fromkeys(c for _, a in answers for c in a.cautions))


# -- brief: one page to show to those who must agree


def brief_html(film: Film, shot: Shot, view: Overview, picture: bytes | None = None) -> str:
    """One page of a shot: picture (PNG), layers, takes, cost, risks, and what was said so far."""
    answers = answers_of(film, shot)
    row = view.rows[shot.code]
    facts = [
        ("length", f"{shot.length} frames, {shot.length / float(shot.fps):.1f} s, {shot.width} × {shot.height}"),
        ("layers", ", ".join(p.name or p.role for p in shot.plates) or "none yet"),
        ("version", scenario_of(film).name),
        ("hours", f"{row.whole.hours.mean:.1f}, give or take {row.whole.hours.deviation:.1f}; {row.whole.spent:.1f} spent"),
        ("due", long_day(row.due) if row.due else "no date"),
        ("risk", row.risk or "not known without people and dates"),
        ("waits for", row.waits or "nothing"),
    ]
    done = view.table.done_on(shot.code) if view.table else None
    if done:
        facts.insert(5, ("done as it stands", long_day(done)))
    return page(
        "brief.html",
        f"{shot.code} {shot.title}: brief".replace(" :", ":"),
        picture,
        facts=facts,
        risks=risks_of(shot, view, answers),
        entries=_entries(answers),
        cautions=_cautions(answers),
        agreed=_agreed(shot),
    )


def risks_of(shot: Shot, view: Overview, answers: list[tuple[str, Answer]]) -> list[str]:
    """What may go wrong: the date, plates that are not there, answers that do not hold or could not be measured, who is against."""
    out = []
    if view.table and shot.code in view.table.missed:
        n = view.table.working_days_late(shot.code)
        out.append(f"As it stands it is {n} working day{'' if n == 1 else 's'} late.")
    elif view.rows[shot.code].risk == "some":
        out.append("Less room before its date than its estimate may be off by.")
    if view.table and shot.code in view.table.undated:
        out.append("Its plates are not there, and have no day on which they come.")
    out += [f"{q} {a.words}" for q, a in answers if a.state == "fault"]
    out += [
        f"{q} {r.name} could not be measured{f': {r.note}' if r.note else ''}."
        for q, a in answers for r in a.readings if r.state == "unknown" and a.state != "fault"
    ]  # fmt: skip
    return [*out, *(f"The {a.who} is against it: {a.said}" for a in _last(shot).values() if a.answer == "against")]


def _last(shot: Shot) -> dict[str, Agreement]:
    return {a.who: a for a in sorted(shot.agreements, key=lambda a: a.when)}


def _agreed(shot: Shot) -> list[tuple[str, str, str, str]]:
    """Everybody who must agree, what they said last, and a line to sign for those who were not asked yet."""
    last, rows = _last(shot), []
    for who in dict.fromkeys((*ROLES_ASKED, *others_to_ask(shot))):
        a = last.get(who)
        rows.append((said_day(a.when), who, a.answer, a.said) if a else ("not yet", who, "______________", ""))
    return rows


def where_and_when(shot: Shot) -> tuple[tuple[str, str], ...]:
    """Place and day of the shoot as far as somebody has said them; an hour whose shadows were found wrong is not printed."""
    place = str(shot.plan.get("takes", {}).get("place", "")).strip()
    found: dict[str, str] = {"place": place, "plates by": said_day(shot.plates_due) if shot.plates_due else ""}
    given = shot.plan.get("shadow", {})
    try:
        p: Any = question_of("shadow").params(dict(given))
        agrees = question_of("shadow").of_shot(shot).state != "fault"
    except UserError:
        p, agrees = None, False
    if p is not None and given and p.second_light == SUN:
        there = "second_" if p.second_place == OTHER else ""
        if {f"{there}latitude", f"{there}longitude"} <= given.keys():
            lat, lon = getattr(p, f"{there}latitude"), getattr(p, f"{there}longitude")
            at = f"{abs(lat):.2f}° {'N' if lat >= 0 else 'S'}, {abs(lon):.2f}° {'E' if lon >= 0 else 'W'}"
            found["place"] = f"{place} ({at})" if place else at
        if "second_day" in given and "second_hour" in given:
            day = f"{said_day(p.second_day)} at {clock_words(p.second_hour)}"
            found["day"] = day if agrees else "not settled yet: the shadows do not agree"
    known = tuple((n, v) for n, v in found.items() if v)
    if "place" not in dict(known):
        known = (("place", "not set: say it under What is the trick?"), *known)
    return known if len(known) > 1 else (*known, ("day", "not set"))
