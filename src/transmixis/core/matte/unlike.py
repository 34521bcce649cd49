"""How unlike the empty frame each pixel of a take is: measured against the noise's law, with light that changed and shadow told from things.

A shadow takes of all channels alike and keeps the texture: around each pixel the frame is explained as the empty frame times one light. What
is left over, against noise, is what a thing adds. Where neither has texture the two look the same, so that darker things of a like colour
can pass for shadow; the border's cost (core.matte.cut) and the colours of the shot's things decide there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np

from transmixis.core.matte.convolve import fill_unknown
from transmixis.core.types import Array, Mask, Rgb

NEAR = 1.2  # px: sigma over which a misfit is weighed
AROUND = 2.5  # px: sigma over which one light is fitted
MOST = 60.0  # misfit that counts: more tells nothing more
MODEL = 0.02  # of the signal: what the law of the noise does not know (compression, reflections)
STANDS = 0.12  # px: what alignment may be wrong by
TINT = 0.08  # of the light: how far the light of a shadow differs between channels (skylight against sun; judgement)
BLACK = 0.002  # scene linear: what an 8-bit code and a curve's toe leave uncertain near black
DARKEST, LIGHTEST = 0.2, 1.08  # light that a shadow leaves; what lights up is seldom more than this
LEVELS, TEXTURES = 8, 8  # bins of brightness and of texture, by their logarithms
BINS_NEAR = (0.4, 1.0, 3.0)  # bins: what a bin without enough pixels is read from
DARK = 1e-4  # scene linear: what is darker is as dark
CHI = ((0.6, 2.946), (0.9, 6.251))  # the misfit that such a share of noise in three channels stays under (chi square, tables)
MOST_WORN = 60.0
FEW = 200  # pixels that a class must have
SHADOW = 1.5  # what a shadow costs: it is rarer than plain background


@dataclass(frozen=True)
class Unlike:
    """`plain` (h, w): misfit to the empty frame, 3 where it is noise alone; `shaded`: the same to the empty frame in another light, with what
    such a light costs; `light` (h, w): that light over the empty frame's."""

    plain: Array
    shaded: Array
    light: Array


def unlike(frame: Rgb, empty: Rgb, law: Array, grains: Array | float = 2.0, wear: Array | float = 1.0) -> Unlike:
    """Compare a frame with the empty one that stands and is lit as it is. `grains`: how many noises lie between them, 2 if the empty
    frame is as noisy as the take, 1 if it has none; or a map of it (h, w, 1). `wear`: see `worn`."""
    noise = spread(frame, empty, law, grains, wear)
    plain = _near(_summed((frame - empty) ** 2 / noise))
    light, grey = _light(frame, empty, noise)
    rest = _summed((frame - light * empty) ** 2 / noise)
    return Unlike(plain, _near(rest) + _costs(light, grey, empty), grey)


def misfit(frame: Rgb, behind: Rgb, law: Array, grains: Array | float = 2.0, wear: Array | float = 1.0) -> Array:
    """Every pixel's own misfit (h, w) to what lies behind; 3 where it is noise alone."""
    return _summed((frame - behind) ** 2 / spread(frame, behind, law, grains, wear)).astype(np.float32)


