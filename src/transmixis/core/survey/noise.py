"""Camera noise by brightness: variance = a * signal + b for each channel (photon transfer, EMVA 1288)."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from transmixis.core.types import Array, Mask, Rgb

BLOCK = 8
GREY = 0.18  # scene linear


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


QUIET_QUARTER = 0.80  # median of the quietest quarter of blocks over their mean variance, 63 degrees of freedom
FLAT_SHIFT = 4.0  # standard errors: a block whose mean changes by more has moved


@dataclass(frozen=True)
class TimeNoise:
    """Noise from pairs of frames: `law` (3, 2) rows (a, b); `levels` and `variance` (k,) of the green channel for a plot;
    `neighbours`: correlation of the noise with that of the next pixel, -1..1, which is 0 for a sensor's own."""

    law: Array
    levels: Array
    variance: Array
    neighbours: float

    @property
    def level(self) -> float:
        """Deviation of the green channel at middle grey, in 8-bit levels of the sRGB curve (its slope: IEC 61966-2-1)."""
        a, b = (float(v) for v in self.law[1])
        return float(np.sqrt(max(a * GREY + b, 0.0)) * 1.055 / 2.4 * GREY ** (1 / 2.4 - 1) * 255)


def noise_over_time(pairs: list[tuple[Rgb, Rgb]], floor: float = 1e-8, where: Mask | None = None) -> TimeNoise | None:
    """Noise law from frames of the same view taken one after the other, of all of them or `where` (h, w) is known to stand still; None if nothing stands still in them.

    Half the variance of the difference of two frames is their noise, texture and falloff cancel (EMVA 1288, 4.0). Blocks
    whose mean differs have moved and are left out; the median over blocks of like brightness keeps the rest of motion out.
    """
    means, variances, links = [], [], []
    for a, b in pairs:
        m, v, link = _block_noise(a, b, where)
        means.append(m)
        variances.append(v)
        links.append(link)
    mean, var, linked = np.concatenate(means), np.concatenate(variances), np.concatenate(links)
    if len(mean) < 40:
        return None
    laws, kept = zip(*(_law_of_the_still(mean[:, c], var[:, c], floor) for c in range(3)), strict=True)
    law, green = np.array(laws, np.float32), kept[1]
    if law[1, 0] == 0 and law[1, 1] <= 2 * floor:
        return None  # what stands still there holds no noise at all (black borders, flat white): nothing was measured
    quiet = var[:, 1] <= np.quantile(var[:, 1], 0.6)
    levels, spread = _curve(mean[green, 1], var[green, 1])
    return TimeNoise(law, levels, spread, float(np.median(linked[quiet])))


def _law_of_the_still(mean: Array, var: Array, floor: float) -> tuple[tuple[float, float], Array]:
    """The law that the quietest blocks follow, and which blocks follow it; what moves has more variance than noise can."""
    low = var <= _running_quantile(mean, var, 0.25)
    a, b = _fit_law(mean[low], var[low] / QUIET_QUARTER, floor)
    keep = low
    for _ in range(4):
        expected = a * mean + b
        keep = (var > 0.55 * expected) & (var < 1.6 * expected)  # chi-square of 63 degrees, 0.1 to 99.9 %
        if keep.sum() < 40:
            return (a, b), low
        a, b = _fit_law(mean[keep], var[keep], floor)
    return (a, b), keep


def _running_quantile(mean: Array, var: Array, share: float) -> Array:
    """For each block the quantile of the variance of blocks of like brightness."""
    edges = np.quantile(mean, np.linspace(0, 1, 13))
    bins = np.clip(np.searchsorted(edges, mean, side="right") - 1, 0, 11)
    at = np.array([np.quantile(var[bins == k], share) if (bins == k).any() else 0.0 for k in range(12)])
    return np.asarray(at[bins])


def _block_noise(a: Rgb, b: Rgb, where: Mask | None = None) -> tuple[Array, Array, Array]:
    """Mean and variance (n, 3) of the still blocks of a pair, and the correlation of their noise along lines (n,)."""
    diff = _blocks((a[..., :3] - b[..., :3]).astype(np.float32)) / np.float32(np.sqrt(2))
    level = _blocks(((a[..., :3] + b[..., :3]) / 2).astype(np.float32)).mean(axis=1)
    shift = diff.mean(axis=1)
    rest = diff - shift[:, None]
    var = (rest**2).sum(axis=1) / (BLOCK**2 - 1)
    still = (np.abs(shift) < FLAT_SHIFT * np.sqrt(var / BLOCK**2) + 1e-5).all(axis=1) & (level < 0.9).all(axis=1)
    if where is not None:
        still &= _blocks(where[..., None].astype(np.float32))[..., 0].min(axis=1) > 0
    square = rest[still, :, 1].reshape(-1, BLOCK, BLOCK)
    top = (square[:, :, 1:] * square[:, :, :-1]).mean(axis=(1, 2))
    return level[still], var[still], top / np.maximum((square**2).mean(axis=(1, 2)), 1e-12)


def _curve(mean: Array, var: Array) -> tuple[Array, Array]:
    edges = np.quantile(mean, np.linspace(0, 1, 13))
    level, spread = [], []
    for lo, hi in pairwise(edges):
        pick = (mean >= lo) & (mean <= hi)
        if pick.sum() >= 4:
            level.append(float(np.median(mean[pick])))
            spread.append(float(np.median(var[pick])))
    return np.array(level), np.array(spread)
