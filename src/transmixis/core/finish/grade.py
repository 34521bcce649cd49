"""A grade as slope, offset, power and saturation (ASC Color Decision List, version 1.2), without its clamps, so that light beyond white is kept; and tables of colour."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numba import njit, prange

from transmixis.core.colour.curves import LUMA
from transmixis.core.types import Array

Triple = tuple[float, float, float]
LEAST, MOST = 2, 129  # entries of a side of a table


@dataclass(frozen=True)
class Cdl:
    """out = (in slope + offset) ^ power, then `saturation` about BT.709 luma. Below zero the power leaves values as they are."""

    slope: Triple = (1.0, 1.0, 1.0)
    offset: Triple = (0.0, 0.0, 0.0)
    power: Triple = (1.0, 1.0, 1.0)
    saturation: float = 1.0

    @property
    def nothing(self) -> bool:
        return self == Cdl()


def graded(colour: Array, cdl: Cdl) -> Array:
    """(..., 3) colours graded; the input is unchanged."""
    x: Array = np.asarray(colour, np.float32) * np.asarray(cdl.slope, np.float32) + np.asarray(cdl.offset, np.float32)
    if cdl.power != (1.0, 1.0, 1.0):
        x = np.where(x > 0, np.power(np.maximum(x, 1e-12), np.asarray(cdl.power, np.float32)), x)
    if cdl.saturation != 1.0:
        luma = (x @ LUMA)[..., None]
        x = luma + np.float32(cdl.saturation) * (x - luma)
    return np.asarray(x, np.float32)


@dataclass(frozen=True)
class Table:
    """A table of colours: `curves` (n, 3) one for each channel over `low`..`high`, or None; then a `cube` (n, n, n, 3), red first, over the same, or None. What lies beyond is taken as its end."""

    curves: Array | None = None
    cube: Array | None = None
    low: Triple = (0.0, 0.0, 0.0)
    high: Triple = (1.0, 1.0, 1.0)
    name: str = field(default="", compare=False)


def looked_up(colour: Array, table: Table) -> Array:
    """(..., 3) colours through a table: its curves linearly, its cube by tetrahedra (Kasson et al., 1995)."""
    low, high = np.asarray(table.low, np.float32), np.asarray(table.high, np.float32)
    x = np.clip((np.asarray(colour, np.float32) - low) / (high - low), 0, 1)
    if table.curves is not None:
        at = np.linspace(0, 1, len(table.curves))
        x = np.stack([np.interp(x[..., c], at, table.curves[:, c]) for c in range(3)], -1).astype(np.float32)
        if table.cube is not None:
            x = np.clip(x, 0, 1)
    if table.cube is not None:
        flat = np.ascontiguousarray(x.reshape(-1, 3), np.float32)
        out = np.empty_like(flat)
        _tetrahedra(flat, np.ascontiguousarray(table.cube, np.float32), out)
        x = out.reshape(x.shape)
    return np.asarray(x, np.float32)


@njit(parallel=True, cache=True, nogil=True)
def _tetrahedra(x, cube, out):  # type: ignore[no-untyped-def]
    n = cube.shape[0]
    for i in prange(x.shape[0]):
        r, g, b = x[i, 0] * (n - 1), x[i, 1] * (n - 1), x[i, 2] * (n - 1)
        ir, ig, ib = min(int(r), n - 2), min(int(g), n - 2), min(int(b), n - 2)
        fr, fg, fb = r - ir, g - ig, b - ib
        for c in range(3):
            low, high = cube[ir, ig, ib, c], cube[ir + 1, ig + 1, ib + 1, c]
            if fr >= fg:
                if fg >= fb:
                    a, d = cube[ir + 1, ig, ib, c], cube[ir + 1, ig + 1, ib, c]
                    v = (1 - fr) * low + (fr - fg) * a + (fg - fb) * d + fb * high
                elif fr >= fb:
                    a, d = cube[ir + 1, ig, ib, c], cube[ir + 1, ig, ib + 1, c]
                    v = (1 - fr) * low + (fr - fb) * a + (fb - fg) * d + fg * high
                else:
                    a, d = cube[ir, ig, ib + 1, c], cube[ir + 1, ig, ib + 1, c]
                    v = (1 - fb) * low + (fb - fr) * a + (fr - fg) * d + fg * high
            elif fb >= fg:
                a, d = cube[ir, ig, ib + 1, c], cube[ir, ig + 1, ib + 1, c]
                v = (1 - fb) * low + (fb - fg) * a + (fg - fr) * d + fr * high
            elif fb >= fr:
                a, d = cube[ir, ig + 1, ib, c], cube[ir, ig + 1, ib + 1, c]
                v = (1 - fg) * low + (fg - fb) * a + (fb - fr) * d + fr * high
            else:
                a, d = cube[ir, ig + 1, ib, c], cube[ir + 1, ig + 1, ib, c]
                v = (1 - fg) * low + (fg - fr) * a + (fr - fb) * d + fb * high
            out[i, c] = v


def day_for_night(exposure: float, blue: float, saturation: float) -> Cdl:
    """A grade that turns day to night: darker by `exposure` stops, `blue` 0..1 towards moonlight's blue (common practice: 2 to 3 stops, and half of the colour)."""
    k = 2.0**-exposure
    return Cdl((k * (1 - 0.45 * blue), k * (1 - 0.15 * blue), k * (1 + 0.25 * blue)), saturation=saturation)
