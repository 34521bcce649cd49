"""Which recorded frame a shot's frame shows when rates differ, and making frames that were never recorded."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import LUMA, linear_to_srgb
from transmixis.core.types import Array

NEAR = 0.02  # of a frame: closer to a recorded frame than this, that frame is shown


def source_time(frame: int, first: float, speed: float) -> float:
    """Position in the recording, counted from 1, of a shot's frame 1, 2, …: `first` is shown at frame 1."""
    return first + (frame - 1) * speed


def without_repeats(position: float, kept: list[int]) -> float:
    """A position among the frames that are kept (doubled ones left out), as a position in the recording.

    `kept` lists the recording's frames in order; position 1.5 lies half way between the first two of them.
    """
    at = np.interp(position, np.arange(1, len(kept) + 1), kept)
    return float(at)


def blended(a: Array, b: Array, share: float) -> Array:
    """Plain mix in linear light."""
    return np.asarray(a * (1 - share) + b * share, np.float32)


def between(a: Array, b: Array, share: float) -> Array:
    """The frame `share` of the way from `a` to `b` (h, w, c): both moved along their motion, mixed where they agree.

    Dense optical flow both ways (Kroeger et al., 2016, as in a general-purpose library); where following a pixel there and
    back misses by more than a pixel and a half the nearer frame alone is used, so that what is uncovered does not ghost.
    """
    ga, gb = _grey(a), _grey(b)
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    there, back = (np.asarray(dis.calc(p, q, None)) for p, q in ((ga, gb), (gb, ga)))  # type: ignore[call-overload]
    from_a, from_b = _warped(a, share * back), _warped(b, (1 - share) * there)
    sure_a, sure_b = _agreement(there, back, share), _agreement(back, there, 1 - share)
    wa, wb = (1 - share) * sure_a + 1e-3, share * sure_b + 1e-3
    total = wa + wb
    return np.asarray((from_a * wa[..., None] + from_b * wb[..., None]) / total[..., None], np.float32)


def _grey(x: Array) -> Array:
    return np.asarray(cv2.convertScaleAbs(linear_to_srgb(np.clip(x[..., :3] @ LUMA, 0, 1)), alpha=255.0))


def _warped(x: Array, flow: Array) -> Array:
    h, w = flow.shape[:2]
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    out = cv2.remap(x, xx + flow[..., 0], yy + flow[..., 1], cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(np.maximum(out, 0))


def _agreement(there: Array, back: Array, share: float) -> Array:
    """1 where there and back again ends where it began, falling to 0 at a pixel and a half."""
    h, w = there.shape[:2]
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    again = cv2.remap(back, xx + there[..., 0], yy + there[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    miss = np.linalg.norm(there + again, axis=2)
    sure = np.clip(1.5 - miss, 0.0, 1.0)
    moved = cv2.remap(sure, xx - share * there[..., 0], yy - share * there[..., 1], cv2.INTER_LINEAR)
    return np.asarray(cv2.GaussianBlur(moved, (0, 0), 1.5))
