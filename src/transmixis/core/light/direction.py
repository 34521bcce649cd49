"""From where a thing is lit, as its outline tells: there its surface is turned to the side, so that its brightness along the outline says in which direction the light lies (Johnson and Farid, Exposing digital forgeries by detecting inconsistencies in lighting, 2005)."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from scipy.optimize import least_squares

from transmixis.core.colour.curves import luminance
from transmixis.core.types import Array, Matte

SOFT = 2.5  # px of the small picture: the outline's own direction is smoothed over so many
LONG = 480  # px of the longer side at which it is looked at
BAND = (2.0, 7.0)  # px inside the outline that is looked at
PIECES = 16  # of the outline, for the error: its albedo changes from piece to piece
LEAST = 120  # pixels of the band
TOLD = 35.0  # degrees of error beyond which no direction is told
MOST = 3000  # pixels that are fitted


@dataclass(frozen=True)
class LitFrom:
    """`angle` degrees in the picture (0 right, 90 up) with its `error`; `share` how much of the light comes from there, over what comes from everywhere."""

    angle: float
    error: float
    share: float

    @property
    def told(self) -> bool:
        return self.error <= TOLD


def lit_from(picture: Array, matte: Matte) -> LitFrom | None:
    """The direction that the outline of what a matte (h, w) covers tells; None of too little."""
    h, w = matte.shape
    by = max(1.0, max(h, w) / LONG)
    size = (max(8, round(w / by)), max(8, round(h / by)))
    solid: Array = np.asarray(picture[..., :3], np.float32)
    if picture.shape[2] == 4:
        solid = solid / np.maximum(picture[..., 3:], 0.05)
    light = cv2.resize(np.asarray(luminance(np.maximum(solid, 0)), np.float32), size, interpolation=cv2.INTER_AREA)
    small = cv2.resize(np.asarray(matte, np.float32), size, interpolation=cv2.INTER_AREA)
    normals, band = _outline(small)
    if band.sum() < LEAST:
        return None
    value: Array = light[band]
    nx, ny = normals[band][:, 0], normals[band][:, 1]
    value = value / max(float(np.median(value)), 1e-6)
    ys, xs = np.nonzero(band)
    some = slice(None, None, max(1, len(value) // MOST))
    value, sides, ys, xs = value[some], np.stack([nx, ny], 1)[some], ys[some], xs[some]
    whole = _fitted(sides, value)
    around = np.arctan2(ys - ys.mean(), xs - xs.mean())
    piece = np.floor((around + np.pi) / (2 * np.pi) * PIECES).astype(int) % PIECES
    left_out = np.array([_fitted(sides[piece != k], value[piece != k], whole)[1:3] for k in range(PIECES) if (piece == k).any()])
    n = len(left_out)
    spread = np.sqrt((n - 1) / n * ((left_out - left_out.mean(axis=0)) ** 2).sum(axis=0))
    size_of = float(np.hypot(*whole[1:3]))
    error = math.degrees(math.atan2(float(np.hypot(*spread)) / math.sqrt(2), max(size_of, 1e-9)))
    return LitFrom(
        math.degrees(math.atan2(-whole[2], whole[1])),
        error,
        size_of / max(size_of + float(whole[0]) + max(float(whole[3]), 0.0), 1e-9),
    )


def _outline(matte: Array) -> tuple[Array, Array]:
    """(h, w, 2) the direction out of the outline at each place, and where it is looked at: in a band inside, not where the matte leaves the frame."""
    inside = (matte > 0.5).astype(np.uint8)
    padded = cv2.copyMakeBorder(inside, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    depth = cv2.distanceTransform(padded, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)[1:-1, 1:-1]
    smooth = cv2.GaussianBlur(depth, (0, 0), SOFT)
    gy, gx = np.gradient(smooth)
    length = np.hypot(gx, gy)
    normals = -np.stack([gx, gy], -1) / np.maximum(length, 1e-6)[..., None]
    band = (depth >= BAND[0]) & (depth <= BAND[1]) & (length > 0.5)
    return normals, np.asarray(band)


def _fitted(normals: Array, value: Array, start: Array | None = None) -> Array:
    """(4,) light from everywhere, the way to the light across and down, and its part towards the camera: what is turned away from it has the first alone. What does not fit, such as another colour, counts less."""

    def off(x: Array) -> Array:
        return np.asarray(x[0] + np.maximum(normals @ x[1:3] + x[3], 0) - value)

    if start is None:
        basis = np.column_stack([np.ones(len(value)), normals])
        plain = np.linalg.lstsq(basis, value, rcond=None)[0]
        start = np.array([0.5 * plain[0], plain[1], plain[2], 0.5 * plain[0]])
    scale = max(1.4826 * float(np.median(np.abs(off(start)))), 1e-3)
    return np.asarray(least_squares(off, start, loss="soft_l1", f_scale=scale, max_nfev=60).x)


def apart(one: LitFrom, other: LitFrom) -> float:
    """Degrees between two directions, 0..180."""
    return abs((one.angle - other.angle + 180) % 360 - 180)
