"""A patch from beside: a place of a surface covered by its neighbourhood, with the light brought over so that no seam shows.

What differs between the place's surroundings and the source's is carried inwards from the border as a stretched skin (Pérez, Gangnet &
Blake, Poisson Image Editing, 2003), and the grain that resampling took is put back.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy import sparse
from scipy.sparse.linalg import splu

from transmixis.core.build.place import placed
from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.motion.motion import moved_points
from transmixis.core.repair.border import masking
from transmixis.core.repair.fine import CELL, LEAST, finest
from transmixis.core.types import Array, Mask, Matte, Rgb

ROOM = 12  # px about the place that are looked at
RING = 4  # px: how wide the surroundings are that give the light
CALM = 0.7  # px: how far what is missing is averaged along the border; more, and the border no longer meets
DIRECT, RELAXED = 12_000, 40  # px of a skin that is stretched at once; rounds that a larger one is brought nearer by
STRETCH = 10.0  # px of border over which a seam is averaged: shorter than that the eye takes it for grain (judgement)
RIM, OUTER = 1.5, 2  # px inside and outside of the border in which the light is looked at
FINE = 1.5  # px: grain is what is finer
CALMEST = 0.4  # of the places: those whose channels are compared
CALMER = 0.9  # of the variance of white noise that its calmest LEAST of places have, by experiment
FINE_SHARE = 0.95  # of white noise's deviation that is finer than that, by experiment
SHOWN = 0.02  # of the matte
FURTHEST = 3.0  # sizes of the place: how far a source is looked for
CANDIDATES, APART = 24, 2  # sources that are tried in full, and px between them


@dataclass(frozen=True)
class Patched:
    """The mended picture, the box (x, y, w, h) px it was mended in; the step that the splice adds at the border and how unlike the
    surroundings are (levels), and the box of the worst stretch; which shares of the source show the place itself or lie outside."""

    picture: Rgb
    box: tuple[int, int, int, int]
    seam: float
    rough: float
    spot: tuple[int, int, int, int]
    overlap: float
    outside: float


def patched(picture: Rgb, matte: Matte, shift: Array | None, seed: int, other: Mask | None = None) -> Patched | None:
    """`picture` (h, w, 3) linear with the place in `matte` (h, w, 0..1) covered by what lies where `shift` (3 x 3, px of the frame)
    takes it. `other` (h, w): what beside it is another thing, whose light has no part in it. None where the matte is empty."""
    box = _box(matte)
    if box is None:
        return None
    x, y, w, h = box
    here = (slice(y, y + h), slice(x, x + w))
    m = np.ascontiguousarray(matte[here])
    own = np.ascontiguousarray(picture[here][..., :3])
    if shift is None:
        source, hidden, seen = np.zeros_like(own), np.zeros_like(m), np.ones_like(m)
    else:
        source, hidden, seen = _source(picture, matte, shift, box)
    ring = _ring(m) if other is None else _ring(m) & ~other[here]
    light = _light_between(own, source, m, ring)
    made = np.maximum(source + light, 0)
    beside = None if shift is None else _unmoved(picture, shift, box)
    made = _grained(made, own if beside is None else beside, m, ring if beside is None else m > 0.5, seed)
    out = np.array(picture)
    out[here][..., :3] = own + m[..., None] * (made - own)
    core = m > 0.5
    step, rough, at = _splice(own, source, np.maximum(source + light, 0), m, ring)
    spot = (x + at[0] - 8, y + at[1] - 8, 16, 16)
    return Patched(out, box, step, rough, spot, float((hidden[core] > 0.05).mean()), float((seen[core] < 0.95).mean()))


def _source(picture: Rgb, matte: Matte, shift: Array, box: tuple[int, int, int, int]) -> tuple[Rgb, Array, Array]:
    """What lies at the other end of the shift for each px of the box, how much of that is the place itself, and how much lies in the frame."""
    x, y, w, h = box
    back = np.linalg.inv(shift @ np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]]))
    source = placed(np.ascontiguousarray(picture[..., :3]), back, (h, w), edge="carry")
    hidden = placed(np.ascontiguousarray(np.repeat(matte[..., None], 3, 2)), back, (h, w))[..., 0]
    seen = placed(np.ones((*picture.shape[:2], 3), np.float32), back, (h, w))[..., 0]
    return source, hidden, seen


def _box(matte: Matte) -> tuple[int, int, int, int] | None:
    ys, xs = np.nonzero(matte > SHOWN)
    if len(ys) == 0:
        return None
    y0, x0 = max(0, int(ys.min()) - ROOM), max(0, int(xs.min()) - ROOM)
    y1, x1 = min(matte.shape[0], int(ys.max()) + 1 + ROOM), min(matte.shape[1], int(xs.max()) + 1 + ROOM)
    return x0, y0, x1 - x0, y1 - y0


def _ring(m: Matte, width: int = RING) -> Array:
    """The surroundings: what is not covered, up to `width` px away."""
    inside = (m > SHOWN).astype(np.uint8)
    wide = cv2.dilate(inside, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * width + 1, 2 * width + 1)))
    return np.asarray((wide > 0) & (inside == 0))


def _light_between(own: Array, source: Array, m: Matte, ring: Mask) -> Array:
    """What must be added to the source so that it goes over into its surroundings without a step (h, w, 3)."""
    if ring.sum() < 8:
        return np.zeros_like(own)
    weight = ring.astype(np.float32)
    quiet = cv2.GaussianBlur((own - source) * weight[..., None], (0, 0), CALM) / np.maximum(
        cv2.GaussianBlur(weight, (0, 0), CALM)[..., None], 1e-4
    )
    return _stretched(np.where(ring[..., None], quiet, 0), m > SHOWN, ring)


def _stretched(values: Array, inner: Mask, rim: Mask) -> Array:
    """A skin stretched over `inner` from the values (h, w, 3) at its rim: each px the mean of its neighbours (Laplace's equation; Pérez,
    Gangnet & Blake, 2003). At the frame's border it is free."""
    if inner.sum() > DIRECT:
        return _relaxed(values, inner, _halved(values, inner, rim))
    h, w = inner.shape
    number = np.full((h, w), -1)
    number[inner] = np.arange(inner.sum())
    ys, xs = np.nonzero(inner)
    rows, columns, count, right = [], [], np.zeros(len(ys)), np.zeros((len(ys), 3))
    for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        y, x = ys + dy, xs + dx
        there = (y >= 0) & (y < h) & (x >= 0) & (x < w)
        y, x, me = y[there], x[there], np.flatnonzero(there)
        free, held = number[y, x] >= 0, rim[y, x]
        rows.append(me[free])
        columns.append(number[y, x][free])
        np.add.at(count, me[free | held], 1)
        np.add.at(right, me[held], values[y, x][held])
    me, other = np.concatenate(rows), np.concatenate(columns)
    n = len(ys)
    law = sparse.csc_matrix((np.full(len(me), -1.0), (me, other)), (n, n)) + sparse.diags(count + 1e-9, format="csc")
    out = np.array(values, np.float64)
    out[inner] = splu(law).solve(right)
    return out.astype(np.float32)


