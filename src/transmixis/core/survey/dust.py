"""Dust on the sensor: soft dark spots that stay put in the frame while the picture moves.

A spot takes away a share of the light, so in the logarithm it is added to the picture. What all frames lack at the same place
of the frame, against the scene that they show together, is dust. Where the picture hardly moves, dust cannot be told from what
is in the picture; then spots that look like it are named as suspects only.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.motion.similarity import Similarity
from transmixis.core.survey.overlay import Common, Overlay, common, overlay
from transmixis.core.survey.spots import Match, match_spots, peaks, place_spot, radii_for, window_of
from transmixis.core.types import Array

FRAMES = 18  # at most; more add little
LEAST_DEPTH = 0.015  # natural log: a spot that takes 1.5 % shows after darkening (common practice)
SURE = 7.0  # errors that a spot must stand out by: a picture has some 10^5 places to be wrong at
EXPLAINS = 0.5  # of the variation around must be the spot's
AGREE = 0.7  # of the frames, each counting by how well it shows the place
FRAMES_SURE = 6.0  # errors, told from how far the frames differ
WIDE = 1.3  # times the widest radius searched
LEAST_TRAVEL = 4.0  # px of the half-size picture, between the frames furthest apart
LEAST_SEEN = 4  # frames
LEAST_VIEWS = 3.0  # frames' worth: (sum of weights)^2 / sum of their squares
SOFT = 0.6  # px of the half-size picture: without it edges shimmer as they move over the pixels
DARK = 0.004
SUSPECT_EXPLAINS, SUSPECTS, SUSPECT_DEEPEST = 0.9, 6, 0.4  # a suspect must be this alone; how many are named; natural log


@dataclass(frozen=True)
class Spot:
    """Centre px and radius px in the full frame; depth: the share of the light that is missing, 0..1."""

    x: float
    y: float
    radius: float
    depth: float


@dataclass(frozen=True)
class Dust:
    """The spots, and the missing light as natural log (h/2, w/2), zero outside of them; `reason` where it cannot be told, with
    the `suspects` that look like dust there."""

    spots: tuple[Spot, ...]
    lack: Array
    reason: str = ""
    suspects: tuple[Spot, ...] = ()
    seen: str = ""  # what size and depth could be seen at all


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
    """Natural log of the half-size luma of a linear frame, a little softened, (h/2, w/2) float32."""
    h, w = linear.shape[:2]
    small = cv2.resize(linear[..., :3], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
    grey = cv2.transform(small, np.full((1, 3), 1 / 3, np.float32))
    return np.asarray(cv2.GaussianBlur(np.log(np.maximum(grey, DARK)), (0, 0), SOFT), np.float32)


def find_dust(logs: list[Array], moves: list[Similarity]) -> Dust:
    """Find spots in `half_log` pictures of a few frames; `moves` are the camera's, in pixels of the half-size picture."""
    shape = logs[0].shape
    lack = np.zeros(shape, np.float32)
    if len(logs) < LEAST_SEEN or _travel(moves, shape) < LEAST_TRAVEL:
        return Dust((), lack, "the picture moves too little to tell dust from what it shows", _suspects(logs))
    spots, lack = _searched(logs, moves)
    return Dust(tuple(spots), lack)


def found_spots(logs: list[Array], moves: list[Similarity]) -> list[Spot]:
    """The spots on pictures that move enough."""
    return _searched(logs, moves)[0]


def _searched(logs: list[Array], moves: list[Similarity]) -> tuple[list[Spot], Array]:
    spots: list[Spot] = []
    lack = np.zeros(logs[0].shape, np.float32)
    for again in (False, True):
        if again and not spots:
            break
        # a spot that most frames show on the same place of the scene is in the scene, until a first guess is taken out of it
        laid = overlay(logs, moves, lack)
        kept = common(laid, LEAST_SEEN)
        spots = _spots(laid, kept, least_views=LEAST_VIEWS if again else 1.0)
        lack = _only_spots(kept.value, spots)
    return spots, lack


def depths_left(logs: list[Array], moves: list[Similarity], spots: tuple[Spot, ...]) -> list[float]:
    """Share of the light that is missing at known spots of mended frames, above 0 where darker than around; nan where not told."""
    kept = common(overlay(logs, moves, np.zeros(logs[0].shape, np.float32)), LEAST_SEEN)
    out = []
    for s in spots:
        x, y, r = round((s.x - 0.5) / 2), round((s.y - 0.5) / 2), s.radius / 2
        rows, columns, spot, window = window_of(x, y, r, kept.value.shape)
        w = (kept.trust[rows, columns] * window).astype(np.float64)
        a = np.stack([spot.ravel(), np.ones(spot.size)], 1) * np.sqrt(w).ravel()[:, None]
        told = (w[spot > 0.5] > 0).mean() > 0.5 if spot.size else False
        fit = np.linalg.lstsq(a, (kept.value[rows, columns] * np.sqrt(w)).ravel(), rcond=None)[0] if told else [np.nan]
        out.append(1 - float(np.exp(fit[0])))
    return out


