"""What is to be kept of a plate, given by a file: outlines, or a matte as a still or a sequence."""

from __future__ import annotations

from pathlib import Path

from transmixis.core.errors import UserError
from transmixis.media.colour import LINEAR
from transmixis.shot.bare import bare_plate
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.luma_matte import AS_IS, LumaMatte
from transmixis.shot.steps.outlinefile import JSON, SVG, read_shapes
from transmixis.shot.steps.shapes import Shapes

KEPT = "garbage"


REF = f"step:{KEPT}"


def keeping(shot: Shot, path: Path) -> Shot:
    """The shot with a step KEPT whose matte is what the file at `path` says is to be kept. Raises UserError for what cannot be read."""
    if path.suffix.lower() in (JSON, SVG):
        step = read_shapes(path, Step(id=KEPT, kind=Shapes.kind, name="Kept", inputs={"plate": "plate:hero"}))
        return shot.model_copy(update={"steps": (step, *shot.steps)})
    plate, source = bare_plate(path, KEPT, "element", LINEAR)
    if (source.info.width, source.info.height) != (shot.width, shot.height):
        raise UserError(
            f"{path.name} is {source.info.width} × {source.info.height}, the plate {shot.width} × {shot.height}; give a matte of the plate's size."
        )
    if source.info.count not in (1, shot.length):
        raise UserError(f"{path.name} has {source.info.count} frames, the plate {shot.length}; give one still, or as many.")
    step = Step(id=KEPT, kind=LumaMatte.kind, name="Kept", inputs={"plate": f"plate:{KEPT}"}, params={"by": AS_IS})
    return shot.model_copy(update={"plates": (*shot.plates, plate), "steps": (step, *shot.steps)})
