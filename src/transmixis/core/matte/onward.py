"""A matte carried from frame to frame by the picture's flow, and cut anew in a narrow band there, as long as it can be trusted.

The flow at a border is neither the thing's nor the background's, so it is taken from inside the thing and carried outwards. How far flow there and back miss each
other adds up to a doubt in px; how much of the colour's contrast along the border is left is the other sign. Past their limits it stops and says why.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.colour.lab import linear_to_lab
from transmixis.core.matte.convolve import fill_unknown
from transmixis.core.matte.strokes import Cutting, Strokes, cut_by_strokes
from transmixis.core.motion.coding import coded_luma
from transmixis.core.types import Array, Mask, Matte, Rgb

INSIDE = 2.5  # px that the flow keeps inside the border
BAND, WIDEST = 3.0, 10.0  # px: the band in which it is cut anew, and how far it may grow
DOUBT_LIMIT = 1.8  # px: what flow there and back may miss each other by, added up over the frames
FADED = 0.45  # of the first frame's contrast along the border
NONE = Strokes((), ())
SHRUNK = 0.35  # of the area of the frame before: a thing that changes so is hidden, leaves, or is lost


@dataclass(frozen=True)
class Onward:
    """A matte at a frame: `mask`, `matte` (h, w), its `doubt` px so far, and `contrast` of its border (CIELAB units)."""

    mask: Mask
    matte: Matte
    doubt: float
    contrast: float


def begun(frame: Rgb, found: Cutting) -> Onward:
    """Where it starts from."""
    return Onward(found.mask, found.matte, 0.0, border_contrast(frame, found.mask))


def carried_on(before: Rgb, frame: Rgb, at: Onward, strokes: Strokes = NONE) -> Onward | None:
    """The matte of `before` at the next `frame` (both (h, w, 3) scene linear), set right by `strokes` there; None where nothing of it is left in the
    picture."""
    back, miss = _flow_within(before, frame, at.mask)
    h, w = at.mask.shape
    xs, ys = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    moved = cv2.remap(at.matte, xs + back[..., 0], ys + back[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
    rim = _rim(moved > 0.5)
    if not rim.any():
        return None
    step = float(np.minimum(miss[rim], WIDEST).mean())
    found = cut_by_strokes(frame, strokes, before=np.asarray(moved, np.float32), doubt=min(BAND + 2 * step, WIDEST))
    if not found.mask.any():
        return None
    return Onward(found.mask, found.matte, at.doubt + step, border_contrast(frame, found.mask))


def why_stopped(contrast: float, before: Onward, now: Onward | None) -> str:
    """Why a carried matte that began with this `contrast` of its border is not to be trusted any more; '' if it is."""
    if now is None:
        return "nothing of it is seen any more"
    if now.doubt > DOUBT_LIMIT:
        return f"its border may be {now.doubt:.1f} px off by now"
    if now.contrast < FADED * contrast:
        return f"its border hardly shows: {now.contrast / max(contrast, 1e-6):.0%} of the contrast that it began with"
    areas = float(before.mask.sum()), float(now.mask.sum())
    if abs(areas[1] - areas[0]) > SHRUNK * max(areas):
        return f"its size changed by {abs(areas[1] - areas[0]) / max(areas):.0%} from one frame to the next"
    return ""


def border_contrast(frame: Rgb, mask: Mask) -> float:
    """How far the colours on either side of the border differ (CIELAB units, mean)."""
    lab = linear_to_lab(frame)
    inner = mask & ~_grown(~mask, 2)
    outer = ~mask & ~_grown(mask, 2)
    near_in, near_out = inner & _grown(~mask, 6), outer & _grown(mask, 6)
    if not near_in.any() or not near_out.any():
        return 0.0
    a, b = (fill_unknown(lab, m.astype(np.float32), (2.0, 5.0)) for m in (near_in, near_out))
    return float(np.linalg.norm(a - b, axis=2)[_rim(mask)].mean())


def _flow_within(before: Rgb, frame: Rgb, mask: Mask) -> tuple[Array, Array]:
    """Where each pixel of `frame` was in the one before (h, w, 2) px, by the flow inside the thing, and how far flow there and back miss (h, w)."""
    old, new = ((255 * coded_luma(f)).astype(np.uint8) for f in (before, frame))
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    h, w = mask.shape
    back, forth = (dis.calc(a, b, np.zeros((h, w, 2), np.float32)) for a, b in ((new, old), (old, new)))
    xs, ys = np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32))
    u, v = xs + back[..., 0], ys + back[..., 1]
    again = cv2.remap(forth, u, v, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    miss = np.hypot(back[..., 0] + again[..., 0], back[..., 1] + again[..., 1])
    deep = cv2.distanceTransform(mask.astype(np.uint8), cv2.DIST_L2, 5)
    sure = (cv2.remap((deep > INSIDE).astype(np.float32), u, v, cv2.INTER_LINEAR) > 0.5) & (miss < 1.0)
    if not sure.any():
        sure = cv2.remap(mask.astype(np.float32), u, v, cv2.INTER_LINEAR) > 0.5
    weight = sure.astype(np.float32)
    calm = fill_unknown(np.dstack([back, miss]).astype(np.float32), weight, (1.5, 4.0, 12.0, 36.0))
    return calm[..., :2], calm[..., 2]


def _rim(mask: Mask) -> Mask:
    return np.asarray(mask & _grown(~mask, 1))


def _grown(mask: Mask, px: int) -> Mask:
    return np.asarray(cv2.dilate(mask.astype(np.uint8), np.ones((2 * px + 1, 2 * px + 1), np.uint8)) > 0)
