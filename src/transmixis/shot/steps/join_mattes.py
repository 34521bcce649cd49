"""Join mattes: several mattes to one, grown, softened, its edge's colour cleaned."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from transmixis.core.build.over import join
from transmixis.core.errors import UserError
from transmixis.core.matte.combine import Joined, edge_cleaned, feathered, joined_mattes
from transmixis.core.matte.edges import shrink_matte
from transmixis.core.matte.measure import holes_reading
from transmixis.core.matte.specks import specks_reading
from transmixis.core.readings import Reading
from transmixis.core.types import Matte
from transmixis.shot.contract import Inputs, Product, Slot, StepKind
from transmixis.shot.steps.params import Params, choice, number

AS_SHOT, CLEANED = "as it is", "cleaned"
IDLE_LIMIT = 1.0  # mattes
NOTHING = 1e-5  # of the frame: a matte that changes less coverage does nothing, 5 px of 960 x 540
JOINS = (("adds", "comes to it"), ("within", "it is kept within"), ("takes", "is taken away"), ("cores", "is solid in it"))


class JoinMattesParams(Params):
    grow: float = number(
        0.0, -100.0, 100.0, "px", "Grow", "Moves the edge outwards, or inwards below zero, by fractions of a pixel.", step=0.1
    )
    inside: float = number(
        0.0,
        0.0,
        200.0,
        "px",
        "Feather in",
        "The border is softened so far inwards, by true distance. It takes the place of the matte's own edge.",
        step=0.1,
    )
    outside: float = number(
        0.0,
        0.0,
        200.0,
        "px",
        "Feather out",
        "And so far outwards. What lies under it shows: grow less, or feather inwards, if that is to be hidden.",
        step=0.1,
    )
    inset: float = number(
        2.0,
        0.0,
        50.0,
        "px",
        "Cores inset",
        "So far inside its border a core begins, so that its own edge does not show.",
        step=0.5,
    )
    colour: str = choice(
        CLEANED,
        (CLEANED, AS_SHOT),
        "Edge colour",
        "Takes the old background's colour out of the soft edge, so that it does not come along.",
    )


class JoinMattes(StepKind[JoinMattesParams]):
    kind, title, stage, product = "join_mattes", "Join mattes", "Matte", "picture"
    says = "joins mattes to one"
    gives = ("picture", "matte")
    roles = ("cut out",)
    slots = (
        Slot("plate", "the plate that is cut out"),
        Slot("first", "the matte to begin with", takes="matte", usual=("step:cut out", "step:subject")),
        Slot("adds", "mattes that come to it", takes="matte", optional=True, many=True, usual=()),
        Slot("within", "mattes that it is kept within", takes="matte", optional=True, many=True, usual=()),
        Slot("takes", "mattes that are taken away", takes="matte", optional=True, many=True, usual=()),
        Slot("cores", "mattes in which it is solid", takes="matte", optional=True, many=True, usual=()),
    )
    Params = JoinMattesParams
    full_chroma = True
    timeless = True

    def compute(self, inputs: Inputs, params: JoinMattesParams, frame: int) -> Product:
        more = _more(inputs, params, frame)
        alpha = joined_mattes(inputs.matte("first", frame), more)
        if params.grow:
            alpha = shrink_matte(alpha, -params.grow)
        alpha = feathered(alpha, params.inside, params.outside)
        plate = inputs.picture("plate", frame)[..., :3]
        if plate.shape[:2] != alpha.shape:
            raise UserError("The mattes have another size than the plate; connect mattes that were made of it.")
        front = edge_cleaned(plate, alpha) if params.colour == CLEANED else plate * alpha[..., None]
        return Product(picture=join(front, alpha), work=more)

    def read(self, inputs: Inputs, params: JoinMattesParams, product: Product, frame: int) -> list[Reading]:
        assert product.picture is not None
        alpha = np.ascontiguousarray(product.picture[..., 3])
        return [holes_reading(alpha), specks_reading(alpha), _idle(inputs.matte("first", frame), product.work)]


def _more(inputs: Inputs, params: JoinMattesParams, frame: int) -> Joined:
    adds, within, takes, cores = (inputs.mattes(slot, frame) for slot, _ in JOINS)
    return Joined(adds, within, takes, cores, params.inset)


def _idle(first: Matte, more: Joined) -> Reading:
    """How many of the mattes change nothing here: a forgotten one, or one that stands elsewhere."""
    whole = joined_mattes(first, more)
    names = []
    for slot, words in JOINS:
        mattes: Sequence[Matte] = getattr(more, slot)
        for i in range(len(mattes)):
            rest = {s: (*getattr(more, s)[:i], *getattr(more, s)[i + 1 :]) if s == slot else getattr(more, s) for s, _ in JOINS}
            change = np.abs(joined_mattes(first, Joined(**rest, inset=more.inset)) - whole).sum()
            if change < NOTHING * whole.size:
                names.append(f"{i + 1}. of what {words}" if len(mattes) > 1 else f"what {words}")
    note = f"changes nothing here: {', '.join(names)}" if names else ""
    return Reading("idle mattes", float(len(names)), "mattes", IDLE_LIMIT, note=note)
