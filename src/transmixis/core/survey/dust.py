"""Dust on the sensor: soft dark spots that stay put in the frame while the picture moves.

A spot takes away a share of the light, so in the logarithm it is added to the picture. The picture as it would be without
the frame's own marks is the median of all frames laid over each other; what every frame lacks against it, at the same place
of the frame each time, is dust. Where the picture hardly moves nothing can be told, and that is said.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.motion.similarity import Similarity
from transmixis.core.survey.middle import median_known
from transmixis.core.types import Array, Mask

FRAMES = 18  # at most; more add little
LEAST_DEPTH = 0.015  # natural log: a spot that takes 1.5 % shows after darkening (common practice)
SURE = 4.0  # standard errors
STEADY = 0.75  # of the frames must lack the light there
LEAST_TRAVEL = 4.0  # px of the half-size picture, between the frames furthest apart
ROUNDS = 2
WIDE = 14.0  # px of the half-size picture: wider darkness is shading, not a spot
OTHER = 0.12  # natural log over a wide place: somebody stands there
FAR_OTHER = 0.8  # and anywhere
EDGE_ERROR = 0.04  # px: half of what the camera's motion may be wrong by, so that edges are not taken for dust
LEAST_SEEN = 4  # frames
LEAST_AREA = 7  # px of the half-size picture
DARK = 0.004


@dataclass(frozen=True)
class Spot:
    """Centre px and radius px in the full frame; depth: the share of the light that is missing, 0..1."""

    x: float
    y: float
    radius: float
    depth: float


@dataclass(frozen=True)
class Dust:
    """The spots, and the missing light as natural log (h/2, w/2), zero outside of them; `reason` where it cannot be told."""

    spots: tuple[Spot, ...]
    lack: Array
    reason: str = ""


def frames_apart(x: Array, y: Array, most: int = FRAMES) -> list[int]:
    """Indices of the frames that lie furthest from each other on the camera's path (x, y px, nan where unknown), in order."""
    known = np.flatnonzero(np.isfinite(x) & np.isfinite(y))
    if len(known) <= most:
        return [int(i) for i in known]
    p = np.stack([x[known], y[known]], 1)
    chosen = [0]
    away = np.hypot(*(p - p[0]).T)
    while len(chosen) < most:
        k = int(np.argmax(away))
        chosen.append(k)
        away = np.minimum(away, np.hypot(*(p - p[k]).T))
        away[chosen] = -1
    return sorted(int(known[k]) for k in chosen)