def _travel(moves: list[Similarity], shape: tuple[int, ...]) -> float:
    """How far the frame's middle moves between the frames furthest apart."""
    middle = np.array([[shape[1] / 2, shape[0] / 2]])
    at = np.concatenate([m.apply(middle) for m in moves])
    return float(np.hypot(*np.ptp(at, axis=0)))


def _spots(laid: Overlay, kept: Common, least_views: float) -> list[Spot]:
    found = match_spots(kept.value, kept.trust)
    out = []
    for x, y, r in peaks(found, SURE, LEAST_DEPTH):
        if found.explains[y, x] < EXPLAINS:
            continue
        if not _frames_agree(laid, kept, x, y, r, float(found.amplitude[y, x]), least_views):
            continue
        u, v, radius, depth = place_spot(kept.value, kept.trust, x, y, r, float(found.amplitude[y, x]))
        h, w = kept.value.shape
        if radius > WIDE * radii_for(w)[-1]:
            continue  # a shading
        if 0.5 * radius < u < w - 0.5 * radius and 0.5 * radius < v < h - 0.5 * radius:  # half a spot at the border is no shape
            out.append(_full_size(u, v, radius, depth))
    return out


def _full_size(x: float, y: float, radius: float, amplitude: float) -> Spot:
    return Spot(2 * x + 0.5, 2 * y + 0.5, 2 * radius, 1 - float(np.exp(amplitude)))


def _frames_agree(laid: Overlay, kept: Common, x: int, y: int, radius: float, amplitude: float, least_views: float) -> bool:
    """True if nearly every frame that shows the place well shows the spot, by much the same depth.

    What is left along the edges of people who move varies from frame to frame.
    """
    rows, columns, spot, window = window_of(x, y, radius, kept.value.shape)
    depths, weights = [], []
    for rest, shares in zip(laid.rest[:, rows, columns], kept.shares[:, rows, columns], strict=True):
        w = (shares * window).astype(np.float64)
        if (w[spot > 0.5] > 0).mean() < 0.8:
            continue
        sw, st, stt = w.sum(), (w * spot).sum(), (w * spot**2).sum()
        det = sw * stt - st**2
        if det > 1e-3 * sw * stt:
            depths.append((sw * (w * rest * spot).sum() - st * (w * rest).sum()) / det)
            weights.append(det / sw)
    if len(depths) <= LEAST_SEEN:
        return False
    d, v = np.array(depths), np.array(weights)
    if v.sum() ** 2 < least_views * np.sum(v**2):
        return False  # one frame or two say it all
    alike = (d < 0.4 * amplitude) & (d > 1.8 * amplitude)
    share = float((np.sqrt(v) * alike).sum() / np.sqrt(v).sum())
    error = float(np.sqrt(np.sum(v**2 * (d - amplitude) ** 2)) / v.sum())
    return share > AGREE and -amplitude > FRAMES_SURE * error


def _suspects(logs: list[Array]) -> tuple[Spot, ...]:
    """Soft round dark spots by themselves on a plain ground, of a picture that does not move: dust, or a part of the picture."""
    if not logs:
        return ()
    picture = np.mean(logs, axis=0)
    spread = np.std(logs, axis=0).mean() / np.sqrt(len(logs)) + 0.003
    found: Match = match_spots(picture, np.full(picture.shape, spread**-2, np.float32))
    out = []
    for x, y, r in peaks(found, SURE, LEAST_DEPTH):
        amplitude = float(found.amplitude[y, x])
        if found.explains[y, x] > SUSPECT_EXPLAINS and amplitude > -SUSPECT_DEEPEST:
            out.append(_full_size(x, y, r, amplitude))
    return tuple(sorted(out, key=lambda s: -s.depth)[:SUSPECTS])


def _only_spots(lack: Array, spots: list[Spot]) -> Array:
    """The lack inside the spots, fading out around them."""
    h, w = lack.shape
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    keep = np.zeros((h, w), np.float32)
    for s in spots:
        away = np.hypot(xx - (s.x - 0.5) / 2, yy - (s.y - 0.5) / 2)
        r = s.radius / 2
        keep = np.maximum(keep, np.clip((2.2 * r + 2 - away) / (0.6 * r + 2), 0, 1))
    return np.asarray(np.minimum(lack, 0) * keep, np.float32)
