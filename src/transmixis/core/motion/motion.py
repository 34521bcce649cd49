"""A motion: how a thing lies in a frame against how it lies in its reference frame.

The one convention: positions are (x, y) px of the frame, x to the right, y down, pixel centres at +0.5; a matrix (3 x 3) maps reference
px to frame px; angles are degrees, anticlockwise as seen. What counts otherwise is converted by the functions named
here, and for OpenCV by core.motion.similarity.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.similarity import Similarity
from transmixis.core.types import Array

EVERYTHING, FLAT, SHIFT_SIZE, SHIFT = "everything", "position, turn and size", "position and size", "position"
TAKES = (EVERYTHING, FLAT, SHIFT_SIZE, SHIFT)  # what can be taken of a motion


@dataclass(frozen=True)
class Motion:
    """`matrix` maps reference px to frame px. `about` (k, 2) are the places of the reference frame that it is told of: a point, or the
    corners of a surface. `error` px (standard deviation, of those places); nan: not told. Where it is not `known`, `why` says why."""

    matrix: Array
    about: Array
    known: bool = True
    error: float = float("nan")
    why: str = ""
    within: Array | None = (
        None  # (k, 3, 3) the matrix at equal times from half a frame before to half a frame after, where its way is known
    )

    @property
    def nbytes(self) -> int:
        """Bytes held, for the cache."""
        return int(self.matrix.nbytes + self.about.nbytes) + 64 + (0 if self.within is None else int(self.within.nbytes))


def moved_points(matrix: Array, points: Array) -> Array:
    """(n, 2) points through a 3 x 3 matrix."""
    p = np.asarray(points, np.float64).reshape(-1, 2)
    q = p @ matrix[:, :2].T + matrix[:, 2]
    return np.asarray(q[:, :2] / q[:, 2:])


def similarity_matrix(s: Similarity) -> Array:
    """The 3 x 3 matrix of a Similarity."""
    return np.asarray(np.vstack([s.matrix, [0, 0, 1]]))


def told_by(about: Array) -> Array:
    """(k, 2) places by which a motion's turn and size are told: those it is told of, or with fewer than three their neighbourhood."""
    return about if len(about) >= 3 else about.mean(axis=0) + 50.0 * np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])


def taken(matrix: Array, what: str, about: Array) -> Array:
    """What is taken of a motion: the nearest matrix of the simpler kind, by how the places `about` (k, 2) move. With one place the
    rest is read from its neighbourhood."""
    if what == EVERYTHING:
        return np.asarray(matrix, np.float64)
    points = np.asarray(about, np.float64).reshape(-1, 2)
    middle = points.mean(axis=0)
    points = told_by(points)
    there = moved_points(matrix, points)
    goal = moved_points(matrix, middle)[0]
    a, b = points - points.mean(axis=0), there - there.mean(axis=0)
    za, zb = a @ np.array([1, 1j]), b @ np.array([1, 1j])
    factor = complex((np.conj(za) * zb).sum() / (np.abs(za) ** 2).sum())
    if what == SHIFT:
        factor = 1.0 + 0j
    elif what == SHIFT_SIZE:
        factor = abs(factor) + 0j
    c, s = factor.real, factor.imag
    shift = goal - np.array([c * middle[0] - s * middle[1], s * middle[0] + c * middle[1]])
    return np.array([[c, -s, shift[0]], [s, c, shift[1]], [0, 0, 1.0]])


def through(source: Array, target: Array) -> Array:
    """The matrix that takes `source` (k, 2) to `target`: a shift from one point, position with turn and size from two, stretch and
    shear from three, perspective from four and more (least squares). Raises UserError where they lie on one spot or line."""
    a, b = (np.asarray(p, np.float64).reshape(-1, 2) for p in (source, target))
    try:
        matrix = _through(a, b)
        sound = bool(np.isfinite(matrix).all()) and abs(float(np.linalg.det(matrix))) > 1e-12
    except (np.linalg.LinAlgError, ZeroDivisionError):
        sound = False
    if not sound:
        raise UserError("The places lie on one spot or on one line; set them apart.")
    return matrix


def _through(a: Array, b: Array) -> Array:
    if len(a) == 1:
        return np.array([[1, 0, b[0, 0] - a[0, 0]], [0, 1, b[0, 1] - a[0, 1]], [0, 0, 1.0]])
    if len(a) == 2:
        factor = complex(*(b[1] - b[0])) / complex(*(a[1] - a[0]))
        c, s = factor.real, factor.imag
        return np.array([[c, -s, b[0, 0] - c * a[0, 0] + s * a[0, 1]], [s, c, b[0, 1] - s * a[0, 0] - c * a[0, 1]], [0, 0, 1.0]])
    if len(a) == 3:
        whole = np.c_[a, np.ones(3)]
        return np.vstack([np.linalg.solve(whole, b).T, [0, 0, 1]])
    return _perspective(a, b)


def _perspective(a: Array, b: Array) -> Array:
    """Direct linear transform with normalised points (Hartley, 1997)."""
    na, nb = _normal(a), _normal(b)
    rows = []
    for (x, y), (u, v) in zip(moved_points(na, a), moved_points(nb, b), strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y, -u], [0, 0, 0, x, y, 1, -v * x, -v * y, -v]]
    _, sizes, vectors = np.linalg.svd(np.array(rows))
    if sizes[7] < 1e-9 * sizes[0]:  # more than one matrix would do
        raise np.linalg.LinAlgError
    h = vectors[-1].reshape(3, 3)
    m = np.linalg.inv(nb) @ h @ na
    with np.errstate(all="ignore"):
        return np.asarray(m / m[2, 2])


def _normal(p: Array) -> Array:
    middle = p.mean(axis=0)
    size = float(np.sqrt(((p - middle) ** 2).sum(axis=1).mean())) or 1.0
    return np.array([[1 / size, 0, -middle[0] / size], [0, 1 / size, -middle[1] / size], [0, 0, 1]])


def turned(matrix: Array, about: Array) -> float:
    """Degrees that the thing about a place has turned, anticlockwise as seen."""
    flat = taken(matrix, FLAT, about)
    return -math.degrees(math.atan2(flat[1, 0], flat[0, 0]))


def grown(matrix: Array, about: Array) -> float:
    """How many times as large it has become."""
    flat = taken(matrix, FLAT, about)
    return float(np.hypot(flat[0, 0], flat[1, 0]))
