"""Soft round spots in a picture whose every pixel has a stated trust: found by a matched filter, placed by least squares.

The filter fits amplitude and background of a gaussian spot at every pixel at once, each pixel counting by its trust. Spot and
window are both gaussians, so every sum it needs is a gaussian blur.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from scipy.optimize import least_squares

from transmixis.core.types import Array

SMALLEST, WIDEST, STEP = 1.6, 1 / 80, 1.39  # radii searched: px, share of the picture's width, from one to the next
SPOT, WINDOW = 0.75, 1.5  # sigma of a spot of radius 1 (half of its depth is left at 0.9 of the radius), and of its surroundings
APART = 3.0  # radii: nearer places belong to the same spot


@dataclass(frozen=True)
class Match:
    """Best fit of a spot at every pixel (h, w): amplitude, amplitude over its error, share of the variation around that the spot
    explains, and radius px."""

    amplitude: Array
    sure: Array
    explains: Array
    radius: Array


def match_spots(picture: Array, trust: Array) -> Match:
    """Fit dark spots of all radii; `trust` is 1 / variance of the (h, w) picture, 0 where unknown."""
    radii = radii_for(picture.shape[1])
    fits = [_match(picture, trust, r) for r in radii]
    sure = np.stack([f[1] for f in fits])
    # what the errors are really like is seen in the picture at large: most of it holds no spots
    told = trust > 0
    scale = max(1.0, 1.4826 * float(np.median(np.abs(sure[:, told])))) if told.any() else 1.0
    best = np.argmin(sure, axis=0)

    def of_best(stack: Array) -> Array:
        return np.asarray(np.take_along_axis(stack, best[None], axis=0)[0])

    return Match(
        of_best(np.stack([f[0] for f in fits])), of_best(sure) / scale,
        of_best(np.stack([f[2] for f in fits])), np.array(radii)[best],
    )  # fmt: skip


def radii_for(width: int) -> list[float]:
    """Radii (px) that are searched in a picture of that width."""
    widest = max(WIDEST * width, 2 * SMALLEST)
    count = int(np.ceil(np.log(widest / SMALLEST) / np.log(STEP))) + 1
    return [float(r) for r in np.geomspace(SMALLEST, widest, count)]


def _match(picture: Array, trust: Array, radius: float) -> tuple[Array, Array, Array]:
    """Weighted least squares of amplitude * spot + background in a window about every pixel, from blurs alone."""
    top = max(float(trust.max()), 1e-9)
    w, x = trust.astype(np.float64) / top, picture.astype(np.float64)
    spot, window = SPOT * radius, WINDOW * radius + 1
    one, two = 1 / np.sqrt(spot**-2 + window**-2), 1 / np.sqrt(2 * spot**-2 + window**-2)  # window times spot, times spot squared
    wx = w * x
    sw, st, stt = _sum(w, window), _sum(w, one), _sum(w, two)
    sx, stx, sxx = _sum(wx, window), _sum(wx, one), _sum(wx * x, window)
    det = sw * stt - st * st
    fine = det > 0.02 * sw * stt + 1e-9
    det, safe = np.where(fine, det, 1), np.maximum(sw, 1e-9)
    amplitude = np.where(fine, (sw * stx - st * sx) / det, 0)
    explained = amplitude * (stx - st * sx / safe) / np.maximum(sxx - sx * sx / safe, 1e-12)
    return amplitude, amplitude * np.sqrt(top * det / safe) * fine, explained


def _sum(a: Array, sigma: float) -> Array:
    """Sum under a gaussian window of height 1."""
    return np.asarray(cv2.GaussianBlur(a, (0, 0), sigma, borderType=cv2.BORDER_CONSTANT) * (2 * np.pi * sigma**2))


def peaks(found: Match, least_sure: float, least_depth: float) -> list[tuple[int, int, float]]:
    """Places (x, y, radius px) where a dark spot fits surely, surest first, none within another."""
    lowest = found.sure == cv2.erode(found.sure, np.ones((9, 9), np.uint8))
    ys, xs = np.nonzero(lowest & (found.sure < -least_sure) & (found.amplitude < -least_depth))
    out: list[tuple[int, int, float]] = []
    for k in np.argsort(found.sure[ys, xs]):
        x, y = int(xs[k]), int(ys[k])
        r = float(found.radius[y, x])
        if all(np.hypot(x - u, y - v) >= APART * max(r, s) for u, v, s in out):
            out.append((x, y, r))
    return out


def window_of(x: int, y: int, radius: float, shape: tuple[int, ...]) -> tuple[slice, slice, Array, Array]:
    """Rows and columns about a spot, and the spot (height 1) and its window (height 1) there."""
    room = int(np.ceil(3 * radius + 3))
    rows, columns = slice(max(0, y - room), min(shape[0], y + room + 1)), slice(max(0, x - room), min(shape[1], x + room + 1))
    dx, dy = np.meshgrid(np.arange(columns.start, columns.stop) - x, np.arange(rows.start, rows.stop) - y)
    away = dx**2 + dy**2
    return rows, columns, np.exp(-away / (2 * (SPOT * radius) ** 2)), np.exp(-away / (2 * (WINDOW * radius + 1) ** 2))


def place_spot(
    picture: Array, trust: Array, x: int, y: int, radius: float, amplitude: float
) -> tuple[float, float, float, float]:
    """Centre, radius px and amplitude of a spot found near (x, y), by weighted least squares over a sloping background."""
    rows, columns, _, window = window_of(x, y, radius, picture.shape)
    part, w = picture[rows, columns].astype(np.float64), trust[rows, columns].astype(np.float64)
    weight = np.sqrt(w / max(float(w.max()), 1e-9) * window)
    dx, dy = np.meshgrid(np.arange(columns.start, columns.stop) - x, np.arange(rows.start, rows.stop) - y)

    def off(p: Array) -> Array:
        spot = np.exp(-((dx - p[0]) ** 2 + (dy - p[1]) ** 2) / (2 * (SPOT * p[2]) ** 2))
        return np.asarray((weight * (p[3] * spot + p[4] + p[5] * dx + p[6] * dy - part)).ravel())

    aside = max(2.0, 0.5 * radius)
    low, high = [-aside, -aside, 1.2, -3, -1, -0.1, -0.1], [aside, aside, 2.5 * radius, 0, 1, 0.1, 0.1]
    fit = least_squares(off, [0, 0, radius, min(amplitude, -1e-6), 0, 0, 0], bounds=(low, high), max_nfev=40)
    return x + float(fit.x[0]), y + float(fit.x[1]), float(fit.x[2]), float(fit.x[3])
