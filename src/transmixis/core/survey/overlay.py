"""Frames of a moving camera laid over each other: the scene by itself, and what each frame shows that the scene does not.

Pictures are logarithmic, so a share of light that is missing is a difference. How far the frames agree about each place of the
scene is measured, and says how much a frame is to be trusted where it shows that place: edges, noise in the shadows, leaves
in the wind and all else that does not fit count for little by themselves.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.motion.similarity import Similarity
from transmixis.core.survey.middle import median_known
from transmixis.core.types import Array

LEAST_FRAMES = 3  # that must show a place of the scene
LEAST_SPREAD = 0.006  # natural log: what interpolation and rounding leave even where all fits
MOST_SPREAD = 0.3  # natural log: where the frames differ by more they are not the same scene (near things before far ones)
LEAST_OTHER = 0.03  # natural log
OTHER_SHARE = 0.4  # of the pixels around must be far off: somebody stands there
OTHER_WIDE, OTHER_GROWN = 9, 11  # px: over how wide a place that is asked, and how far its skirts are left out
FIRM, FAR_OFF = 2.0, 5.0  # deviations: from the first on a frame counts less, from the second on not at all


@dataclass(frozen=True)
class Overlay:
    """What frames lack or have beyond the scene, and how far each is to be trusted there (1 / variance, 0: not at all);
    both (n, h, w) float32, natural log."""

    rest: Array
    trust: Array


@dataclass(frozen=True)
class Common:
    """What all frames show beside the scene at the same place of the frame (h, w), its trust, in how many frames it is known,
    and the trust (n, h, w) that was given to each frame for it."""

    value: Array
    trust: Array
    seen: Array
    shares: Array


def overlay(frames: list[Array], moves: list[Similarity], own: Array) -> Overlay:
    """Lay log frames (h, w) over each other. `moves` take the reference's pixels to each frame's; `own` (h, w): what is known to
    belong to the frame instead of the scene."""
    scene, spread = _scene([f - own for f in frames], moves)
    rests, spreads = [], []
    for frame, move in zip(frames, moves, strict=True):
        rest = frame - _warped(scene, move, back=False)
        known = np.isfinite(rest)
        rests.append(rest - (np.median(rest[known]) if known.any() else 0))
        spreads.append(np.maximum(np.nan_to_num(_warped(spread, move, back=False), nan=1.0), LEAST_SPREAD))
    rest = np.stack(rests).astype(np.float32)
    middle = np.nan_to_num(median_known(rest)[0])
    trust = np.stack([_trust(r, middle, s) for r, s in zip(rest, spreads, strict=True)])
    return Overlay(np.nan_to_num(rest), trust)


def common(laid: Overlay, least: int) -> Common:
    """What stays put in the frame: a mean over frames weighted by trust, in which what is far off counts for little."""
    rest, trust = laid.rest, laid.trust
    shares = trust
    firm = np.sqrt(trust)
    value = (rest * trust).sum(axis=0) / np.maximum(trust.sum(axis=0), 1e-9)
    for _ in range(2):
        off = np.abs(rest - value) * firm
        shares = np.where(off > FAR_OFF, 0, trust * np.clip(FIRM / np.maximum(off, 1e-6), 0, 1))
        value = (rest * shares).sum(axis=0) / np.maximum(shares.sum(axis=0), 1e-9)
    seen = (shares > 0).sum(axis=0)
    total = np.where(seen >= least, shares.sum(axis=0), 0)
    return Common(np.where(total > 0, value, 0).astype(np.float32), total.astype(np.float32), seen, shares)


def _scene(frames: list[Array], moves: list[Similarity]) -> tuple[Array, Array]:
    """The scene in the reference's place (nan where too few show it), and the spread of the frames about it.

    The frames are brought to one brightness by what they have in common, not by their means: those change with what is in
    the picture.
    """
    laid = np.stack([_warped(f, m, back=True) for f, m in zip(frames, moves, strict=True)])
    some = laid[:, ::3, ::3].copy()
    level = np.zeros((len(laid), 1, 1), np.float32)
    for _ in range(2):
        middle, _ = median_known(some - level)
        level[:, 0, 0] += [_level(f) for f in some - level - middle]
    laid -= level
    middle, seen = median_known(laid)
    off, _ = median_known(np.abs(laid - middle))
    spread = 1.4826 * off * np.sqrt(seen / np.maximum(seen - 1, 1))
    told = seen >= LEAST_FRAMES
    spread = np.where(told, np.nan_to_num(spread), 1.0).astype(np.float32)
    grown = cv2.blur(cv2.dilate(spread, np.ones((3, 3), np.uint8)), (3, 3))
    return np.where(told, middle, np.nan), np.where(told, grown, np.nan)


def _level(difference: Array) -> float:
    known = difference[np.isfinite(difference)]
    return float(np.median(known)) if known.size else 0.0


def _warped(picture: Array, move: Similarity, *, back: bool) -> Array:
    """The picture moved to where a frame shows it, or a frame moved `back`; nan where nothing is known.

    What is unknown is warped apart, since a cubic kernel makes huge numbers of what is not a number.
    """
    h, w = picture.shape
    way = cv2.WARP_INVERSE_MAP if back else 0
    known = np.isfinite(picture)
    whole = bool(known.all())
    flat = picture if whole else np.where(known, picture, 0).astype(np.float32)
    moved = cv2.warpAffine(flat, move.index_matrix, (w, h), flags=cv2.INTER_CUBIC | way, borderMode=cv2.BORDER_REPLICATE)
    shown = known.astype(np.float32) if whole else cv2.erode(known.astype(np.float32), np.ones((3, 3), np.uint8))
    there = cv2.warpAffine(shown, move.index_matrix, (w, h), flags=cv2.INTER_LINEAR | way, borderMode=cv2.BORDER_CONSTANT)
    return np.where(there > 0.999, moved, np.float32(np.nan))


def _trust(rest: Array, middle: Array, spread: Array) -> Array:
    """1 / variance of a frame, 0 where it is not known or something else stands there."""
    known = np.isfinite(rest)
    off = np.where(known, np.abs(rest - middle), 0)
    far = (off > np.maximum(3 * spread, LEAST_OTHER)).astype(np.float32)
    other = (cv2.blur(far, (OTHER_WIDE, OTHER_WIDE)) > OTHER_SHARE).astype(np.uint8)
    other = cv2.dilate(other, np.ones((OTHER_GROWN, OTHER_GROWN), np.uint8))
    return np.where(known & (other == 0) & (spread < MOST_SPREAD), 1 / spread**2, 0).astype(np.float32)
