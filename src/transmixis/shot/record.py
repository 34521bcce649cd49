"""What all documents have in common, and the stages of a work order."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict

Stage = Literal["Plan", "Survey", "Matte", "Motion", "Repair", "Build", "Check", "Deliver"]
STAGES: tuple[Stage, ...] = ("Plan", "Survey", "Matte", "Motion", "Repair", "Build", "Check", "Deliver")


class Record(BaseModel):
    """Base of all documents: frozen, and strict about unknown fields, so that a wrong file is told and not half-read."""

    model_config = ConfigDict(frozen=True, extra="forbid")
