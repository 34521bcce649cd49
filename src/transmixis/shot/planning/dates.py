"""One way to write a date, everywhere."""

from __future__ import annotations

from datetime import date


def short_day(d: date) -> str:
    """A date as the board and the reports write it: Fri 5 Jun."""
    return f"{d:%a} {d.day} {d:%b}"


def long_day(d: date) -> str:
    """A date on paper, with its year: Fri 5 Jun 2026."""
    return f"{short_day(d)} {d:%Y}"
