"""Colour table: every colour through a table that is read from a file."""

from __future__ import annotations

import base64
import binascii
import zlib
from functools import lru_cache
from pathlib import Path

import numpy as np

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.errors import UserError
from transmixis.core.finish.grade import MOST, Table, Triple, looked_up
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.media.exchange.grades import CUBE, cube_text, read_cube
from transmixis.media.files import make_folder, write_atomically
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.params import Params, choice, hidden, number

LINEAR, DISPLAY = "linear light", "the display's values"
OUTSIDE = 1.0  # % of the frame beyond what the table tells of: it is cut there (docs/limits.md)
LARGEST = MOST**3 * 3 * 4


class TableParams(Params):
    source: str = hidden("")
    table: str = hidden("")  # its values as float32, packed: a cube as many numbers as text are slow to read
    sides: tuple[int, int] = hidden((0, 0))  # entries of its curves and of a side of its cube; 0: none
    low: Triple = hidden((0.0, 0.0, 0.0))
    high: Triple = hidden((1.0, 1.0, 1.0))
    space: str = choice(DISPLAY, (DISPLAY, LINEAR), "Made for", "The display's values, or linear light; the file's maker knows.")
    strength: float = number(1.0, 0.0, 1.0, "%", "Strength", "How much of it is there.", percent=True)


class ColourTable(StepKind[TableParams]):
    kind, title, stage, product = "colour_table", "Colour table", "Build", "picture"
    says = "takes every colour through a table"
    gives = ("picture", "matte")
    roles = ("result",)
    over_all = True
    slots = (
        Slot("picture", "what goes through it", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
    )
    Params = TableParams
    scales = True
    timeless = True
    keeps_pixels = True
    files = (CUBE,)
    writes = (CUBE,)

    def compute(self, inputs: Inputs, params: TableParams, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        alpha = picture[..., 3:] if picture.shape[2] == 4 else np.ones((*picture.shape[:2], 1), np.float32)
        if not params.table:
            return Product(picture=picture, matte=alpha[..., 0], work=None)
        table = unpacked(params)
        colour = np.maximum(picture[..., :3] / np.maximum(alpha, 1e-6), 0)
        went = to_codes(colour) if params.space == DISPLAY else colour
        made = looked_up(went, table)
        made = from_codes(np.maximum(made, 0)) if params.space == DISPLAY else made
        out = np.array(picture, np.float32)
        out[..., :3] = (colour + params.strength * (made - colour)) * alpha
        return Product(picture=out, matte=alpha[..., 0], work=went)

    def read(self, inputs: Inputs, params: TableParams, product: Product, frame: int) -> list[Reading]:
        if product.work is None:
            return [Reading("outside", None, "%", OUTSIDE, note="no table was read yet; choose a file")]
        over = (product.work > np.asarray(params.high) + 1e-4) | (product.work < np.asarray(params.low) - 1e-4)
        return [
            Reading(
                "outside",
                100 * float(over.any(axis=2).mean()),
                "%",
                OUTSIDE,
                note=f"of the frame, beyond what {params.source} tells of",
            )
        ]

    def from_file(self, step: Step, shot: Shot, path: Path) -> Step:
        t = read_cube(path)
        parts = [a for a in (t.curves, t.cube) if a is not None]
        data = np.concatenate([np.asarray(a, "<f4").ravel() for a in parts]).tobytes()
        values = {
            "source": path.name,
            "table": base64.b64encode(zlib.compress(data, 6)).decode(),
            "sides": [0 if t.curves is None else len(t.curves), 0 if t.cube is None else len(t.cube)],
            "low": list(t.low),
            "high": list(t.high),
        }
        return step.model_copy(update={"params": {**step.params, **values}})

    def to_file(self, inputs: Inputs, step: Step, params: TableParams, frame: int, path: Path) -> str:
        if not params.table:
            raise UserError(f"'{step.name}' has no table yet; read one from a file.")
        side = params.sides[1] or 33
        axes = [np.linspace(a, b, side, dtype=np.float32) for a, b in zip(params.low, params.high, strict=True)]
        if (params.low, params.high) != ((0.0, 0.0, 0.0), (1.0, 1.0, 1.0)):
            axes = [np.linspace(0, 1, side, dtype=np.float32)] * 3
        cube = looked_up(np.stack(np.meshgrid(*axes, indexing="ij"), -1).reshape(side * side, side, 3), unpacked(params))
        make_folder(path.parent)
        write_atomically(path, cube_text(cube.reshape(side, side, side, 3), step.name).encode())
        return f"a table of {side} x {side} x {side} written"


def unpacked(params: TableParams) -> Table:
    """The table that the step holds. Raises UserError if it was damaged."""
    return _unpacked(params.table, params.sides, params.low, params.high)


@lru_cache(maxsize=8)
def _unpacked(text: str, sides: tuple[int, int], low: Triple, high: Triple) -> Table:
    n, side = sides
    count = 3 * (n + side**3)
    try:
        if not (0 <= n <= 65536 and 0 <= side <= MOST):
            raise ValueError
        packer = zlib.decompressobj()
        data = packer.decompress(base64.b64decode(text, validate=True), max(LARGEST, 12 * n) + 1)
        values: Array = np.frombuffer(data, "<f4").astype(np.float32)
    except (ValueError, binascii.Error, zlib.error):
        values = np.zeros(0, np.float32)
    if (
        len(values) != count
        or count == 0
        or not np.isfinite(values).all()
        or not all(a < b for a, b in zip(low, high, strict=True))
    ):
        raise UserError("The colour table of this step is damaged; read it from its file again.")
    curves = values[: 3 * n].reshape(n, 3) if n else None
    cube = values[3 * n :].reshape(side, side, side, 3) if side else None
    return Table(curves, cube, low, high)
