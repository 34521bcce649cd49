"""A step of a kind that this version does not know, from a newer program's file: kept untouched, told, and passed by."""

from __future__ import annotations

from typing import Any

from pydantic import ConfigDict

from transmixis.core.readings import Reading
from transmixis.shot.contract import Product, StepKind
from transmixis.shot.steps.params import Params


class AnyParams(Params):
    """Whatever stands there."""

    model_config = ConfigDict(extra="allow", frozen=True)


class Unknown(StepKind[AnyParams]):
    """Stands in for the kind; the renderer lets the step's first input through and never asks it to compute."""

    stage, product, known = "Build", "picture", False
    slots = ()  # it is not known what its inputs are
    Params = AnyParams

    def __init__(self, kind: str) -> None:
        self.kind = kind  # type: ignore[misc]
        self.title = "Unknown step"  # type: ignore[misc]
        self.says = self.words  # type: ignore[misc]

    @property
    def words(self) -> str:
        """What is shown of it."""
        return f"this Transmixis knows no step '{self.kind[:40]}'; it is kept as it is and passed by"

    def compute(self, inputs: Any, params: AnyParams, frame: int) -> Product:
        return Product()

    def read(self, inputs: Any, params: AnyParams, product: Product, frame: int) -> list[Reading]:
        return [Reading("step", None, "", 1.0, note=self.words)]
