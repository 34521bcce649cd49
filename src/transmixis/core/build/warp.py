"""Warps: pictures pulled so that places come to other places, smoothly; bent along an axis, wrapped on a cylinder; and where a warp folds."""

from __future__ import annotations

import math

import numpy as np
from scipy.interpolate import RBFInterpolator, RectBivariateSpline
from scipy.spatial import Delaunay, QhullError

from transmixis.core.build.place import sampled_at
from transmixis.core.errors import UserError
from transmixis.core.motion.motion import through
from transmixis.core.types import Array

GRID = 4  # px between places at which a smooth warp is told exactly; between them it is nearly straight
MOST = 400  # pairs of points
ROWS = 128


def thin_plate(source: Array, target: Array, size: tuple[int, int], stiff: float = 0.0) -> Array:
    """(h, w, 2) px: for every place of a frame (h, w) where it is looked up, so that what is at `source` (n, 2) comes to `target` (n, 2); a thin plate between (Bookstein, 1989), `stiff` lets it miss the points. Raises
    UserError for too few or too many."""
    a, b = np.asarray(source, float).reshape(-1, 2), np.asarray(target, float).reshape(-1, 2)
    if len(a) != len(b) or len(a) > MOST:
        raise UserError(f"A warp wants as many places to go to as to come from, {MOST} at most; there are {len(a)} and {len(b)}.")
    b, kept = np.unique(b, axis=0, return_index=True)
    a = a[kept]
    h, w = size
    if len(a) == 0:
        return _plain(size)
    if len(a) < 3 or np.linalg.matrix_rank(b - b.mean(axis=0), tol=1e-6) < 2:
        return _by_few(a, b, size)
    model = RBFInterpolator(b, a, kernel="thin_plate_spline", smoothing=stiff, degree=1)
    ys, xs = _knots(h), _knots(w)
    at = np.stack(np.meshgrid(xs, ys), -1).reshape(-1, 2)
    coarse = np.asarray(model(at)).reshape(len(ys), len(xs), 2)
    return _between_knots(coarse, ys, xs, size)


def by_triangles(source: Array, target: Array, size: tuple[int, int]) -> Array:
    """The same by triangles between the places (Delaunay's of the targets), each moved straight; nan beyond their hull."""
    a, b = np.asarray(source, float).reshape(-1, 2), np.asarray(target, float).reshape(-1, 2)
    if len(a) != len(b) or not 3 <= len(a) <= MOST:
        raise UserError(f"Triangles want as many places to go to as to come from, 3 to {MOST}; there are {len(a)} and {len(b)}.")
    try:
        mesh = Delaunay(b)
    except QhullError as e:
        raise UserError("The places lie on one line; set one of them apart.") from e
    plain = _plain(size)
    h, w = size
    inside = np.empty((h, w), np.intp)
    for y in range(0, h, ROWS):  # some rows at once, so that large frames take no more memory
        inside[y : y + ROWS] = mesh.find_simplex(plain[y : y + ROWS])
    moves = np.array([np.linalg.solve(np.c_[b[t], np.ones(3)], a[t]) for t in mesh.simplices])  # (n, 3, 2)
    k = np.maximum(inside, 0)
    out = plain[..., :1] * moves[k, 0] + plain[..., 1:] * moves[k, 1] + moves[k, 2]
    return np.where((inside >= 0)[..., None], out, np.nan)


def _knots(n: int) -> Array:
    return np.linspace(0.5, max(n - 0.5, 1.5), max(2, math.ceil(n / GRID) + 1))  # of a single row too


def _between_knots(coarse: Array, ys: Array, xs: Array, size: tuple[int, int]) -> Array:
    """Cubic splines between exact places."""
    h, w = size
    y, x = np.arange(h) + 0.5, np.arange(w) + 0.5
    ky, kx = min(3, len(ys) - 1), min(3, len(xs) - 1)
    return np.stack([RectBivariateSpline(ys, xs, coarse[..., c], kx=ky, ky=kx)(y, x) for c in (0, 1)], -1)


def _plain(size: tuple[int, int]) -> Array:
    h, w = size
    return np.stack(np.meshgrid(np.arange(w) + 0.5, np.arange(h) + 0.5), -1)


