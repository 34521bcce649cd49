"""A reading in words: its figure, unit and limit are the same wherever it is shown."""

from __future__ import annotations

from transmixis.core.readings import Reading
from transmixis.desk.theme import figure


def with_unit(value: float, unit: str) -> str:
    """A figure with its unit; degrees and per cent as they are set in print."""
    return figure(value) + (unit if unit == "°" else f" {unit}" if unit else "")


def value_words(r: Reading) -> str:
    """0.12 px, or that it was not measured."""
    return "not measured" if r.value is None else with_unit(r.value, r.unit)


def bound(r: Reading) -> str:
    """at most, or at least."""
    return "at most" if r.better == "low" else "at least"


def limit_words(r: Reading) -> str:
    """at most 0.33 px."""
    return f"{bound(r)} {with_unit(r.limit, r.unit)}"


def reading_words(r: Reading) -> str:
    """tremble 0.12 px, at most 0.33 px."""
    return f"{r.name} {value_words(r)}, {limit_words(r)}"
