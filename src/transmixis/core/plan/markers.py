"""Tracking markers before the shoot: how large they come out, how many, where, and how well they will be followed.

The error is found by simulation: the marker as the camera will see it, with the lens's softness, the motion's blur, noise and
coding, followed by the tracker itself (core.motion.surface). Lengths in cm or px as named, picture values display coded 0..1.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.follow import Way, found_in
from transmixis.core.motion.motion import moved_points
from transmixis.core.motion.point import about_point
from transmixis.core.types import Array

# markers that must be seen for a motion, and usual numbers (common practice: about nine on a face-sized object)
NEEDED = {"position": 1, "position, rotation and scale": 2, "perspective": 4, "camera": 8}
USUAL = {"position": 3, "position, rotation and scale": 5, "perspective": 9, "camera": 16}
SHAPES = ("cross", "dot")
ARM = 0.25  # a cross's arm is a quarter of its width
LENS = 0.6  # px, gaussian deviation of a usual lens and sensor (judgement; the demo film's plates have 0.55)
GROWN, FEATHER = 4.0, 5.0  # px: a patch over a marker is larger by 4 and feathered by 5 (common practice)
PATCH = GROWN + FEATHER
TRIALS, MORE = 24, 96  # the rms is known to 10 %; markers that are badly followed vary more, and get more trials
BADLY, GONE = 0.05, 1.0  # px
ROOM = 12  # px of the surface about the window, as it will be there
LARGEST = 40.0  # px: larger markers are followed as well as these; nothing is gained by drawing them


@dataclass(frozen=True)
class Seen:
    """A marker in the picture: px across, px that it moves while the shutter is open, px a metre."""

    size: float
    blur: float
    metre: float


@dataclass(frozen=True)
class Layout:
    """Markers on an object: columns, rows, and their places (n, 2) in 0..1 of its width and height; the margin left at its edges,
    a share of its width and of its height."""

    columns: int
    rows: int
    places: Array
    margin: tuple[float, float]


@dataclass(frozen=True)
class Error:
    """The tracker's error for one marker (px, rms of one axis) and the share of trials (0..1) in which it was lost."""

    rms: float
    lost: float


def seen(
    size_cm: float, distance: float, focal: float, sensor: float, width: int, speed: float, angle: float, rate: float
) -> Seen:
    """A marker of `size_cm` at `distance` m; it moves at `speed` m/s across the view; shutter `angle` degrees, `rate` a second."""
    if min(size_cm, distance, focal, sensor, rate) <= 0:
        raise UserError("Size, distance, lens, sensor and frame rate must be larger than nothing.")
    metre = focal / sensor * width / distance
    return Seen(size_cm / 100 * metre, speed * angle / 360 / rate * metre, metre)


def how_many(motion: str, hidden: float) -> int:
    """Markers to put on for a motion, so that enough are seen while a share `hidden` (0..0.9) of them is covered."""
    if motion not in USUAL:
        raise UserError(f"'{motion}' is no motion that is known; use one of {', '.join(USUAL)}.")
    return max(USUAL[motion], math.ceil(NEEDED[motion] / (1 - min(max(hidden, 0.0), 0.9)) - 1e-9))


def laid_out(count: int, wide_cm: float, high_cm: float, size_cm: float, metre: float) -> Layout:
    """At least `count` markers in a grid on an object, away from its edges by their own size and the later patch.

    Raises UserError where no surface is left between the edges or the markers.
    """
    edge = size_cm / 2 + size_cm + 100 * PATCH / metre
    inner = (wide_cm - 2 * edge, high_cm - 2 * edge)
    if min(inner) < 0 and count > 1:
        raise UserError(
            f"Markers of {size_cm:g} cm leave no clean surface at the edges of {wide_cm:g} × {high_cm:g} cm; "
            f"take smaller ones, fewer, or a longer lens."
        )
    columns, rows = _grid(count, max(inner[0], 1e-6), max(inner[1], 1e-6))
    x = np.linspace(edge / wide_cm, 1 - edge / wide_cm, columns) if columns > 1 else np.array([0.5])
    y = np.linspace(edge / high_cm, 1 - edge / high_cm, rows) if rows > 1 else np.array([0.5])
    xx, yy = np.meshgrid(x, y)
    return Layout(columns, rows, np.stack([xx.ravel(), yy.ravel()], axis=1), (edge / wide_cm, edge / high_cm))


