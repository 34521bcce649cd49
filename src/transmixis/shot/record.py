"""What all documents have in common, and the stages of a work order."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, ValidationError

from transmixis.core.rate import rate_of

Stage = Literal["Plan", "Survey", "Matte", "Motion", "Repair", "Build", "Check", "Hand over"]
STAGES: tuple[Stage, ...] = ("Plan", "Survey", "Matte", "Motion", "Repair", "Build", "Check", "Hand over")

CODE = re.compile(r"[A-Za-z0-9][A-Za-z0-9_\-]{0,31}\Z", re.ASCII)


class Record(BaseModel):
    """Base of all documents: frozen, and strict about unknown fields, so that a wrong file is told and not half-read."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, ser_json_inf_nan="constants")


def _is_a_rate(v: str) -> str:
    rate_of(v)
    return v


def _is_a_code(v: str) -> str:
    if not CODE.match(v):
        raise ValueError(f"'{v[:40]}' cannot be a shot code; use letters, digits, - and _, at most 32")
    return v


RateText = Annotated[str, AfterValidator(_is_a_rate)]  # e.g. 24 or 30000/1001
Code = Annotated[str, AfterValidator(_is_a_code)]  # names a folder, so nothing else may stand in it


def words_of(e: ValidationError) -> str:
    """The first thing that is wrong with values, with its place, in plain words."""
    first: Any = e.errors(include_url=False, include_context=False)[0]
    place = "$" + "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in first["loc"])
    told = str(first["msg"]).removeprefix("Value error, ")
    return f"{place}: {told[:1].lower()}{told[1:200]}"
