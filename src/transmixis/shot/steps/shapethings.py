"""The outlines of a Shapes step as things that a person adds, names, sets and takes out."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.shot.model import Step
from transmixis.shot.offers import Act, Thing
from transmixis.shot.pins import parameter
from transmixis.shot.refs import modelled
from transmixis.shot.steps.outlines import MOST, WHOLE, OneShape, PointStyle, named
from transmixis.shot.steps.params import facts
from transmixis.shot.steps.shapeparams import ShapesParams, shapes_of

OUTLINE, STRAND = "outline", "strand"
NEW = (
    Act(OUTLINE, "New outline", "One more closed outline; press along it in the picture."),
    Act(STRAND, "New strand", "An open line with a width, such as a string; press along it, Enter ends it."),
)
SETTINGS = tuple(n for n, f in OneShape.model_fields.items() if facts(f).get("control") in ("words", "choice", "number"))


def words_of(shape: OneShape) -> str:
    """What a shape is called."""
    return shape.name or ("Outline" if shape.id == 1 else f"{'Outline' if shape.closed else 'Strand'} {shape.id}")


def things(step: Step) -> tuple[Thing, ...]:
    """The step's outlines."""
    return tuple(
        Thing(s.whole, words_of(s), _note(step, s), s.on, {n: getattr(s, n) for n in SETTINGS})
        for s in shapes_of(modelled(step, ShapesParams, step.params))
    )


def _note(step: Step, shape: OneShape) -> str:
    pins = len(step.pins.get(shape.whole, ()))
    if not pins:
        pins = 1 if shape.id == 1 and step.params.get("outline") else 0
    return f"{pins} pin{'s' if pins > 1 else ''}" if pins else "not drawn"


def with_thing(step: Step, new: str) -> tuple[Step, str]:
    """One more outline or strand behind the others, with a number that none has had."""
    shapes = shapes_of(modelled(step, ShapesParams, step.params))
    if len(shapes) >= MOST:
        raise UserError(f"'{step.name}' has {MOST} shapes, which is the most; draw this one in another step.")
    used = [s.id for s in shapes] + [int(k.partition(".")[2]) for k in step.pins if k.partition(".")[2].isdecimal()]
    number = max(used) + 1
    return with_shapes(step, (*shapes, OneShape(id=number, closed=new == OUTLINE))), named(WHOLE, number)


def without_thing(step: Step, param: str) -> Step:
    """Without a shape and its pins; the last one leaves an empty step."""
    shapes = shapes_of(modelled(step, ShapesParams, step.params))
    gone = _shape(shapes, param)
    pins = {k: v for k, v in step.pins.items() if k not in (gone.whole, gone.some)}
    params = {k: v for k, v in step.params.items() if not (gone.id == 1 and parameter(k) == WHOLE)}
    step = step.model_copy(update={"pins": pins, "params": params})
    rest = tuple(s for s in shapes if s.id != gone.id)
    return with_shapes(step, rest or (OneShape(id=1),))


def thing_set(step: Step, param: str, name: str, value: Any) -> Step:
    """A setting of a shape changed."""
    shapes = shapes_of(modelled(step, ShapesParams, step.params))
    shape = _shape(shapes, param)
    try:
        new = OneShape.model_validate({**shape.model_dump(), name: value})
    except ValidationError as e:
        raise UserError(f"'{words_of(shape)}': {e.errors()[0]['msg'].lower()}.") from e
    return with_shapes(step, tuple(new if s.id == shape.id else s for s in shapes))


def points_styled(step: Step, param: str, value: Mapping[int, Mapping[str, Any]]) -> Step:
    """The settings of some of a shape's points changed: by their identities, each as PointStyle has them."""
    shapes = shapes_of(modelled(step, ShapesParams, step.params))
    shape = _shape(shapes, named(WHOLE, int(param.partition(".")[2] or 1)))
    styles = {str(i): PointStyle.model_validate(v) for i, v in value.items()}
    new = shape.model_copy(update={"styles": {**shape.styles, **styles}})
    return with_shapes(step, tuple(new if s.id == shape.id else s for s in shapes))


def _shape(shapes: tuple[OneShape, ...], param: str) -> OneShape:
    found = next((s for s in shapes if s.whole == param), None)
    if found is None:
        raise UserError("That shape is no longer there; choose another.")
    return found


def with_shapes(step: Step, shapes: tuple[OneShape, ...]) -> Step:
    """The step with these shapes."""
    return step.model_copy(update={"params": {**step.params, "shapes": [s.model_dump() for s in shapes]}})
