"""The noise of a take whose background moves: of frames laid over one another."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import cv2
import numpy as np

from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.sampling import Splined
from transmixis.core.repair.fine import CELL, grain_share
from transmixis.core.repair.laying import spread
from transmixis.core.survey.clean_fit import evened
from transmixis.core.survey.noise import noise_law, noise_over_time
from transmixis.core.types import Array, Mask, Rgb

SAMPLED = (
    0.766  # of the variance of white noise that a cubic spline keeps in the mean over all places between pixels (by experiment)
)
BESIDE, APART = (
    3,
    6,
)  # frames that are laid over the anchor, and about how far off: coding leaves what is alike in neighbours without noise of its own


def take_law(look: Callable[[int], tuple[Rgb, Mask]], matrices: Mapping[int, Array], anchor: int) -> Array:
    """(3, 2) the noise of one frame, from the anchor and some frames a little away from it; where these tell nothing, from the anchor's own finest detail."""
    picture, hidden = look(anchor)
    pairs, kept = [], []
    for n in sorted((n for n in matrices if n != anchor), key=lambda n: abs(abs(n - anchor) - APART))[:BESIDE]:
        other, gone = look(n)
        still = np.array_equal(matrices[n], np.eye(3))
        laid, there = (other, np.ones(hidden.shape, bool)) if still else _over(other, matrices[n])
        seen = there & ~spread(hidden) & ~(spread(gone) if still else _over_mask(gone, matrices[n]))
        pairs.append(
            (picture, np.where(seen[..., None], evened(laid, picture), 0).astype(np.float32))
        )  # what is not seen has changed by far
        kept.append(1.0 if still else (1 + SAMPLED) / 2)
    told = noise_over_time(pairs) if pairs else None
    if told is not None:
        return np.asarray(told.law / np.mean(kept))
    law = noise_law(picture, ~spread(hidden))
    level = cv2.GaussianBlur(np.maximum(picture, 0), (0, 0), CELL)
    return np.asarray(law * min(1.0, grain_share(picture, law[:, 0] * level + law[:, 1], ~spread(hidden))) ** 2)


def _over(other: Rgb, matrix: Array) -> tuple[Rgb, Mask]:
    """A frame as it lies over the anchor, and where it does."""
    h, w = other.shape[:2]
    x, y = np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5)
    values, inside = Splined(other).at(moved_points(matrix, np.stack([x.ravel(), y.ravel()], 1)))
    return values.reshape(h, w, 3), inside.reshape(h, w)


def _over_mask(gone: Mask, matrix: Array) -> Mask:
    h, w = gone.shape
    whole = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    back = np.linalg.inv(whole) @ np.linalg.inv(matrix) @ whole
    return np.asarray(cv2.warpPerspective(spread(gone).astype(np.uint8), back, (w, h), flags=cv2.INTER_LINEAR) > 0)
