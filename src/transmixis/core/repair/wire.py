"""A wire taken out: its two sides are brought together across it, along the direction in which their texture goes on."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from scipy import ndimage
from scipy.spatial import cKDTree
from skimage.morphology import skeletonize

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.motion.sampling import Splined
from transmixis.core.types import Array, Mask, Rgb

BAND = 7  # px beside the wire that are compared
LEANS = np.linspace(-1.6, 1.6, 17)  # px along the wire for one across it: the directions that are tried
TOGETHER = 5.0  # px along the wire over which one direction is told
BEND = 20.0  # levels: what a change of direction from px to px costs
UPRIGHT = 0.75  # levels that the most leaning direction must be better than the one straight across
ALONG, MOST = (
    0.7,
    60.0,
)  # how much it counts that the texture goes the same way on its own side; levels of difference that say all
CALM = 3.0  # px along the wire over which its line is smoothed
WIDEST = 60.0  # px: what is wider is no wire
SURE, TURN = (
    2.0,
    10.0,
)  # levels by which one direction must be better to count e times as much; what one lean off the way that was told costs


@dataclass(frozen=True)
class Line:
    """The middle of a wire: `points` (n, 2) px a px apart, `across` (n, 2) unit vectors, `half` px of its width."""

    points: Array
    across: Array
    half: float


def lines_of(matte: Array, least: float = 0.02) -> list[Line]:
    """The middles of what a matte (h, w) shows, each stretch between ends and crossings one."""
    mask = matte > least
    if not mask.any():
        return []
    away = cv2.distanceTransform(np.pad(mask, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    thin = np.asarray(skeletonize(np.pad(mask, 3, mode="edge")))[3:-3, 3:-3]  # type: ignore[no-untyped-call]
    return [line for chain in _chains(thin) if (line := _line(chain, away)) is not None]


def _chains(thin: Mask) -> list[Array]:
    """The px (n, 2) x, y of each stretch of a skeleton in their order; crossings are cut."""
    kernel = np.ones((3, 3))
    neighbours = ndimage.convolve(thin.astype(int), kernel, mode="constant") - 1
    cut = thin & ~((neighbours > 2) & thin)
    labels, count = ndimage.label(cut, kernel)
    out = []
    for k, part in enumerate(ndimage.find_objects(labels), 1):
        own = np.argwhere(labels[part] == k) + np.array([part[0].start, part[1].start])
        if len(own) >= 3:
            out.append(_ordered(own)[:, ::-1])
    if not out and count:
        out = [np.argwhere(thin)[:, ::-1]]
    return out


def _ordered(places: Array) -> Array:
    """Px of one stretch from end to end."""
    left = {tuple(p) for p in places.tolist()}

    def beside(p: tuple[int, int]) -> list[tuple[int, int]]:
        near = [(p[0] + dy, p[1] + dx) for dy, dx in ((0, 1), (1, 0), (0, -1), (-1, 0), (1, 1), (1, -1), (-1, 1), (-1, -1))]
        return [q for q in near if q in left]

    start = min(left, key=lambda p: (len(beside(p)), p))
    out = [start]
    left.discard(start)
    while True:
        near = beside(out[-1])
        if not near:
            return np.array(out)
        out.append(near[0])
        left.discard(near[0])


def _line(chain: Array, away: Array) -> Line | None:
    """A smooth line through a stretch, carried on a little at its ends so that these are covered too."""
    half = float(np.quantile(away[chain[:, 1], chain[:, 0]], 0.9))
    if half > WIDEST / 2 or len(chain) < 3:
        return None
    p = chain + 0.5
    k = min(len(p) - 1, 12)
    more = int(np.ceil(half)) + 3
    first, last = (p[0] - p[k]) / np.linalg.norm(p[0] - p[k]), (p[-1] - p[-1 - k]) / np.linalg.norm(p[-1] - p[-1 - k])
    steps = np.arange(1, more + 1)[:, None]
    p = np.vstack([(p[0] + steps * first)[::-1], p, p[-1] + steps * last])
    p = ndimage.gaussian_filter1d(p, CALM, axis=0, mode="nearest")
    far = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(p, axis=0), axis=1))])
    at = np.arange(0, far[-1], 1.0)
    points = np.stack([np.interp(at, far, p[:, c]) for c in (0, 1)], 1)
    along = np.gradient(ndimage.gaussian_filter1d(points, CALM, axis=0, mode="nearest"), axis=0)
    along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-6)
    return Line(points, np.stack([-along[:, 1], along[:, 0]], 1), half)


def without_wire(picture: Rgb, hidden: Mask, lines: list[Line]) -> Rgb:
    """`picture` (h, w, 3) linear with what is `hidden` (h, w) made from both sides of the `lines` through it."""
    out = np.array(picture, np.float32)
    places = np.argwhere(hidden)[:, ::-1] + 0.5
    if not len(places) or not lines:
        return out
    nearest, which = _nearest(places, lines)
    spline = Splined(np.ascontiguousarray(picture))
    for k, line in enumerate(lines):
        own = which == k
        if own.any():
            p = places[own]
            values = _bridged(spline, line, p, nearest[own], hidden)
            out[(p[:, 1] - 0.5).astype(int), (p[:, 0] - 0.5).astype(int)] = values
    return out


def _nearest(places: Array, lines: list[Line]) -> tuple[Array, Array]:
    """For each place the number of the nearest point of its nearest line, and of that line."""
    every = np.vstack([line.points for line in lines])
    of = np.concatenate([np.full(len(line.points), k) for k, line in enumerate(lines)])
    first = np.concatenate([[0], np.cumsum([len(line.points) for line in lines])])[:-1]
    _, at = cKDTree(every).query(places)
    return at - first[of[at]], of[at]


def _bridged(spline: Splined, line: Line, places: Array, at: Array, hidden: Mask) -> Array:
    """The values (n, 3) of places whose nearest point of the line has the numbers `at`: between its two sides, along the direction told there."""
    half = _reach(line, places, at)
    sides, known = _sides(spline, line, half, hidden)
    cost = _costs(sides, known, half)
    told = LEANS[_cheapest(cost)]
    across = ((places - line.points[at]) * line.across[at]).sum(axis=1)
    total, weight = np.zeros((len(places), 3)), np.full(len(places), 1e-12)
    along = np.stack([line.across[at][:, 1], -line.across[at][:, 0]], 1)
    for k, lean in enumerate(
        LEANS
    ):  # each direction counts by how well it goes on where it crosses the line; where none is told, all of them
        i = np.clip(np.round(at - lean * across).astype(int), 0, len(told) - 1)
        w = np.exp(-(cost[i, k] - cost[i].min(axis=1) + TURN * np.abs(told[i] - lean)) / SURE)
        way = line.across[at] + lean * along
        values, seen = _along(spline, hidden, places, way / np.linalg.norm(way, axis=1, keepdims=True), 4 * half + 4)
        w = w * np.where(seen, 1.0, 1e-6)
        total += w[:, None] * values
        weight += w
    return np.asarray(total / weight[:, None], np.float32)


def _along(spline: Splined, hidden: Mask, places: Array, way: Array, far: float) -> tuple[Array, Mask]:
    """The values (n, 3) of places between what is first seen on either side of them going `way` (n, 2), nearer to the nearer one, and where any is seen."""
    total, weight = np.zeros((len(places), 3)), np.zeros(len(places))
    for sign in (-1.0, 1.0):
        away = np.zeros(len(places))
        _walk(hidden, places, sign * way, far, away)
        values, inside = spline.at(places + sign * away[:, None] * way)
        w = np.where(inside & (away < far), 1 / np.maximum(away, 0.5), 0.0)
        total += w[:, None] * values
        weight += w
    return total / np.maximum(weight, 1e-12)[:, None], weight > 0


@njit(cache=True, nogil=True)
def _walk(hidden, places, way, far, away):  # type: ignore[no-untyped-def]
    """How far from each place to the first that is seen with its neighbours, in half px; `far` where there is none."""
    h, w = hidden.shape
    for k in range(len(places)):
        d = 0.5
        away[k] = far
        while d < far:
            x, y = places[k, 0] + d * way[k, 0] - 0.5, places[k, 1] + d * way[k, 1] - 0.5
            i, j = int(np.floor(x)), int(np.floor(y))
            if i < 0 or j < 0 or i + 1 >= w or j + 1 >= h:
                break
            if not (hidden[j, i] or hidden[j, i + 1] or hidden[j + 1, i] or hidden[j + 1, i + 1]):
                away[k] = d
                break
            d += 0.5


def _reach(line: Line, places: Array, at: Array) -> float:
    """Px from the line to beyond all that is hidden on it."""
    far = np.abs(((places - line.points[at]) * line.across[at]).sum(axis=1))
    return float(min(np.quantile(far, 0.98) + 0.5, WIDEST))


def _sides(spline: Splined, line: Line, half: float, hidden: Mask) -> tuple[tuple[Array, Array], tuple[Mask, Mask]]:
    """What lies beside the wire on its two sides: (n, BAND, 3) from the rim outwards each, and where it is seen."""
    values, seen = [], []
    h, w = hidden.shape
    for sign in (-1.0, 1.0):
        far = half + 0.5 + np.arange(BAND)
        p = (line.points[:, None] + sign * far[None, :, None] * line.across[:, None]).reshape(-1, 2)
        v, inside = spline.at(p)
        x, y = np.clip(np.floor(p[:, 0]).astype(int), 0, w - 1), np.clip(np.floor(p[:, 1]).astype(int), 0, h - 1)
        values.append(v.reshape(-1, BAND, 3))
        seen.append((inside & ~hidden[y, x]).reshape(-1, BAND))
    return (values[0], values[1]), (seen[0], seen[1])


def _costs(sides: tuple[Array, Array], known: tuple[Mask, Mask], half: float) -> Array:
    """For every px along the wire and each of LEANS (n, k): how unlike its two sides are in that direction, levels, and each side along it."""
    n = len(sides[0])
    a, b = (np.asarray(linear_to_srgb(np.maximum(s, 0)) * 255, np.float32) for s in sides)
    cost = np.zeros((n, len(LEANS)), np.float32)
    at = np.arange(n)
    for k, lean in enumerate(LEANS):
        total, count, rims = np.zeros(n), np.full(n, 1e-3), (at, at)
        for j in range(BAND):
            shift = lean * (half + 0.5 + j)
            left, right = (np.clip(np.round(at + s * shift).astype(int), 0, n - 1) for s in (-1, 1))
            ok = known[0][left, j] & known[1][right, j]
            weight = ok / (1.0 + j)  # what is nearer says more
            total += weight * np.minimum(np.abs(a[left, j] - b[right, j]).mean(axis=1), MOST)
            count += weight
            if j:  # a line that goes on across goes on on its own side too
                for side, own, nearer in ((a, left, rims[0]), (b, right, rims[1])):
                    total += ALONG * weight * np.minimum(np.abs(side[own, j] - side[nearer, 0]).mean(axis=1), MOST)
            else:
                rims = (left, right)
        cost[:, k] = ndimage.gaussian_filter1d(total / count, TOGETHER, mode="nearest") + UPRIGHT * abs(lean) / LEANS[-1]
    return cost


def _cheapest(cost: Array) -> Array:
    """The cheapest way (n,) through costs (n, k) if a step from one column to the next costs BEND (dynamic programming: Bellman, 1957)."""
    n, k = cost.shape
    step = BEND * np.abs(np.arange(k)[:, None] - np.arange(k)[None])
    best, back = cost[0].copy(), np.zeros((n, k), int)
    for i in range(1, n):
        ways = best[:, None] + step
        back[i] = ways.argmin(axis=0)
        best = ways.min(axis=0) + cost[i]
    out = np.zeros(n, int)
    out[-1] = int(best.argmin())
    for i in range(n - 1, 0, -1):
        out[i - 1] = back[i, out[i]]
    return out
