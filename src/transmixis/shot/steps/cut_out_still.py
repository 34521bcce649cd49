"""Cut-out still: one frame of a take, cut out by a matte, that stands still in all frames."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from transmixis.core.build.over import join
from transmixis.core.errors import UserError
from transmixis.core.matte.combine import edge_cleaned, feathered
from transmixis.core.matte.measure import holes_reading
from transmixis.core.matte.specks import specks_reading
from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.contract import Act, Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, number

AS_SHOT, CLEANED = "as it is", "cleaned"
SOFTEST = 8.0  # px: the inward feather at no hardness at all
HERE = "freeze"
KINDS = {".exr": "float", ".png": "uint16"}


class CutOutStillParams(Params):
    at: float = number(1, 1, 1_000_000, "frame", "Frozen at", "The frame that is cut out.", step=1)
    hardness: float = number(
        0.78,
        0.0,
        1.0,
        "%",
        "Hardness",
        "100 % leaves the matte's own edge; below it is softened inwards, by 8 px at 0 %. 75 to 80 % looks cut by hand with care (common practice).",
        percent=True,
    )
    colour: str = choice(CLEANED, (CLEANED, AS_SHOT), "Edge colour", "Takes the old background's colour out of the soft edge.")


class CutOutStill(StepKind[CutOutStillParams]):
    kind, title, stage, product = "cut_out_still", "Cut-out still", "Matte", "picture"
    says = "keeps one frame, cut out, as a still"
    gives = ("picture", "matte")
    roles = ("cut out",)
    work = "roto"
    slots = (
        Slot("plate", "the take", whole=True),
        Slot("matte", "what cuts it out", takes="matte", whole=True, usual=("step:cut out", "step:subject")),
    )
    Params = CutOutStillParams
    full_chroma = True
    timeless = True
    other_frames = True
    keeps_time = False
    acts = (Act(HERE, "Freeze this frame", "The frame at the playhead is the one that is cut out."),)
    writes = tuple(KINDS)

    def looks_at(self, slot: str, params: CutOutStillParams, pins: Pins, frame: int, length: int) -> tuple[int, ...]:
        return (min(int(params.at), length),)

    def act(self, name: str, inputs: Inputs, step: Step, params: CutOutStillParams, frame: int) -> Step:
        return step.model_copy(update={"params": {**step.params, "at": frame}})

    def compute(self, inputs: Inputs, params: CutOutStillParams, frame: int) -> Product:
        at = _frozen(inputs, params)
        plate, matte = inputs.picture("plate", at)[..., :3], inputs.matte("matte", at)
        if plate.shape[:2] != matte.shape:
            raise UserError("The matte has another size than the take; connect one that was made of it.")
        alpha = feathered(matte, SOFTEST * (1 - params.hardness), 0.0)
        front = edge_cleaned(plate, alpha) if params.colour == CLEANED else plate * alpha[..., None]
        return Product(picture=join(front, alpha))

    def read(self, inputs: Inputs, params: CutOutStillParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        alpha = np.ascontiguousarray(product.picture[..., 3])
        return [holes_reading(alpha), specks_reading(alpha)]

    def to_file(self, inputs: Inputs, step: Step, params: CutOutStillParams, frame: int, path: Path) -> str:
        picture = inputs.own(frame).picture
        if picture is None or not (picture[..., 3] > 0).any():
            raise UserError(f"Nothing is cut out at frame {_frozen(inputs, params)}; connect a matte that shows something there.")
        write_still(path, picture, kind=KINDS[path.suffix.lower()])
        return f"Frame {_frozen(inputs, params)} written, cut out, {picture.shape[1]} × {picture.shape[0]}."


def _frozen(inputs: Inputs, params: CutOutStillParams) -> int:
    """The frame that is cut out: the last one where a later one is asked for."""
    return min(int(params.at), inputs.shot.length)
