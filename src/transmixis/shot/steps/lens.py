"""Straighten and Bend back: the lens taken out of a picture, and what was made without it laid under the lens again."""

from __future__ import annotations

from typing import Any, TypeVar

import numpy as np

from transmixis.core.build.over import over, with_alpha
from transmixis.core.build.place import sampled_at
from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.solve.lines import edges_along, lens_of_edges, off_all
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Handle, Inputs, Product, Proposal, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number

RETURNS = 0.01  # px that a place may be off after it was straightened and bent back (docs/limits.md)
OFF_STRAIGHT = 0.5  # px rms: a line that is bent by more beside a straight one is seen to be (docs/limits.md)
OUT = "out"  # the sign of a stroke with the right button: it does not count
ALONG = "Draw along edges that are straight in truth, the longer and the nearer to the border the better."
SAME, ALL = "as large as before", "small enough for all of it"
CAMERA = Slot("camera", "a solved camera with its lens", takes="camera", optional=True, usual=("step:camera",))


class LensParams(Params):
    focal: float = number(
        0.0, 0.0, 100_000, "px", "Focal length", "In px of the plate; from the camera if one is connected.", step=1
    )
    k1: float = number(0.0, -1.0, 1.0, "", "Bend (k1)", "First term of distortion; below 0 like a barrel.", step=0.001)
    k2: float = number(0.0, -1.0, 1.0, "", "Bend (k2)", "Second term of distortion.", step=0.001)
    size: str = choice(SAME, (SAME, ALL), "Straight picture", "Its middle stays as large, or it is made smaller until all is in.")


L = TypeVar("L", bound=LensParams)


class LensKind(StepKind[L]):
    """A kind that bends a picture by a lens."""

    stage, product = "Motion", "picture"

    def lens(self, inputs: Inputs, params: LensParams, frame: int) -> Lens:
        """From the camera connected, else from the figures."""
        if inputs.has("camera"):
            camera = inputs.camera("camera", frame)
            if not np.isfinite(camera.focal) or camera.focal <= 1:
                raise UserError(f"The camera's lens is not known: {camera.why or 'it could not be solved'}.")
            return Lens.of(camera)
        if params.focal <= 0:
            if params.k1 == 0 and params.k2 == 0:
                return Lens(1.0, (0.0, 0.0), 0.0, 0.0)
            raise UserError("The bend of a lens says nothing without its focal length; set it, in px of the plate.")
        return Lens(params.focal, (inputs.shot.width / 2, inputs.shot.height / 2), params.k1, params.k2)

    def bent(self, inputs: Inputs, params: LensParams, frame: int) -> list[Reading]:
        """How exactly the two steps undo each other in this frame; what the lens does to its corners is said beside it."""
        lens = self.lens(inputs, params, frame)
        size = (inputs.shot.height, inputs.shot.width)
        if lens.straight:
            note = "no bend of the lens is set yet; connect a camera, or set focal length and bend"
            return [Reading("round trip", None, "px", RETURNS, note=note)]
        note = f"there and back; the lens bends the corner by {abs(lens.bends(size)):.1f} px"
        return [Reading("round trip", lens.returns(size), "px", RETURNS, note=note)]


def _zoom(lens: Lens, params: LensParams, size: tuple[int, int]) -> float:
    return lens.inside(size) if params.size == ALL else 1.0


def _straightened(picture: Array, lens: Lens, params: LensParams) -> Array:
    size = (picture.shape[0], picture.shape[1])
    if lens.straight:
        return picture
    lens.checked(size)
    return sampled_at(picture, lens.straight_map(size, _zoom(lens, params, size)), "carry")


class StraightenParams(LensParams):
    edges: tuple[tuple[str, tuple[tuple[float, float], ...]], ...] = hidden(())  # strokes along straight edges, px of one frame
    at: float = number(1, 1, 1_000_000, "frame", "Drawn at", "The frame in which straight edges were drawn along.", step=1)