def _grid(count: int, wide: float, high: float) -> tuple[int, int]:
    """Columns and rows that hold at least `count`, few to spare, their spacing as square as it can be."""

    def cost(c: int) -> float:
        r = math.ceil(count / c)
        across, down = wide / max(c - 1, 1), high / max(r - 1, 1)
        return 0.3 * c * r + abs(math.log(across / down))

    columns = min(range(1, count + 1), key=cost)
    return columns, math.ceil(count / columns)


def drawn(shape: str, size: float, blur: float, direction: float, fine: int, half: int) -> Array:
    """(n, n) coverage 0..1 of a marker `size` px across at `fine` times the picture's size, with blur and lens; its middle in the
    middle. `direction` of the motion in degrees anticlockwise."""
    n = (2 * (half + ROOM) + 1) * fine
    centre = (n - 1) / 2
    yy, xx = np.mgrid[0:n, 0:n] - centre
    r = size * fine / 2
    if shape == "dot":
        m = np.clip(r - np.hypot(xx, yy) + 0.5, 0, 1)
    else:
        arm = max(ARM * 2 * r / 2, 0.5)
        u, v = np.clip(r - np.abs(xx) + 0.5, 0, 1), np.clip(arm - np.abs(yy) + 0.5, 0, 1)
        m = np.maximum(u * v, u.T * v.T)
    m = m.astype(np.float32)
    if blur * fine > 1:
        m = cv2.filter2D(m, -1, _line(blur * fine, direction), borderType=cv2.BORDER_CONSTANT)
    return np.asarray(cv2.GaussianBlur(m, (0, 0), LENS * fine))


def _line(length: float, direction: float) -> Array:
    """A line of this length as a kernel that sums to 1."""
    n = 2 * math.ceil(length / 2) + 3
    k = np.zeros((n, n), np.float32)
    t = np.linspace(-length / 2, length / 2, max(8, int(4 * length)))
    x, y = n // 2 + t * math.cos(math.radians(direction)), n // 2 - t * math.sin(math.radians(direction))
    i, j = np.floor(x).astype(int), np.floor(y).astype(int)
    for di, dj, w in (
        (0, 0, (1 - x + i) * (1 - y + j)),
        (1, 0, (x - i) * (1 - y + j)),
        (0, 1, (1 - x + i) * (y - j)),
        (1, 1, (x - i) * (y - j)),
    ):
        np.add.at(k, (j + dj, i + di), w)
    return np.asarray(k / k.sum())


def half_window(size: float, blur: float) -> int:
    """Half the tracker's window (px) for a marker: it and its blur, with some surface around."""
    return int(min(max(math.ceil((min(size, LARGEST) + min(blur, LARGEST)) / 2 + 4), 6), 48))


