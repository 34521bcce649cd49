"""Whether a mend shows: its border against what lies beside it, its grain, and how it stirs from frame to frame, all against the surroundings."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.readings import Reading
from transmixis.core.repair.fine import grain_share
from transmixis.core.types import Array, Mask, Matte, Rgb

SEAM, UNLIKE = (
    2.0,
    12.0,
)  # 8-bit levels: steps that begin to show on even ground; surroundings that are other stuff (docs/limits.md)
GRAIN_OFF, BOIL, STILL = 30.0, 160.0, 50.0  # %
BURIED = 2.0  # times its grain that the plate shows of finest detail: then that is no grain
PASSES = 9  # px across that what passes in front is widened by
RING = 14  # px about the mend that it is compared with
OTHER = 30.0  # 8-bit levels: what differs by more, the light evened, is another thing and no seam (judgement)
STRETCH = 8.0  # px of the border that a step is averaged over
FEW = 60  # pixels


def soft_edge(matte: Matte, feather: float) -> Matte:
    """The matte with a soft border of so many px outside of it, so that all of what must go is covered."""
    if feather <= 0:
        return matte
    away = cv2.distanceTransform((matte < 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    t = np.clip(1 - away / (2 * feather), 0, 1)
    return np.asarray(np.maximum(matte, t * t * (3 - 2 * t)), np.float32)


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
    far = RING + int(np.ceil(2 * feather)) + 2
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((2 * far + 1, 2 * far + 1), np.uint8)) > 0)


def border_readings(frame: Rgb, behind: Rgb, matte: Matte, noise: Array, front: Matte | None = None) -> list[Reading]:
    """The step of light across the border: how far what would be laid there is off the plate just beside it, the worst stretch, 8-bit levels as shown; and how
    unlike the two are beside that, noise (h, w, 3, variance of their difference, linear) left out. What passes in `front` is not looked at."""
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
    size = np.abs(off).max(axis=2)
    size[(total < 0.25) | ~ring] = 0
    y, x = (int(v) for v in np.unravel_index(int(size.argmax()), size.shape))
    slope = np.square((linear_to_srgb(np.clip(frame + 1e-3, 0, 1)) * 255 - a) / 1e-3)
    rough = float(np.sqrt(max(0.0, float((np.square(b - a) - noise * slope)[ring].mean()))))
    spot = (max(0, x - 12), max(0, y - 12), 25, 25)
    return [
        Reading("seam", float(size.max()), "levels", SEAM, spot=spot, note=note),
        Reading("unlike", rough, "levels", UNLIKE, spot=spot),
    ]


def grain_reading(frame: Rgb, made: Rgb, want: Array, matte: Matte) -> Reading:
    """How far the mend's grain is off what the plate's noise law wants there (`want` (h, w, 3) variance), %; read from the very finest detail where that is
    least, which texture only adds to, against the plate's own beside it."""
    inner, ring = (
        cv2.erode((matte > 0.99).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0,
        ring_of(matte) & (want.max(axis=2) > 0),
    )
    if inner.sum() < FEW or ring.sum() < FEW:
        return Reading("grain off", None, "%", GRAIN_OFF, note="too small a place to tell")
    beside = grain_share(frame, want, ring)
    if beside > BURIED:
        return Reading(
            "grain off",
            None,
            "%",
            GRAIN_OFF,
            note="the plate's grain is too weak beside its texture to be told, as coding leaves it",
        )
    ratio = grain_share(made, want, inner)
    ratio = ratio if ratio < 1 else max(1.0, ratio / max(beside, 1.0))  # as much texture as the plate has beside it is no grain
    return Reading(
        "grain off", 100 * abs(ratio - 1), "%", GRAIN_OFF, note=f"{ratio:.2f} times the plate's grain where least texture is"
    )


def stir_readings(now: Rgb, before: Rgb, matte: Matte, want: Array, front: Matte | None = None) -> list[Reading]:
    """How the mend changes from the frame before, against how what lies beside it does, %: more boils, much less stands still. Both are set against what the plate's
    grain alone would change there (`want` (h, w, 3) variance), since bright places have more of it."""
    inner, ring = matte > 0.99, bare_ring(matte, front) & (want.max(axis=2) > 0)
    if inner.sum() < FEW or ring.sum() < FEW:
        return []
    a, b = (linear_to_srgb(np.clip(x, 0, 1)) for x in (now, before))
    slope = (linear_to_srgb(np.clip(now, 0, 1) + 1e-3) - a) / 1e-3
    change, grain = np.abs(a - b).mean(axis=2), np.sqrt(want * slope * slope).mean(axis=2)

    def over_grain(where: Mask) -> float:
        return float(change[where].mean()) / max(float(grain[where].mean()), 1e-5)

    share = 100 * over_grain(inner) / max(over_grain(ring), 1e-6)
    return [Reading("boil", share, "%", BOIL), Reading("stirs", share, "%", STILL, "high")]
