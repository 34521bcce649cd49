"""The camera's motion on a plate with a screen: read from the screen and its marks only.

Two backdrops are aligned directly (Lucas & Kanade, 1981; inverse compositional, Baker & Matthews, 2004), with robust weights and a
smooth change of light taken out. The error follows from the noise and from how much there is to see; what the noise itself adds to
the gradients does not count as seen. A screen with nothing on it gives no motion, and says so.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit

from transmixis.core.motion.backdrop import Backdrop, backdrop_of, slow_terms, soft_at
from transmixis.core.motion.camera import BIAS, Move, measure_shift
from transmixis.core.motion.coding import grey_of
from transmixis.core.types import Array, Rgb

STEPS, STEPS_UNTOLD = 20, 5  # the most, and the most that are spent on a level that tells nothing
DONE, DONE_COARSE = 0.001, 0.004  # px
LARGEST_ERROR = 0.5  # px at that width: a screen that tells less than this tells nothing
SEEN = 0.15  # of the gradients' power must be the cloth's and not the noise's
CAUTION = 1.5  # the stated error over the computed one: shadows and spill on the cloth are not in the noise
TURNED = 5.0  # standard errors, and TURNED_PX at the corners: less rotation or growth is taken for none
TURNED_PX = 0.1
COLUMNS = 14  # x, y; ten terms of a smooth change of light; growth, rotation


def camera_move(reference: Rgb, other: Rgb) -> Move:
    """The camera's motion between two linear frames, as the survey tells it: by the screen and its marks where there is one, else
    by what most of the frame shares."""
    a, b = (backdrop_of(np.ascontiguousarray(f[..., :3])) for f in (reference, other))
    if a is not None and b is not None:
        return align(a, b)
    return measure_shift(grey_of(reference), grey_of(other))


def align(reference: Backdrop, other: Backdrop) -> Move:
    """Motion of `other` against `reference`, px of the frame about its centre."""
    if reference.luma.shape != other.luma.shape:
        return Move(reason="the frames differ in size")
    shift, gain = _best_start(reference, other), _gain(reference, other)
    p, found = np.array([*shift, 0.0, 0.0]), None
    for level in (4, 2, 1):
        fit = _fitted(reference, other, p, gain, level, similar=False)
        if fit is None:
            return Move(reason="too little of the screen is seen in both frames")
        if fit.told:  # a finer level that tells nothing must not spoil what a coarser one has told
            p = fit.p
            # marks are read best where they are finest, faint folds where most of the noise is averaged
            found = fit if found is None or fit.off < found.off else found
    if found is None:
        return Move(reason="the screen shows too little to measure the camera by; put marks on it")
    full = _fitted(reference, other, found.p, gain, found.level, similar=True)
    if full is not None and full.told and _turned(full, reference):
        found = full
    x, y, grow, turn = found.p
    error = found.off / reference.scale
    return Move(
        float(x) / reference.scale,
        float(y) / reference.scale,
        -float(np.degrees(turn)),
        1 + float(grow),
        float(np.hypot(error, BIAS)),
        found.n,
    )


def _turned(fit: _Fit, reference: Backdrop) -> bool:
    reach = float(np.hypot(*reference.luma.shape)) / 2
    sure = max(abs(fit.p[2]) / fit.error[2], abs(fit.p[3]) / fit.error[3]) > TURNED
    return bool(sure and max(abs(fit.p[2]), abs(fit.p[3])) * reach > TURNED_PX)


def _best_start(a: Backdrop, b: Backdrop) -> tuple[float, float]:
    """The start from which both frames are most alike in what is neither light nor noise, looked at coarsely."""
    level, reach = 8, 3
    (x, wx), (y, wy) = a.coarse(level), b.coarse(level)
    h, w = x.shape
    grid = [(float(i * level), float(j * level)) for i in range(-reach, reach + 1) for j in range(-reach, reach + 1)]
    least = 0.4 * float(wx.sum())
    cap = 3 * float(np.median(np.abs(x[wx > 0]))) if wx.any() else 1.0

    def unlike(shift: tuple[float, float]) -> float:
        i, j = round(shift[0] / level), round(shift[1] / level)
        here = (slice(max(0, -j), min(h, h - j)), slice(max(0, -i), min(w, w - i)))
        there = (slice(max(0, j), min(h, h + j)), slice(max(0, i), min(w, w + i)))
        both = (wx[here] > 0) & (wy[there] > 0)
        n = int(both.sum())
        if n < least or n < 20:
            return float("inf")
        # unlike things count no more than a little: somebody passes before the screen
        return float(np.minimum(np.abs(x[here] - y[there])[both], cap).mean()) * (1 + 1e-3 * float(np.hypot(i, j)))

    best = min(grid, key=unlike)
    return best if np.isfinite(unlike(best)) else (0.0, 0.0)


def _gain(a: Backdrop, b: Backdrop) -> float:
    """How much lighter `b` is than `a` where both show the screen. It is not fitted with the motion: on a screen that shows nothing a
    gain of nought would take the noise of `a` out of what is compared, and the rest would seem to have been seen."""
    (x, wx), (y, wy) = a.at(4), b.at(4)
    both = (wx > 0) & (wy > 0)
    return float(np.median(y[both]) / max(float(np.median(x[both])), 1e-6)) if both.sum() >= 20 else 1.0


@dataclass(frozen=True)
class _Fit:
    """Shift (px of the backdrop), growth and rotation, their errors, the pixels used, whether the screen told enough, and where."""

    p: Array
    error: Array
    n: int
    told: bool
    level: int

    @property
    def off(self) -> float:
        """Stated error of the shift, px of the backdrop."""
        return float(np.hypot(self.error[0], self.error[1]))


def _fitted(a: Backdrop, b: Backdrop, p: Array, gain: float, level: int, *, similar: bool) -> _Fit | None:
    """Gauss-Newton with Tukey's weights from a start `p`; None if too few pixels of both are screen."""
    x, (y, wy) = a.at(level)[0], b.at(level)
    y = y / np.float32(gain)
    gx, gy, inside = a.to_follow(level)
    h, w = x.shape
    light = np.zeros(10)
    sigma = np.inf
    own, columns = (4, COLUMNS) if similar else (2, COLUMNS - 2)
    used = [0, 1, *([12, 13] if similar else []), *range(2, 12)]
    unit = np.array([level, level, 1.0, 1.0])
    p = p / unit
    p[own:] = 0
    rest = np.empty((h, w), np.float32)
    for step in range(STEPS):
        normal, right, count, far = _accumulate(
            x, gx, gy, inside, y, wy, p, light, sigma if np.isfinite(sigma) else 1e9, columns, rest
        )
        if count < 150:
            return None
        k = normal[np.ix_(used, used)]
        k = k + np.diag(1e-9 * np.diag(k) + 1e-12)
        seen = _schur(k, own)
        noise = _noise_power(sigma, normal[2, 2], far, own, level) if np.isfinite(sigma) else np.zeros((own, own))
        signal = seen - noise
        told = bool(np.linalg.eigvalsh(signal / np.sqrt(np.outer(np.diag(seen), np.diag(seen)))).min() > SEEN)
        d = np.linalg.solve(k, right[used])
        if told:  # noise in the gradients makes steps too short
            d[:own] = np.linalg.solve(signal, seen @ d[:own])
        size = float(np.hypot(d[0], d[1]))
        d[:own] *= min(1.0, 1.5 / max(size, 1e-9))
        p[:own] -= d[:own]
        light += d[own:]
        sample = rest[::3, ::3]
        sample = sample[np.isfinite(sample)]
        sigma = 1.4826 * float(np.median(np.abs(sample - np.median(sample)))) + 1e-7
        if (size < (DONE if level == 1 else DONE_COARSE) and step > 1) or (not told and step >= STEPS_UNTOLD):
            break
    error = np.full(4, np.inf)
    if told:
        back, light_part = np.linalg.inv(signal), np.linalg.solve(k[own:, own:], k[own:, :own])
        scores = _score_noise(gx, gy, rest, sigma, light_part, level)
        error[:own] = CAUTION * np.sqrt(np.maximum(np.diag(back @ scores @ back), 0))
        told = bool(np.hypot(error[0], error[1]) * level < LARGEST_ERROR)
    return _Fit(p * unit, error * unit, int(count), told, level)


