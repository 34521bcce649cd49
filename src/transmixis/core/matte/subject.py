"""The colours a subject is known to have: clusters from the whole shot's core, and the core nearby each pixel.

Every cluster is a Gaussian in scene linear RGB, packed as a mean (3,) and the upper triangle of its covariance (6,).
"""

from __future__ import annotations

import warnings
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from scipy.cluster.vq import kmeans2

from transmixis.core.matte.convolve import blurred_sums
from transmixis.core.matte.gather import gathered
from transmixis.core.types import Array, Mask, Matte, Rgb

if TYPE_CHECKING:
    from collections.abc import Sequence

EDGE_GRID = 160  # px: width of the grid on which a first solution's colours are gathered; 320 tells no more
EDGE_NEAR, EDGE_FAR = 4.0 / 640, 12.0 / 640  # of the width: sigmas over which they are
UPPER = ((0, 0), (0, 1), (0, 2), (1, 1), (1, 2), (2, 2))


@dataclass(frozen=True)
class Clusters:
    """`mean` (k, 3), `cov` (k, 6), `weight` (k,) adding up to one; k may be 0."""

    mean: Array
    cov: Array
    weight: Array


def colour_distance(picture: Array, mean: Array, cov: Array) -> Array:
    """Squared distance (h, w) of every colour of a (h, w, 3) picture from a Gaussian with `mean` (3,) and `cov` (3, 3), in its own deviations (Mahalanobis)."""
    white = np.linalg.inv(np.linalg.cholesky(np.asarray(cov, np.float64)))
    off = cv2.transform(picture, np.hstack([white, -white @ np.asarray(mean, np.float64)[:, None]]))
    return np.asarray(cv2.transform(off * off, np.ones((1, 3))))


def unpacked(cov: Array) -> Array:
    """The (3, 3) covariance of its upper triangle (6,)."""
    full = np.zeros((3, 3))
    for value, (i, j) in zip(cov, UPPER, strict=True):
        full[i, j] = full[j, i] = value
    return full


def core_distance(difference: Array, sure_width: float, soften: float) -> tuple[Array, Mask]:
    """Distance (px) of every pixel from what may be screen, and the mask of that.

    `difference` is the matte that assumes a neutral subject (1 = no screen); it is softened against noise by `soften` px.
    Small islands of screen colour deep inside the subject, such as its reflection in a button, do not count: nothing
    behind the subject can show there.
    """
    maybe: Array = (cv2.GaussianBlur(difference, (0, 0), soften) < 0.75).astype(np.uint8)
    maybe = cv2.morphologyEx(maybe, cv2.MORPH_OPEN, np.ones((2, 2), np.uint8))
    maybe = _without_islands(maybe, sure_width)
    dist = cv2.distanceTransform(1 - maybe, cv2.DIST_L2, 3)
    return np.asarray(dist, np.float32), np.asarray(maybe > 0)