def _by_few(a: Array, b: Array, size: tuple[int, int]) -> Array:
    """By one place a shift, by two or a row of them a turn with size."""
    plain = _plain(size)
    if len(a) == 1:
        return np.asarray(plain + (a[0] - b[0]))
    za, zb = a @ np.array([1, 1j]), b @ np.array([1, 1j])
    ma, mb = za.mean(), zb.mean()
    norm = float((np.abs(zb - mb) ** 2).sum())
    k = complex((np.conj(zb - mb) * (za - ma)).sum() / norm) if norm > 1e-12 else 1 + 0j
    z = ma + k * (plain @ np.array([1, 1j]) - mb)
    return np.stack([z.real, z.imag], -1)


def framed(source: Array, target: Array, size: tuple[int, int]) -> tuple[Array, Array]:
    """The same pairs with the frame's corners and the middles of its sides, which stay."""
    h, w = size
    fixed = np.array([[0, 0], [w / 2, 0], [w, 0], [w, h / 2], [w, h], [w / 2, h], [0, h], [0, h / 2]], float)
    return np.concatenate([np.asarray(source, float).reshape(-1, 2), fixed]), np.concatenate(
        [np.asarray(target, float).reshape(-1, 2), fixed]
    )


def warped(picture: Array, at: Array) -> Array:
    """A picture (h, w, c) looked up at places (h', w', 2) px; nothing beyond its border where it has an alpha, else its border."""
    return sampled_at(np.ascontiguousarray(picture), at, "clear" if picture.shape[2] == 4 else "carry")


def folds(at: Array) -> tuple[float, tuple[int, int, int, int] | None]:
    """The least growth of area of a warp's lookup over its median (under 0 it folds: what is left becomes right), and where (x, y, w, h)."""
    dx, dy = np.gradient(at, axis=1), np.gradient(at, axis=0)
    area = dx[..., 0] * dy[..., 1] - dx[..., 1] * dy[..., 0]
    usual = max(float(np.median(np.abs(area))), 1e-6)
    least = float(np.nanmin(area)) / usual
    if least > 0:
        return least, None
    ys, xs = np.nonzero(area <= 0)
    return least, (int(xs.min()), int(ys.min()), int(np.ptp(xs)) + 1, int(np.ptp(ys)) + 1)


def along_line(line: Array, count: int) -> Array:
    """(count, 2) places spread evenly along a line (n, 2) through its points."""
    p = np.asarray(line, float).reshape(-1, 2)
    far = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(p, axis=0).T))])
    at = np.linspace(0, far[-1], count)
    return np.stack([np.interp(at, far, p[:, c]) for c in (0, 1)], 1)


def bent(size: tuple[int, int], base: tuple[float, float], tip: tuple[float, float], lean: tuple[float, float]) -> Array:
    """(h, w, 2) px where a picture is looked up that stands on `base` and reaches to `tip`, and leans by `lean` px at its tip: nothing at its base, with the square of the height above it."""
    plain = _plain(size)
    axis = np.asarray(tip, float) - np.asarray(base, float)
    length2 = max(float(axis @ axis), 1e-6)
    share = np.clip(((plain - np.asarray(base, float)) @ axis) / length2, 0, 1.5)
    return np.asarray(plain - (share**2)[..., None] * np.asarray(lean, float))


def on_cylinder(size: tuple[int, int], corners: Array, bulge: float, half: float) -> Array:
    """(h, w, 2) px of a picture of `size` (h, w)'s unit square 0..1 that lies on a cylinder between four `corners` (top left on, clockwise, px of a frame): as (h, w, 2) u, v for every px of the frame, nan where it is not. `half` degrees to either side of
    its middle are seen; `bulge` of its height its upper and lower edges bow downwards in the middle (below zero upwards)."""
    back = through(np.asarray(corners, float), np.array([[0.0, 0], [1, 0], [1, 1], [0, 1]]))
    plain = _plain(size)
    q = plain @ back[:, :2].T + back[:, 2]
    s, t = q[..., 0] / q[..., 2], q[..., 1] / q[..., 2]
    x = 2 * s - 1  # -1..1 across, as seen
    a = math.radians(min(max(half, 1.0), 89.0))
    angle = np.arcsin(np.clip(x * math.sin(a), -1, 1))
    # the edges bow as an ellipse: what is nearer to us at the middle is lower when we look down on it
    bow = bulge * (np.cos(angle) - math.cos(a)) / (1 - math.cos(a))
    u, v = (angle / a + 1) / 2, t - bow
    outside = (s < 0) | (s > 1) | (v < 0) | (v > 1) | (q[..., 2] <= 0)
    return np.where(outside[..., None], np.nan, np.stack([u, v], -1))