def _halved(values: Array, inner: Mask, rim: Mask) -> Array:
    """The skin as stretched at half the size, brought back to the whole: a start for the whole, close but for the finest at the rim."""
    h, w = inner.shape
    size = ((w + 1) // 2, (h + 1) // 2)
    held = cv2.resize(rim.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    sums = cv2.resize(np.ascontiguousarray(np.where(rim[..., None], values, 0), np.float32), size, interpolation=cv2.INTER_AREA)
    free = (cv2.resize(inner.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0) & (held == 0)
    half = _stretched(sums / np.maximum(held, 1e-6)[..., None], free, held > 0)
    return np.asarray(cv2.resize(half, (w, h), interpolation=cv2.INTER_LINEAR))


def _relaxed(values: Array, inner: Mask, start: Array) -> Array:
    """A start brought nearer to the skin: what is off over a few px is gone after as many rounds."""
    cross = np.array([[0, 1, 0], [1, 0, 1], [0, 1, 0]], np.float32) / 4
    out = np.ascontiguousarray(np.where(inner[..., None], start, values), np.float32)
    for _ in range(RELAXED):
        out = np.where(inner[..., None], cv2.filter2D(out, -1, cross, borderType=cv2.BORDER_REPLICATE), out)
    return np.asarray(out)


def _unmoved(picture: Rgb, shift: Array, box: tuple[int, int, int, int]) -> Array | None:
    """What lies at the other end of the shift from the middle of the box, in whole px, so that nothing of its grain is lost; None where it leaves the frame."""
    x, y, w, h = box
    middle = np.array([[x + w / 2, y + h / 2]])
    right, down = (round(float(v)) for v in (moved_points(shift, middle) - middle)[0])
    if x + right < 0 or y + down < 0 or x + right + w > picture.shape[1] or y + down + h > picture.shape[0]:
        return None
    return picture[y + down : y + down + h, x + right : x + right + w, :3]


def _grained(made: Array, like: Array, m: Matte, where: Mask, seed: int) -> Array:
    """The made pixels with as much grain as there is in what they are `like`, `where` (h, w) that is looked at, its channels as alike as they are there: coding leaves hardly any in the colour."""
    inner = m > 0.5
    if where.sum() < 40 or inner.sum() < 40:
        return made
    (have, _), (want, alike) = _grain(made, inner), _grain(like, where)
    lack = np.sqrt(np.maximum(want**2 - have**2, 0)).astype(np.float32)
    new = np.random.default_rng((7, seed)).standard_normal(made.shape).astype(np.float32)
    return np.asarray(made + lack * (new @ np.linalg.cholesky(alike).T.astype(np.float32)))


def _grain(picture: Array, where: Array) -> tuple[Array, Array]:
    """Standard deviation of what is finer than a few pixels by channel (3,), and how alike the channels are (3, 3): of the calmest places, so that texture does not count. Not of the very finest alone:
    resampling takes more of that than of grain as a whole."""
    p = np.ascontiguousarray(picture, np.float32)
    fine = p - cv2.GaussianBlur(p, (0, 0), FINE)
    weight = np.asarray(where, np.float32)
    total = np.maximum(cv2.GaussianBlur(weight, (0, 0), CELL), 1e-3)
    energy = (cv2.GaussianBlur(fine * fine * weight[..., None], (0, 0), CELL) / total[..., None])[where]
    calm = fine[where][energy.sum(axis=1) <= np.quantile(energy.sum(axis=1), CALMEST)]
    alike = (
        np.corrcoef(calm.T + 1e-9 * np.arange(3)[:, None]) if len(calm) > 20 and (calm.std(axis=0) > 1e-7).all() else np.eye(3)
    )
    return np.sqrt(np.quantile(energy, LEAST, axis=0) / CALMER) / FINE_SHARE, 0.98 * alike + 0.02 * np.eye(3)


def _finest(picture: Array, where: Array) -> Array:
    """Standard deviation of white noise by channel (3,), read from the very finest detail, so that texture does not count."""
    fine = finest(picture)
    return np.asarray([1.4826 * np.median(np.abs(fine[..., c][where])) for c in range(3)])


def _splice(own: Array, source: Array, made: Array, m: Matte, ring: Mask) -> tuple[float, float, tuple[int, int]]:
    """The seam: how far the light that was brought over just inside the border is off what is missing just outside of it, the largest
    over stretches of the border, 8-bit levels as they would show on even ground (see `border.masking`); how unlike the surroundings and the source's are beside that; where the seam is."""
    inside = (m > 0.5).astype(np.uint8)
    if ring.sum() < 8 or inside.sum() < 8:
        return float("nan"), float("nan"), (0, 0)
    a, b, c = (linear_to_srgb(np.clip(p, 0, None)) * 255 for p in (own, source, made))
    rim = (inside > 0) & (cv2.distanceTransform(inside, cv2.DIST_L2, 5) <= RIM)
    steps = np.abs(_means(c - b, rim) - _means(a - b, _ring(m, OUTER) & ring)).max(axis=2) / masking(a, m <= SHOWN)
    border = cv2.dilate(inside, np.ones((3, 3), np.uint8)) - cv2.erode(inside, np.ones((3, 3), np.uint8)) > 0
    steps[~border | ~np.isfinite(steps)] = 0
    y, x = (int(v) for v in np.unravel_index(int(steps.argmax()), steps.shape))
    grain = float((_finest(a, ring) ** 2 + _finest(c, ring) ** 2).mean())
    rough = float(np.sqrt(max(0.0, float(((a - c)[ring] ** 2).mean()) - grain)))
    return float(steps.max()), rough, (x, y)


def _means(shown: Array, band: Array) -> Array:
    """Means over the pixels of a band near every place (h, w, 3); nan where none is near."""
    weight = band.astype(np.float32)
    sigma = STRETCH / 2
    total = cv2.GaussianBlur(weight, (0, 0), sigma)
    mean = cv2.GaussianBlur((shown * weight[..., None]).astype(np.float32), (0, 0), sigma) / np.maximum(total, 1e-6)[..., None]
    mean[total < 0.02] = np.nan
    return np.asarray(mean)


@dataclass(frozen=True)
class Beside:
    """A source offset px, the seam that it leaves, the seam of the one that is set now (levels), and how many were tried."""

    right: float
    down: float
    then: float
    now: float
    tried: int


Look = tuple[Rgb, Matte, Array]  # a frame, the place in it, and the matrix from the frame at which offsets are told


def best_beside(looks: list[Look], now: tuple[float, float]) -> Beside | None:
    """The offset whose source goes best with the surroundings of the place on all of the frames; None where none is free."""
    first = next((lk for lk in looks if _box(lk[1]) is not None), None)
    if first is None:
        return None
    tried = _alike_places(first)
    if not tried:
        return None
    scores = {o: _unlike(looks, o) for o in tried}
    best = min(scores, key=lambda o: scores[o])
    if not np.isfinite(scores[best]):
        return None
    best, more = _settled(looks, best, scores[best])
    return Beside(best[0], best[1], _worst_seam(looks, best), _worst_seam(looks, now), len(tried) + more)


def _alike_places(look: Look) -> list[tuple[float, float]]:
    """Offsets at which a frame is most like the surroundings of the place, light apart, best first and spread out."""
    picture, matte, matrix = look
    box = _box(matte)
    assert box is not None
    x, y, w, h = box
    size = max(w, h) - 2 * ROOM
    reach = round(FURTHEST * size + ROOM)
    left, top = max(0, x - reach), max(0, y - reach)
    part = (slice(top, min(picture.shape[0], y + h + reach)), slice(left, min(picture.shape[1], x + w + reach)))
    shown = linear_to_srgb(np.clip(picture[part], 0, None)) * 255
    fine = np.ascontiguousarray(shown - cv2.GaussianBlur(shown, (0, 0), float(size)), np.float32)
    hidden = np.ascontiguousarray(matte[part] > SHOWN, np.float32)
    ring = _ring(matte[y : y + h, x : x + w])
    own = fine[y - top : y - top + h, x - left : x - left + w]
    mask = np.ascontiguousarray(np.repeat(ring[..., None], 3, 2), np.float32)
    off = cv2.matchTemplate(fine, own, cv2.TM_SQDIFF, mask=mask)
    inner = (matte[y : y + h, x : x + w] > SHOWN).astype(np.float32)
    off[cv2.matchTemplate(hidden, inner, cv2.TM_CCORR) > 0.5] = np.inf  # it must not show the place itself
    out: list[tuple[float, float]] = []
    while len(out) < CANDIDATES and np.isfinite(off).any():
        j, i = (int(v) for v in np.unravel_index(int(off.argmin()), off.shape))
        # told at the frame at which offsets are set
        beside = np.linalg.inv(matrix)[:2, :2] @ np.array([left + i - x, top + j - y], float)
        out.append((float(beside[0]), float(beside[1])))
        off[max(0, j - APART) : j + APART + 1, max(0, i - APART) : i + APART + 1] = np.inf
    return out


def _settled(looks: list[Look], start: tuple[float, float], score: float) -> tuple[tuple[float, float], int]:
    """The offset moved, to a quarter of a pixel, to where lines of the surroundings meet those of the source; and how many were tried."""
    best, count = (float(start[0]), float(start[1])), 0
    for step in (4.0, 2.0, 1.0, 0.5, 0.25):
        better = True
        while better and count < 400:
            better = False
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                o = (best[0] + step * dx, best[1] + step * dy)
                count += 1
                found = _unlike(looks, o)
                if found < score - 1e-6:
                    best, score, better = o, found, True
    return best, count


def _offset(matrix: Array, o: tuple[float, float]) -> Array:
    beside = np.array([[1, 0, o[0]], [0, 1, o[1]], [0, 0, 1.0]])
    return np.asarray(matrix @ beside @ np.linalg.inv(matrix))


def _unlike(looks: list[Look], o: tuple[float, float]) -> float:
    """How much the surroundings of the source differ from those of the place, and how much goes on inside of it; worst frame."""
    worst = 0.0
    for picture, matte, matrix in looks:
        box = _box(matte)
        if box is None:
            continue
        x, y, w, h = box
        back = _offset(matrix, o) @ np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])
        inverse = np.linalg.inv(back)
        source = placed(np.ascontiguousarray(picture), inverse, (h, w), edge="carry")
        hidden = placed(np.ascontiguousarray(np.repeat(matte[..., None], 3, 2)), inverse, (h, w))[..., 0]
        seen = placed(np.ones_like(picture), inverse, (h, w))[..., 0]
        m = matte[y : y + h, x : x + w]
        inner, ring = m > 0.5, _ring(m)
        if (hidden[inner] > 0.02).any() or (seen[inner] < 0.98).any() or not ring.any():
            return float("inf")
        a, b = (linear_to_srgb(np.clip(p, 0, None)) * 255 for p in (picture[y : y + h, x : x + w], source))
        around = float(np.abs(a - b)[ring].mean())
        busy = max(0.0, float(b[inner].std(axis=0).max()) - float(a[ring].std(axis=0).max()))
        worst = max(worst, around + busy)
    return worst


def _worst_seam(looks: list[Look], o: tuple[float, float]) -> float:
    steps = []
    for picture, matte, matrix in looks:
        made = patched(picture, matte, _offset(matrix, o), 1)
        steps += [made.seam] if made else []
    return max(steps, default=0.0)