def _without_islands(maybe: Array, reach: float) -> Array:
    """Drop pieces under 0.1 % of the frame that lie further than `reach` px from every larger piece.

    Pieces are told apart at half size, where a piece of one pixel still counts: pieces that touch there are one.
    """
    h, w = maybe.shape
    half = (cv2.resize(maybe * 255, (max(1, w // 2), max(1, h // 2)), interpolation=cv2.INTER_AREA) > 0).astype(np.uint8)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(half, connectivity=8)
    small = np.flatnonzero(stats[:, cv2.CC_STAT_AREA] < 0.001 * half.size)
    small = small[small != 0]
    if len(small) == 0 or len(small) == count - 1:
        return maybe
    is_small = np.zeros(count, bool)
    is_small[small] = True
    islands = is_small[labels]
    far = cv2.distanceTransform(((half == 0) | islands).astype(np.uint8), cv2.DIST_L2, 3) > reach / 2
    drop = cv2.resize((islands & far).astype(np.uint8), (w, h), interpolation=cv2.INTER_NEAREST)
    return np.asarray(maybe & (1 - drop), np.uint8)


def shot_clusters(frames: Sequence[Rgb], cores: Sequence[Mask], most: int = 8) -> Clusters:
    """Cluster the core colours of sampled frames. The widening of each covariance allows for spill and shading."""
    rng = np.random.default_rng(0)  # fixed: the same shot always gives the same clusters
    picked = [f[c] for f, c in zip(frames, cores, strict=True) if c.any()]
    if not picked:
        return Clusters(np.zeros((0, 3), np.float32), np.zeros((0, 6), np.float32), np.zeros(0, np.float32))
    sample = np.concatenate(picked)
    sample = sample[rng.choice(len(sample), min(len(sample), 6000), replace=False)].astype(np.float64)
    k = int(np.clip(len(sample) // 40, 1, most))
    # a little spread keeps flat made colours from giving empty clusters
    spread = np.cbrt(np.maximum(sample, 0)) + rng.normal(0, 1e-3, sample.shape)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # an empty cluster is dropped below
        _, label = kmeans2(spread, k, minit="++", seed=1, iter=20)
    groups = [g for g in (sample[label == j] for j in range(k)) if len(g) >= 15]
    if not groups:
        groups = [sample]
    mean = np.array([g.mean(axis=0) for g in groups], np.float32)
    cov = np.array([_packed_cov(g) for g in groups], np.float32)
    weight = np.sqrt([len(g) for g in groups])  # a small part of the subject may own most of the edge
    return Clusters(mean, cov, (weight / weight.sum()).astype(np.float32))


def _packed_cov(group: Array) -> list[float]:
    c = np.cov(group.T) * 1.3 if len(group) > 3 else np.zeros((3, 3))
    c = c + np.diag((0.04 * group.mean(axis=0) + 0.004) ** 2)
    return [float(c[i, j]) for i, j in UPPER]


NO_CLUSTERS = shot_clusters([], [])


@dataclass(frozen=True)
class LocalColours:
    """Core colours around each pixel on a small grid: `support` (h, w), `mean` (h, w, 3), `cov` (h, w, 6)."""

    support: Array
    mean: Array
    cov: Array

    def packed(self) -> Array:
        """All of it as (h, w, 10), as the solver takes it."""
        return np.concatenate([self.support[..., None], self.mean, self.cov], axis=2)


def local_colours(x: Rgb, weight: Array, near: float, far: float) -> LocalColours:
    """Gaussian of the core's colour around each pixel of `x`; `weight` (h, w) is 1 in the core; `near`, `far`: sigmas, px."""
    return _around(_moments(x) * weight[..., None], weight, (near, far), least=1e-9, widened=1.2, spread=0.004, enough=0.1)


def solved_colours(alpha: Matte, fore: Rgb, size: tuple[int, int], near: float, far: float) -> LocalColours:
    """Gaussian of the subject's colour around each place of a grid of `size` (width, height), from a solution's `alpha` (h, w) and
    premultiplied `fore` (h, w, 3), so that the edge's own colours are in it. `near`, `far`: sigmas, px of the grid."""
    sums = gathered(alpha, fore, size)
    return _around(sums[..., :9], sums[..., 9], (near, far), least=1e-4, widened=1.0, spread=0.002, enough=0.02)


def edge_colours(alpha: Matte, fore: Rgb) -> Array:
    """(gh, gw, 10) of the subject's colour around each pixel, its edges among them, by a first solution, as the solver takes it."""
    h, w = alpha.shape
    gw = min(EDGE_GRID, w)
    return solved_colours(alpha, fore, (gw, max(2, round(gw * h / w))), EDGE_NEAR * gw, EDGE_FAR * gw).packed()


def _moments(x: Rgb) -> Array:
    return np.concatenate([x] + [(x[..., i] * x[..., j])[..., None] for i, j in UPPER], axis=2)


def _around(
    sums: Array, weight: Array, sigmas: tuple[float, float], *, least: float, widened: float, spread: float, enough: float
) -> LocalColours:
    """Means and covariances around each pixel from weighted `sums` (h, w, 9) and their `weight`; the wider sigma fills in where the narrower
    one has nothing. `least`: weight that counts as none; `spread`: that any colour has; `enough`: weight that is full support."""
    (close, close_w), (wide, wide_w) = (blurred_sums(sums, weight, s) for s in sigmas)
    total = (close_w + 0.15 * wide_w + least)[..., None]
    m = (close + 0.15 * wide) / total
    mean, cov = m[..., :3].copy(), m[..., 3:] * 1.0
    for q, (i, j) in enumerate(UPPER):
        cov[..., q] = widened * (cov[..., q] - mean[..., i] * mean[..., j])
        if i == j:
            cov[..., q] = np.maximum(cov[..., q], 0) + (0.05 * mean[..., i] + spread) ** 2
        else:
            cov[..., q] *= 0.98  # a few strong colours alone would leave nothing but rounding of its determinant
    support = np.clip(wide_w / enough, 0, 1)
    return LocalColours(support.astype(np.float32), mean.astype(np.float32), cov.astype(np.float32))
