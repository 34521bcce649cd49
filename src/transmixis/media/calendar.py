"""Calendars as files (iCalendar, RFC 5545): whole-day events out, days in."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import icalendar

from transmixis.core.errors import UserError

LARGEST = 20 << 20  # bytes: a calendar of a life is smaller
MOST_DAYS = 20_000


@dataclass(frozen=True)
class DayEvent:
    """An event of whole days: an id that stays, first and last day, one line, and more words."""

    uid: str
    first: date
    last: date
    summary: str
    description: str = ""


def calendar_bytes(events: Iterable[DayEvent], name: str) -> bytes:
    """A calendar file's content. The end of a whole-day event is the day after its last (RFC 5545, 3.6.1)."""
    out = icalendar.Calendar()
    out.add("prodid", "-//Transmixis//schedule//EN")
    out.add("version", "2.0")
    out.add("x-wr-calname", name)
    stamp = datetime.now(UTC)
    for e in events:
        event = icalendar.Event()
        event.add("uid", e.uid)
        event.add("dtstamp", stamp)
        event.add("dtstart", e.first)
        event.add("dtend", e.last + timedelta(days=1))
        event.add("summary", e.summary)
        if e.description:
            event.add("description", e.description)
        event.add("transp", "OPAQUE")
        out.add_component(event)
    return bytes(out.to_ical())


def read_days(path: Path) -> list[date]:
    """Every day that an event of a calendar file covers, sorted; repeating events are taken once. Raises UserError."""
    try:
        if path.stat().st_size > LARGEST:
            raise UserError(f"'{path}' is larger than {LARGEST >> 20} MB; export a smaller calendar.")
        data = path.read_bytes()
    except OSError as e:
        raise UserError(f"Cannot read '{path}' ({e.strerror}); choose a calendar file (.ics).") from e
    try:
        calendars = icalendar.Calendar.from_ical(data, multiple=True)
        days = {d for c in calendars for e in c.walk("VEVENT") for d in _days_of(e)}
    except (ValueError, KeyError, IndexError, TypeError, AttributeError) as e:
        raise UserError(f"'{path}' is not a calendar that can be read ({e}); export it again as iCalendar (.ics).") from e
    if not days:
        raise UserError(f"'{path}' holds no events; choose a calendar with the days off.")
    return sorted(days)


def _days_of(event: icalendar.cal.Component) -> list[date]:
    """The days an event covers; one that ends at midnight does not cover the day that begins then."""
    start = event.get("dtstart")
    if start is None:
        return []
    first = start.dt
    end = event.get("dtend")
    length = event.get("duration")
    last = end.dt if end is not None else first + length.dt if length is not None else first
    timed = isinstance(first, datetime)
    a = first.date() if timed else first
    if isinstance(last, datetime):
        b = (last - timedelta(seconds=1)).date() if last > first else last.date()
    else:
        b = last - timedelta(days=1) if last > a else last
    n = (b - a).days
    if n > MOST_DAYS:
        raise ValueError("an event of more than fifty years")
    return [a + timedelta(days=k) for k in range(max(n, 0) + 1)]
