"""What no frame shows, made from its surroundings: every patch of the hole as some patch beside it, from coarse to fine (Wexler, Shechtman & Irani, Space-time
completion of video, 2007), so that texture goes on and lines meet."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.repair.backing import carried_on
from transmixis.core.repair.matching import HALF, match, vote
from transmixis.core.types import Array, Mask, Rgb

SIZE = 2 * HALF + 1
ROUNDS = 5  # of looking and laying at each size
BORDER = 1.3  # by what share what lies one px nearer to the border counts more: it is known better
UNITS = 255.0
TEXTURE, AVERAGED = 4.0, 6.0  # how much texture counts against colour; px over which it is told
SHARP, SHARPER = 2, 60.0  # the last rounds, in which the likest patches count so much more, so that texture is not averaged away


def filled(picture: Rgb, hole: Mask, source: Mask, before: Rgb | None = None, seed: int = 1) -> Rgb:
    """`picture` (h, w, 3) linear with the `hole` (h, w) made up from what is `source` (h, w). `before` (h, w, 3): what was made up there in another frame, to go on
    from. Where nothing can serve as a source the nearest known colour is carried on."""
    hole = hole & ~source
    if not hole.any():
        return picture
    shown = _coded(picture)
    shown = np.dstack([shown, TEXTURE * _texture(shown, source)])
    start = None if before is None else np.dstack([_coded(before), shown[..., 3:]])
    made, near = _at(shown, hole, source, start, _sizes(hole) if before is None else 1, seed)
    del near
    out = np.array(picture, np.float32)
    out[hole] = srgb_to_linear(made[hole][:, :3] / UNITS)
    return out


def _texture(shown: Array, source: Mask) -> Array:
    """How textured each place is, across and down (h, w, 2): the size of the slopes about it, which coarser sizes would not show (Newson, Almansa, Fradet, Gousseau &
    Perez, Video inpainting of complex scenes, 2014)."""
    grey = carried_on(shown, source).mean(axis=2)
    seen = cv2.erode(source.astype(np.uint8), np.ones((3, 3), np.uint8), borderValue=1).astype(np.float32)
    weight = cv2.GaussianBlur(seen, (0, 0), AVERAGED)
    slopes = [np.abs(cv2.Sobel(grey, cv2.CV_32F, *d, scale=1 / 8)) * seen for d in ((1, 0), (0, 1))]
    even = [cv2.GaussianBlur(s, (0, 0), AVERAGED) / np.maximum(weight, 1e-3) for s in slopes]
    return np.stack(even, -1)


def _coded(picture: Rgb) -> Array:
    return np.asarray(linear_to_srgb(np.maximum(picture, 0)) * UNITS, np.float32)


def _sizes(hole: Mask) -> int:
    """How many sizes are gone through: at the coarsest the hole is hardly wider than a patch."""
    deep = float(cv2.distanceTransform(np.pad(hole, 1).astype(np.uint8), cv2.DIST_L2, 5).max())
    sizes = 1
    while deep > HALF and min(hole.shape) >= 4 * SIZE * 2**sizes:
        deep /= 2
        sizes += 1
    return sizes


def _at(shown: Array, hole: Mask, source: Mask, start: Array | None, sizes: int, seed: int) -> tuple[Array, Array]:
    """Hole made up at this size, after the coarser ones: the picture, and where its patches come from (h, w, 2)."""
    h, w = hole.shape
    near = np.full((h, w, 2), -1, np.int64)
    half = _halved(shown, hole, source, start) if sizes > 1 else None
    if half is not None and _sources(half[2]).any():
        small, coarse = _at(*half, sizes - 1, seed)
        up = _sized(small, (w, h), cv2.INTER_CUBIC)
        start, near = up, _doubled(coarse, (h, w))
    ok = _sources(source)
    start = carried_on(shown, source) if start is None else start
    if not ok.any():
        return np.where(hole[..., None], start, shown), near
    return _settled(shown, hole, ok, start, near, seed)


def _settled(shown: Array, hole: Mask, ok: Mask, start: Array, near: Array, seed: int) -> tuple[Array, Array]:
    """Rounds of looking and laying from a start: the picture, and its sources."""
    h, w = hole.shape
    picture = np.ascontiguousarray(np.where(hole[..., None], start, shown), np.float32)
    rows, columns = np.nonzero(ok)
    ys, xs = np.nonzero(cv2.dilate(hole.astype(np.uint8), np.ones((SIZE, SIZE), np.uint8)))
    keep = np.zeros((h, w), bool)
    keep[ys, xs] = True
    near[~keep] = -1
    best = np.full((h, w), np.inf, np.float32)
    depth = cv2.distanceTransform(hole.astype(np.uint8), cv2.DIST_L2, 5)
    for k in range(ROUNDS):
        match(picture, ys, xs, ok, rows, columns, near, best, seed + k)
        spread = max(float(np.quantile(best[ys, xs], 0.75)), 1e-3) / (SHARPER if k >= ROUNDS - SHARP else 1)
        counts = np.exp(-np.minimum(best / (2 * spread), 60)) * BORDER ** -np.minimum(depth, 40)
        made = picture.copy()
        vote(picture, ys, xs, hole, near, counts.astype(np.float32), made)
        picture = made
    return picture, near


def _sources(source: Mask) -> Mask:
    """The middles of patches that are sources all over."""
    return np.asarray(
        cv2.erode(source.astype(np.uint8), np.ones((SIZE, SIZE), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
    )


def _halved(shown: Array, hole: Mask, source: Mask, start: Array | None) -> tuple[Array, Mask, Mask, Array | None]:
    h, w = hole.shape
    size = ((w + 1) // 2, (h + 1) // 2)

    def small(x: Array) -> Array:
        return _sized(x, size, cv2.INTER_AREA)

    known = small(source.astype(np.float32))
    gone = small(hole.astype(np.float32)) > 0
    mean = small(shown * source[..., None]) / np.maximum(known, 1e-6)[..., None]
    return mean, gone, (known > 0.99) & ~gone, None if start is None else small(start)


def _sized(picture: Array, size: tuple[int, int], how: int) -> Array:
    """At another size, however many channels it has."""
    if picture.ndim == 2:
        return np.asarray(cv2.resize(np.ascontiguousarray(picture, np.float32), size, interpolation=how))
    return np.dstack([_sized(picture[..., c], size, how) for c in range(picture.shape[2])])


def _doubled(near: Array, shape: tuple[int, int]) -> Array:
    """Sources found at half the size, for the whole."""
    h, w = shape
    y, x = np.mgrid[0:h, 0:w]
    own = near[y // 2, x // 2]
    out = np.stack([2 * own[..., 0] + y % 2, 2 * own[..., 1] + x % 2], -1)
    out[own[..., 0] < 0] = -1
    out[(out[..., 0] >= h) | (out[..., 1] >= w)] = -1
    return np.ascontiguousarray(out)
