"""What passes in front of a mend, freed of the rig's colour at its blurred edge: new = plate + (1 - alpha) (new background - old background), with the edge's own alpha.

Where the matte of what passes is a shape that does not show its motion's blur, or lies a little aside, its alpha is found as that shape moved along its path while the shutter was
open, the way that two colours tell it: what lies before, and what lies behind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from scipy.optimize import minimize

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.motion.frame import streak
from transmixis.core.repair.backing import carried_on
from transmixis.core.repair.fill import filled
from transmixis.core.types import Array, Mask, Matte, Rgb

NONE = 0.02  # of what passes: below nothing of it shows
DIRECTIONS, LENGTHS = 8, (2.0, 8.0, 18.0, 32.0)  # tried to begin with: turns in half a circle, px of blur
LONGEST = 60.0  # px of blur
ASIDE = 8.0  # px that a shape may lie beside what passes
ROOM = 14  # px about the shape that are looked at, beside the blur
TELLS = 12.0  # 8-bit levels between front and back from which on two colours tell
QUIET = 0.8  # px that what is made up behind the edge is softened by
FEW = 80  # px that must tell


@dataclass(frozen=True)
class Edge:
    """How a shape has to be laid to be what passes: `right`, `down` px aside, blurred by `length` px in a direction of `angle` degrees anticlockwise; `off` (rms of alpha) what is left."""

    right: float
    down: float
    length: float
    angle: float
    off: float


def old_background(frame: Rgb, new: Rgb, front: Matte, hidden: Mask) -> Rgb:
    """What lay behind what passes (h, w, 3): where nothing has to go what is laid there now, and what must go as it goes on from where it is seen."""
    seen = front < NONE
    made = filled(np.asarray(frame, np.float32), hidden & ~seen, hidden & seen | _beside(hidden) & seen)
    soft = cv2.GaussianBlur(made, (0, 0), QUIET)  # its grain is not the edge's own
    out = np.where((hidden & ~seen)[..., None], soft, np.where(hidden[..., None], made, new))
    return np.where(seen[..., None], frame, out).astype(np.float32)


def _beside(hidden: Mask) -> Mask:
    return np.asarray(cv2.dilate(hidden.astype(np.uint8), np.ones((2 * ROOM + 1, 2 * ROOM + 1), np.uint8)) > 0)


def unmixed(frame: Rgb, new: Rgb, matte: Matte, front: Matte, hidden: Mask) -> Rgb:
    """The frame with `new` laid by `matte` (h, w) behind what passes by its alpha `front` (h, w), free of what was there before."""
    old = old_background(frame, new, front, hidden)
    share = (matte * (1 - front))[..., None]
    return np.where(share > 0, np.maximum(frame + share * (new - old), 0), frame).astype(np.float32)


def two_colours(frame: Rgb, shape: Matte, old: Rgb, room: int) -> tuple[Array, Array]:
    """Alpha (h, w) as two colours tell it, what lies well within the shape and the old background, and how far each px tells (h, w) 0..1."""
    inner = cv2.erode((shape > 0.5).astype(np.uint8), np.ones((2 * room + 1, 2 * room + 1), np.uint8)) > 0
    if not inner.any():
        away = cv2.distanceTransform((shape > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
        inner = away > 0.7 * float(away.max())
    fore = cv2.GaussianBlur(carried_on(frame, inner), (0, 0), 3.0)
    a, b, p = (np.asarray(linear_to_srgb(np.clip(x, 0, 1)) * 255) for x in (fore, old, frame))
    between = np.linalg.norm(a - b, axis=2)
    line = fore - old
    alpha = ((frame - old) * line).sum(axis=2) / np.maximum((line * line).sum(axis=2), 1e-8)
    off = np.linalg.norm(
        p - np.asarray(linear_to_srgb(np.clip(old + np.clip(alpha, 0, 1)[..., None] * line, 0, 1)) * 255), axis=2
    )
    tells = np.clip(between / TELLS - 1, 0, 1) * np.exp(-np.square(off / np.maximum(0.5 * between, 1)))
    return np.clip(alpha, -0.2, 1.2), tells


def laid_shape(shape: Matte, e: Edge) -> Matte:
    """The shape moved aside and blurred along its path."""
    h, w = shape.shape
    moved = cv2.warpAffine(shape, np.array([[1, 0, e.right], [0, 1, e.down]], np.float64), (w, h), flags=cv2.INTER_LINEAR)
    if e.length < 0.2:
        return np.asarray(moved)
    t = np.radians(e.angle)
    return np.asarray(
        cv2.filter2D(moved, -1, streak(e.length * np.cos(t), -e.length * np.sin(t)), borderType=cv2.BORDER_CONSTANT)
    )


def fitted_edge(frame: Rgb, shape: Matte, old: Rgb) -> Edge | None:
    """How a shape (h, w) has to be laid over a frame; None where two colours do not tell. `old` (h, w, 3) is what lay behind it."""
    ys, xs = np.nonzero(shape > 0.5)
    if not len(xs):
        return None
    room = ROOM + round(LONGEST / 2)
    h, w = shape.shape
    box = (
        slice(max(0, ys.min() - room), min(h, ys.max() + room + 1)),
        slice(max(0, xs.min() - room), min(w, xs.max() + room + 1)),
    )
    part, s, back = frame[box], np.ascontiguousarray(shape[box], np.float32), old[box]
    alpha, tells = two_colours(part, s, back, 8)
    if (tells > 0.3).sum() < FEW:
        return None
    weight = tells / tells.sum()

    def off(e: Edge) -> float:
        return float((weight * np.square(laid_shape(s, e) - alpha)).sum())

    starts = [Edge(0, 0, length, 180 * k / DIRECTIONS, 0) for length in LENGTHS for k in range(DIRECTIONS)]
    starts.sort(key=off)
    best = min((_nearer(off, e) for e in starts[:3]), key=lambda e: e.off)
    return best if best.off < off(Edge(0, 0, 0, 0, 0)) ** 0.5 else None


def _nearer(off: Callable[[Edge], float], e: Edge) -> Edge:
    """The best laying near a start; length and angle go together as a vector, so that a turn is no jump."""
    t = np.radians(e.angle)

    def of(p: Array) -> Edge:
        length = float(np.hypot(p[2], p[3]))
        return Edge(
            float(np.clip(p[0], -ASIDE, ASIDE)),
            float(np.clip(p[1], -ASIDE, ASIDE)),
            min(length, LONGEST),
            float(np.degrees(np.arctan2(p[3], p[2]))),
            0,
        )

    start = np.array([0, 0, e.length * np.cos(t), e.length * np.sin(t)])
    simplex = np.vstack([start, start + np.diag([2.0, 2.0, 4.0, 4.0])])
    found = minimize(
        lambda p: off(of(p)),
        start,
        method="Nelder-Mead",
        options={"initial_simplex": simplex, "xatol": 0.03, "fatol": 1e-7, "maxiter": 220},
    )
    best = of(found.x)
    return Edge(best.right, best.down, best.length, best.angle % 180, float(np.sqrt(found.fun)))
