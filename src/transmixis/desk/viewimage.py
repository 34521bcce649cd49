"""Linear frames to pictures for the screen."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from numba import njit, prange
from PyQt6.QtGui import QImage

from transmixis.core.types import Array
from transmixis.media.colour import SRGB, from_working

BLACK, GREY, WHITE, STRIPES = "Black", "Grey", "White", "Stripes"
STRIPE = 14  # px
_SHIFT = 12  # bits of a float32 that a table index leaves out: 11 bits of mantissa stay, finer than 8-bit output


@lru_cache(maxsize=4)
def _view_table(space: str) -> Array:
    """8-bit display code for every float32 from 0 up, by its leading 20 bits."""
    top = (np.arange(1 << (32 - _SHIFT), dtype=np.uint64) << _SHIFT).astype(np.uint32).view(np.float32).copy()
    with np.errstate(invalid="ignore", over="ignore"):
        values = np.where(np.isfinite(top) & (top > 0), np.clip(top, 0, 4), np.where(top > 0, 4, 0)).astype(np.float32)
    coded = from_working(np.repeat(values[None, :, None], 3, axis=2), space)[0, :, 0]
    return np.asarray((np.clip(coded, 0, 1) * 255 + 0.5).astype(np.uint8))


@njit(parallel=True, cache=True, nogil=True)
def _paint_rgb(bits, table, out):  # type: ignore[no-untyped-def]
    """bits: (h, w, c) uint32 view of float32 pixels. Fills out (h, w) with 0xffRRGGBB."""
    for y in prange(out.shape[0]):
        for x in range(out.shape[1]):
            r = np.uint32(table[bits[y, x, 0] >> 12])
            g = np.uint32(table[bits[y, x, 1] >> 12])
            b = np.uint32(table[bits[y, x, 2] >> 12])
            out[y, x] = np.uint32(0xFF000000) | (r << np.uint32(16)) | (g << np.uint32(8)) | b


def picture_image(picture: Array, space: str = SRGB, ground: str = GREY) -> QImage:
    """(h, w, 3) or premultiplied (h, w, 4) as a picture; what has alpha is shown before a ground."""
    if picture.shape[2] == 4:
        picture = picture[..., :3] + (1 - picture[..., 3:]) * ground_of(ground, *picture.shape[:2])
    pixels = np.ascontiguousarray(picture, np.float32)
    out = np.empty(pixels.shape[:2], np.uint32)
    _paint_rgb(pixels.view(np.uint32), _view_table(space), out)
    return _image(out)


def ground_of(ground: str, height: int, width: int) -> Array:
    """A plain ground's light, scene linear, or slanted stripes of two greys, (h, w, 1)."""
    if ground != STRIPES:
        return np.full((1, 1, 1), {BLACK: 0.0, WHITE: 1.0}.get(ground, 0.18), np.float32)
    y, x = np.ogrid[:height, :width]
    return np.where((x + y) // STRIPE % 2 == 0, np.float32(0.1), np.float32(0.3))[..., None]


def matte_image(matte: Array) -> QImage:
    """(h, w) 0..1 as grey, shown as it is (a matte is not a colour)."""
    g = (np.clip(matte, 0, 1) * 255 + 0.5).astype(np.uint32)
    return _image(np.uint32(0xFF000000) | (g << 16) | (g << 8) | g)


def difference_image(a: Array, b: Array, gain: float = 4.0) -> QImage:
    """Absolute difference of two pictures, `gain` times, on black."""
    n = min(a.shape[2], b.shape[2], 3)
    return picture_image(np.abs(a[..., :n] - b[..., :n]) * np.float32(gain))


def _image(argb: Array) -> QImage:
    h, w = argb.shape
    data = np.ascontiguousarray(argb)
    image: QImage = QImage(data.data, w, h, w * 4, QImage.Format.Format_RGB32)  # type: ignore[call-overload]
    image.pixels = data  # type: ignore[attr-defined]  # keeps the memory alive as long as the picture
    return image


def warm() -> None:
    """Make the view's table and compile the painter."""
    picture_image(np.zeros((2, 2, 3), np.float32))
    _view_table(SRGB)
