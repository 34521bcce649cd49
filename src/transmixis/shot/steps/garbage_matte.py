"""Garbage matte: a simple closed shape around the subject, pinned over time."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.keyer import KeyModel, key_frame, learn_shot
from transmixis.core.matte.outline import marks_of
from transmixis.core.matte.shape import fill_shape, hull_around
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.contract import SCREEN, Handle, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, hidden, number

DRAW = "Press round the subject; the first point again closes it. Drag points, press a side for a new one."
CUT_LIMIT = 1.0  # % of the shape's border that runs over something


class GarbageMatteParams(Params):
    points: tuple[tuple[float, float], ...] = hidden(())  # px; fewer than three: the whole frame
    feather: float = number(
        3.0, 0.0, 200.0, "px", "Feather", "How softly the shape ends. Wide is safe where the screen is clean.", step=0.5
    )
    grow: float = number(
        0.0, -200.0, 200.0, "px", "Grow", "Makes the shape larger (or smaller, below zero) all around.", step=0.5
    )


class GarbageMatte(StepKind[GarbageMatteParams]):
    kind, title, stage, product, version = "garbage_matte", "Garbage matte", "Matte", "matte", 2
    says = "keeps only what is inside a shape"
    begins = SCREEN
    roles = ("garbage",)
    work = "roto"
    positions = ("points",)
    tools = ("outline",)

    def handles(self, inputs: Inputs, params: GarbageMatteParams, frame: int) -> tuple[Handle, ...]:
        return (Handle("outline", "points", "Shape", DRAW, marks_of(params.points), here=bool(inputs.pins().get("points"))),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        return super().edited(step, handle, frame, [[round(x, 1), round(y, 1)] for _, x, y in value])

    slots = (Slot("plate", "the plate that is looked at"),)
    scales = True
    Params = GarbageMatteParams
    timeless = True
    full_chroma = True

    def compute(self, inputs: Inputs, params: GarbageMatteParams, frame: int) -> Product:
        h, w = inputs.shot.height, inputs.shot.width
        if len(params.points) < 3:
            return Product(matte=np.ones((h, w), np.float32))
        points = grown(params.points, params.grow)
        return Product(matte=fill_shape(points, h, w, params.feather))

    def read(self, inputs: Inputs, params: GarbageMatteParams, product: Product, frame: int) -> list[Reading]:
        """What the border cuts: detail of the plate under the shape's soft border that differs from its surroundings."""
        if len(params.points) < 3 or product.matte is None:
            return [Reading("cut", 0.0, "%", CUT_LIMIT, note="no shape: the whole frame is kept")]
        plate = inputs.picture("plate", frame)[..., :3]
        band = (product.matte > 0.02) & (product.matte < 0.98)
        if band.sum() < 20:
            return [Reading("cut", None, "%", CUT_LIMIT, note="the shape lies outside the frame")]
        pixels = plate[band]
        middle = np.median(pixels, axis=0)
        # falloff keeps the colour's direction; a limb that is cut does not
        direction = pixels / np.maximum(np.linalg.norm(pixels, axis=1, keepdims=True), 1e-4)
        usual = middle / max(float(np.linalg.norm(middle)), 1e-4)
        off = (direction @ usual) < 0.93
        return [Reading("cut", 100 * float(off.mean()), "%", CUT_LIMIT)]

    def propose(self, inputs: Inputs, params: GarbageMatteParams, progress: Progress) -> Proposal | None:
        found = sampled(inputs.shot.length, 6, lambda n: inputs.picture("plate", n)[..., :3], progress, "looking for the subject")
        frames, names = list(found.values()), list(found)
        model = learn_shot(frames)
        if not isinstance(model, KeyModel):
            raise UserError(f"No subject to draw around: {model.reason}; draw the shape by hand.")
        alphas = [key_frame(f, model).alpha for f in frames]
        margin = 0.03 * inputs.shot.width
        points = hull_around(_largest(np.max(alphas, axis=0)), margin)
        if len(points) < 3:
            return None
        inside = fill_shape(points, inputs.shot.height, inputs.shot.width)
        share = 100 * float(1 - inside.mean())
        return Proposal(
            values={"points": points},
            reason=f"The subject of {len(names)} sampled frames, with {margin:.0f} px to spare.",
            gains=f"{share:.0f} % of the frame need no key.",
            costs="A limb that reaches further between those frames would be cut; the reading tells.",
            frames=(names[0], names[-1]),
        )


def _largest(alpha: Array) -> Array:
    """The matte without small lone pieces, which are marks rather than subject."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats((alpha > 0.3).astype(np.uint8), connectivity=8)
    if count < 2:
        return alpha
    areas = stats[1:, cv2.CC_STAT_AREA]
    keep = np.flatnonzero(areas > 0.02 * areas.max()) + 1
    return np.where(np.isin(labels, keep), alpha, 0).astype(np.float32)


def grown(points: Any, px: float) -> list[tuple[float, float]]:
    """A shape moved outwards by `px` along its corners' directions from the middle."""
    p = np.asarray(points, np.float64)
    if px:
        d = p - p.mean(axis=0)
        p = p + px * d / np.maximum(np.linalg.norm(d, axis=1, keepdims=True), 1e-6)
    return [(float(x), float(y)) for x, y in p]