def marker_error(
    shape: str, size: float, blur: float, contrast: float, noise: float, direction: float = 0.0, *,
    on_marker: float | None = None, trials: int | None = None, seed: int = 0,
) -> Error:  # fmt: skip
    """The tracker's error on a marker `size` px across whose value stands `contrast` from its surface, by simulation.

    `noise`: deviation of the coded picture (0..1) on the surface, `on_marker` on the marker if it differs. The rms is of the trials that were not lost; nan if all were.
    """
    if size <= 0 or noise <= 0:
        raise UserError("A marker must have a size, and every camera has some noise.")
    size, blur = min(size, LARGEST), min(blur, LARGEST)
    half = half_window(size, blur)
    fine = 4 if half < 30 else 2
    rng = np.random.default_rng(seed)
    cover = drawn(shape, size, blur, direction, fine, half)
    spread = noise + ((on_marker or noise) - noise) * _sampled(cover, np.zeros(2, int), fine)
    big = contrast * cover + 0.5
    off: list[Array] = []
    done, most = 0, trials or TRIALS
    while done < most:
        miss = _one_trial(big, spread, fine, half, rng)
        done += 1
        if miss is not None:
            off.append(miss)
        if trials is None and done == TRIALS and (len(off) < done or float(np.sqrt(np.mean(np.square(off)))) > BADLY):
            most = MORE
    rms = float(np.sqrt(np.mean(np.square(off)))) if off else math.nan
    return Error(rms, 1 - len(off) / done)


def _one_trial(big: Array, spread: Array, fine: int, half: int, rng: np.random.Generator) -> Array | None:
    """How far off (x, y) the tracker is on a pair of pictures of the marker; None where it lost it."""
    a, b = rng.integers(0, fine, 2), rng.integers(0, fine, 2)
    one, two = (_sampled(big, s, fine) for s in (a, b))
    one, two = (_coded(v + spread * rng.standard_normal(v.shape)) for v in (one, two))
    middle = one.shape[0] / 2
    at = middle + (fine - 1) / (2 * fine) - 0.5 - a / fine  # where the marker's middle lies in the first
    truth = (a - b) / fine
    guess = at + rng.integers(-1, 2, 2)
    start = np.array([[1, 0, guess[0] - at[0]], [0, 1, guess[1] - at[1]], [0, 0, 1.0]])
    found = found_in(about_point(one[..., None], at, half), two[..., None], Way(start, start), 3)
    miss = moved_points(found.matrix, at)[0] - at - truth
    return None if found.lost or float(np.hypot(*miss)) > GONE else miss


def _sampled(big: Array, shift: Array, fine: int) -> Array:
    """The fine picture moved left and up by `shift` of its pixels, at the picture's size."""
    part = np.roll(big, (-int(shift[1]), -int(shift[0])), axis=(0, 1))
    n = part.shape[0] // fine
    return np.asarray(part[: n * fine, : n * fine].reshape(n, fine, n, fine).mean(axis=(1, 3)))


def _coded(x: Array) -> Array:
    return np.asarray(np.clip(np.round(x * 255), 0, 255) / 255)


def error_at_edge(motion: str, places: Array, error: float, wide: float, high: float) -> float:
    """Error (px, rms of one axis) of the whole motion at the object's corners, from markers (n, 2) in 0..1 of `wide` by `high` px
    that are each known to `error`. Least squares; nan where the markers cannot tell that motion."""
    p = (places - 0.5) * np.array([wide, high])
    corners = np.array([(-wide, -high), (wide, -high), (-wide, high), (wide, high)]) / 2
    j = _design(motion, p, wide)
    if len(p) < NEEDED[motion] or np.linalg.matrix_rank(j) < j.shape[1]:
        return math.nan
    c = np.linalg.inv(j.T @ j)
    at = _design(motion, corners, wide)
    return float(error * np.sqrt(np.einsum("ij,jk,ik->i", at, c, at).reshape(-1, 2).mean(axis=1).max()))


def _design(motion: str, p: Array, wide: float) -> Array:
    """Rows (x and y of each point) of how points move with the motion's parameters, about no motion."""
    x, y = (p / wide).T
    one, none = np.ones_like(x), np.zeros_like(x)
    rows_x, rows_y = [one, none], [none, one]
    if motion != "position":
        rows_x += [x, -y]
        rows_y += [y, x]
    if motion in ("perspective", "camera"):  # the homography's other four, linear about none
        rows_x += [x, y, x * x, x * y]
        rows_y += [-y, x, x * y, y * y]
    return np.stack([np.stack(rows_x, 1), np.stack(rows_y, 1)], axis=1).reshape(2 * len(p), -1)
