"""Camera noise by brightness: variance = a * signal + b for each channel (photon transfer, EMVA 1288)."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from transmixis.core.types import Array, Mask, Rgb

BLOCK = 8


def noise_law(frame: Rgb, region: Mask, floor: float = 1e-8) -> Array:
    """Return (3, 2) float32 rows (a, b) of variance = a * signal + b, from flat 8 x 8 blocks inside `region`.

    A plane is taken out of every block first, so that falloff does not count as noise. The median over blocks of
    like brightness keeps texture out. With fewer than eight blocks the law is a constant from the whole frame's
    quietest blocks. `floor` is the least variance returned (8-bit rounding keeps real material above it).
    """
    blocks, keep = _blocks(frame), _blocks(region[..., None].astype(np.float32))
    inside = blocks[keep[..., 0].min(axis=1) > 0]
    if len(inside) < 8:
        inside = blocks[np.argsort(blocks.var(axis=1).sum(axis=1))[: max(8, len(blocks) // 10)]]
    mean, var = _plane_residual(inside)
    return np.array([_fit_law(mean[:, c], var[:, c], floor) for c in range(3)], np.float32)


def _blocks(x: Array) -> Array:
    """(h, w, c) to (n, 64, c); the rest at the right and lower border is left out."""
    h, w = x.shape[0] // BLOCK, x.shape[1] // BLOCK
    cut = x[: h * BLOCK, : w * BLOCK].reshape(h, BLOCK, w, BLOCK, x.shape[2])
    return np.asarray(cut.transpose(0, 2, 1, 3, 4).reshape(h * w, BLOCK * BLOCK, x.shape[2]))


def _plane_residual(blocks: Array) -> tuple[Array, Array]:
    yy, xx = np.mgrid[0:BLOCK, 0:BLOCK] - (BLOCK - 1) / 2
    basis = np.linalg.qr(np.stack([np.ones(BLOCK**2), yy.ravel(), xx.ravel()], 1))[0]
    b = blocks.astype(np.float64)
    rest = b - np.einsum("pj,njc->npc", basis, np.einsum("pj,npc->njc", basis, b))
    return b.mean(axis=1), (rest**2).sum(axis=1) / (BLOCK**2 - 3)


def _fit_law(mean: Array, var: Array, floor: float) -> tuple[float, float]:
    edges = np.quantile(mean, np.linspace(0, 1, 9))
    level, spread = [], []
    for lo, hi in pairwise(edges):
        pick = (mean >= lo) & (mean <= hi)
        if pick.sum() >= 4:
            level.append(np.median(mean[pick]))
            spread.append(np.median(var[pick]) * 1.02)  # median of chi-square with 61 degrees lies 1 % under its mean
    if not level:
        return 0.0, max(float(np.median(var)), floor)
    x, v = np.array(level), np.array(spread)
    a = 0.0
    if len(x) > 2 and np.ptp(x) > 0.2 * abs(x.mean()):
        a = max(0.0, float(np.polyfit(x, v, 1)[0]))
    b = float(np.median(v - a * x))
    if b < 0:
        a, b = float(np.median(v / np.maximum(x, 1e-6))), 0.0
    return a, max(b, floor)