def _schur(k: Array, own: int) -> Array:
    """What the movement's own columns tell once light has taken its part."""
    return np.asarray(k[:own, :own] - k[:own, own:] @ np.linalg.solve(k[own:, own:], k[own:, :own]))


def _score_noise(gx: Array, gy: Array, rest: Array, sigma: float, light_part: Array, level: int) -> Array:
    """Covariance that the noise gives to the right side of the movement's columns, once light has taken its part.

    The noise was white before it was smoothed by `soft`, so the weighted columns, laid where they were looked at and smoothed alike,
    give it exactly, however thinly the pixels lie."""
    h, w = gx.shape
    at = np.nonzero(np.abs(np.nan_to_num(rest, nan=np.inf)) < 4.685 * sigma)
    q = (1 - (rest[at] / (4.685 * sigma)) ** 2) ** 2
    columns = [gx[at], gy[at]]
    if light_part.shape[1] == 4:
        du, dv = at[1] - (w - 1) / 2, at[0] - (h - 1) / 2
        columns += [columns[0] * du + columns[1] * dv, columns[1] * du - columns[0] * dv]
    seen = np.column_stack(columns) - slow_terms(h, w)[at] @ light_part
    laid = np.zeros((h, w, seen.shape[1]), np.float32)
    laid[at] = q[:, None] * seen
    flat = cv2.GaussianBlur(laid, (0, 0), soft_at(level), borderType=cv2.BORDER_CONSTANT).reshape(h * w, -1).astype(np.float64)
    return np.asarray(flat.T @ flat) * sigma**2 * 4 * np.pi * soft_at(level) ** 2


