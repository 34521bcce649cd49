"""Alpha algebra on premultiplied pictures (Porter & Duff, Compositing Digital Images, 1984)."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from transmixis.core.errors import UserError
from transmixis.core.threads import threads_for
from transmixis.core.types import Array, Matte, Rgb, Rgba


def join(foreground: Rgb, alpha: Matte) -> Rgba:
    """Premultiplied (h, w, 3) colour and (h, w) alpha as one (h, w, 4) picture."""
    return np.concatenate([foreground, alpha[..., None]], axis=2).astype(np.float32, copy=False)


def with_alpha(picture: Array) -> Rgba:
    """The picture with an alpha: as it is if it has one, else opaque."""
    if picture.shape[2] == 4:
        return picture
    return join(picture[..., :3], np.ones(picture.shape[:2], np.float32))


def alike(front: Array, back: Array) -> None:
    """Raises UserError for pictures that are not as large as each other: the compiled loops look no further than the first one's size."""
    (h, w), (high, wide) = front.shape[:2], back.shape[:2]
    if (h, w) != (high, wide):
        raise UserError(
            f"What lies in front is {w} × {h} pixels and what lies behind {wide} × {high}; put Place between, which fits one into the other."
        )


def over(front: Rgba, back: Array) -> Array:
    """`front` (h, w, 4) over `back` (h, w, 3 or 4), both premultiplied; gives as many channels as `back` has. Raises UserError for other sizes."""
    alike(front, back)
    out = np.empty(back.shape, np.float32)
    with threads_for(back.shape[0] * back.shape[1]):
        _over(np.ascontiguousarray(front, np.float32), np.ascontiguousarray(back, np.float32), out)
    return out


@njit(parallel=True, cache=True, nogil=True)
def _over(front, back, out):  # type: ignore[no-untyped-def]
    h, w, channels = back.shape
    for y in prange(h):
        for x in range(w):
            keep = np.float32(1) - front[y, x, 3]
            for c in range(channels):
                out[y, x, c] = front[y, x, c] + keep * back[y, x, c]
