"""Length and direction of motion blur, from the zeros that a straight smear cuts into a picture's spectrum.

A smear of length L along u multiplies the power spectrum by sinc²(L f·u). What the picture itself has falls off with
frequency much alike in all directions, so the mean over directions is taken out at every radius, and the rest is compared
with what each length and direction would leave. Camera motion known from neighbouring frames is not needed.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
import scipy.fft
import scipy.sparse

from transmixis.core.types import Array

TILE = 256
SPREAD = ((-1.1, 0.29), (0.0, 0.42), (1.1, 0.29))  # bins and shares: about what Hann's window does
NARROW = 9.0  # px: shorter smears have zeros so far apart that it does not matter
FLOORS = (0.01, 0.003, 0.03, 0.1, 0.3)  # of the unblurred power at 0.1 cycles: what noise and leakage leave in the zeros
LONGEST = 60.0  # px; longer smears leave too few zeros apart to be told in a tile
SHORTEST = 2.5  # px; a shorter one has its first zero beyond the frequencies that carry picture
SINGLE_LEAST = 4.0  # px; below it nothing can be told from one frame alone
SINGLE_SHORTEST = 7.0  # px; below it a single frame's smear is hard to tell from detail that runs one way
HOPELESS = 0.25  # likeness to the rough bank below which no finer look could find a smear
LEAST_LIKENESS = 0.33  # against a sharp frame of the same scene: below this nothing straight is told
SURE, SURE_LEVEL, SURE_ZEROS = 0.7, 0.8, 0.5
SAME_WAY = 20.0  # degrees
LEAST_OPEN, MOST_OPEN = 0.12, 1.25  # of the way from frame to frame: shutters from 45 to 360 degrees, with room
RADII = (0.02, 0.42)  # cycles per pixel


@dataclass(frozen=True)
class Blur:
    """Length px, direction degrees 0..180 (0 across, 90 down), and likeness -1..1. Length 0 where no smear shows."""

    length: float
    direction: float
    likeness: float


def spectrum(luma: Array) -> Array:
    """Log power of the (h, w) picture at the frequencies of `_grid`, averaged over tiles; float32."""
    h, w = luma.shape
    tile = min(TILE, 1 << int(np.log2(min(h, w))))
    window = np.hanning(tile + 2)[1:-1].astype(np.float32)
    window = window[:, None] * window[None]
    total: Array = np.zeros((tile, tile // 2 + 1), np.float32)
    for y in np.linspace(0, h - tile, max(1, round(h / tile * 1.3))).astype(int):
        for x in np.linspace(0, w - tile, max(1, round(w / tile * 1.3))).astype(int):
            part = luma[y : y + tile, x : x + tile].astype(np.float32)
            power = np.abs(scipy.fft.rfft2((part - part.mean()) * window)) ** 2
            total += np.asarray(power / (power.mean() + 1e-6), np.float32)
    if tile < TILE:
        total = cv2.resize(total, (TILE // 2 + 1, TILE))
    paired = total[:, : TILE // 2].reshape(TILE // 2, 2, TILE // 4, 2).mean(axis=(1, 3))
    return np.asarray(np.log(paired.ravel()[_grid().index] + 1e-9), np.float32)


@dataclass(frozen=True)
class _Grid:
    index: Array  # into the raveled spectrum, averaged over pairs of frequencies
    fx: Array
    fy: Array
    ring: Array  # number of each frequency's radius band
    rings: int
    rise: Array  # noise over picture, which falls off with the square of the frequency (Field, 1987)


@lru_cache(maxsize=1)
def _grid() -> _Grid:
    fy = np.fft.fftfreq(TILE)[:, None].reshape(-1, 2, 1).mean(axis=1) + np.zeros((1, TILE // 4))
    fx = np.fft.rfftfreq(TILE)[: TILE // 2].reshape(1, -1, 2).mean(axis=2) + np.zeros((TILE // 2, 1))
    r = np.hypot(fx, fy)
    keep = (r > RADII[0]) & (r < RADII[1]) & (fx > 1.9 / TILE) & (np.abs(fy) > 1.9 / TILE)  # the axes carry the tile's borders
    index = np.flatnonzero(keep.ravel())
    radius = r.ravel()[index]
    ring = ((radius - RADII[0]) * TILE / 2).astype(int)
    return _Grid(
        index,
        fx.ravel()[index].astype(np.float32),
        fy.ravel()[index].astype(np.float32),
        ring,
        int(ring.max()) + 1,
        ((radius / 0.1) ** 2).astype(np.float32),
    )


def _ringless(values: Array) -> Array:
    """(..., n) values less the mean of their radius band, scaled to unit length."""
    g = _grid()
    counts = np.maximum(np.bincount(g.ring, minlength=g.rings), 1)
    flat = np.atleast_2d(values)
    out = np.stack([v - (np.bincount(g.ring, v, g.rings) / counts)[g.ring] for v in flat])
    out /= np.linalg.norm(out, axis=1, keepdims=True) + 1e-9
    return out.astype(np.float32).reshape(values.shape)


def _power(length: Array, direction: Array) -> Array:
    """What smears of lengths px and directions in degrees (k,) leave of the power (k, n), as the tiles show it."""
    g = _grid()
    a = np.radians(np.atleast_1d(direction)).astype(np.float32)
    along = np.cos(a)[:, None] * g.fx + np.sin(a)[:, None] * g.fy
    long = np.atleast_1d(length).astype(np.float32)[:, None]
    # the tiles' window and the averaging of pairs spread each frequency over its neighbours, which half fills close zeros
    spread = SPREAD if float(long.max()) > NARROW else ((0.0, 1.0),)
    out: Array = np.zeros(np.broadcast_shapes(long.shape, along.shape), np.float32)
    for d, w in spread:
        out += np.float32(w) * np.sinc(long * (along + np.float32(d / TILE))) ** 2
    return out


def _template(power: Array, floor: float = FLOORS[0]) -> Array:
    """Unit templates (k, n) of the power that smears leave, above what noise and leakage leave in their zeros."""
    return _ringless(np.log(power + np.float32(floor) * _grid().rise))


@lru_cache(maxsize=1)
def _bank() -> tuple[Array, Array, Array]:
    lengths = np.concatenate([np.arange(SHORTEST, 12, 0.5), np.arange(12, 24, 1.0), np.geomspace(24, LONGEST, 14)])
    directions = np.arange(0, 180, 6.0)
    ll, dd = (v.ravel() for v in np.meshgrid(lengths, directions, indexing="ij"))
    return ll, dd, np.concatenate([_template(_power(ll[i : i + 64], dd[i : i + 64])) for i in range(0, len(ll), 64)])


def measure_blur(log_power: Array, baseline: Array | None = None, *, alone: bool = False) -> Blur:
    """Blur of one frame from its `spectrum`. `baseline` is the spectrum of a sharp frame of the same scene, if there is one.
    `alone`: nothing else is known of it, no motion that it could agree with; then only a plain smear is told."""
    seen = _ringless(log_power if baseline is None else log_power - baseline)
    ll, dd, bank = _bank()
    likeness = bank @ seen
    if likeness.max() < HOPELESS:
        return Blur(0.0, 0.0, float(likeness.max()))
    starts = _distinct(ll, dd, likeness)
    starts += [(2 * starts[0][0], starts[0][1])]  # half the length shares every other zero
    fine = _lobeless(seen)
    at = np.array(starts)
    left = _power(at[:, 0], at[:, 1])
    tried = [(_score(seen, fine, left, f)[0], f) for f in FLOORS]
    top, k, floor = max((float(score.max()), int(score.argmax()), f) for score, f in tried)
    length, direction = starts[k]
    length, direction = _refined(seen, fine, length, direction, floor, top)
    total, zeros = _score(seen, fine, _power(np.array([length]), np.array([direction])), floor)
    like, zero = float(total[0] - zeros[0]), float(zeros[0])
    plain = _is_smear(length, direction, like, zero, with_baseline=baseline is not None)
    if not plain or (alone and not _is_sure(direction, like, zero)):
        return Blur(0.0, 0.0, like)
    return Blur(length, direction % 180, like)


def _is_smear(length: float, direction: float, like: float, zero: float, *, with_baseline: bool) -> bool:
    """Whether it is a smear, not a picture that has more detail one way than another.

    The thresholds lie between what sharp and defocused pictures of many kinds reach and what smeared ones keep
    (docs/limits.md). Level and upright smears look like planks and courses of bricks, so more is asked of them.
    """
    if with_baseline:
        return like > LEAST_LIKENESS
    level = min(direction % 90, 90 - direction % 90) < 4
    if length < SINGLE_SHORTEST:
        return length > SINGLE_LEAST and like > 0.5 and zero > (0.35 if level else 0.15)
    return like > 0.42 and zero > (0.55 if level else 0.22)


def _is_sure(direction: float, like: float, zero: float) -> bool:
    """Whether it can be nothing but a smear: roofs, chessboards, drawings and faces reach the other limits (docs/limits.md)."""
    level = min(direction % 90, 90 - direction % 90) < 4
    return like > (SURE_LEVEL if level else SURE) and zero > SURE_ZEROS


def agrees(blur: Blur, motion: Array) -> bool:
    """Whether a smear can come from a motion (x, y) px since the frame before: along it, and no longer than the way."""
    way = float(np.hypot(*motion))
    turn = np.degrees(np.arctan2(motion[1], motion[0])) - blur.direction
    off = abs((turn + 90) % 180 - 90)
    return bool(off < SAME_WAY and LEAST_OPEN * way <= blur.length <= MOST_OPEN * way + 1.0)


def _score(seen: Array, fine: Array, power: Array, floor: float) -> tuple[Array, Array]:
    """Likeness plus the likeness of the zeros alone, and the latter."""
    templates = _template(power, floor)
    # `fine` holds no lobes, so theirs count in the templates' length alone
    narrow = np.sqrt(np.maximum(1 - np.square(_lobes() @ templates.T).sum(axis=0), 1e-9))
    zeros = (templates @ fine) / narrow
    return templates @ seen + zeros, zeros


@lru_cache(maxsize=1)
def _lobes() -> scipy.sparse.csr_array:
    """For every radius band the wide angular lobes (second and fourth harmonics) as orthonormal rows (5 * rings, n)."""
    g = _grid()
    angle = np.arctan2(g.fy, g.fx)
    rows, columns, values = [], [], []
    for k in range(g.rings):
        i = np.flatnonzero(g.ring == k)
        waves = [np.ones(len(i)), *(f(m * angle[i]) for m in (2, 4) for f in (np.cos, np.sin))]
        q = np.linalg.qr(np.stack(waves, 1))[0]
        rows.append(np.repeat(5 * k + np.arange(q.shape[1])[None], len(i), 0).ravel())
        columns.append(np.repeat(i, q.shape[1]))
        values.append(q.ravel())
    whole = (np.concatenate(values).astype(np.float32), (np.concatenate(rows), np.concatenate(columns)))
    return scipy.sparse.csr_array(whole, shape=(5 * g.rings, len(g.ring)))


def _lobeless(values: Array) -> Array:
    """(n,) values without their wide lobes, which a picture with detail one way has too, of unit length; the zeros stay."""
    lobes = _lobes()
    out = values - lobes.T @ (lobes @ values)
    return np.asarray(out / (np.linalg.norm(out) + 1e-9))


def _distinct(lengths: Array, directions: Array, likeness: Array, most: int = 5) -> list[tuple[float, float]]:
    """The likeliest lengths and directions, none close to a likelier one."""
    out: list[tuple[float, float]] = []
    for k in np.argsort(-likeness)[:200]:
        a, d = float(lengths[k]), float(directions[k])
        if all(abs(np.log(a / b)) > 0.15 or abs((d - e + 90) % 180 - 90) > 8 for b, e in out):
            out.append((a, d))
            if len(out) == most:
                break
    return out


def _refined(seen: Array, fine: Array, length: float, direction: float, floor: float, top: float) -> tuple[float, float]:
    """Climb to a quarter of a pixel and a degree."""
    step_l, step_d = max(0.5, 0.05 * length), 3.0
    for _ in range(12):
        ls = np.clip(length + step_l * np.array([-1, 1, 0, 0, -1, 1]), 1.0, LONGEST * 1.2)
        ds = direction + step_d * np.array([0, 0, -1, 1, 1, -1])
        found = _score(seen, fine, _power(ls, ds), floor)[0]
        k = int(np.argmax(found))
        if found[k] > top:
            length, direction, top = float(ls[k]), float(ds[k]), float(found[k])
        else:
            step_l, step_d = step_l / 2, step_d / 2
            if step_l < 0.1:
                break
    return length, direction
