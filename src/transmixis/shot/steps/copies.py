"""Copies: several of one element, no two of which move alike."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.blend import ADD, OVER, SCREEN, blended
from transmixis.core.build.copies import Copy, likeness, small_grey, spread_out
from transmixis.core.build.over import with_alpha
from transmixis.core.build.place import placed, placing_matrix
from transmixis.core.motion.motion import moved_points
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import Inputs, Pins, Product, Slot, StepKind
from transmixis.shot.steps.counted import count_of
from transmixis.shot.steps.params import Params, choice, number

TWINS = 0.9  # likeness of what two copies show beyond the element's mean: from there on they are seen to move alike (judgement, docs/limits.md)
SAMPLES = 8  # of the element's frames that its mean is made of


class CopiesParams(Params):
    count: float = number(5, 1, 200, "", "Copies", "The element itself among them.", step=1)
    wide: float = number(600.0, 0, 20_000, "px", "Spread across", "Within how much of the frame they lie.", step=10)
    high: float = number(80.0, 0, 20_000, "px", "Spread in height", "Those farther up lie behind.", step=5)
    x: float = number(0.0, -20000, 20000, "px", "Right", "Moves them all to the right.", step=1)
    y: float = number(0.0, -20000, 20000, "px", "Down", "Moves them all down.", step=1)
    size: float = number(1.0, 0.01, 20, "×", "Size", "Of them all.", step=0.01)
    sizes: float = number(0.15, 0.0, 0.9, "%", "Sizes differ by", "Smaller or larger by up to so much.", percent=True)
    flips: str = choice("yes", ("yes", "no"), "Flipped", "Half of them, by chance.")
    late: str = choice(
        "each its own time",
        ("each its own time", "all at once"),
        "Time",
        "Whether each is elsewhere in the element; what springs out together must be at once.",
    )
    blend: str = choice(OVER, (OVER, ADD, SCREEN), "Blend", "With each other.")
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number lays them otherwise.", step=1)


class Copies(StepKind[CopiesParams]):
    kind, title, stage, product = "copies", "Copies", "Build", "picture"
    says = "lays several copies of an element, none like the other"
    gives = ("picture", "matte")
    roles = ("front",)
    slots = (Slot("element", "the element; it loops", whole=True, usual=("plate:element", "step:subject")),)
    Params = CopiesParams
    keeps_time = False
    other_frames = True
    offsets = ("x", "y")

    def looks_at(self, slot: str, params: CopiesParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return None

    def compute(self, inputs: Inputs, params: CopiesParams, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        out: Array = np.zeros((*size, 4), np.float32)
        shown = []
        for copy in copies_of(inputs, params):
            picture = with_alpha(inputs.picture("element", shown_at(inputs, params, copy, frame)))
            shown.append((copy, picture))
            picture = np.ascontiguousarray(picture[:, ::-1]) if copy.flipped else picture
            matrix = placing_matrix(
                (picture.shape[0], picture.shape[1]), size, params.x + copy.x, params.y + copy.y, params.size * copy.size, 0
            )
            corners = moved_points(matrix, np.array([[0.0, 0], [picture.shape[1], picture.shape[0]]]))
            if (corners[1] < 0).any() or (corners[0] > [size[1], size[0]]).any():
                continue  # wholly beside the frame
            out = (
                blended(placed(picture, matrix, size), out, params.blend)
                if params.blend == OVER
                else _lit(placed(picture, matrix, size), out, params.blend)
            )
        return Product(picture=out, matte=np.ascontiguousarray(out[..., 3]), work=shown)

    def read(self, inputs: Inputs, params: CopiesParams, product: Product, frame: int) -> list[Reading]:
        if len(product.work) < 2:
            return [Reading("twins", None, "", TWINS, note="there is but one")]
        count = count_of(inputs, "element")
        if count < 2:
            flips = len({c.flipped for c, _ in product.work})
            return [Reading("twins", None, "", TWINS, note=f"a still moves by itself in no way; {flips} sides of it are seen")]
        names = sorted({1 + round(k * (count - 1) / (SAMPLES - 1)) for k in range(SAMPLES)})
        stills = [with_alpha(inputs.picture("element", n)) for n in names]
        sides = {f: np.mean([small_grey(s, f) for s in stills], axis=0) for f in (False, True)}
        # each beyond the mean of its own side, so that a flip alone is no likeness
        rows = [small_grey(p, c.flipped) - sides[c.flipped] for c, p in product.work]
        alike, (i, j) = likeness(rows, np.zeros_like(rows[0]))
        pair = [product.work[k][0] for k in (i, j)]
        note = f"copies at {pair[0].x:+.0f} and {pair[1].x:+.0f} px, {abs(pair[0].late - pair[1].late)} frames apart"
        return [Reading("twins", max(alike, 0.0), "", TWINS, note=note)]


def copies_of(inputs: Inputs, params: CopiesParams) -> tuple[Copy, ...]:
    return spread_out(
        int(params.count),
        params.wide,
        params.high,
        params.sizes,
        count_of(inputs, "element"),
        params.flips == "yes",
        int(params.seed),
    )


def shown_at(inputs: Inputs, params: CopiesParams, copy: Copy, frame: int) -> int:
    """The element's frame that a copy shows."""
    count = count_of(inputs, "element")
    late = copy.late if params.late == "each its own time" else 0
    return (frame - 1 + late) % count + 1


def _lit(front: Array, back: Array, mode: str) -> Array:
    """Light on light, where what lies behind may be nothing."""
    out = blended(front, back, mode)
    out[..., 3] = np.maximum(front[..., 3], back[..., 3])
    return out
