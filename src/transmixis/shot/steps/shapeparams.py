"""The parameters of a Shapes step."""

from __future__ import annotations

from typing import Literal

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark
from transmixis.shot.steps.attachment import Attached
from transmixis.shot.steps.outlinecarry import BEST, CARRIERS
from transmixis.shot.steps.outlines import CORNERS, MOST, OneShape
from transmixis.shot.steps.params import choice, hidden, number


class ShapesParams(Attached):
    outline: tuple[Mark, ...] = hidden(
        ()
    )  # of the first shape, as it was set at `at`: identity, x, y px; pins stand instead of it
    points: tuple[Mark, ...] = hidden(())  # only its pins count: single points
    shapes: tuple[OneShape, ...] = hidden(())  # none: a single one
    carry: str = choice(
        BEST, CARRIERS, "Carried by", "What takes the outline from pin to pin: what serves best is what misses the pins least."
    )
    line: Literal["corners", "smooth"] = hidden(CORNERS)  # of a step that names no shapes, as earlier versions kept it
    feather: float = number(0.5, 0.0, 200.0, "px", "Feather", "How softly the outline ends, to either side of it.", step=0.1)
    shutter: float = number(
        0.0, 0.0, 360.0, "°", "Shutter", "Blurs the outline by its own motion, as a shutter open so long does. 0: not.", step=5
    )
    turned: str = choice("inside", ("inside", "outside"), "Keeps", "What the matte keeps.")


def shapes_of(params: ShapesParams) -> tuple[OneShape, ...]:
    """The outlines of a step; a step that names none has one."""
    if len(params.shapes) > MOST:
        raise UserError(f"A step can have at most {MOST} shapes; draw the others in a step of their own.")
    return params.shapes or (OneShape(id=1, line=params.line),)
