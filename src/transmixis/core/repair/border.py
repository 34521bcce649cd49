"""The border of a mend: how softly it goes over into the plate, and whether its step of light shows, against what the surroundings do by themselves."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Mask, Matte, Rgb

SEAM, UNLIKE = (
    2.0,
    12.0,
)  # 8-bit levels: steps that begin to show on even ground; surroundings that are other stuff (docs/limits.md)
PASSES = 9  # px across that what passes in front is widened by
RING = 14  # px about the mend that it is compared with
OTHER = 30.0  # 8-bit levels: what differs by more, the light evened, is another thing and no seam (judgement)
STRETCH = 8.0  # px of the border that a step is averaged over
MASKED = 0.62  # power by which what goes on beside it masks a step (Legge & Foley, 1980, gratings; the number from memory)
SLOWLY = 0.17  # levels a px: so slowly a step of four levels rises by two within the stretch that a seam is read over
WIDEST = 16.0  # px of feather: further out the plate itself is given up
HALF = 2  # px: how softly a mend goes over is looked at half as large
COARSE = 4  # px: what is told coarsely is looked at a quarter as large
FEW = 60  # pixels


def soft_edge(matte: Matte, feather: float, step: Array | None = None) -> Matte:
    """The matte with a soft border of so many px outside of it, so that all of what must go is covered; wider where the light steps (`step` (h, w) levels, see `step_beside`): as wide as makes it rise
    slowly enough. A hard border, of 0 px, stays so."""
    if feather <= 0:
        return matte
    wide: Array | float = feather if step is None else np.clip(step / (2 * SLOWLY), feather, max(feather, WIDEST))
    away = cv2.distanceTransform((matte < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    t = np.clip(1 - away / (2 * wide), 0, 1)
    return np.asarray(np.maximum(matte, t * t * (3 - 2 * t)), np.float32)


def step_beside(frame: Rgb, behind: Rgb, matte: Matte, front: Matte | None = None) -> Array:
    """How far (h, w) what would be laid there is off the plate beside it, 8-bit levels over a stretch, told coarsely (a feather's width hangs on it, no reading)."""
    h, w = matte.shape
    size = (max(1, w // COARSE), max(1, h // COARSE))
    hidden = matte if front is None else np.maximum(matte, front)
    wider = cv2.dilate((hidden > 0.01).astype(np.uint8), np.ones((5, 5), np.uint8))
    a, b = (linear_to_srgb(np.clip(cv2.resize(p, size, interpolation=cv2.INTER_AREA), 0, 1)) * 255 for p in (frame, behind))
    off = np.asarray(b - a, np.float32)
    seen = (cv2.resize(wider.astype(np.float32), size, interpolation=cv2.INTER_AREA) <= 0) & (np.abs(off).max(axis=2) < OTHER)
    weight, sigma = seen.astype(np.float32), STRETCH / COARSE
    total = cv2.GaussianBlur(weight, (0, 0), sigma)
    told = np.abs(cv2.GaussianBlur(off * weight[..., None], (0, 0), sigma)).max(axis=2) / np.maximum(total, 0.05)
    return np.asarray(cv2.resize(told, (w, h), interpolation=cv2.INTER_LINEAR))


def _ramp(matte: Matte) -> Array:
    """How much (h, w) of a step lies within a stretch, for how softly the mend goes over into the plate about there."""
    h, w = matte.shape
    small = cv2.resize(matte, (max(1, w // HALF), max(1, h // HALF)), interpolation=cv2.INTER_AREA)
    slope = np.hypot(cv2.Sobel(small, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(small, cv2.CV_32F, 0, 1, scale=1 / 8)) / HALF
    reach = 2 * int((2 * WIDEST + RING) / HALF) + 1
    steepest = cv2.resize(cv2.dilate(slope, np.ones((reach, reach), np.uint8)), (w, h), interpolation=cv2.INTER_LINEAR)
    part = np.minimum(1, STRETCH * steepest / 1.5)  # of its width: a smooth step of width w rises by 1.5 / w at most
    return np.asarray(1.5 * part - 0.5 * part**3, np.float32)


def ring_of(matte: Matte) -> Array:
    """What lies beside a mend (h, w), where the plate itself is still seen."""
    inside = (matte > 0.01).astype(np.uint8)
    return np.asarray((cv2.dilate(inside, np.ones((2 * RING + 1, 2 * RING + 1), np.uint8)) > 0) & (inside == 0))


def bare_ring(matte: Matte, front: Matte | None) -> Array:
    """The same without what passes in front, which moves as it likes."""
    ring = ring_of(matte)
    if front is None:
        return ring
    return np.asarray(ring & (cv2.dilate((front > 0.01).astype(np.uint8), np.ones((PASSES, PASSES), np.uint8)) == 0))


def near(hidden: Mask, feather: float) -> Mask:
    """What is looked at about what must go (h, w): its soft edge, and what lies beside that."""
    far = RING + int(np.ceil(2 * (max(feather, WIDEST) if feather > 0 else 0))) + 2
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((2 * far + 1, 2 * far + 1), np.uint8)) > 0)


def border_readings(frame: Rgb, behind: Rgb, matte: Matte, noise: Array, front: Matte | None = None) -> list[Reading]:
    """The step of light across the border: how far what would be laid there is off the plate just beside it, the worst stretch, 8-bit levels as they would show on even ground (see `masking`) within 8 px;
    and how unlike the two are beside that, noise (h, w, 3, variance of their difference, linear) left out. What passes in `front` is not looked at."""
    ring = bare_ring(matte, front)
    if ring.sum() < FEW:
        words = "nothing is seen beside it to compare with"
        return [Reading("seam", None, "levels", SEAM, note=words), Reading("unlike", None, "levels", UNLIKE, note=words)]
    a, b = (linear_to_srgb(np.clip(p, 0, 1)) * 255 for p in (frame, behind))
    other = ring & (cv2.GaussianBlur(np.abs(b - a).max(axis=2).astype(np.float32), (0, 0), 2) > OTHER)
    share = 100 * float(other.sum()) / float(ring.sum())
    note = f"{share:.0f} % of what lies beside it is another thing; if it passes in front, give its matte" if share > 1 else ""
    ring = ring & ~cv2.dilate(other.astype(np.uint8), np.ones((9, 9), np.uint8)).astype(bool)
    if ring.sum() < FEW:
        return [Reading("seam", None, "levels", SEAM, note=note), Reading("unlike", None, "levels", UNLIKE, note=note)]
    weight = ring.astype(np.float32)
    total = cv2.GaussianBlur(weight, (0, 0), STRETCH)
    off = cv2.GaussianBlur(((b - a) * weight[..., None]).astype(np.float32), (0, 0), STRETCH) / np.maximum(total, 1e-6)[..., None]
    size = np.abs(off).max(axis=2) * _ramp(matte) / masking(a, (matte <= 0.01) & (front < 0.01 if front is not None else True))
    size[(total < 0.25) | ~ring] = 0
    y, x = (int(v) for v in np.unravel_index(int(size.argmax()), size.shape))
    slope = np.square((linear_to_srgb(np.clip(frame + 1e-3, 0, 1)) * 255 - a) / 1e-3)
    rough = float(np.sqrt(max(0.0, float((np.square(b - a) - noise * slope)[ring].mean()))))
    spot = (max(0, x - 12), max(0, y - 12), 25, 25)
    return [
        Reading("seam", float(size.max()), "levels", SEAM, spot=spot, note=note),
        Reading("unlike", rough, "levels", UNLIKE, spot=spot),
    ]


def masking(shown: Array, seen: Mask) -> Array:
    """By how much (h, w) a step shows less than on even ground, for what goes on at its own scale beside it: the threshold rises with the contrast of what masks it, by a power
    (Legge & Foley, 1980). `shown` (h, w, 3) 8-bit levels, `seen` (h, w) the plate's own."""
    luma = shown.mean(axis=2).astype(np.float32)
    weight = np.asarray(seen, np.float32)

    def over(x: Array, sigma: float) -> Array:
        part = np.maximum(cv2.GaussianBlur(weight, (0, 0), sigma), 1e-3)
        return np.asarray(cv2.GaussianBlur(np.asarray(x * weight, np.float32), (0, 0), sigma) / part)

    band = over(luma, STRETCH / 2) - over(luma, 2 * STRETCH)
    return np.asarray(np.maximum(1, np.sqrt(over(band * band, 2 * STRETCH)) / SEAM) ** MASKED, np.float32)
