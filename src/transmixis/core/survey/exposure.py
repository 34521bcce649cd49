"""Exposure and colour of every frame against the plate as a whole, robust to what moves in it.

Means follow whoever walks through. Here every frame is divided by a temporal median of all, and the median of that ratio
is its gain; both are then measured anew with the gains taken out.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from scipy.ndimage import gaussian_filter1d, median_filter
from scipy.sparse import csc_array, eye_array
from scipy.sparse.linalg import splu

from transmixis.core.motion.similarity import Similarity
from transmixis.core.survey.middle import median_known
from transmixis.core.survey.thumbs import some_of
from transmixis.core.types import Array, Mask, Rgb

DARK, BRIGHT = 2e-3, 0.9  # linear: outside of it the ratio is noise or clipping
LEAST_PIXELS = 300
TREND_SECONDS = 0.5  # slower is drift, faster is flicker
ROUNDS = 3
CLOSE = 0.06  # of the frame's width
FITS = 0.8  # of the texture must be laid on its like, or near and far part
BENT_ERROR = 0.0006  # stops a frame: what adds up where they part (the demo's truck, whose light does not change: 0.0004)
ALIKE, TEXTURED = 0.9, 0.02  # correlation of what is fine, and its deviation in stops, where two frames are compared


@dataclass(frozen=True)
class Drift:
    """Exposure and colour (largest channel against the mean) in stops, against the reference. Falsy if not measured."""

    exposure: float
    colour: float
    reason: str = ""

    def __bool__(self) -> bool:
        return not self.reason


@dataclass(frozen=True)
class Gains:
    """`stops` (n, 3): how much brighter each frame is than the plate as a whole; nan where not measured. `error` (n,) stops."""

    stops: Array
    error: Array
    reason: str = ""

    @property
    def exposure(self) -> Array:
        """Mean of the channels (n,), stops."""
        return np.asarray(self.stops.mean(axis=1))

    def against(self, frame: int) -> Array:
        """(n, 3) stops against frame 1..n, or against the first measured one if that one was not."""
        known = np.flatnonzero(np.isfinite(self.stops[:, 0]))
        if len(known) == 0:
            return self.stops
        base = frame - 1 if frame - 1 in known else int(known[0])
        return np.asarray(self.stops - self.stops[base])

    def trend(self, rate: float) -> Array:
        """The slow part (n, 3) stops; what is left of `stops` is flicker."""
        known = np.isfinite(self.stops[:, 0])
        if known.sum() < 3:
            return self.stops
        i = np.arange(len(known))
        filled = np.stack([np.interp(i, i[known], self.stops[known, c]) for c in range(3)], 1)
        span = max(3, round(TREND_SECONDS * rate)) | 1
        calm = median_filter(filled, size=(span, 1), mode="nearest")
        return np.asarray(gaussian_filter1d(calm, span / 3, axis=0, mode="nearest"))


def measure_drift(reference: Rgb, frame: Rgb, move: Similarity | None = None) -> Drift:
    """Drift of one frame against another, in what both show. `move`: how the picture has moved between them, px of the frame."""
    w = min(160, frame.shape[1])
    size = (w, max(2, round(w * frame.shape[0] / frame.shape[1])))
    a, b = (cv2.resize(f[..., :3], size, interpolation=cv2.INTER_AREA) for f in (reference, frame))
    found = _change(a, b, (move or Similarity()).scaled(w / frame.shape[1]))
    if found is None:
        return Drift(0, 0, "too little of the frame is seen in both, neither black nor clipped")
    mean = float(found[0].mean())
    return Drift(mean, float(np.abs(found[0] - mean).max()))


def _change(a: Array, b: Array, move: Similarity, *, bent: bool | None = None) -> tuple[Array, float] | None:
    """Change (3,) in stops from small picture `a` to `b`, which has moved by `move`, in what both show, and its standard error;
    None where that is too little. `bent`: near and far part, so that one movement does not do; None: see for yourself.

    Each is moved half the way: reading between pixels softens, and the mean of logs of the softer one would lie higher.
    """
    h, w = a.shape[:2]
    there = np.ones((h, w), bool)
    if not _stays(move, w, h):
        a, b, there = _half_way(a, b, move)
        if bent or (bent is None and not _fits(a, b, there)):
            a, b = _met(a, b)
    logs, lit = _logs(np.stack([a, b]))
    both = lit.all(axis=0) & there
    if not _stays(move, w, h):
        both &= _same_there(logs[0].mean(axis=-1), logs[1].mean(axis=-1))[0]
    if both.sum() < LEAST_PIXELS:
        return None
    return _robust_mean((logs[1] - logs[0])[both])


def _fits(a: Array, b: Array, there: Mask) -> bool:
    """True if one movement lays nearly all texture of two small pictures on its like; false where near and far part."""
    logs = [np.log2(np.maximum(x.mean(axis=-1), DARK / 4)) for x in (a, b)]
    alike, textured = _same_there(*logs)
    seen = textured & there
    return bool((alike & seen).sum() > FITS * max(int(seen.sum()), 1))


def _met(a: Array, b: Array) -> tuple[Array, Array]:
    """Two small linear pictures brought to meet, each half the way of the optical flow between them, for what near and far do apart."""
    logs = [np.log2(np.maximum(x.mean(axis=-1), DARK / 4)) for x in (a, b)]
    low, high = (float(np.quantile(logs[0], q)) for q in (0.01, 0.99))
    grey = [
        np.clip((x - np.median(x) + np.median(logs[0]) - low) / max(high - low, 1e-3) * 235 + 10, 0, 255).astype(np.uint8)
        for x in logs
    ]
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    flow.setFinestScale(0)
    f = flow.calc(grey[0], grey[1], np.zeros((*grey[0].shape, 2), np.float32))
    v, u = np.mgrid[0 : a.shape[0], 0 : a.shape[1]].astype(np.float32)
    x, y = (
        cv2.remap(p, u + s * f[..., 0], v + s * f[..., 1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        for p, s in ((a, -0.5), (b, 0.5))
    )
    return x, y


def _same_there(a: Array, b: Array) -> tuple[Mask, Mask]:
    """Where two (h, w) logs show the same thing at the same place, which is texture that is alike; and where there is texture.

    With near and far apart no one movement fits all of a frame, and a sky or meadow that is laid over itself beside its place looks
    brighter or darker by its own gradient. What has no texture cannot be told from that.
    """
    fine = [x - cv2.GaussianBlur(x, (0, 0), 2.0) for x in (a, b)]

    def near(x: Array) -> Array:
        return np.asarray(cv2.GaussianBlur(x.astype(np.float32), (0, 0), 2.0))

    power = [near(x * x) for x in fine]
    alike = near(fine[0] * fine[1]) / np.sqrt(power[0] * power[1] + 1e-12)
    textured = np.minimum(*power) > TEXTURED**2
    return np.asarray((alike > ALIKE) & textured), np.asarray(textured)


def gains_over_time(thumbs: Sequence[Array | None], moves: list[Similarity | None] | None = None) -> Gains:
    """Gains of the frames from their small linear pictures (h, w, 3), None for a missing one.

    `moves`: how each has moved since the reference frame, in thumb pixels, None where unknown; they are laid over each other
    first.
    """
    n = len(thumbs)
    there = [i for i, t in enumerate(thumbs) if t is not None]
    stops, error = np.full((n, 3), np.nan), np.full(n, np.nan)
    if not there:
        return Gains(stops, error, "no frame could be read")
    lay = _laying(thumbs[there[0]].shape[:2], None if moves is None else [moves[i] for i in there])  # type: ignore[union-attr]
    at = {i: k for k, i in enumerate(there)}

    def one(i: int) -> tuple[Array, Array]:
        return _logs(lay(thumbs[i], at[i]))  # type: ignore[arg-type]

    few = some_of(there)
    sample = [one(i) for i in few]
    logs, lit = np.stack([a for a, _ in sample]), np.stack([b for _, b in sample])
    del sample
    g = np.zeros((len(few), 3))
    for r in range(ROUNDS):
        whole = _median_over_time(logs - g[:, None, None], lit)
        if r < ROUNDS - 1:
            g = np.nan_to_num(np.array([_gain(logs[k], lit[k], whole)[0] for k in range(len(few))]))
    del logs, lit
    for i in there:
        stops[i], error[i] = _gain(*one(i), whole)
    if not np.isfinite(error).any():
        return Gains(stops, error, "too little of the frames is neither black nor clipped")
    return Gains(stops, error)


def _gain(logs: Array, lit: Array, whole: Array) -> tuple[Array, float]:
    """How much brighter a frame (its logs) is than the plate as a whole (3,), and the error of that; nan if too little is seen."""
    ok = lit & np.isfinite(whole[..., 0])
    if ok.sum() < LEAST_PIXELS:
        return np.full(3, np.nan), float("nan")
    return _robust_mean((logs - whole)[ok])


HOPS = (1, 2, 3, 5, 8, 13, 21, 34, 55)  # frames between two that are compared
PAIR_ERROR = 0.0004  # stops: what overlapping small pictures are told apart by at best
MOST_ERRORS = 400  # frames whose error is worked out by itself


def gains_by_overlap(thumbs: Sequence[Array | None], moves: list[Similarity | None]) -> Gains:
    """Gains of a plate whose camera goes far, from small pictures (h, w, 3) and how each has moved (thumb pixels, None unknown).

    Each frame is compared with those that show some of the same, near and far ones, in that part alone; the gains that fit all
    these comparisons best are solved for, so that what enters and leaves the frame has no part in them, and little adds up.
    """
    n = len(thumbs)
    rows, columns, values, right = [], [], [], np.zeros((n, 3))
    bent = _near_and_far_part(thumbs, moves)
    for i in range(n):
        for hop in HOPS:
            pair = _compared(thumbs, moves, i, i + hop, bent=bent)
            if pair is None:
                continue
            weight, j = 1 / (pair[1] ** 2 + PAIR_ERROR**2), i + hop
            rows += [i, j, i, j]
            columns += [i, j, j, i]
            values += [weight, weight, -weight, -weight]
            right[j] += weight * pair[0]
            right[i] -= weight * pair[0]
    stops, error = np.full((n, 3), np.nan), np.full(n, np.nan)
    normal = csc_array((values, (rows, columns)), shape=(n, n))
    known = np.flatnonzero(normal.diagonal() > 0)
    if len(known) < 2:
        return Gains(stops, error, "neighbouring frames share too little to be compared")
    # a pull holds the level of all, and parts that nothing connects
    pull = 1e-3 * float(np.median(normal.diagonal()[known])) / len(known)
    solved = splu(csc_array(normal[np.ix_(known, known)] + pull * eye_array(len(known))))
    g = solved.solve(right[known])
    stops[known] = g - np.median(g, axis=0)
    middle = int(np.argmin(np.abs(g - np.median(g, axis=0)).sum(axis=1)))
    apart = _variance_against(solved, middle, len(known))
    away = np.abs(known - known[middle])
    error[known] = np.hypot(np.sqrt(np.maximum(apart, 0)), np.hypot(PAIR_ERROR, BENT_ERROR * away if bent else 0.0))
    return Gains(stops, error)


def _variance_against(solved: Any, middle: int, n: int) -> Array:
    """Variance (n,) of what was solved for, less that of frame `middle`; of a long plate at some frames, and between them in a line."""
    at = np.array(some_of(list(range(n)), MOST_ERRORS))
    apart = np.zeros((n, len(at)))
    apart[at, np.arange(len(at))] += 1
    apart[middle] -= 1
    return np.asarray(np.interp(np.arange(n), at, (apart * solved.solve(apart)).sum(axis=0)))


def _near_and_far_part(thumbs: Sequence[Array | None], moves: list[Similarity | None]) -> bool:
    """True if on most pairs that are looked at one movement does not fit the whole frame, though they lie close together: there what
    parts them is depth, while further apart edges of the frame and noise do."""
    fits = list[bool]()
    for i in np.linspace(0, max(len(thumbs) - 2, 0), 12).astype(int):
        pairs = [p for hop in (1, 2, 3, 5, 8, 13, 21) if (p := _relative(thumbs, moves, int(i), int(i) + hop)) is not None]
        close = [p for p in pairs if _way(p[2], *p[0].shape[1::-1]) < CLOSE]
        if pairs:
            fits.append(_fits_halfway(*(close or pairs[:1])[-1]))
    return bool(fits) and sum(fits) < 0.5 * len(fits)


def _way(move: Similarity, w: int, h: int) -> float:
    """How far the middle moves, in widths of the frame."""
    middle = np.array([[w / 2, h / 2]])
    return float(np.hypot(*(move.apply(middle) - middle)[0])) / w


def _fits_halfway(a: Array, b: Array, move: Similarity) -> bool:
    return _stays(move, a.shape[1], a.shape[0]) or _fits(*_half_way(a, b, move))


def _half_way(a: Array, b: Array, move: Similarity) -> tuple[Array, Array, Mask]:
    """Both pictures softened alike and moved half the way each, and where both are seen then."""
    h, w = a.shape[:2]
    half = Similarity(move.x / 2, move.y / 2, move.turn / 2, float(np.sqrt(move.grow)), move.pivot)
    ways = (half.index_matrix, move.after(half.inverse()).inverse().index_matrix)
    seen = [cv2.warpAffine(np.ones((h, w), np.float32), m, (w, h), flags=cv2.INTER_LINEAR) for m in ways]
    x, y = (
        cv2.warpAffine(cv2.GaussianBlur(p, (0, 0), 1.0), m, (w, h), flags=cv2.INTER_LINEAR)
        for p, m in zip((a, b), ways, strict=True)
    )
    return x, y, np.asarray(cv2.erode(np.minimum(*seen), np.ones((7, 7), np.uint8), borderValue=0) > 0.999)


def _relative(
    thumbs: Sequence[Array | None], moves: list[Similarity | None], i: int, j: int
) -> tuple[Array, Array, Similarity] | None:
    """Two small pictures and the movement between them; None where one is missing or they are too far apart."""
    if j >= len(thumbs):
        return None
    a, b, from_, to = thumbs[i], thumbs[j], moves[i], moves[j]
    if a is None or b is None or from_ is None or to is None:
        return None
    move = to.after(from_.inverse())
    h, w = a.shape[:2]
    middle = np.array([[w / 2, h / 2]])
    return (a, b, move) if np.hypot(*(move.apply(middle) - middle)[0]) <= 0.7 * w else None


def _compared(
    thumbs: Sequence[Array | None], moves: list[Similarity | None], i: int, j: int, *, bent: bool
) -> tuple[Array, float] | None:
    pair = _relative(thumbs, moves, i, j)
    return None if pair is None else _change(*pair, bent=bent)


def _logs(x: Array) -> tuple[Array, Array]:
    """Base-2 logs of (n, h, w, 3) and where all channels are neither dark nor clipped (and there at all)."""
    low, high = x.min(axis=-1), x.max(axis=-1)
    lit = (low > DARK) & (high < BRIGHT)
    return np.log2(np.maximum(x, DARK / 4)), lit


def _laying(size: tuple[int, int], moves: list[Similarity | None] | None) -> Callable[[Array, int], Array]:
    """What moves picture k (h, w, 3) back to where the reference has it, on a canvas for all; what nobody sees there is 0."""
    h, w = size
    if moves is None or all(m is None or _stays(m, w, h) for m in moves):
        return lambda picture, k: picture
    back = [(m or Similarity()).inverse() for m in moves]
    corners = np.array([[0, 0], [w, 0], [0, h], [w, h]], float)
    reach = np.concatenate([m.apply(corners) for m in back])
    low, high = np.floor(reach.min(axis=0)), np.ceil(reach.max(axis=0))
    # a canvas for the whole path, unless the camera goes so far that it would not pay
    low, high = np.maximum(low, [-1.5 * w, -1.5 * h]), np.minimum(high, [2.5 * w, 2.5 * h])
    canvas = (int(high[0] - low[0]), int(high[1] - low[1]))

    def lay(picture: Array, k: int) -> Array:
        matrix = back[k].index_matrix
        matrix[:, 2] -= low
        return np.asarray(cv2.warpAffine(picture, matrix, canvas, flags=cv2.INTER_LINEAR))

    return lay


def _stays(m: Similarity, w: int, h: int) -> bool:
    corners = np.array([[0, 0], [w, h]], float)
    return bool(np.abs(m.apply(corners) - corners).max() < 0.25)


def _median_over_time(logs: Array, lit: Array) -> Array:
    if lit.all():
        return np.asarray(np.median(logs, axis=0))
    return median_known(np.where(lit[..., None], logs, np.nan).astype(np.float32))[0]


def _robust_mean(x: Array) -> tuple[Array, float]:
    """Mean (3,) of the rows (m, 3) that lie close to their median, and its standard error."""
    middle = np.median(x, axis=0)
    spread = 1.4826 * np.median(np.abs(x - middle), axis=0) + 1e-4
    near = (np.abs(x - middle) < 2.5 * spread).all(axis=1)
    if near.sum() < 20:
        return middle, float(spread.max())
    return x[near].mean(axis=0), float((x[near].std(axis=0) / np.sqrt(near.sum())).max())


def mired_change(stops: Array) -> float:
    """Change of colour temperature (mired; above zero is warmer) that channel gains (3,) in stops amount to.

    White of the working space (BT.709 primaries, D65; ITU-R BT.709) with the gains on it, its chromaticity, and McCamy's
    formula for the correlated colour temperature (McCamy, 1992).
    """
    return 1e6 / _temperature(np.exp2(np.asarray(stops, float))) - 1e6 / _temperature(np.ones(3))


_TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])  # IEC 61966-2-1


def _temperature(white: Array) -> float:
    xyz = _TO_XYZ @ white
    x, y = xyz[0] / xyz.sum(), xyz[1] / xyz.sum()
    n = (x - 0.3320) / (0.1858 - y)
    return float(max(449 * n**3 + 3525 * n**2 + 6823.3 * n + 5520.33, 1000.0))