def _noise_power(sigma: float, weights: float, far: float, own: int, level: int) -> Array:
    """What noise adds to the normal matrix. Half of the residual's variance is the reference's, and smoothed noise has gradients
    of variance / (2 soft^2) each way; the columns of growth and rotation weigh them by the distance from the centre."""
    each = sigma**2 / 2 / (2 * soft_at(level) ** 2)
    return np.diag([each * weights, each * weights, each * far, each * far][:own])


@njit(cache=True, error_model="numpy", nogil=True, fastmath={"contract", "reassoc", "nsz", "arcp"})
def _accumulate(x, gx, gy, inside, y, wy, p, light, sigma, columns, rest):  # type: ignore[no-untyped-def]
    """One pass of Gauss-Newton: normal matrix, right side, pixels used, their weighted squared distance from the centre; fills
    `rest` with the residuals (nan outside). Columns: shift x, y; ten slow terms; growth, rotation."""
    h, w = x.shape
    normal, right = np.zeros((columns, columns)), np.zeros(columns)
    count, far = 0, 0.0
    cu, cv = (w - 1) / 2, (h - 1) / 2
    cut = 4.685 * sigma
    j, jq = np.empty(14), np.empty(14)
    for v in range(h):
        s2 = 2 * v / (h - 1) - 1
        for u in range(w):
            rest[v, u] = np.nan
            if inside[v, u] == 0:
                continue
            du, dv = u - cu, v - cv
            fu = cu + p[0] + (1 + p[2]) * du - p[3] * dv
            fv = cv + p[1] + p[3] * du + (1 + p[2]) * dv
            iu, iv = int(np.floor(fu)), int(np.floor(fv))
            if iu < 1 or iv < 1 or iu > w - 3 or iv > h - 3:
                continue
            if wy[iv, iu] == 0 or wy[iv, iu + 1] == 0 or wy[iv + 1, iu] == 0 or wy[iv + 1, iu + 1] == 0:
                continue
            a, b = fu - iu, fv - iv
            s = (1 - b) * ((1 - a) * y[iv, iu] + a * y[iv, iu + 1]) + b * ((1 - a) * y[iv + 1, iu] + a * y[iv + 1, iu + 1])
            s1 = 2 * u / (w - 1) - 1
            j[0], j[1] = gx[v, u], gy[v, u]
            j[2], j[3], j[4], j[5] = 1.0, s2, s2 * s2, s2 * s2 * s2
            j[6], j[7], j[8] = s1, s1 * s2, s1 * s2 * s2
            j[9], j[10], j[11] = s1 * s1, s1 * s1 * s2, s1 * s1 * s1
            j[12], j[13] = gx[v, u] * du + gy[v, u] * dv, gy[v, u] * du - gx[v, u] * dv
            r = s - x[v, u]
            for k in range(10):
                r -= light[k] * j[2 + k]
            rest[v, u] = r
            z = r / cut
            if abs(z) >= 1:
                continue
            q = (1 - z * z) ** 2
            count += 1
            far += q * (du * du + dv * dv)
            for k in range(columns):
                jq[k] = q * j[k]
                right[k] += jq[k] * r
            for k in range(columns):
                for m in range(k + 1):
                    normal[k, m] += jq[k] * j[m]
    for k in range(columns):
        for m in range(k):
            normal[m, k] = normal[k, m]
    return normal, right, count, far
