"""Placing a picture in a frame: scale, turn and move about the middle, resampled without shifting anything.

The kernel is the cubic of Keys (1981) with a = -0.5, which reproduces straight ramps exactly; other cubics in use move a
ramp by up to 0.04 px. Before a picture is made smaller it is softened, so that no fine pattern turns into a coarse one.
"""

from __future__ import annotations

import math
from typing import Literal

import cv2
import numpy as np
from numba import njit, prange

from transmixis.core.threads import threads_for
from transmixis.core.types import Array

Edge = Literal["clear", "carry"]


def fit_scale(shape: tuple[int, int], size: tuple[int, int]) -> float:
    """The scale at which a picture of `shape` (h, w) just fills a frame of `size` (h, w)."""
    return max(size[0] / shape[0], size[1] / shape[1])


def placing_matrix(shape: tuple[int, int], size: tuple[int, int], x: float, y: float, scale: float, turn: float) -> Array:
    """3 x 3 matrix from picture to frame pixels, centres at +0.5.

    The picture's middle comes to the frame's middle plus (x, y) px; `turn` is in degrees, anticlockwise as seen.
    """
    c, s = scale * math.cos(math.radians(turn)), scale * math.sin(math.radians(turn))
    px, py = shape[1] / 2, shape[0] / 2
    fx, fy = size[1] / 2 + x, size[0] / 2 + y
    # y points down, so anticlockwise as seen has the sine's signs the other way round
    return np.array([[c, s, fx - c * px - s * py], [-s, c, fy + s * px - c * py], [0, 0, 1]])


def placed(picture: Array, matrix: Array, size: tuple[int, int], edge: Edge = "clear") -> Array:
    """`picture` (h, w, c) moved by `matrix` (perspective allowed) into a frame of `size` (h, w); the same object if nothing moves.

    Beyond its border the picture is empty, or its outermost pixels are carried on.
    """
    if picture.shape[:2] == size and np.allclose(matrix, np.eye(3), atol=1e-9):
        return picture
    scale = local_scale(matrix, (picture.shape[1] / 2, picture.shape[0] / 2))
    source = _softened(picture, scale)
    back = np.linalg.inv(matrix)
    middle = matrix @ np.array([picture.shape[1] / 2, picture.shape[0] / 2, 1.0])
    if (back @ (middle / middle[2]))[2] < 0:  # the picture's own middle lies before the eye
        back = -back
    out = np.zeros((*size, picture.shape[2]), np.float32)
    y0, y1, x0, x1 = covered(matrix, (picture.shape[0], picture.shape[1]), size) if edge == "clear" else (0, size[0], 0, size[1])
    if y1 > y0 and x1 > x0:
        from_box = back @ np.array([[1, 0, x0], [0, 1, y0], [0, 0, 1.0]])
        box = np.empty((y1 - y0, x1 - x0, picture.shape[2]), np.float32)
        with threads_for(box.shape[0] * box.shape[1]):
            _resample(np.ascontiguousarray(source, np.float32), from_box, edge == "carry", box)
        if picture.shape[2] == 4:
            np.clip(box[..., 3], 0, 1, out=box[..., 3])
        if box.shape[:2] == size:
            return box
        out[y0:y1, x0:x1] = box
    return out


def covered(matrix: Array, shape: tuple[int, int], size: tuple[int, int], pad: int = 3) -> tuple[int, int, int, int]:
    """Rows and columns (first, behind the last) of a frame of `size` (h, w) that a picture of `shape` (h, w) laid by `matrix` can touch; the whole frame where part of it lies behind the eye."""
    h, w = shape
    corners = np.array([[0, 0, 1], [w, 0, 1], [w, h, 1], [0, h, 1]], float) @ matrix.T
    if not ((corners[:, 2] > 1e-9).all() or (corners[:, 2] < -1e-9).all()):
        return 0, size[0], 0, size[1]
    at = corners[:, :2] / corners[:, 2:]
    grown = pad + math.ceil(2 * local_scale(matrix, (w / 2, h / 2)))  # a sample's own reach
    low, high = at.min(axis=0) - grown, at.max(axis=0) + grown
    x0, y0 = (int(np.clip(math.floor(v), 0, n)) for v, n in zip(low, (size[1], size[0]), strict=True))
    x1, y1 = (int(np.clip(math.ceil(v), 0, n)) for v, n in zip(high, (size[1], size[0]), strict=True))
    return y0, max(y1, y0), x0, max(x1, x0)


def local_scale(matrix: Array, at: tuple[float, float]) -> float:
    """How many times as large a picture becomes at one of its places (root of the area's growth)."""
    x, y = at
    w = float(matrix[2, 0] * x + matrix[2, 1] * y + matrix[2, 2])
    return math.sqrt(abs(float(np.linalg.det(matrix))) / max(abs(w) ** 3, 1e-12))


def _softened(picture: Array, scale: float) -> Array:
    """Softened by what the smaller picture cannot hold: gaussian of half an output pixel, less what the input has."""
    if scale >= 0.999:
        return picture
    sigma = 0.5 * math.sqrt(1 / scale**2 - 1)
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE))


@njit(inline="always")
def _weights(t):  # type: ignore[no-untyped-def]
    """The four weights of the cubic at a fraction `t` 0..1 between the two middle samples."""
    t2, t3 = t * t, t * t * t
    return (
        np.float32(-0.5 * t3 + t2 - 0.5 * t),
        np.float32(1.5 * t3 - 2.5 * t2 + 1),
        np.float32(-1.5 * t3 + 2 * t2 + 0.5 * t),
        np.float32(0.5 * t3 - 0.5 * t2),
    )


