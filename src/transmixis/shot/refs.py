"""A step's inputs and parameters as they count. An input is connected to 'plate:ID', 'step:ID', or 'step:ID/NAME' for one of the further products of a step."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from transmixis.core.errors import UserError
from transmixis.shot.contract import AnyKind, Slot
from transmixis.shot.model import Step
from transmixis.shot.pins import params_at

M = TypeVar("M", bound=BaseModel)


def split_ref(ref: str) -> tuple[str, str]:
    """'plate:hero' as ('plate', 'hero'); a product's name is left out. Raises UserError."""
    what, _, name = ref.partition(":")
    if what == "step":
        name = name.partition("/")[0]
    if what not in ("plate", "step") or not name:
        raise UserError(f"'{ref}' is neither a plate nor a step; connect the step anew.")
    return what, name


def product_of(ref: str) -> str:
    """The name of the product that is taken of a step; '' for what it gives first."""
    return ref.partition("/")[2] if ref.startswith("step:") else ""


def base_of(ref: str) -> str:
    """The same without a product's name."""
    return ref.partition("/")[0] if ref.startswith("step:") else ref


def with_product(ref: str, name: str) -> str:
    """A step's reference with the name of one of its products."""
    return f"{base_of(ref)}/{name}" if name else base_of(ref)


def slot_name(key: str) -> str:
    """The slot that a key of a step's inputs is of: 'over.2' is the second connection of 'over'."""
    return key.partition(".")[0]


def refs_of(step: Step, slot: Slot) -> dict[str, str]:
    """What a slot is connected to, by the key in the step's inputs, in order."""
    keys = [slot.name]
    if slot.many:
        more = [k for k in step.inputs if slot_name(k) == slot.name and k != slot.name]
        keys += sorted(more, key=lambda k: (len(k), k))
    return {k: ref for k in keys if (ref := step.inputs.get(k))}


def passed_through(step: Step, kind: AnyKind) -> str | None:
    """What a step lets through while it is off or of an unknown kind: what lies behind it, else the first of its inputs; nothing if it makes
    a matte, a motion or a shape."""
    if not kind.known:
        return next((r for r in step.inputs.values() if r), None)
    if kind.product not in ("picture", "readings"):
        return None
    slots = sorted(kind.slots, key=lambda s: not s.ground)
    return next((step.inputs[s.name] for s in slots if step.inputs.get(s.name)), None)


def checked(step: Step, kind: AnyKind, frame: int) -> Any:
    """The step's parameters at a frame. Raises UserError if they do not fit the kind."""
    return modelled(step, kind.Params, params_at(step, frame))


def modelled(step: Step, model: type[M], values: Mapping[str, Any]) -> M:
    """Values of a step as its model has them. Raises UserError if they do not fit."""
    try:
        # what a newer program has added is kept in the file, and passed by here
        return model.model_validate({k: v for k, v in values.items() if k in model.model_fields})
    except ValidationError as e:
        first = e.errors()[0]
        raise UserError(f"Step '{step.name}': {'.'.join(map(str, first['loc']))} {first['msg'].lower()}; set it anew.") from e
