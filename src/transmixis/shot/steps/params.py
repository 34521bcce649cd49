"""Parameter fields with unit, words and ranges, so that controls and the command line can be made from them."""

from __future__ import annotations

import inspect
from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel, ConfigDict, Field, model_validator
from pydantic.fields import FieldInfo


class Params(BaseModel):
    """Base of all parameter models."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    @model_validator(mode="before")
    @classmethod
    def _clocks_may_be_written(cls, data: Any) -> Any:
        """10:42 is understood where an hour of the day is meant."""
        if not isinstance(data, dict):
            return data
        return {k: hours_of(v) if isinstance(v, str) and ":" in v and _is_clock(cls, k) else v for k, v in data.items()}


When = tuple[str, tuple[str, ...]]  # another parameter, and those of its values with which this one does something


def number(
    default: float,
    low: float,
    high: float,
    unit: str,
    words: str,
    tip: str,
    *,
    step: float = 0.01,
    percent: bool = False,
    when: When | None = None,
    zero: str = "",
) -> Any:
    """A number with its range. `percent`: kept as 0..1, shown as per cent. `when`: it has no control else. `zero`: said instead of 0."""
    extra = {"unit": unit, "words": words, "tip": tip, "step": step, "percent": percent, "control": "number"}
    if zero:
        extra["zero"] = zero
    if when is not None:
        extra["when"] = [when[0], list(when[1])]
    return Field(default, ge=low, le=high, json_schema_extra=extra)  # type: ignore[arg-type]


CLOCK = "clock"  # the unit of an hour of the day, kept in hours, written 10:42


def clock(default: float, words: str, tip: str) -> Any:
    """An hour of the day by the clock there."""
    return number(default, 0.0, 24.0, CLOCK, words, tip, step=1 / 60)


def clock_words(hours: float) -> str:
    """An hour of the day as clocks show it."""
    minutes = round(hours * 60)
    return f"{minutes // 60}:{minutes % 60:02d}"


def hours_of(text: str) -> float | str:
    """The hour of the day that is written as 10:42; the text itself if it is none."""
    h, _, m = text.strip().partition(":")
    if h.isdecimal() and m.isdecimal() and len(h) <= 2 and len(m) <= 2 and int(m) < 60:
        return int(h) + int(m) / 60
    return text


def _is_clock(model: type[BaseModel], name: str) -> bool:
    field = model.model_fields.get(name)
    return field is not None and isinstance(field.json_schema_extra, dict) and field.json_schema_extra.get("unit") == CLOCK


def choice(default: str, options: tuple[str, ...], words: str, tip: str) -> Any:
    """One of a few words."""
    pattern = "^(" + "|".join(options) + ")$"
    extra = {"options": list(options), "words": words, "tip": tip, "control": "choice"}
    return Field(default, pattern=pattern, json_schema_extra=extra)  # type: ignore[arg-type]


def words(default: str, name: str, tip: str) -> Any:
    """A few words that a person writes."""
    return Field(default, max_length=200, json_schema_extra={"words": name, "tip": tip, "control": "words"})


def hidden(default: Any) -> Any:
    """A parameter with a control of its own, or none."""
    return Field(default, json_schema_extra={"control": "none"})


def rounded(places: Any) -> list[list[float]]:
    """Places (x, y) that were pressed in the picture, to a hundredth of a pixel, as steps keep them."""
    return [[round(float(x), 2), round(float(y), 2)] for x, y in places]


def in_order(model: type[BaseModel]) -> dict[str, FieldInfo]:
    """A model's fields as they are shown: its own first, then those that it shares with others, group by group."""
    names = [n for c in model.__mro__ for n in inspect.get_annotations(c) if n in model.model_fields]
    return {n: model.model_fields[n] for n in dict.fromkeys([*names, *model.model_fields])}


def counts(info: FieldInfo, values: Mapping[str, Any]) -> bool:
    """Whether a parameter does something as the others are set."""
    when = facts(info).get("when")
    return when is None or values.get(when[0]) in when[1]


def facts(info: FieldInfo) -> dict[str, Any]:
    """Unit, words, tip, range and default of a field."""
    extra = info.json_schema_extra
    out: dict[str, Any] = dict(extra) if isinstance(extra, dict) else {"control": "none"}
    for m in info.metadata:
        if hasattr(m, "ge"):
            out["low"] = m.ge
        if hasattr(m, "le"):
            out["high"] = m.le
    out["default"] = info.default
    return out
