"""A clean plate made as sharp as its take: how much softer or sharper it is, told from what both show beside the mend, and brought over."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from transmixis.core.repair.tells import shown
from transmixis.core.types import Array, Mask, Rgb

FINE = 2.0  # px: detail is what is finer
SOFTEST, SHARPEST = 3.0, 1.5  # px of blur, and amount of what is fine that is added, at most
ROUND = 1.0  # px: what is sharpened is finer than that
DETAIL = 1.0  # levels of shared detail below which nothing is told
LEAST = 0.03  # of the detail: less is left as it is
FEW = 300  # px
OTHER, WIDER = 6.0, 9  # levels by which softened pictures of another thing differ, and px across about it


def resharpened(picture: Rgb, by: float) -> Rgb:
    """Softened by a gaussian of `by` px, or sharpened by so much of what is fine where that is below zero."""
    if by > 0:
        return np.asarray(cv2.GaussianBlur(picture, (0, 0), by), np.float32)
    if by < 0:
        return np.asarray(np.maximum(picture - by * (picture - cv2.GaussianBlur(picture, (0, 0), ROUND)), 0), np.float32)
    return picture


def grain_kept(by: float) -> float:
    """How much of the variance of white noise is left when it is resharpened."""
    offset = np.float32(100)  # nothing of it below zero, where a picture ends
    noise = np.random.default_rng(3).standard_normal((64, 64, 3)).astype(np.float32)
    made = resharpened(noise + offset, by) - offset
    inner = (slice(8, -8), slice(8, -8))
    return float((made[inner] ** 2).mean() / (noise[inner] ** 2).mean())


def sharpness_to(frames: Sequence[Rgb], behinds: Sequence[Rgb], wheres: Sequence[Mask]) -> float:
    """By how much backgrounds (h, w, 3) must be resharpened to be as sharp as the frames, `wheres` (h, w) both show the same; 0 where that cannot be told."""
    alike = [w & _alike(f, b) for f, b, w in zip(frames, behinds, wheres, strict=True)]
    seen = [(shown(f).mean(axis=2), b, w) for f, b, w in zip(frames, behinds, alike, strict=True) if w.sum() >= FEW]
    if not seen:
        return 0.0
    first = _excess(seen, 0.0)
    if first is None or abs(first) < LEAST:
        return 0.0
    low, high = (0.0, SOFTEST) if first > 0 else (-SHARPEST, 0.0)
    for _ in range(12):  # the more it is softened the less detail is left: the middle is narrowed down
        middle = (low + high) / 2
        off = _excess(seen, middle)
        if off is None:
            return 0.0
        low, high = (middle, high) if off > 0 else (low, middle)
    return (low + high) / 2


def _alike(frame: Rgb, behind: Rgb) -> Mask:
    """Where both show the same thing: what passes, or has moved, would be taken for lost detail."""
    off = cv2.GaussianBlur(np.abs(cv2.GaussianBlur(shown(frame) - shown(behind), (0, 0), FINE)).max(axis=2), (0, 0), FINE)
    return np.asarray(cv2.erode((off < OTHER).astype(np.uint8), np.ones((WIDER, WIDER), np.uint8), borderValue=1) > 0)


def _excess(seen: Sequence[tuple[Array, Rgb, Mask]], by: float) -> float | None:
    """How much more detail the backgrounds have than they share with the frames, of that; None where they share none. Grain, which they do not share, has no part in it."""
    own, both = 0.0, 0.0
    for frame, behind, where in seen:
        made = shown(resharpened(behind, by)).mean(axis=2)
        a, b = frame - cv2.GaussianBlur(frame, (0, 0), FINE), made - cv2.GaussianBlur(made, (0, 0), FINE)
        own += float((b * b)[where].sum())
        both += float((a * b)[where].sum())
    count = sum(int(w.sum()) for _, _, w in seen)
    if both <= DETAIL**2 * count:
        return None
    return own / both - 1
