"""What a solution says of the subject's colours, gathered on to a small grid in one pass over the frame."""

from __future__ import annotations

import numpy as np
from numba import njit, prange

from transmixis.core.types import Array, Matte, Rgb


@njit(parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)
def _gather(alpha, fore, out):  # type: ignore[no-untyped-def]
    height, width = alpha.shape
    gh, gw = out.shape[0], out.shape[1]
    for v in prange(gh):
        y0, y1 = v * height // gh, max((v + 1) * height // gh, v * height // gh + 1)
        for u in range(gw):
            x0, x1 = u * width // gw, max((u + 1) * width // gw, u * width // gw + 1)
            s0, s1, s2, s3, s4 = np.float32(0), np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            s5, s6, s7, s8, s9 = np.float32(0), np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            for y in range(y0, y1):
                for x in range(x0, x1):
                    a = alpha[y, x]
                    r, g, b = fore[y, x, 0], fore[y, x, 1], fore[y, x, 2]
                    s0, s1, s2, s9 = s0 + a * r, s1 + a * g, s2 + a * b, s9 + a * a
                    s3, s4, s5 = s3 + r * r, s4 + r * g, s5 + r * b
                    s6, s7, s8 = s6 + g * g, s7 + g * b, s8 + b * b
            k = np.float32(1) / np.float32((y1 - y0) * (x1 - x0))
            out[v, u, 0], out[v, u, 1], out[v, u, 2] = k * s0, k * s1, k * s2
            out[v, u, 3], out[v, u, 4], out[v, u, 5] = k * s3, k * s4, k * s5
            out[v, u, 6], out[v, u, 7], out[v, u, 8], out[v, u, 9] = k * s6, k * s7, k * s8, k * s9


def gathered(alpha: Matte, fore: Rgb, size: tuple[int, int]) -> Array:
    """Means over the cells of a grid of `size` (width, height): alpha times premultiplied colour (3), the products of the colour with itself
    (6, its upper triangle), and alpha squared, as (gh, gw, 10). A pixel so counts by its alpha squared, as far as it can tell the colour, and
    nothing is divided by a small alpha."""
    out = np.empty((size[1], size[0], 10), np.float32)
    _gather(alpha, fore, out)
    return out
