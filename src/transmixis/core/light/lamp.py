"""Light that a glowing thing gives to what stands near: as much as its own pixels have, falling with the square of the distance, on forms that are rounded as their outline is.

Lengths are px; a picture's value 1 is what a white, fully lit surface sends out. A source of radiance L and area A px² then adds to a surface of reflectance r at a distance D r L A cos / (pi D²) (Lambert); the plate's own value
stands for the reflectance.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from scipy.sparse import coo_matrix
from scipy.sparse.linalg import spsolve

from transmixis.core.colour.curves import luminance
from transmixis.core.types import Array, Matte

SIDE = 140  # px of the longer side at which a form is rounded
ROUND = 0.6  # of the height that a matte inflates to: puppets and people are flatter than balls (fitted on the rendered courier, see docs/limits.md)
SMOOTH = 0.004  # of the width: finer dents of an outline are hair, not form
NONE = 1e-6


@dataclass(frozen=True)
class Source:
    """Something that glows: its middle (x, y) px, and its light summed over its pixels (3,), radiance times px²."""

    x: float
    y: float
    power: tuple[float, float, float]

    @property
    def dark(self) -> bool:
        return max(self.power) <= NONE


def source_of(light: Array) -> Source:
    """The source that a picture's light (h, w, 3; premultiplied) is: where its middle is, and how much."""
    y = luminance(np.maximum(light, 0))
    total = float(y.sum())
    h, w = y.shape
    if total <= NONE:
        return Source(w / 2, h / 2, (0.0, 0.0, 0.0))
    xs, ys = np.arange(w) + 0.5, np.arange(h) + 0.5
    r, g, b = (float(v) for v in np.maximum(light, 0).sum(axis=(0, 1)))
    return Source(float((y.sum(axis=0) @ xs) / total), float((y.sum(axis=1) @ ys) / total), (r, g, b))


def inflated(matte: Matte) -> Array:
    """(h, w) px how far a form comes out of the picture, 0 at its outline: the root of what solves Poisson's equation inside it, which is a ball for a circle and a cylinder for a bar. What leaves the frame is not closed there."""
    h, w = matte.shape
    by = max(1, math.ceil(max(h, w) / SIDE))
    small = cv2.resize(np.asarray(matte, np.float32), (max(1, w // by), max(1, h // by)), interpolation=cv2.INTER_AREA) > 0.5
    if not small.any():
        return np.zeros((h, w), np.float32)
    z = np.zeros(small.shape, np.float32)
    z[small] = np.sqrt(np.maximum(_poisson(small), 0)) * by
    sigma = max(SMOOTH * w / by, 0.6)
    soft = cv2.GaussianBlur(z, (0, 0), sigma)
    return np.asarray(cv2.resize(soft, (w, h), interpolation=cv2.INTER_CUBIC), np.float32)


def _poisson(inside: Array) -> Array:
    """(n,) at the pixels inside: minus the Laplacian is 4, nothing outside, no slope across the frame's border."""
    index = np.full(inside.shape, -1)
    n = int(inside.sum())
    index[inside] = np.arange(n)
    ys, xs = np.nonzero(inside)
    rows, cols, own = [], [], np.zeros(n)
    for dy, dx in ((0, 1), (0, -1), (1, 0), (-1, 0)):
        yy, xx = ys + dy, xs + dx
        there = (yy >= 0) & (yy < inside.shape[0]) & (xx >= 0) & (xx < inside.shape[1])
        own += there
        beside = np.full(n, -1)
        beside[there] = index[yy[there], xx[there]]
        k = np.flatnonzero(beside >= 0)
        rows.append(k)
        cols.append(beside[k])
    r, c = np.concatenate(rows), np.concatenate(cols)
    whole = np.arange(n)
    # a form that fills the frame has no outline: a little of its own weight keeps it finite
    matrix = coo_matrix(
        (np.concatenate([-np.ones(len(r)), own + 1e-4]), (np.concatenate([r, whole]), np.concatenate([c, whole])))
    )
    return np.asarray(spsolve(matrix.tocsc(), np.full(n, 4.0)))


def irradiance(source: Source, ahead: float, size: tuple[int, int], form: Array | None) -> Array:
    """(h, w) cos / (pi D²) at each place, 1 / px²: of a source `ahead` px before the picture's plane, on forms (h, w) px that come out of it; flat where `form` is None."""
    h, w = size
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32) + np.float32(0.5)
    z = np.zeros(size, np.float32) if form is None else form * np.float32(ROUND)
    dx, dy, dz = source.x - xx, source.y - yy, np.float32(max(ahead, 1.0)) - z
    far = dx * dx + dy * dy + dz * dz
    if form is None:
        return np.asarray(dz / (np.pi * far * np.sqrt(far)), np.float32)
    gy, gx = np.gradient(z)
    cos = (-gx * dx - gy * dy + dz) / np.sqrt(far * (gx * gx + gy * gy + 1))
    return np.asarray(np.clip(cos, 0, 1) / (np.pi * np.maximum(far, 1.0)), np.float32)


def given(picture: Array, source: Source, light: Array, strength: float) -> Array:
    """(h, w, 3) what a source adds to a picture, by its `light` (h, w) from `irradiance`."""
    colour = np.asarray(source.power, np.float32) * np.float32(strength)
    return np.asarray(np.maximum(picture[..., :3], 0) * light[..., None] * colour, np.float32)