@njit(inline="always")
def _inside(source, i, j, wx, wy, c):  # type: ignore[no-untyped-def]
    """One channel of a pixel all of whose sixteen samples lie within the picture, the two middle ones of them from column i and row j on."""
    a, b = source[j, i, c], source[j, i + 1, c]
    d, e = source[j + 1, i, c], source[j + 1, i + 1, c]
    top = (
        wx[0] * source[j - 1, i - 1, c]
        + wx[1] * source[j - 1, i, c]
        + wx[2] * source[j - 1, i + 1, c]
        + wx[3] * source[j - 1, i + 2, c]
    )
    upper = wx[0] * source[j, i - 1, c] + wx[1] * a + wx[2] * b + wx[3] * source[j, i + 2, c]
    lower = wx[0] * source[j + 1, i - 1, c] + wx[1] * d + wx[2] * e + wx[3] * source[j + 1, i + 2, c]
    foot = (
        wx[0] * source[j + 2, i - 1, c]
        + wx[1] * source[j + 2, i, c]
        + wx[2] * source[j + 2, i + 1, c]
        + wx[3] * source[j + 2, i + 2, c]
    )
    low, high = min(min(a, b), min(d, e)), max(max(a, b), max(d, e))
    room = np.float32(0.5) * (high - low)
    total = wy[0] * top + wy[1] * upper + wy[2] * lower + wy[3] * foot
    return min(max(total, min(low, max(low - room, np.float32(0)))), high + room)


@njit(inline="always")
def _none(out, y, x):  # type: ignore[no-untyped-def]
    for c in range(out.shape[2]):
        out[y, x, c] = 0


@njit(inline="always")
def _sample(source, u, v, carry, out, y, x):  # type: ignore[no-untyped-def]
    """The pixel `out`[y, x] from `source` at column u and row v. Values keep to the range of their 2 x 2 nearest samples grown by half of
    it, so that no dark line rings around a bright edge."""
    h, w, channels = source.shape
    if not carry and (u < -2 or v < -2 or u > w + 1 or v > h + 1):
        _none(out, y, x)
        return
    u, v = min(max(u, -3.0), w + 2.0), min(max(v, -3.0), h + 2.0)
    i, j = math.floor(u), math.floor(v)
    wx, wy = _weights(u - i), _weights(v - j)
    if 1 <= i < w - 2 and 1 <= j < h - 2:  # well inside: no place has to be asked whether it is there
        if channels == 4:  # a count that is known is reckoned at once
            for c in range(4):
                out[y, x, c] = _inside(source, i, j, wx, wy, c)
        else:
            for c in range(channels):
                out[y, x, c] = _inside(source, i, j, wx, wy, c)
        return
    for c in range(channels):
        total = np.float32(0)
        low, high = np.float32(3e38), np.float32(-3e38)
        for n in range(4):
            for m in range(4):
                yy, xx = j - 1 + n, i - 1 + m
                if carry:
                    yy, xx = min(max(yy, 0), h - 1), min(max(xx, 0), w - 1)
                sample = np.float32(0)
                if 0 <= yy < h and 0 <= xx < w:
                    sample = source[yy, xx, c]
                total += wy[n] * wx[m] * sample
                if 0 < n < 3 and 0 < m < 3:
                    low, high = min(low, sample), max(high, sample)
        room = np.float32(0.5) * (high - low)
        out[y, x, c] = min(max(total, min(low, max(low - room, np.float32(0)))), high + room)


@njit(parallel=True, cache=True, nogil=True)
def _resample(source, back, carry, out):  # type: ignore[no-untyped-def]
    """Fill `out` by sampling `source` at `back` (3 x 3, frame to picture px)."""
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            depth = back[2, 0] * (x + 0.5) + back[2, 1] * (y + 0.5) + back[2, 2]
            if depth < 1e-9:  # behind the eye
                _none(out, y, x)
                continue
            u = (back[0, 0] * (x + 0.5) + back[0, 1] * (y + 0.5) + back[0, 2]) / depth - 0.5
            v = (back[1, 0] * (x + 0.5) + back[1, 1] * (y + 0.5) + back[1, 2]) / depth - 0.5
            _sample(source, u, v, carry, out, y, x)


@njit(parallel=True, cache=True, nogil=True)
def _resample_at(source, at, carry, out):  # type: ignore[no-untyped-def]
    """The same at places (h, w, 2) px of the source; nothing where they are not known."""
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            u, v = at[y, x, 0] - 0.5, at[y, x, 1] - 0.5
            if not (math.isfinite(u) and math.isfinite(v)):
                _none(out, y, x)
                continue
            _sample(source, u, v, carry, out, y, x)


def sampled_at(picture: Array, at: Array, edge: Edge = "clear") -> Array:
    """`picture` (h, w, c) as it is at places `at` (h', w', 2) px, nan: nowhere; for what becomes hardly smaller by it."""
    out = np.empty((*at.shape[:2], picture.shape[2]), np.float32)
    with threads_for(out.shape[0] * out.shape[1]):
        _resample_at(np.ascontiguousarray(picture, np.float32), np.require(at, np.float64, ["C", "W"]), edge == "carry", out)
    if picture.shape[2] == 4:
        np.clip(out[..., 3], 0, 1, out=out[..., 3])
    return out