def worn(
    frames: Sequence[Rgb], empties: Sequence[Rgb], bare: Sequence[Mask], law: Array, grains: Array | float, shares: int = 2
) -> Array:
    """How many times the variance of noise, error and place (h, w, 1) what shows the empty frame really differs from it by, at least 1, by how bright it
    is and how much texture there is: coding wears what is dark and textured more than what is bright and flat, and leaves stir. `empties` are the
    empty frame as it is lit in each, `bare` (h, w) where it is seen; `shares`: how many of CHI are looked at, 1 where things
    may still be among it, when all levels are one class: a dark thing may fill the dark class."""
    grey = empties[0].mean(axis=2)
    texture = _binned(np.log(_slope2(grey) + 1e-8), TEXTURES)
    level = _binned(np.log(np.maximum(grey, DARK)), LEVELS if shares > 1 else 1)
    columns, rows = int(texture.max()) + 1, int(level.max()) + 1
    kind = level.astype(int) * columns + texture.astype(int)
    found: list[list[float]] = [[] for _ in range(rows * columns)]
    for f, e, b in zip(frames, empties, bare, strict=True):
        off = misfit(f, e, law, grains)
        order = np.argsort(kind[b], kind="stable")
        ends = np.searchsorted(kind[b][order], np.arange(rows * columns + 1))
        sorted_ = off[b][order]
        for k, (i, j) in enumerate(pairwise(ends)):
            if j - i > FEW:
                found[k].append(max(float(np.quantile(sorted_[i:j], q)) / chi for q, chi in CHI[:shares]))
    table = np.array([np.clip(np.median(v), 1, MOST_WORN) if v else 1.0 for v in found], np.float32).reshape(rows, columns, 1)
    known = np.array([bool(v) for v in found], np.float32).reshape(rows, columns)
    if known.any():
        table = fill_unknown(table, known, BINS_NEAR)
    factor = cv2.remap(table[..., 0], texture - 0.5, level - 0.5, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(cv2.GaussianBlur(factor, (0, 0), AROUND)[..., None])


def _binned(values: Array, bins: int) -> Array:
    """Where each value (h, w) lies among so many bins of its usual range, 0 .. bins."""
    low, high = np.quantile(values, (0.02, 0.98))
    return np.asarray(np.clip((values - low) / max(float(high - low), 1e-6) * bins, 0, bins - 1e-3), np.float32)


def spread(frame: Rgb, empty: Rgb, law: Array, grains: Array | float, wear: Array | float = 1.0) -> Array:
    """The variance (h, w, 3) of the difference of two frames that show the same."""
    level = np.maximum(np.maximum(frame, empty), 0)
    slope = np.stack([_slope2(empty[..., c]) for c in range(3)], axis=2)
    return np.asarray(wear * (grains * (law[:, 0] * level + law[:, 1]) + (MODEL * level) ** 2 + STANDS**2 * slope), np.float32)


def _slope2(x: Array) -> Array:
    gx, gy = cv2.Sobel(x, cv2.CV_32F, 1, 0, ksize=3, scale=1 / 8), cv2.Sobel(x, cv2.CV_32F, 0, 1, ksize=3, scale=1 / 8)
    return np.asarray(cv2.blur(gx * gx + gy * gy, (3, 3)))


def _near(misfit: Array) -> Array:
    """A misfit weighed over its neighbourhood; what is plainly another thing must not spill over what lies beside it."""
    return np.asarray(cv2.GaussianBlur(np.minimum(misfit, MOST).astype(np.float32), (0, 0), NEAR))


def _light(frame: Rgb, empty: Rgb, noise: Array) -> tuple[Array, Array]:
    """The light that brings the empty frame nearest to the frame around each pixel (weighted least squares): of every channel (h, w, 3), and
    one (h, w) for all of them."""
    over = cv2.GaussianBlur(frame * empty / noise, (0, 0), AROUND)
    under = cv2.GaussianBlur(empty * empty / noise, (0, 0), AROUND)
    each = np.clip(over / np.maximum(under, 1e-6), 0.02, 8)
    together = _summed(over) / np.maximum(_summed(under), 1e-6)
    return each.astype(np.float32), np.clip(together, 0.02, 8).astype(np.float32)


def _summed(x: Array) -> Array:
    """The sum over the channels; NumPy's own is slow over so few."""
    return np.asarray(x[..., 0] + x[..., 1] + x[..., 2])


def _costs(light: Array, grey: Array, empty: Rgb) -> Array:
    """What a light costs as a shadow: it is rare, has hardly a tint, and leaves between a fifth and all. What is nearly black has no tint that
    could be told."""
    base = np.maximum(empty, 0)
    off = (light - grey[..., None]) * base
    tint = _summed(off**2 / ((TINT * grey[..., None] * base) ** 2 + BLACK**2))
    stops = np.log(grey)
    out = np.maximum(np.log(DARKEST) - stops, 0) + np.maximum(stops - np.log(LIGHTEST), 0)
    return np.asarray(SHADOW + tint + (out / 0.05) ** 2, np.float32)
