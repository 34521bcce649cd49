"""A shot shown at a half or a quarter of its size, for working on large frames: sizes, tracks and shapes stay in full-size px.

Only looking goes this way; readings and deliveries are always of the full size. A kind that says so (`scales`) computes at the small
size, its lengths scaled for it; what any other kind gives is made at full size and shrunk, so that it is never wrong, only slower.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from pydantic import BaseModel

from transmixis.core.motion.motion import Motion
from transmixis.core.survey.plate import PlateSurvey
from transmixis.core.types import Array
from transmixis.media.cache import frozen
from transmixis.shot.contract import Analysis, Handle, Pins, Product
from transmixis.shot.model import Pin, Shot, Step
from transmixis.shot.pins import parameter
from transmixis.shot.products import Products, StepInputs
from transmixis.shot.refs import checked, product_of, split_ref
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.params import facts

SIZES = {"Full size": 1, "Half size": 2, "Quarter size": 4}


class SmallProducts(Products):
    """Gives products of 1 / `by` of the size. A px of the small picture covers `by` x `by` px, from the frame's upper left corner on."""

    def __init__(self, full: Products, by: int) -> None:
        super().__init__(full.shot, full.material, full.cache, full.analyses, full.readings, full.surveys, full.kept)
        self.full = full
        self.by = by
        self.small_shot = _small_shot(full.shot, by)

    @property
    def prepared(self) -> bool:
        return self.full.prepared

    def key(self, ref: str, frame: int) -> str:
        """Content key of the small product."""
        return f"{self.full.key(ref, frame)}/{self.by}"

    def fresh(self, ref: str, frame: int) -> Product:
        """Compute the small product now."""
        if product_of(ref):
            return self._named(ref, frame)
        ref = self._shown(ref)
        what, name = split_ref(ref)
        step = None if what == "plate" else self._step(name)
        kind = kind_of(step.kind) if step else None
        if step is None or kind is None or not (step.on and kind.known and kind.scales):
            return shrunk(self.full.product(ref, frame), self.by)
        params = _scaled_params(checked(step, kind, frame), kind.positions, self.by)
        return kind.compute(SmallInputs(self, step), params, frame)

    # what steps are measured and followed by is of the full size

    def analysis(self, step_id: str) -> Analysis:
        """The step's analysis, of the full size."""
        return self.full.analysis(step_id)

    def piece(self, step_id: str, frame: int, *, name: str = "", make: bool = True) -> Analysis | None:
        """A piece of it, of the full size."""
        return self.full.piece(step_id, frame, name=name, make=make)

    def motion_if_there(self, step_id: str, frame: int) -> Motion | None:
        """A track's motion, of the full size, if it was made before."""
        return self.full.motion_if_there(step_id, frame)

    def handles(self, step_id: str, frame: int) -> tuple[Handle, ...]:
        """What tools can take hold of, in px of the full size."""
        return self.full.handles(step_id, frame)

    def halved_in(self, ref: str) -> str | None:
        """None: chroma recorded at half size is at full size here."""
        return None


class SmallInputs(StepInputs):
    """What a step may ask for, at the small size."""

    def __init__(self, renderer: SmallProducts, step: Step) -> None:
        super().__init__(renderer, step)
        self._small = renderer
        self.shot = renderer.small_shot

    def pins(self) -> Pins:
        kind, by = kind_of(self._step.kind), self._small.by
        lengths = {k for k, f in kind.Params.model_fields.items() if facts(f).get("unit") == "px"}
        return {
            k: tuple(_scaled_pin(p, by, k in lengths) for p in v) if parameter(k) in {*kind.positions, *lengths} else v
            for k, v in self._step.pins.items()
        }

    def fresh(self, slot: str, frame: int) -> Product:
        return self._small.product(self._ref(slot), frame)

    def survey(self, slot: str) -> PlateSurvey:
        return StepInputs(self._small.full, self._step).survey(slot)

    def survey_if_there(self, slot: str) -> PlateSurvey | None:
        return StepInputs(self._small.full, self._step).survey_if_there(slot)


def shrunk(product: Product, by: int) -> Product:
    """A product of full size at 1 / `by` of it: pictures and mattes averaged over areas, motions and shapes scaled."""
    motion, shape = product.motion, product.shape
    return replace(
        product,
        picture=None if product.picture is None else frozen(_averaged(product.picture, by)),
        matte=None if product.matte is None else frozen(_averaged(product.matte, by)),
        motion=None if motion is None else _small_motion(motion, by),
        camera=None if product.camera is None else product.camera.scaled(1 / by),
        shape=None if shape is None else tuple(np.asarray(s) / by for s in shape),
        also={k: shrunk(v, by) for k, v in product.also.items()},
    )


def _averaged(picture: Array, by: int) -> Array:
    """(h, w, ...) averaged over `by` x `by` px; the last row and column are filled up from the border."""
    h, w = picture.shape[:2]
    down, right = -h % by, -w % by
    if down or right:
        picture = cv2.copyMakeBorder(picture, 0, down, 0, right, cv2.BORDER_REPLICATE)
    size = (picture.shape[1] // by, picture.shape[0] // by)
    return np.ascontiguousarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA))


def _small_motion(m: Motion, by: int) -> Motion:
    """A motion in small px: matrices and places from small to full, and back."""
    grow, shrink = np.diag([by, by, 1.0]), np.diag([1 / by, 1 / by, 1.0])
    within = None if m.within is None else shrink @ m.within @ grow
    return replace(m, matrix=shrink @ m.matrix @ grow, about=np.asarray(m.about) / by, error=m.error / by, within=within)


def _small_shot(shot: Shot, by: int) -> Shot:
    return shot.model_copy(update={"width": -(-shot.width // by), "height": -(-shot.height // by)})


def _scaled_params(params: BaseModel, positions: tuple[str, ...], by: int) -> BaseModel:
    """Parameters whose unit is px, and points in the picture, in small px."""
    values: dict[str, Any] = {}
    for name, f in type(params).model_fields.items():
        extra = f.json_schema_extra if isinstance(f.json_schema_extra, dict) else {}
        if extra.get("unit") == "px":
            values[name] = getattr(params, name) / by
        elif name in positions:
            values[name] = _scaled(getattr(params, name), by)
    return params.model_copy(update=values)


def _scaled(value: Any, by: int) -> Any:
    """Points (x, y), or with an identity before them, in tuples of any depth."""
    if isinstance(value, (list, tuple)) and value and not isinstance(value[0], (list, tuple)):
        *identity, x, y = value
        return (*identity, x / by, y / by)
    return tuple(_scaled(v, by) for v in value) if isinstance(value, (list, tuple)) else value


def _scaled_pin(pin: Pin, by: int, length: bool) -> Pin:
    return pin.model_copy(update={"value": pin.value / by if length else _scaled(pin.value, by)})
