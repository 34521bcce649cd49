"""A reading in words: its figure, unit and limit are the same wherever it is shown."""

from __future__ import annotations

from transmixis.core.readings import Reading
from transmixis.desk.theme import figure

COUNTED = ("frame", "frames", "spots", "mattes")  # units of which there are whole ones


def with_unit(value: float, unit: str) -> str:
    """A figure with its unit; degrees and per cent as they are set in print."""
    whole = f"{value:.0f}".replace("-", "\u2212") if unit in COUNTED and value == round(value) else figure(value)
    if unit == "frame":
        return f"frame {whole}"  # which one, not how many
    if unit == "frames" and value == 1:
        return "1 frame"
    return whole + (unit if unit == "°" else f" {unit}" if unit else "")


def plain(value: float) -> str:
    """A limit: a number that somebody set, without figures that say nothing."""
    return f"{value:.4g}".replace("-", "\u2212")


def value_words(r: Reading) -> str:
    """0.12 px, or that it was not measured."""
    return "not measured" if r.value is None else with_unit(r.value, r.unit)


def bound(r: Reading) -> str:
    """at most, or at least."""
    return "at most" if r.better == "low" else "at least"


def limit_words(r: Reading) -> str:
    """at most 0.33 px."""
    if r.unit == "frame":
        return f"{bound(r)} frame {plain(r.limit)}"
    if r.unit == "frames" and r.limit == 1:
        return f"{bound(r)} 1 frame"
    return f"{bound(r)} {plain(r.limit)}{'' if r.unit in ('', '°') else ' '}{r.unit}"


def reading_words(r: Reading) -> str:
    """tremble 0.12 px, at most 0.33 px."""
    return f"{r.name} {value_words(r)}, {limit_words(r)}"
