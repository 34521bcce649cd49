"""What all steps share that lay one picture over another: how it blends, how much of it is there, where it is cropped and clipped, and what would give it away."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from transmixis.core.build.blend import HOLE, INSIDE, LIES, LIGHTS, LINEAR, MODES, OVER, TOP, blended, composed
from transmixis.core.build.moving import Way, asked_blur
from transmixis.core.build.place import covered
from transmixis.core.build.straight import ends_in_frame
from transmixis.core.readings import Reading
from transmixis.core.survey.opened import open_share
from transmixis.core.types import Array
from transmixis.shot.contract import Inputs, Slot
from transmixis.shot.steps.params import Params, choice, number

USUAL_SHUTTER = 180.0  # degrees: half of the time, where the plate does not tell (common practice)
OFF_BLUR = 1.0  # px: less is not seen beside the softness of any edge (judgement, docs/limits.md)
SMEARED = 8.0  # px: an end that is smeared so far is no straight edge any more
ENDS = 2.0  # levels of 8 bit: an element's straight end shows from there on, as a mend's seam does (docs/limits.md)

Box = tuple[int, int, int, int]  # rows and columns, first and behind the last

CROP = Slot("crop", "what of it is to be seen (a shape or matte)", takes="matte", optional=True, many=True, usual=())
WHERE = Slot("where", "only where this is (clipped into another's matte)", takes="matte", optional=True, many=True, usual=())


class Laid(Params):
    """The common group; a kind with it has the slots CROP and WHERE."""

    opacity: float = number(1.0, 0.0, 1.0, "%", "Opacity", "How much of the front picture is there.", percent=True)
    blend: str = choice(
        OVER,
        MODES,
        "Blend",
        "Over covers by its matte; add and screen let light on black glow over what lies behind; the others as the standard for pictures in pages has them.",
    )
    light: str = choice(
        LINEAR, LIGHTS, "Blends in", "Linear light, as light does it; or the display's values, as most programs for pages do."
    )
    puts: str = choice(
        TOP, LIES, "Lies", "On top of what is behind; only where there is something; underneath; or it cuts a hole into it."
    )
    feather: float = number(
        0.0, 0.0, 500.0, "px", "Crop's edge", "How wide the cropping shape goes over into nothing, inwards from it.", step=1
    )
    ends: float = number(
        0.0, 0.0, 500.0, "px", "Ends fade", "Fades the picture's own straight ends over so many of its pixels.", step=1
    )


def ends_faded(front: Array, px: float) -> Array:
    """A picture (h, w, 4) that fades towards its own border over so many pixels, smoothly."""
    if px <= 0:
        return front
    h, w = front.shape[:2]

    def ramp(n: int) -> Array:
        d = np.minimum(np.arange(n) + 0.5, n - np.arange(n) - 0.5)
        t = np.clip(d / min(px, n / 2), 0, 1)
        return np.asarray(t * t * (3 - 2 * t), np.float32)

    return np.asarray(front * (ramp(h)[:, None] * ramp(w)[None])[..., None])


def cropped(inputs: Inputs, params: Any, front: Array, frame: int) -> Array:
    """What of a placed picture (h, w, 4) is to be seen, by the mattes at CROP and WHERE and by its opacity."""
    share: Array | None = None
    for matte in inputs.mattes("crop", frame):
        soft = inwards(matte, params.feather)
        share = soft if share is None else np.maximum(share, soft)
    for matte in inputs.mattes("where", frame):
        share = matte if share is None else share * matte
    if share is not None:
        front = front * (share * np.float32(params.opacity))[..., None]
    elif params.opacity < 1:
        front = front * np.float32(params.opacity)
    return front


def inwards(matte: Array, px: float) -> Array:
    """A matte that fades inwards over so many px, so that nothing shows beyond its outline."""
    if px <= 0:
        return matte
    inside = np.asarray(matte > 0.5, np.uint8)
    padded = cv2.copyMakeBorder(inside, 1, 1, 1, 1, cv2.BORDER_REPLICATE)  # it does not fade where the frame ends
    away = cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
    t = np.clip(away / px, 0, 1)
    return np.asarray(matte * t * t * (3 - 2 * t), np.float32)


def laid_within(params: Any, front: Array, back: Array, box: Box) -> Array:
    """The same where only a part of the frame can be touched: rows and columns, first and behind the last."""
    y0, y1, x0, x1 = box
    whole = (y0, y1, x0, x1) == (0, back.shape[0], 0, back.shape[1])
    if whole or params.puts not in (TOP, INSIDE, HOLE):
        return laid(params, front, back)
    out = np.array(back, np.float32)
    if y1 > y0 and x1 > x0:
        out[y0:y1, x0:x1] = laid(params, np.ascontiguousarray(front[y0:y1, x0:x1]), np.ascontiguousarray(back[y0:y1, x0:x1]))
    return out


def touched(way: Way, shape: tuple[int, int], size: tuple[int, int], shutter: float, soften: float) -> Box:
    """What of a frame of `size` (h, w) a picture of `shape` (h, w) can touch on its way while the shutter is open, softened by so many px."""
    share = shutter / 360
    pad = 4 + int(np.ceil(4 * soften))
    boxes = np.array(
        [covered(way(float(t)), shape, size, pad) for t in (np.linspace(-share / 2, share / 2, 9) if share else (0.0,))]
    )
    return int(boxes[:, 0].min()), int(boxes[:, 1].max()), int(boxes[:, 2].min()), int(boxes[:, 3].max())


def laid(params: Any, front: Array, back: Array) -> Array:
    """A placed and cropped picture laid over what is behind it."""
    if params.puts != TOP:
        return composed(front, back, params.puts)
    return blended(front, back, params.blend, params.light)


def plate_shutter(inputs: Inputs) -> float:
    """Degrees that the plate behind tells by its own smear; the usual ones where it does not."""
    share = _plate_share(inputs)
    return USUAL_SHUTTER if share is None else 360 * share


def _plate_share(inputs: Inputs) -> float | None:
    survey = inputs.survey_if_there("back") if inputs.has("back") else None
    return open_share(survey) if survey is not None else None


def blur_reading(inputs: Inputs, way: Way, about: Array, shutter: float) -> Reading:
    """Whether what is laid is smeared as its speed asks for at the plate's own shutter."""
    share, plate = _plate_share(inputs), plate_shutter(inputs)
    asked, got = asked_blur(way, about, plate), asked_blur(way, about, shutter)
    note = f"its way asks for {asked:.1f} px at {plate:.0f}°, it has {got:.1f} px"
    note += "" if share is not None else " (the plate does not tell its shutter; 180° is usual)"
    return Reading("motion blur", abs(got - asked), "px", OFF_BLUR, note=note)


def end_reading(inputs: Inputs, params: Any, front: Array, under: Array, matrix: Array, frame: int, smear: float) -> Reading:
    """How much an element's own straight end shows in the frame; a smear of some px hides it."""
    if smear > SMEARED:
        return Reading("straight end", None, "levels", ENDS, note=f"it is smeared by {smear:.0f} px here")
    size = (under.shape[0], under.shape[1])
    some = inputs.mattes("crop", frame) or inputs.mattes("where", frame) or params.opacity < 1
    share = cropped(inputs, params, np.ones((*size, 4), np.float32), frame)[..., 3] if some else None
    worst, spot = ends_in_frame(front, under, matrix, lambda a, b: laid(params, a, b), share)
    note = "none of its ends lies in the frame" if worst is None else "where its own border lies in the frame"
    return Reading("straight end", 0.0 if worst is None else worst, "levels", ENDS, spot=spot, note=note)