class Straighten(LensKind[StraightenParams]):
    kind, title = "straighten", "Straighten"
    says = "takes the lens's bend out of a picture"
    slots = (Slot("plate", "the picture that the lens took", ground=True), CAMERA)
    Params = StraightenParams
    tools = ("strokes",)

    def handles(self, inputs: Inputs, params: StraightenParams, frame: int) -> tuple[Handle, ...]:
        """Strokes along edges that are straight in truth, in the frame in which they were drawn."""
        here = frame == int(params.at) or not params.edges
        note = "" if here else f"Drawn at frame {int(params.at)}; go there to change it."
        return (Handle("strokes", "edges", "Edges", ALONG, params.edges if here else (), here=here, live=False, note=note),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        if step.params.get("edges") and frame != int(step.params.get("at", 1)):
            return step  # edges belong to one frame
        strokes = [[sign, [[round(x, 2), round(y, 2)] for x, y in points]] for sign, points in value]
        return step.model_copy(update={"params": {**step.params, "edges": strokes, "at": frame}})

    def propose(self, inputs: Inputs, params: StraightenParams, progress: Progress) -> Proposal | None:
        """The bend that makes the edges straight that were drawn along."""
        if not params.edges or inputs.has("camera"):
            return None
        size = (inputs.shot.height, inputs.shot.width)
        focal = params.focal or float(size[1])
        edges = self._edges(inputs, params)
        found = lens_of_edges(edges, focal, size)
        now = off_all(self.lens(inputs, params, int(params.at)), edges)
        values = {"focal": focal, "k1": round(found.lens.k1, 5), "k2": round(found.lens.k2, 5)}
        if now is None or found.after >= now or all(getattr(params, k) == v for k, v in values.items()):
            return None
        words = f"With this bend {found.edges} edges that were drawn along are straight."
        gains = "" if params.focal else "The focal length is taken as the frame's width: the bend is told for it."
        return Proposal(values, words, (Effect("edges off straight", now, found.after, "px", OFF_STRAIGHT),), gains=gains)

    def _edges(self, inputs: Inputs, params: StraightenParams) -> list[Array]:
        picture = inputs.picture("plate", min(int(params.at), inputs.shot.length))
        return edges_along(picture, [np.array(points) for sign, points in params.edges if sign != OUT and len(points) > 1])

    def compute(self, inputs: Inputs, params: StraightenParams, frame: int) -> Product:
        picture = inputs.picture("plate", frame)
        return Product(picture=_straightened(picture, self.lens(inputs, params, frame), params))

    def read(self, inputs: Inputs, params: StraightenParams, product: Product, frame: int) -> list[Reading]:
        out = self.bent(inputs, params, frame)
        if not params.edges or frame != int(params.at):
            return out
        off = off_all(self.lens(inputs, params, frame), self._edges(inputs, params))
        note = "rms of the edges drawn along in this frame" if off is not None else "no clear edge lies under the strokes"
        return [*out, Reading("edges off straight", off, "px", OFF_STRAIGHT, note=note)]


class BendBackParams(LensParams):
    pass


class BendBack(LensKind[BendBackParams]):
    kind, title = "bend_back", "Bend back"
    says = "lays what was made straight under the lens again"
    gives = ("picture", "matte")
    slots = (
        Slot("front", "what was made on the straight picture", usual=("step:result",)),
        Slot("back", "the picture as the lens took it", optional=True, ground=True, usual=("plate:hero", "plate:any")),
        CAMERA,
    )
    Params = BendBackParams

    def compute(self, inputs: Inputs, params: BendBackParams, frame: int) -> Product:
        front = with_alpha(inputs.picture("front", frame))
        size = (front.shape[0], front.shape[1])
        lens = self.lens(inputs, params, frame)
        if not lens.straight:
            lens.checked(size)
            front = sampled_at(front, lens.bent_map(size, _zoom(lens, params, size)))
        picture = over(front, inputs.picture("back", frame)) if inputs.has("back") else front
        return Product(picture=picture, matte=np.ascontiguousarray(front[..., 3]))

    def read(self, inputs: Inputs, params: BendBackParams, product: Product, frame: int) -> list[Reading]:
        return self.bent(inputs, params, frame)
