"""What gives a mend away beside its border: that it is softer than the plate, that the removed thing still shows in it, that it stands still where all else moves."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.readings import Reading
from transmixis.core.repair.border import FEW, OTHER, bare_ring
from transmixis.core.types import Array, Matte, Rgb

SOFTER = 20.0  # %: of detail that may be lost or gained; less is not seen at a mend's size (judgement)
GHOST = 3.0  # 8-bit levels of the removed thing that may be left (the least that shows in motion, judgement)
FROZEN = 50.0  # %: how much stiller than its moving surroundings a mend may be
STIRRED = 1.5  # times what grain alone changes, from which on the surroundings are said to move
PEAK = 2.0  # times its rms: about how far a form of edges and lines stands out at most
FINE_GRAIN, LEAST_MOVE = (
    0.6,
    0.08,
)  # of what is finer, the grain that is left between FINE and COARSE; of its form, that a thing must change to move
ITSELF, FEWEST = 0.3, 6  # how like itself a form laid aside may be; places that it is laid at, at least
RIMS, CORE = (9, 5), 0.3  # px across by which the rim of what was removed is taken off, and how much must be left
FINE, COARSE = 1.0, 6.0  # px: between these sizes a thing is known by its form
SHIFTS = tuple(
    (dy, dx)
    for far in (7, 11, 16, 22)
    for dy, dx in ((0, far), (0, -far), (far, 0), (-far, 0), (far, far), (-far, far), (far, -far), (-far, -far))
)


def shown(x: Rgb) -> Array:
    """8-bit levels as shown."""
    return np.asarray(linear_to_srgb(np.clip(x, 0, 1)) * 255, np.float32)


def band(x: Array) -> Array:
    """What lies between the fine and the coarse."""
    return np.asarray(cv2.GaussianBlur(x, (0, 0), FINE) - cv2.GaussianBlur(x, (0, 0), COARSE))


def sharpness_reading(frame: Rgb, behind: Rgb, matte: Matte, left: Array, front: Matte | None = None) -> Reading:
    """How much detail the background has against the plate where both show the same, just beside the mend: % off. `left` (h, w, 3) is the variance of the
    background's own noise."""
    ring = bare_ring(matte, front) & (behind.max(axis=2) > 0)
    a, b = shown(frame), shown(behind)
    ring &= np.abs(cv2.GaussianBlur(a - b, (0, 0), 2)).max(axis=2) < OTHER
    ring = cv2.erode(ring.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    if ring.sum() < 3 * FEW:
        return Reading("softer", None, "%", SOFTER, note="too little lies beside it to compare with")
    fine_a, fine_b = (x - cv2.GaussianBlur(x, (0, 0), 2.0) for x in (a.mean(axis=2), b.mean(axis=2)))
    both = float((fine_a * fine_b)[ring].mean())  # grain, which they have not in common, has no part in it
    own = float((fine_b * fine_b)[ring].mean()) - 0.9 * float(_levels(left, behind)[ring].mean()) / 3
    if both <= 0 or np.sqrt(both) < 1.0:
        return Reading("softer", None, "%", SOFTER, note="what lies beside it is too plain to tell")
    ratio = own / both  # a softened background has less of its own than it has in common with the plate
    return Reading("softer", 100 * abs(1 - ratio), "%", SOFTER, note=f"{ratio:.2f} times the detail of the plate beside it")


def _levels(noise: Array, frame: Rgb) -> Array:
    """A variance in linear light as one of 8-bit levels."""
    slope = (shown(frame + 1e-3) - shown(frame)) / 1e-3
    return np.asarray((noise * slope * slope).mean(axis=2))


def ghost_reading(frame: Rgb, made: Rgb, matte: Matte) -> Reading:
    """How much of what was removed the mend still shows, levels: the part of its form that goes with the plate's there, beyond what chance makes."""
    a, b = shown(frame).mean(axis=2), shown(made).mean(axis=2)
    out = Reading("ghost", None, "levels", GHOST, note="nothing there stands out from the mend")
    for where in _removed(a, b):
        out = _ghost(band(a), band(b), where & (matte > 0.99))
        if out.value is not None:
            break
    return out


def _removed(a: Array, b: Array) -> list[Array]:
    """Where the thing was, in the plate (h, w) against the mend. Where the plate still shows the background, as in a shadow or just beside the thing, its form is no ghost: first without its rim, then, for thin
    things, with it."""
    far = (np.abs(cv2.GaussianBlur(a - b, (0, 0), 1)) > OTHER).astype(np.uint8)
    whole = cv2.dilate(far, np.ones((5, 5), np.uint8)) > 0
    cores = [cv2.erode(far, np.ones((rim, rim), np.uint8)) > 0 for rim in RIMS]
    return [*(c for c in cores if c.sum() >= max(FEW, CORE * whole.sum())), whole]


def _ghost(x: Array, y: Array, inner: Array) -> Reading:
    """The same, the form of the plate `x` and the mend `y` looked at in `inner` (h, w)."""
    if inner.sum() < FEW:
        return Reading("ghost", None, "levels", GHOST, note="nothing there stands out from the mend")
    where, size = inner.astype(np.float32), float((x[inner] ** 2).mean())
    if size < 1e-3:
        return Reading("ghost", None, "levels", GHOST, note="what was removed has no form to be known by")
    here = _shared(x, y, where, (0, 0))
    other_places = [s for s in SHIFTS if abs(_shared(x, x, where, s)) < ITSELF]  # a pole slid along itself is the same
    elsewhere = np.array([_shared(x, y, where, s) for s in other_places])
    elsewhere = elsewhere[np.isfinite(elsewhere)]
    if len(elsewhere) < FEWEST:
        return Reading("ghost", None, "levels", GHOST, note="too small a place to tell")
    left = max(
        0.0, here - float(elsewhere.mean()) - 3 * float(elsewhere.std())
    )  # planks behind a pole are alike by chance, wherever they are laid
    return Reading("ghost", PEAK * left * float(np.sqrt(size)), "levels", GHOST, note=f"{100 * left:.1f} % of what was removed")


def _shared(x: Array, y: Array, where: Array, shift: tuple[int, int]) -> float:
    """How much of the form of `x`, laid `shift` px aside, is in `y`; nan where too little of both is left."""
    moved, there = np.roll(x * where, shift, (0, 1)), np.roll(where, shift, (0, 1)) * where > 0
    if there.sum() < FEW:
        return float("nan")
    p, q = moved[there], y[there]
    p, q = p - p.mean(), q - q.mean()
    return float((p * q).mean()) / max(float((p * p).mean()), 1e-6)


def frozen_reading(now: Rgb, before: Rgb, matte: Matte, front: Matte | None = None) -> Reading:
    """How much stiller the mend is than its surroundings, where these move, %: forms that change, set against how much form there is
    (where there is far less than beside it, against half of what is there: what was averaged away moves no more). What passes in
    `front` is not looked at."""
    inner, ring = matte > 0.99, bare_ring(matte, front)
    if inner.sum() < FEW or ring.sum() < FEW:
        return Reading("frozen", None, "%", FROZEN, note="too small a place to tell")
    a, b = (band(shown(x).mean(axis=2)) for x in (now, before))
    grain = float(np.median(np.abs(shown(now) - cv2.GaussianBlur(shown(now), (0, 0), 1.5))))

    form = float(np.sqrt((a[ring] ** 2).mean()))

    def moves(where: Array, least: float) -> float:
        own = float(np.sqrt((a[where] ** 2).mean()))
        return float(np.sqrt(((a - b)[where] ** 2).mean())) / max(own, least, 0.5)

    around = moves(ring, 0.0)
    still = STIRRED * FINE_GRAIN * grain / max(form, 0.5)  # what grain alone changes between two frames at this size
    if around < max(still, LEAST_MOVE):
        return Reading("frozen", 0.0, "%", FROZEN, note="nothing moves beside it")
    return Reading(
        "frozen", max(0.0, 100 * (1 - moves(inner, form / 2) / around)), "%", FROZEN, note="against what moves beside it"
    )
