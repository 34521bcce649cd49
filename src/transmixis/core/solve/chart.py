"""A lens from stills of a chessboard: its focal length, middle and how it bends, with the board's pose in every still.

Begun in closed form from the perspectives of the flat board (Zhang, 2000), then all adjusted together by least squares on what is seen
(Brown, 1966: three radial and two tangential terms). Positions are (x, y) px, pixel centres at +0.5.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy import optimize
from scipy.spatial.transform import Rotation

from transmixis.core.errors import UserError
from transmixis.core.motion.features import coded8
from transmixis.core.motion.motion import through
from transmixis.core.types import Array

FEWEST = 3  # stills that tell a lens
OWN = 8  # numbers of the lens


@dataclass(frozen=True)
class Lens:
    """`focal` px, `middle` (x, y) px; what lies r from the middle, in focal lengths, is seen at r (1 + k1 r² + k2 r⁴ + k3 r⁶), moved
    aside by p1 and p2. `error` px: the mean that a corner is seen beside where it should be; `errors`: of each still."""

    focal: float
    middle: tuple[float, float]
    k1: float = 0.0
    k2: float = 0.0
    k3: float = 0.0
    p1: float = 0.0
    p2: float = 0.0
    error: float = float("nan")
    errors: tuple[float, ...] = ()

    def numbers(self) -> Array:
        return np.array([self.focal, *self.middle, self.k1, self.k2, self.p1, self.p2, self.k3])


def board_corners(picture: Array, columns: int, rows: int) -> Array | None:
    """The inner corners (columns * rows, 2) px of a chessboard in a linear still, row by row; None where it is not seen whole."""
    grey = cv2.cvtColor(coded8(picture), cv2.COLOR_RGB2GRAY)
    found, corners = cv2.findChessboardCorners(
        grey, (columns, rows), flags=cv2.CALIB_CB_ADAPTIVE_THRESH | cv2.CALIB_CB_NORMALIZE_IMAGE
    )
    if not found or corners is None:
        return None
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 40, 1e-3)
    fine = cv2.cornerSubPix(grey, corners, (11, 11), (-1, -1), stop)
    return np.asarray(fine, np.float64).reshape(-1, 2) + 0.5


def lens_of(boards: list[Array], columns: int, rows: int, size: tuple[int, int]) -> Lens:
    """The lens that sees a flat board's corners where they were found in stills of `size` (width, height) px. Raises UserError where they
    do not tell it."""
    if len(boards) < FEWEST:
        raise UserError(
            f"The board is seen whole in {len(boards)} stills; at least {FEWEST} are needed, from different sides. Check the count of its inner corners."
        )
    flat = np.array([(x, y) for y in range(rows) for x in range(columns)], np.float64)
    middle = np.array([size[0] / 2, size[1] / 2])
    ways = [through(flat, b - middle) for b in boards]
    focal = _begun(ways)
    if focal is None:
        raise UserError("All stills show the board from the same side; turn it against the camera, and take more.")
    poses = np.array([_pose(w, focal) for w in ways])
    solid = np.c_[flat, np.zeros(len(flat))]

    def off(p: Array) -> Array:
        own, rest = p[:OWN], p[OWN:].reshape(-1, 6)
        return np.concatenate([(seen(own, solid, pose) - b).ravel() for pose, b in zip(rest, boards, strict=True)])

    start = np.concatenate([[focal, *middle, 0, 0, 0, 0, 0], poses.ravel()])
    found = optimize.least_squares(
        off, start, x_scale="jac", method="trf", jac_sparsity=_sparsity(len(boards), len(flat)), max_nfev=200
    )
    if not found.success or not np.isfinite(found.x).all() or not 0.1 * size[0] < found.x[0] < 50 * size[0]:
        raise UserError(
            "The lens cannot be told from these stills; take the board from more sides, near the frame's corners too."
        )
    each = np.linalg.norm(off(found.x).reshape(len(boards), -1, 2), axis=2)
    f, x, y, k1, k2, p1, p2, k3 = (float(v) for v in found.x[:OWN])
    return Lens(f, (x, y), k1, k2, k3, p1, p2, float(each.mean()), tuple(float(e) for e in each.mean(axis=1)))


def seen(own: Array, points: Array, pose: Array) -> Array:
    """(n, 2) px where points (n, 3) are seen by a lens (numbers as Lens.numbers) from a pose (turn vector rad, shift)."""
    there = Rotation.from_rotvec(pose[:3]).apply(points) + pose[3:]
    u = there[:, :2] / there[:, 2:]
    f, cx, cy, k1, k2, p1, p2, k3 = own
    x, y = u.T
    q = x * x + y * y
    grown = 1 + q * (k1 + q * (k2 + q * k3))
    bent = np.stack([x * grown + 2 * p1 * x * y + p2 * (q + 2 * x * x), y * grown + p1 * (q + 2 * y * y) + 2 * p2 * x * y], 1)
    return np.asarray(np.array([cx, cy]) + f * bent)


def _begun(ways: list[Array]) -> float | None:
    """The focal length that makes the board's sides square to each other and as long in every still (Zhang, 2000, with the middle known)."""
    a, b = [], []
    for h in ways:
        h1, h2 = h[:, 0], h[:, 1]
        a += [h1[0] * h2[0] + h1[1] * h2[1], h1[0] ** 2 + h1[1] ** 2 - h2[0] ** 2 - h2[1] ** 2]
        b += [-h1[2] * h2[2], h2[2] ** 2 - h1[2] ** 2]
    lhs, rhs = np.array(a), np.array(b)
    # weighed so that a still counts by what it tells
    size = np.hypot(lhs, rhs) + 1e-30
    w = float((lhs / size * rhs / size).sum() / max(float((lhs / size * lhs / size).sum()), 1e-30))
    return float(1 / np.sqrt(w)) if w > 0 else None


def _pose(way: Array, focal: float) -> Array:
    m = np.diag([1 / focal, 1 / focal, 1.0]) @ way
    m /= np.sqrt(np.linalg.norm(m[:, 0]) * np.linalg.norm(m[:, 1])) * (1 if m[2, 2] > 0 else -1)
    u, _, v = np.linalg.svd(np.c_[m[:, 0], m[:, 1], np.cross(m[:, 0], m[:, 1])])
    turn = u @ np.diag([1, 1, np.sign(np.linalg.det(u @ v))]) @ v
    return np.concatenate([Rotation.from_matrix(turn).as_rotvec(), m[:, 2]])


def _sparsity(stills: int, corners: int) -> Array:
    out = np.zeros((2 * corners * stills, OWN + 6 * stills), bool)
    out[:, :OWN] = True
    for k in range(stills):
        out[2 * corners * k : 2 * corners * (k + 1), OWN + 6 * k : OWN + 6 * (k + 1)] = True
    return out
