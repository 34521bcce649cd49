"""What drives the date, in words: the chain of what the shot had to wait for, then how late that is."""

from __future__ import annotations

from datetime import date, timedelta

from transmixis.core.plan.drivers import Link, chain
from transmixis.shot.model import Film
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.timetable import Timetable

MOST_UNDATED = 3  # named one by one


def why(film: Film, table: Timetable) -> str:
    """What drives the date, what is late together with it, and what could not be laid into any day."""
    words = []
    code = table.schedule.drives
    if code:
        words += _chain_words(film, table, code)
        end = table.done_on(code)
        assert end is not None
        words.append(
            f"{code} has {table.hours_left.get(code, 0):.1f} h left ({_shares(table, code)}) and is done on {short_day(end)}."
        )
        words.append(_against_date(table, code))
    elif not table.undated:
        return "Nothing is left to do."
    words += _undated_words(film, table)
    return " ".join(w for w in words if w)


def _shares(table: Timetable, code: str) -> str:
    shares: dict[str, float] = {}
    for b in table.schedule.blocks:
        if b.task.shot == code:
            shares[b.person] = shares.get(b.person, 0.0) + b.task.hours
    return ", ".join(f"{h:.1f} h {n}" for n, h in sorted(shares.items(), key=lambda s: -s[1]))


def _against_date(table: Timetable, code: str) -> str:
    if code in table.missed:
        n = table.working_days_late(code)
        words = f"That is {n} working day{'' if n == 1 else 's'} late."
        others = [s for s in table.missed if s != code]
        if others:
            whole = sum(table.working_days_late(s) for s in table.missed)
            words += f" {len(others) + 1} shots are late, {whole} working days together."
        return words
    if code in table.deadlines:
        n = table.working_days_left(code)
        return f"That leaves {n} working day{'' if n == 1 else 's'}." if n else "That is just in time."
    return ""


def _chain_words(film: Film, table: Timetable, code: str) -> list[str]:
    """A sentence for each wait that a person could do something about; work that simply takes its time is not one."""
    words: list[str] = []
    busy: dict[str, list[str]] = {}
    for link in chain(table.schedule, table.people, code):
        task = f"{link.block.task.shot}'s {link.block.task.name.replace('_', ' ')}"
        until = short_day(_first_day(table, link.until))
        if link.cause == "plates":
            words.append(
                f"{link.block.task.shot} cannot begin before {film.shot(link.block.task.shot).waits_for or 'its plates'}, due {until}."
            )
        elif link.cause == "held":
            words.append(f"{task} is held back by hand until {until}.")
        elif link.cause == "review":
            n = link.block.task.wait
            words.append(f"{task} waits for the review of {n:g} day{'' if n == 1 else 's'}, until {_moment(table, link.until)}.")
        elif link.cause == "person" and link.after is not None and link.after.task.shot != link.block.task.shot:
            busy.setdefault(link.block.person, []).append(link.after.task.shot)
        words += _idle(table, link)
    return [*(f"{who} has {_listed(codes)} to do before." for who, codes in busy.items()), *words]


def _idle(table: Timetable, link: Link) -> list[str]:
    """Days without hours matter where they follow on a wait: they make it longer."""
    if not link.idle or link.cause in ("start", "task", "person"):
        return []
    return [
        f"{link.block.person} has no hours then until {short_day(table.start + timedelta(days=int(link.block.start + 1e-6)))}."
    ]


def _first_day(table: Timetable, at: float) -> date:
    """The day on which work can begin at a moment."""
    return table.start + timedelta(days=int(at + 1e-6))


def _moment(table: Timetable, at: float) -> str:
    """The end of a day belongs to that day."""
    return short_day(table.day(at))


def _undated_words(film: Film, table: Timetable) -> list[str]:
    """Shots whose plates are not there and have no day."""
    if not table.undated:
        return []
    codes, hours = list(table.undated), sum(table.undated.values())
    past = [c for c in codes if film.shot(c).plates_due]
    one = len(codes) == 1
    why_not = "were due before today" if len(past) == len(codes) else "have no day to come"
    return [
        f"{_listed(codes)} {'has' if one else 'have'} plates that are not there and {why_not}: {hours:.1f} h stand in no day. "
        "Set the day under People and dates."
    ]


def _listed(codes: list[str]) -> str:
    codes = list(dict.fromkeys(codes))
    if len(codes) > MOST_UNDATED:
        return f"{', '.join(codes[:MOST_UNDATED])} and {len(codes) - MOST_UNDATED} more"
    return codes[0] if len(codes) == 1 else f"{', '.join(codes[:-1])} and {codes[-1]}"
