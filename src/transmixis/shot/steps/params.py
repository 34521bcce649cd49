"""Parameter fields with unit, words and ranges, so that controls and the command line can be made from them."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field
from pydantic.fields import FieldInfo


class Params(BaseModel):
    """Base of all parameter models."""

    model_config = ConfigDict(extra="forbid", frozen=True)


def number(
    default: float, low: float, high: float, unit: str, words: str, tip: str, *, step: float = 0.01, percent: bool = False
) -> Any:
    """A number with its range. `percent`: kept as 0..1, shown as per cent."""
    extra = {"unit": unit, "words": words, "tip": tip, "step": step, "percent": percent, "control": "number"}
    return Field(default, ge=low, le=high, json_schema_extra=extra)  # type: ignore[arg-type]


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