def half_log(linear: Array) -> Array:
    """Natural log of the half-size luma of a linear frame, (h/2, w/2) float32."""
    h, w = linear.shape[:2]
    small = cv2.resize(linear[..., :3], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
    grey = cv2.transform(small, np.full((1, 3), 1 / 3, np.float32))
    return np.asarray(np.log(np.maximum(grey, DARK)), np.float32)


def find_dust(logs: list[Array], moves: list[Similarity]) -> Dust:
    """Find spots in `half_log` pictures of a few frames; `moves` are the camera's, in pixels of the half-size picture."""
    shape = logs[0].shape
    none = np.zeros(shape, np.float32)
    if len(logs) < 4 or _travel(moves, shape) < LEAST_TRAVEL:
        return Dust((), none, "the picture moves too little to tell dust from what it shows")
    lack, error, steady, pairs = _lack_of(logs, moves)
    spots = [s for s in _spots(lack, error, steady) if _in_every_frame(s, pairs)]
    return Dust(tuple(spots), _only_spots(lack, spots))


def _in_every_frame(spot: Spot, pairs: list[tuple[Array, Array]]) -> bool:
    """True if the spot stands out of its surroundings by much the same in nearly every frame, more than the picture does there.

    `pairs`: each frame, and the picture as the frame shows it. What is left along the edges of people who move varies.
    """
    x, y, r = (spot.x - 0.5) / 2, (spot.y - 0.5) / 2, max(spot.radius / 2, 1.2)
    h, w = pairs[0][0].shape
    y0, y1, x0, x1 = (int(max(0, v)) for v in (y - 3 * r - 2, min(h, y + 3 * r + 3), x - 3 * r - 2, min(w, x + 3 * r + 3)))
    yy, xx = np.mgrid[y0:y1, x0:x1]
    away = np.hypot(xx - x, yy - y)
    inside, around = away <= r, (away > 1.8 * r + 1) & (away < 3 * r + 2)
    if not inside.any() or not around.any():
        return False
    by = []
    for frame, there in pairs:
        rest = (frame - there)[y0:y1, x0:x1]
        if np.isfinite(rest[inside]).all() and np.isfinite(rest[around]).mean() > 0.6:
            by.append(float(rest[inside].mean() - np.nanmedian(rest[around])))
    if len(by) < max(LEAST_SEEN, 0.5 * len(pairs)):
        return False
    d = np.array(by)
    middle = float(np.median(d))
    spread = 1.4826 * float(np.median(np.abs(d - middle)))
    return middle < -0.6 * LEAST_DEPTH and spread < 0.35 * -middle and float((d < 0.4 * middle).mean()) > STEADY


def _travel(moves: list[Similarity], shape: tuple[int, ...]) -> float:
    """How far the frame's middle moves between the frames furthest apart."""
    middle = np.array([[shape[1] / 2, shape[0] / 2]])
    at = np.concatenate([m.apply(middle) for m in moves])
    return float(np.hypot(*np.ptp(at, axis=0)))


def _lack_of(logs: list[Array], moves: list[Similarity]) -> tuple[Array, Array, Array, list[tuple[Array, Array]]]:
    """What every frame lacks against the picture: median over frames, its error, share of frames that lack it; each frame with
    the picture as it shows it."""
    level = [float(np.median(a)) for a in logs]
    flat = [a - m for a, m in zip(logs, level, strict=True)]
    lack = np.zeros(logs[0].shape, np.float32)
    for _ in range(ROUNDS):
        picture = _picture([a - lack for a in flat], moves)
        there = [_moved(picture, m) for m in moves]
        rest = np.stack([_unlike(a, t, lack) for a, t in zip(flat, there, strict=True)])
        lack = np.minimum(_without_shading(*_middle(rest)), 0)
    soft = np.stack([_soft(r) for r in rest])
    middle, seen = _middle(soft)
    spread = 1.4826 * _middle(np.abs(soft - middle))[0]
    steady = (soft < -0.5 * LEAST_DEPTH).sum(axis=0) / np.maximum(seen, 1)
    middle = _without_shading(middle, seen)
    middle[seen < max(LEAST_SEEN, 0.3 * len(logs))] = 0
    slope = np.mean([_slope(t) for t in there], axis=0)  # what a small error of the motion leaves along edges
    error = np.hypot(spread / np.sqrt(np.maximum(seen, 1)), EDGE_ERROR * slope) + 3e-4
    return middle.astype(np.float32), error.astype(np.float32), steady, list(zip(flat, there, strict=True))


def _without_shading(middle: Array, seen: Array) -> Array:
    """What is left of the (h, w) lack when wide darkness is taken out; places seen in few frames do not count for it."""
    weight = (seen >= LEAST_SEEN).astype(np.float32)
    wide = cv2.GaussianBlur(middle * weight, (0, 0), WIDE) / np.maximum(cv2.GaussianBlur(weight, (0, 0), WIDE), 0.05)
    return np.asarray((middle - wide) * weight, np.float32)


def _slope(picture: Array) -> Array:
    flat = np.nan_to_num(picture)
    return np.hypot(cv2.Sobel(flat, -1, 1, 0, scale=1 / 8), cv2.Sobel(flat, -1, 0, 1, scale=1 / 8))


def _middle(stack: Array) -> tuple[Array, Array]:
    """Median over frames where known (0 where never), and in how many it is known."""
    middle, seen = median_known(stack)
    return np.nan_to_num(middle), seen


def _soft(rest: Array) -> Array:
    """A little blurred, unknown places left out of it."""
    known = np.isfinite(rest)
    weight = cv2.GaussianBlur(known.astype(np.float32), (0, 0), 1.0)
    blurred = cv2.GaussianBlur(np.where(known, rest, 0).astype(np.float32), (0, 0), 1.0) / np.maximum(weight, 1e-3)
    return np.where(known, blurred, np.nan)


def _picture(frames: list[Array], moves: list[Similarity]) -> Array:
    """The scene in the reference frame's place: median of the frames moved back; nan where fewer than three show it."""
    h, w = frames[0].shape
    laid = np.stack(
        [
            cv2.warpAffine(
                a, m.matrix, (w, h), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
                borderMode=cv2.BORDER_CONSTANT, borderValue=float("nan"),
            )
            for a, m in zip(frames, moves, strict=True)
        ]
    )  # fmt: skip
    middle, seen = median_known(laid)
    return np.where(seen >= 3, middle, np.nan)


def _moved(picture: Array, move: Similarity) -> Array:
    """The picture moved to where a frame shows it."""
    h, w = picture.shape
    return np.asarray(
        cv2.warpAffine(
            picture, move.matrix, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT, borderValue=float("nan")
        )
    )


def _unlike(frame: Array, there: Array, lack: Array) -> Array:
    """Frame less the picture where it shows it; nan where that is not known or another thing stands there."""
    rest = frame - there
    known = np.isfinite(rest)
    beyond = np.where(known, rest - lack, 0).astype(np.float32)
    wide = np.abs(cv2.GaussianBlur(beyond, (0, 0), 8.0)) > OTHER
    other = cv2.dilate(((np.abs(beyond) > FAR_OTHER) | wide).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    return np.where(other, np.nan, rest)


def _spots(lack: Array, error: Array, steady: Array) -> list[Spot]:
    """Round dark places that are sure and steady, deepest first."""
    found: list[Spot] = []
    taken = np.zeros(lack.shape, bool)
    # what is bright where it should not be is no dust, so it shows how far the picture is mistaken about itself
    mistaken = float(np.quantile(lack, 0.9995))
    sure = (lack < -max(LEAST_DEPTH, mistaken)) & (lack < -SURE * error) & (steady > STEADY)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(sure.astype(np.uint8), connectivity=8)
    order = sorted(range(1, count), key=lambda c: float(lack[labels == c].min()))
    for c in order:
        x, y, bw, bh, area = (int(v) for v in stats[c])
        if area < LEAST_AREA or max(bw, bh) > 40 or max(bw, bh) > 2.5 * min(bw, bh) or area < 0.45 * bw * bh:
            continue
        inside = labels == c
        if taken[inside].any() or not _stands_alone(lack, x, y, bw, bh):
            continue
        spot = _measured(lack, inside, x, y, bw, bh)
        taken[max(0, y - 2) : y + bh + 2, max(0, x - 2) : x + bw + 2] = True
        found.append(spot)
    return found


def _stands_alone(lack: Array, x: int, y: int, bw: int, bh: int) -> bool:
    """True if the surroundings lack much less than the spot: dust lies on an otherwise clean frame."""
    r, gap = max(bw, bh) + 4, max(2, max(bw, bh) // 2)
    y0, y1, x0, x1 = max(0, y - r), y + bh + r, max(0, x - r), x + bw + r
    around = lack[y0:y1, x0:x1]
    ring = np.ones(around.shape, bool)
    ring[max(0, y - gap - y0) : y + bh + gap - y0, max(0, x - gap - x0) : x + bw + gap - x0] = False
    deep = float(-lack[y : y + bh, x : x + bw].min())
    return not ring.any() or float(np.quantile(np.abs(around[ring]), 0.9)) < 0.35 * deep


def _measured(lack: Array, inside: Mask, x: int, y: int, bw: int, bh: int) -> Spot:
    part = -lack[y : y + bh, x : x + bw].astype(np.float64)
    weight = np.where(inside[y : y + bh, x : x + bw], np.maximum(part - 0.5 * part.max(), 0), 0)  # its skirt may touch an edge
    yy, xx = np.mgrid[y : y + bh, x : x + bw]
    cx, cy = (weight * xx).sum() / weight.sum(), (weight * yy).sum() / weight.sum()
    radius = float(np.sqrt(inside.sum() / np.pi))
    depth = 1 - float(np.exp(lack[y : y + bh, x : x + bw].min()))
    return Spot(2 * cx + 0.5, 2 * cy + 0.5, 2 * radius, depth)


def _only_spots(lack: Array, spots: list[Spot]) -> Array:
    """The lack inside the spots, fading out around them."""
    h, w = lack.shape
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    keep = np.zeros((h, w), np.float32)
    for s in spots:
        away = np.hypot(xx - (s.x - 0.5) / 2, yy - (s.y - 0.5) / 2)
        r = s.radius / 2
        keep = np.maximum(keep, np.clip((2.2 * r + 3 - away) / (r + 2), 0, 1))
    return np.asarray(np.minimum(lack, 0) * keep, np.float32)
