"""Grade: slope, offset, power and saturation over all, in and out as files."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.finish.grade import Cdl, Triple, day_for_night, graded
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.media.exchange.grades import CDL_FILES, CUBE, cdl_text, cube_text, read_cdl
from transmixis.media.files import make_folder, write_atomically
from transmixis.shot.contract import Act, Inputs, Product, Slot, StepKind
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.params import Params, choice, hidden, number

LINEAR, DISPLAY = "linear light", "the display's values"
LOST = 1.0  # % of the frame that a grade may push beyond black or white: as much as may be clipped in a plate (docs/limits.md)
SIDE = 33  # of a written table


def _factor(words: str, tip: str) -> float:
    return number(1.0, 0.0, 10.0, "×", words, tip, step=0.01)  # type: ignore[no-any-return]


def _shift(words: str, tip: str) -> float:
    return number(0.0, -1.0, 1.0, "", words, tip, step=0.005)  # type: ignore[no-any-return]


def _power(words: str, tip: str) -> float:
    return number(1.0, 0.1, 10.0, "", words, tip, step=0.01)  # type: ignore[no-any-return]


class GradeParams(Params):
    source: str = hidden("")
    space: str = choice(DISPLAY, (DISPLAY, LINEAR), "Works on", "The display's values, as most grades do, or linear light.")
    strength: float = number(1.0, 0.0, 1.0, "%", "Strength", "How much of the grade is there.", percent=True)
    saturation: float = number(1.0, 0.0, 4.0, "×", "Saturation", "1 leaves it, 0 is grey.", step=0.01)
    slope_r: float = _factor("Slope red", "Multiplies red: its light parts move most.")
    slope_g: float = _factor("Slope green", "Multiplies green.")
    slope_b: float = _factor("Slope blue", "Multiplies blue.")
    offset_r: float = _shift("Offset red", "Adds to red: all of it moves alike.")
    offset_g: float = _shift("Offset green", "Adds to green.")
    offset_b: float = _shift("Offset blue", "Adds to blue.")
    power_r: float = _power("Power red", "Above 1 darkens the middle of red, under 1 lightens it.")
    power_g: float = _power("Power green", "The middle of green.")
    power_b: float = _power("Power blue", "The middle of blue.")


class Grade(StepKind[GradeParams]):
    kind, title, stage, product = "grade", "Grade", "Build", "picture"
    says = "grades a picture by slope, offset, power and saturation"
    gives = ("picture", "matte")
    roles = ("result",)
    over_all = True
    slots = (
        Slot("picture", "what is graded", ground=True, usual=("step:result", "step:mended", "plate:hero", "plate:any")),
        Slot("matte", "only where this is (a costume, a sky)", takes="matte", optional=True, many=True, usual=()),
    )
    Params = GradeParams
    scales = True
    timeless = True
    keeps_pixels = True
    files = CDL_FILES
    writes = (".cc", CUBE)
    acts = (
        Act(
            "night",
            "Day for night",
            "Sets it to two and a half stops darker, bluer and less coloured; the sky and lamps want their own.",
        ),
    )

    def compute(self, inputs: Inputs, params: GradeParams, frame: int) -> Product:
        picture = inputs.picture("picture", frame)
        made = applied(picture, params)
        share: Array | None = None
        for m in inputs.mattes("matte", frame):
            share = m if share is None else np.maximum(share, m)
        if share is not None:
            made = picture + (made - picture) * share[..., None]
        alpha = made[..., 3] if made.shape[2] == 4 else np.ones(made.shape[:2], np.float32)
        return Product(picture=np.asarray(made, np.float32), matte=alpha, work=picture)

    def read(self, inputs: Inputs, params: GradeParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        before, after = (to_codes(np.maximum(p[..., :3], -1)) for p in (product.work, product.picture))
        dark = 100 * float(((after.min(axis=2) <= 0) & (before.min(axis=2) > 0)).mean())
        light = 100 * float(((after.max(axis=2) >= 1) & (before.max(axis=2) < 1)).mean())
        return [
            Reading("pushed to black", dark, "%", LOST, note="of the frame, in one colour at least"),
            Reading("pushed to white", light, "%", LOST, note="of the frame, in one colour at least"),
        ]

    def act(self, name: str, inputs: Inputs, step: Step, params: GradeParams, frame: int) -> Step:
        cdl = day_for_night(2.5, 0.5, 0.6)
        return _with(step, cdl, {"space": LINEAR})

    def from_file(self, step: Step, shot: Shot, path: Path) -> Step:
        return _with(step, read_cdl(path), {"source": path.name})

    def to_file(self, inputs: Inputs, step: Step, params: GradeParams, frame: int, path: Path) -> str:
        """The grade, or what it does to every colour as a table of the display's values."""
        make_folder(path.parent)
        if path.suffix.lower() == CUBE:
            axis = np.linspace(0, 1, SIDE, dtype=np.float32)
            codes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), -1).reshape(SIDE * SIDE, SIDE, 3)
            cube = to_codes(np.maximum(applied(from_codes(codes), params), 0)).reshape(SIDE, SIDE, SIDE, 3)
            write_atomically(path, cube_text(cube, step.name).encode())
            return f"a table of {SIDE} x {SIDE} x {SIDE} of the display's values written"
        write_atomically(path, cdl_text(cdl_of(params), step.name).encode())
        return "the grade written"


def cdl_of(params: GradeParams) -> Cdl:
    def triple(name: str) -> Triple:
        r, g, b = (float(getattr(params, f"{name}_{c}")) for c in "rgb")
        return r, g, b

    return Cdl(triple("slope"), triple("offset"), triple("power"), params.saturation)


def applied(picture: Array, params: GradeParams) -> Array:
    """A picture (h, w, 3 or 4 premultiplied) graded; its alpha stays."""
    cdl = cdl_of(params)
    if cdl.nothing or params.strength <= 0:
        return picture
    colour = picture[..., :3]
    alpha = picture[..., 3:] if picture.shape[2] == 4 else None
    if alpha is not None:
        colour = colour / np.maximum(alpha, 1e-6)
    if params.space == DISPLAY:
        made = from_codes(np.maximum(graded(to_codes(colour), cdl), 0))
    else:
        made = graded(colour, cdl)
    made = colour + params.strength * (made - colour)
    if alpha is None:
        return np.asarray(made, np.float32)
    return np.concatenate([made * alpha, alpha], axis=2).astype(np.float32)


def _with(step: Step, cdl: Cdl, more: dict[str, str]) -> Step:
    values = {f"{n}_{c}": getattr(cdl, n)[i] for n in ("slope", "offset", "power") for i, c in enumerate("rgb")}
    pins = {k: v for k, v in step.pins.items() if k not in values}
    return step.model_copy(update={"params": {**step.params, **values, "saturation": cdl.saturation, **more}, "pins": pins})
