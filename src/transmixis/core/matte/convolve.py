"""Means of the known part of a picture: normalised convolution (Knutsson & Westin, 1993) on a shrunken grid."""

from __future__ import annotations

import cv2
import numpy as np
from numba import njit

from transmixis.core.types import Array


def shrink(x: Array, width: int, height: int) -> Array:
    """Area average to (height, width), whatever the number of channels."""
    if x.ndim == 2 or x.shape[2] <= 4:
        return np.asarray(cv2.resize(x, (width, height), interpolation=cv2.INTER_AREA))
    parts = [shrink(np.ascontiguousarray(x[..., i : i + 4]), width, height) for i in range(0, x.shape[2], 4)]
    return np.concatenate([p if p.ndim == 3 else p[..., None] for p in parts], axis=2)


def grow(x: Array, width: int, height: int) -> Array:
    """Bilinear resize to (height, width), whatever the number of channels."""
    if x.ndim == 2 or x.shape[2] <= 4:
        return np.asarray(cv2.resize(x, (width, height), interpolation=cv2.INTER_LINEAR))
    parts = [grow(np.ascontiguousarray(x[..., i : i + 4]), width, height) for i in range(0, x.shape[2], 4)]
    return np.concatenate([p if p.ndim == 3 else p[..., None] for p in parts], axis=2)


def weighted_blur(values: Array, weight: Array, sigma: float) -> tuple[Array, Array]:
    """Blur (h, w, c) `values` times (h, w) `weight`, and `weight` itself; gaussian of `sigma` px. Gives both."""
    return blurred_sums(values * weight[..., None], weight, sigma)


def blurred_sums(sums: Array, weight: Array, sigma: float) -> tuple[Array, Array]:
    """Blur (h, w, c) `sums` and their (h, w) `weight`; gaussian of `sigma` px."""
    h, w = weight.shape
    num, den = _blurred_small(sums, weight, sigma)
    if den.shape != (h, w):
        num, den = grow(num, w, h), grow(den, w, h)
    return num, den


def _blurred_small(num: Array, den: Array, sigma: float) -> tuple[Array, Array]:
    """Both blurred, on a grid on which the gaussian is still 2 px wide or more, so that the smaller grid does not show."""
    step = max(1, int(sigma / 2))
    if step > 1:
        h, w = den.shape
        size = max(2, w // step), max(2, h // step)
        num, den = shrink(num, *size), shrink(den, *size)
    num = _blur(num, sigma / step)
    return (num if num.ndim == 3 else num[..., None]), np.asarray(cv2.GaussianBlur(den, (0, 0), sigma / step))


def _blur(x: Array, sigma: float) -> Array:
    if x.ndim == 2 or x.shape[2] <= 4:
        out = cv2.GaussianBlur(x, (0, 0), sigma)
        return np.asarray(out if out.ndim == 3 else out[..., None])
    parts = [_blur(np.ascontiguousarray(x[..., i : i + 4]), sigma) for i in range(0, x.shape[2], 4)]
    return np.concatenate(parts, axis=2)


def fill_unknown(values: Array, weight: Array, sigmas: tuple[float, ...], support: float = 0.25) -> Array:
    """Smooth (h, w, c) `values` where `weight` is 0..1 known, carried on into the unknown.

    Each pixel takes the finest of the rising `sigmas` (px) that still finds `support` of known weight around it,
    blended so that no border shows. Coarse sigmas are worked out on small grids and only then brought to the next.
    """
    if not sigmas:
        raise ValueError("fill_unknown needs at least one sigma")
    h, w = weight.shape
    out: Array | None = None
    num, den = values * weight[..., None], weight
    for sigma in reversed(sigmas):
        small, known = _blurred_small(num, den, sigma)
        gh, gw = known.shape
        start = np.zeros(small.shape, np.float32) if out is None else _sized(out, gw, gh)
        _blend(start, small, known, np.float32(0 if out is None else support))
        out = start
    assert out is not None
    return _sized(out, w, h)


def _sized(x: Array, width: int, height: int) -> Array:
    """`x` grown to the size, if it has not got it."""
    if x.shape[:2] == (height, width):
        return x
    out = grow(x, width, height)
    return out if out.ndim == 3 else out[..., None]


@njit(cache=True, error_model="numpy", nogil=True)
def _blend(out, num, den, support):  # type: ignore[no-untyped-def]
    """Move `out` towards num / den by how much is known; wholly when `support` is 0. In place."""
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            d = max(den[y, x], np.float32(1e-6))
            trust = min(d / support, np.float32(1)) if support > 0 else np.float32(1)
            for c in range(out.shape[2]):
                out[y, x, c] += trust * (num[y, x, c] / d - out[y, x, c])
