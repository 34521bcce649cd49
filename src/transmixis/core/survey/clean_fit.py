"""Whether a clean plate fits a take: where it stands beside it, how its light differs, and where and why it does not fit."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.colour.curves import LUMA
from transmixis.core.motion.camera import Move, anchor_of, follow
from transmixis.core.motion.coding import grey_of
from transmixis.core.motion.similarity import turn_words
from transmixis.core.motion.steady import moved
from transmixis.core.types import Array, Rgb

CELL = 8  # px: side of the cells of the maps
MISFIT = 0.08  # stops between clean plate and take, aligned and evened: about where a patch's edge begins to show
NOISY = 1.0  # times the noise's own swing from frame to frame
VARIES = 0.5  # of the difference: it comes and goes over the take
PATTERN, PLAIN, ALIKE = 25, 0.05, 0.7  # px, stops, correlation: what shows the same pattern is the same thing in other light
MOVED = 0.15  # of the frame: a rig that is to go is less (judgement)
FITS_SHIFT, FITS_GAIN = 0.35, 0.05  # px, stops
WHY = ("fits", "action or wind", "changed light", "moved thing", "parallax")
PATCH, REACH = 32, 12  # px: side of the patches that are looked for beside their place, and how far
BESIDE, FOUND = 0.5, 0.85  # px; correlation at which a patch is the same thing seen from elsewhere


@dataclass(frozen=True)
class CleanFit:
    """`move`: of the take against the clean plate. `gain` (3,): stops the take is brighter by. `misfit` (h/8, w/8) stops,
    `why` (h/8, w/8) index into WHY. `share` of the frame that does not fit. `serves`: a still clean plate will do, once
    aligned and evened. `words`: one sentence."""

    move: Move
    gain: Array
    gain_error: float
    misfit: Array
    why: Array
    share: float
    serves: bool
    words: str


def fit_clean(take: list[Rgb], clean: Rgb, *, locked: bool) -> CleanFit:
    """Compare a few frames of a take with the clean plate, all linear (h, w, 3) of one size.

    `locked`: the take's camera stands still. The alignment is the median over the frames; what differs is told by whether it
    stays the same over the take (moved thing, light) or comes and goes (action, wind).
    """
    anchor = anchor_of(grey_of(clean))
    moves = [m for m in (follow(anchor, grey_of(f)).move for f in take) if m]
    move = median_move(moves)
    fitted = moved(clean, move.similarity(clean.shape)) if move and (move.length > 0.02 or move.turn) else clean
    inside = cv2.erode((fitted.max(axis=2) > 0).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    gains, errors = [], []
    for f in take:
        g = light_over(fitted, f, inside)
        if g is not None:
            gains.append(g[0])
            errors.append(g[1])
    gain = np.median(gains, axis=0) if gains else np.full(3, np.nan)
    error = float(np.median(errors)) if errors else float("nan")
    evened = fitted * np.exp2(np.nan_to_num(gain)).astype(np.float32)
    misfit, why = _maps(take, evened, inside)
    share = float((misfit > MISFIT).mean())
    serves = bool(move) and locked and float((why >= 3).mean()) < MOVED
    return CleanFit(move, gain, error, misfit, why, share, serves, _words(move, gain, why, serves, locked))


def median_move(moves: Sequence[Move]) -> Move:
    """Where a take stands beside its clean plate, from several of its frames; falsy, with the reason, if none was measured."""
    if not moves:
        return Move(reason="clean plate and take share too little texture to be aligned")
    rows = np.array([[m.x, m.y, m.turn, m.grow] for m in moves])
    x, y, turn, grow = (float(v) for v in np.median(rows, axis=0))
    error = float(np.median([m.error for m in moves]) / np.sqrt(len(moves)))
    return Move(x, y, turn, grow, error, int(np.median([m.points for m in moves])))


def light_over(clean: Rgb, frame: Rgb, inside: Array) -> tuple[Array, float] | None:
    """Stops (3,) that the frame is brighter by: the median over cells, those in shadow of somebody left out."""
    a, b, m = _cells(clean), _cells(frame), _cells(inside.astype(np.float32)[..., None])[..., 0]
    lit = (m > 0.999) & (np.minimum(a, b).min(axis=2) > 2e-3) & (np.maximum(a, b).max(axis=2) < 0.9)
    if lit.sum() < 60:
        return None
    stops = np.log2(b[lit] / a[lit])
    middle = _mode(stops)
    near = (np.abs(stops - middle) < 0.08).all(axis=1)
    if near.sum() < 30:
        return middle, float(stops.std())
    return np.median(stops[near], axis=0), float(1.25 * stops[near].std() / np.sqrt(near.sum()))


def evened(frame: Rgb, other: Rgb) -> Rgb:
    """A frame in the light of another; as it is where that cannot be told."""
    found = light_over(frame, other, np.ones(frame.shape[:2], bool))
    return frame if found is None else (frame * np.exp2(found[0])).astype(np.float32)


def _mode(stops: Array) -> Array:
    """The gain that most cells share: the median first, then the densest place near it."""
    middle = np.median(stops, axis=0)
    for width in (0.3, 0.15, 0.08):
        near = (np.abs(stops - middle) < width).all(axis=1)
        if near.sum() > 20:
            middle = np.median(stops[near], axis=0)
    return np.asarray(middle)


def _cells(x: Array) -> Array:
    h, w = x.shape[:2]
    out = cv2.resize(np.ascontiguousarray(x), (max(1, w // CELL), max(1, h // CELL)), interpolation=cv2.INTER_AREA)
    return np.asarray(out if out.ndim == 3 else out[..., None])


def _maps(take: list[Rgb], clean: Rgb, inside: Array) -> tuple[Array, Array]:
    """Misfit in stops, and why. What only the noise does, as cells of that brightness usually show it, does not count."""
    b, known = _cells(clean), _cells(inside.astype(np.float32)[..., None])[..., 0] > 0.99
    signed = np.stack([np.log2((_cells(f) + 4e-3) / (b + 4e-3)) for f in take])  # (n, h, w, 3)
    signed[:, ~known] = 0
    size = np.abs(signed).max(axis=3)
    worst = size.max(axis=0) if len(take) < 3 else np.quantile(size, 0.9, axis=0)
    swing = np.ptp(signed, axis=0).max(axis=2)
    noise = _least_at(_luma(b), swing)
    misfit = np.where(worst > MISFIT + NOISY * noise, worst, 0)
    # somebody who stands there all the time still changes
    comes_and_goes = (np.quantile(size, 0.1, axis=0) < VARIES * misfit) | (swing - NOISY * noise > VARIES * misfit)
    usual = np.median([_luma(f) for f in take], axis=0).astype(np.float32)
    same_thing = _alike(_luma(clean), usual) > ALIKE
    why = np.where(misfit <= MISFIT, 0, np.where(comes_and_goes, 1, np.where(same_thing, 2, 3)))
    why[(why >= 2) & _stands_beside(_luma(clean), usual, why >= 2)] = 4
    return misfit.astype(np.float32), why.astype(np.uint8)


def _stands_beside(clean: Array, take: Array, where: Array) -> Array:
    """Cells whose pattern the take shows some pixels beside its place: the same thing seen from elsewhere (parallax)."""
    a, b = (_detail(np.log2(x + 4e-3)) for x in (clean, take))
    h, w = a.shape
    out = np.zeros(where.shape, bool)
    per = PATCH // CELL
    for y in range(0, h - PATCH + 1, PATCH):
        for x in range(0, w - PATCH + 1, PATCH):
            cells = (slice(y // CELL, y // CELL + per), slice(x // CELL, x // CELL + per))
            patch = b[y : y + PATCH, x : x + PATCH]
            if where[cells].mean() < 0.25 or patch.std() < PLAIN:
                continue
            y0, x0 = max(0, y - REACH), max(0, x - REACH)
            alike = cv2.matchTemplate(a[y0 : y + PATCH + REACH, x0 : x + PATCH + REACH], patch, cv2.TM_CCOEFF_NORMED)
            v, u = (int(k) for k in np.unravel_index(int(alike.argmax()), alike.shape))
            here = float(alike[y - y0, x - x0])
            beside = float(np.hypot(v - (y - y0), u - (x - x0))) > BESIDE
            out[cells] |= beside and float(alike[v, u]) > max(FOUND, here + 0.1)
    return out


def _detail(x: Array) -> Array:
    return np.asarray(x - cv2.GaussianBlur(x, (0, 0), PATTERN / 2), np.float32)


def _least_at(brightness: Array, values: Array) -> Array:
    """Lower quartile of the (h, w) values among cells of like brightness: of those that stand still it is the noise."""
    order = np.argsort(brightness, axis=None)
    out = np.empty(values.size, np.float32)
    for part in np.array_split(order, max(1, min(12, values.size // 60))):
        out[part] = np.quantile(values.ravel()[part], 0.25)
    return out.reshape(values.shape)


def _luma(x: Rgb) -> Array:
    return np.asarray(cv2.transform(np.ascontiguousarray(x), LUMA[None]), np.float32)


def _alike(a: Array, b: Array) -> Array:
    """How far two pictures show the same structure around each cell, -1..1; 1 where both are plain.

    Changed light scales what is there, so the pattern stays; a moved thing or parallax brings another.
    """

    def mean(x: Array) -> Array:
        return np.asarray(cv2.boxFilter(x, -1, (PATTERN, PATTERN)))

    a, b = np.log2(a + 4e-3), np.log2(b + 4e-3)
    da, db = a - mean(a), b - mean(b)
    va, vb = mean(da * da), mean(db * db)
    floor = PLAIN**2
    alike = (mean(da * db) + floor) / (np.sqrt((va + floor) * (vb + floor)))
    return _cells(alike.astype(np.float32)[..., None])[..., 0]


def _words(move: Move, gain: Array, why: Array, serves: bool, locked: bool) -> str:
    if not move:
        return f"Not aligned: {move.reason}."
    parts = []
    if move.length > FITS_SHIFT:
        parts.append(f"stands {move.length:.2f} px beside the take (x {move.x:+.2f}, y {move.y:+.2f})")
    if abs(move.turn) > 0.005 or abs(move.grow - 1) > 1e-4:
        parts.append(f"is turned {turn_words(move.turn)} and grown {100 * (move.grow - 1):+.2f} %")
    if np.isfinite(gain).all() and np.abs(gain).max() > FITS_GAIN:
        parts.append("differs in light by " + ", ".join(f"{c} {v:+.2f}" for c, v in zip("RGB", gain, strict=True)) + " stops")
    head = "The clean plate " + ("; ".join(parts) if parts else "fits in place and light")
    shares = {WHY[k]: float((why == k).mean()) for k in range(1, len(WHY))}
    where = ", ".join(f"{100 * v:.0f} % {k}" for k, v in shares.items() if v > 0.005)
    tail = _verdict(shares[WHY[2]], serves, locked)
    if serves and shares[WHY[3]] > 0.005:
        tail += " What the take alone shows is the thing to be taken out, or something that was moved: see the map."
    return f"{head}. " + (f"Where it does not fit: {where}. " if where else "") + tail


def _verdict(light: float, serves: bool, locked: bool) -> str:
    if not locked:
        return "The take's camera moves, so a still clean plate cannot serve."
    if not serves:
        return "Too much is not where it was: take another clean plate, or make one from the take."
    if light > 0.05:
        return "It serves, but its light must be brought to the take's place by place, with wide soft edges."
    return "A still clean plate serves once this is put right."
