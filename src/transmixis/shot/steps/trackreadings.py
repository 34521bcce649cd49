"""What is read of a track at a frame: how sure it is, how like itself, whether it agrees with itself, and how long it is lost."""

from __future__ import annotations

from typing import Any

import numpy as np

from transmixis.core.motion.agree import NOT_FOUND
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Mask

ERROR = 0.5  # px: more, and what is attached slides visibly (docs/limits.md)
UNLIKE = 25.0  # % that the pattern may differ from its reference before it is likely another thing (judgement, docs/limits.md)
BOTH_WAYS = 0.5  # px apart from the two sides: as much as the error itself may be
JUMP = 1.0  # px beyond its usual shaking
GAP = 6.0  # frames: a quarter of a second that may be bridged (docs/limits.md)
SEEN = 40.0  # % of a surface that carries it at least
BOX = 24  # px across at least


def lost_readings(motion: Motion, gap: float | None) -> list[Reading]:
    """Of a frame in which it is not known."""
    out = [
        Reading(name, None, unit, limit, note=motion.why)
        for name, unit, limit in (("error", "px", ERROR), ("unlike", "%", UNLIKE))
    ]
    if gap is not None:
        out.append(Reading("gap", gap, "frames", GAP, note="frames in a row in which it is not known"))
    return out


def seat_readings(error: float, *, reference: bool) -> list[Reading]:
    """Of a frame in which it was set: its own reference, by hand (then its `error` is nan), or where it was found there."""
    told = float(error) if np.isfinite(error) else None
    note = (
        "the reference frame" if reference else "set by hand here" if told is None else "as it was told when it was reseated here"
    )
    return [
        Reading("error", told, "px", ERROR, note=note),
        Reading("unlike", None if told is None else 0.0, "%", UNLIKE, note=note),
    ]


def track_readings(motion: Motion, work: Any, *, surface: bool) -> list[Reading]:
    """Of a frame in which it was followed."""
    box = box_about(moved_points(motion.matrix, motion.about))
    alike, seen = work["alike"], work["seen"]
    out = [
        Reading("error", motion.error, "px", ERROR, spot=box, note="as the fit tells it"),
        Reading("unlike", 100 * (1 - alike), "%", UNLIKE, spot=box, note=f"{100 * seen:.0f} % of it is seen"),
        _told(
            "both ways",
            work["back"],
            BOTH_WAYS,
            box,
            "apart if looked for from the next frame",
            "it is not found if looked for from the next frame"
            if work["back"] == NOT_FOUND
            else "the next frame tells nothing of it",
        ),
        _told("jump", work["jump"], JUMP, box, "off its own path, beyond its usual shaking", "its path before is not known"),
    ]
    if np.isfinite(work["drift"]):
        out.append(_told("drift", work["drift"], ERROR, box, "from where the first reference puts it", ""))
    if surface:
        out.append(
            Reading("carried by", 100 * seen, "%", SEEN, "high", spot=box, note="of the surface agrees with the reference")
        )
    return out


def _told(name: str, value: float, limit: float, box: tuple[int, int, int, int], note: str, why: str) -> Reading:
    if not np.isfinite(value):
        return Reading(name, None, "px", limit, note=why)
    return Reading(name, float(value), "px", limit, spot=box, note=note)


def gap_about(lost: Mask, i: int) -> float:
    """Frames in a row about the i-th in which it is `lost` (n,)."""
    first = last = i
    while first > 0 and lost[first - 1]:
        first -= 1
    while last + 1 < len(lost) and lost[last + 1]:
        last += 1
    return float(last - first + 1)


def box_about(places: Array) -> tuple[int, int, int, int]:
    """Box (x, y, w, h) px about places, BOX px at least."""
    low, high = places.min(axis=0), places.max(axis=0)
    middle, size = (low + high) / 2, np.maximum(high - low, BOX)
    x, y = middle - size / 2
    return int(x), int(y), int(size[0]), int(size[1])
