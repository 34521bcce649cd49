"""Spreading the screen's model to full size, and taking its light off the subject: passes over whole frames."""

from __future__ import annotations

import numpy as np
from numba import njit, prange


@njit(fastmath=True, error_model="numpy", cache=True)
def _expand_row(by, frame, base, ratio, law, channels, screen, halves, neutral, power):  # type: ignore[no-untyped-def]
    """One row of blocks of `expand_screen`."""
    h, w = frame.shape[0], frame.shape[1]
    gh, gw = ratio.shape[0], ratio.shape[1]
    bh, bw = (1, 1) if base.shape[0] > 1 else (0, 0)  # steps through a picture, or stays on one colour
    zero, one, quarter = np.float32(0), np.float32(1), np.float32(0.25)
    v = min(max(np.float32(2 * by + 1) * np.float32(gh / h) - np.float32(0.5), zero), np.float32(gh - 1.001))
    j = int(v)
    t = v - np.float32(j)
    line = np.empty((gw, 3), np.float32)
    for i in range(gw):
        for c in range(3):
            line[i, c] = ratio[j, i, c] * (one - t) + ratio[j + 1, i, c] * t
    d = np.empty(3, np.float32)
    s = np.empty(3, np.float32)
    y0, y1 = 2 * by, min(2 * by + 1, h - 1)
    k, o1, o2 = channels[0], channels[1], channels[2]
    step = np.float32(gw / w)
    for bx in range((w + 1) // 2):
        # the ratio is smooth over more than a block, so one sample serves its four pixels
        u = min(max(np.float32(2 * bx + 1) * step - np.float32(0.5), zero), np.float32(gw - 1.001))
        i = int(u)
        t = u - np.float32(i)
        x0, x1 = 2 * bx, min(2 * bx + 1, w - 1)
        for c in range(3):
            r = line[i, c] * (one - t) + line[i + 1, c] * t
            a00, a01 = r * base[bh * y0, bw * x0, c], r * base[bh * y0, bw * x1, c]
            a10, a11 = r * base[bh * y1, bw * x0, c], r * base[bh * y1, bw * x1, c]
            screen[y0, x0, c], screen[y0, x1, c], screen[y1, x0, c], screen[y1, x1, c] = a00, a01, a10, a11
            s[c] = (a00 + a01 + a10 + a11) * quarter
            d[c] = (frame[y0, x0, c] + frame[y0, x1, c] + frame[y1, x0, c] + frame[y1, x1, c]) * quarter - s[c]
        if by >= h // 2 or bx >= w // 2:
            continue
        total = zero
        for c in range(3):
            halves[0, by, bx, c], halves[1, by, bx, c] = s[c] + d[c], s[c]
            level = max(s[c], zero)
            # a 2 % error of the screen's own model counts as noise
            total += d[c] * d[c] / (law[c, 0] * level + law[c, 1] + np.float32(4e-4) * level * level)
        power[by, bx] = np.float32(4) * total
        ds = max(s[k] - max(s[o1], s[o2]), np.float32(1e-4))
        neutral[by, bx] = one - (s[k] + d[k] - max(s[o1] + d[o1], s[o2] + d[o2])) / ds


@njit(parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)
def expand_screen(frame, base, ratio, law, channels, screen, halves, neutral, power):  # type: ignore[no-untyped-def]
    """Spread the screen's ratio to full size and compare the frame with it, in one pass over 2 x 2 blocks.

    base: (h, w, 3), or (1, 1, 3) for one colour. ratio: (gh, gw, 3). Fills `screen` (h, w, 3); `halves`
    (2, h // 2, w // 2, 3), frame and screen at half the size; `neutral` (h // 2, w // 2), the difference matte that assumes a neutral subject; `power` (h // 2, w // 2), the power of the
    2 x 2 mean of (frame - screen) against the noise law. Odd last rows and columns get a screen but no block.
    """
    for by in prange((frame.shape[0] + 1) // 2):
        _expand_row(by, frame, base, ratio, law, channels, screen, halves, neutral, power)


@njit(parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)
def remove_spill(fore, screen, alpha, channels, amount):  # type: ignore[no-untyped-def]
    """Take `amount` (0..1) of the spilled screen light from premultiplied `fore` in place.

    Spill is the screen's own light thrown on the subject, so what goes is a multiple of the screen's colour, all three
    channels: taking only the screen's channel would tint the subject towards the opposite colour.
    """
    height, width = alpha.shape
    k, o1, o2 = channels[0], channels[1], channels[2]
    for y in prange(height):
        for x in range(width):
            d = fore[y, x, k] - max(fore[y, x, o1], fore[y, x, o2])
            if d <= 0:
                continue
            ds = max(screen[y, x, k] - max(screen[y, x, o1], screen[y, x, o2]), np.float32(1e-4))
            s = amount * d / ds
            for c in range(3):
                fore[y, x, c] = max(fore[y, x, c] - s * screen[y, x, c], np.float32(0))
