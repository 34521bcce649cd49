"""Spreading the screen's model to full size, and taking its light off the subject: passes over whole frames."""

from __future__ import annotations

import numpy as np
from numba import njit, prange


@njit(inline="always", fastmath=True, error_model="numpy")
def _ratio_line(ratio, by, h, line):  # type: ignore[no-untyped-def]
    """Fill `line` (gw, 3) with the ratio at the height of the row `by` of 2 x 2 blocks."""
    gh = ratio.shape[0]
    v = min(max(np.float32(2 * by + 1) * np.float32(gh / h) - np.float32(0.5), np.float32(0)), np.float32(gh - 1.001))
    j = int(v)
    t = v - np.float32(j)
    for i in range(line.shape[0]):
        for c in range(3):
            line[i, c] = ratio[j, i, c] * (np.float32(1) - t) + ratio[j + 1, i, c] * t


@njit(fastmath=True, error_model="numpy", cache=True)
def _spread_row(by, base, ratio, screen):  # type: ignore[no-untyped-def]
    """One row of blocks of `spread_screen`."""
    h, w = screen.shape[0], screen.shape[1]
    bh, bw = (1, 1) if base.shape[0] > 1 else (0, 0)  # steps through a picture, or stays on one colour
    gw = ratio.shape[1]
    line = np.empty((gw, 3), np.float32)
    _ratio_line(ratio, by, h, line)
    y0, y1 = 2 * by, min(2 * by + 1, h - 1)
    step = np.float32(gw / w)
    for bx in range((w + 1) // 2):
        # the ratio is smooth over more than a block, so one sample serves its four pixels
        u = min(max(np.float32(2 * bx + 1) * step - np.float32(0.5), np.float32(0)), np.float32(gw - 1.001))
        i = int(u)
        t = u - np.float32(i)
        x0, x1 = 2 * bx, min(2 * bx + 1, w - 1)
        for c in range(3):
            r = line[i, c] * (np.float32(1) - t) + line[i + 1, c] * t
            screen[y0, x0, c], screen[y0, x1, c] = r * base[bh * y0, bw * x0, c], r * base[bh * y0, bw * x1, c]
            screen[y1, x0, c], screen[y1, x1, c] = r * base[bh * y1, bw * x0, c], r * base[bh * y1, bw * x1, c]


@njit(parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)
def spread_screen(base, ratio, screen):  # type: ignore[no-untyped-def]
    """Fill `screen` (h, w, 3) with the screen at full size: base (h, w, 3), or (1, 1, 3) for one colour, times the ratio (gh, gw, 3)."""
    for by in prange((screen.shape[0] + 1) // 2):
        _spread_row(by, base, ratio, screen)


@njit(fastmath=True, error_model="numpy", cache=True)
def _compare_row(by, frame, base, ratio, law, channels, halves, neutral, power):  # type: ignore[no-untyped-def]
    """One row of blocks of `compare_halves`."""
    h, w = frame.shape[0], frame.shape[1]
    bh, bw = (1, 1) if base.shape[0] > 1 else (0, 0)
    gw = ratio.shape[1]
    one, quarter = np.float32(1), np.float32(0.25)
    line, s, f = np.empty((gw, 3), np.float32), np.empty(3, np.float32), np.empty(3, np.float32)
    _ratio_line(ratio, by, h, line)
    y0, y1 = 2 * by, 2 * by + 1
    k, o1, o2 = channels[0], channels[1], channels[2]
    step = np.float32(gw / w)
    for bx in range(w // 2):
        u = min(max(np.float32(2 * bx + 1) * step - np.float32(0.5), np.float32(0)), np.float32(gw - 1.001))
        i = int(u)
        t = u - np.float32(i)
        x0, x1 = 2 * bx, 2 * bx + 1
        total = np.float32(0)
        for c in range(3):
            b = base[bh * y0, bw * x0, c] + base[bh * y0, bw * x1, c] + base[bh * y1, bw * x0, c] + base[bh * y1, bw * x1, c]
            s[c] = (line[i, c] * (one - t) + line[i + 1, c] * t) * b * quarter
            f[c] = (frame[y0, x0, c] + frame[y0, x1, c] + frame[y1, x0, c] + frame[y1, x1, c]) * quarter
            halves[0, by, bx, c], halves[1, by, bx, c] = f[c], s[c]
            level, d = max(s[c], np.float32(0)), f[c] - s[c]
            # a 2 % error of the screen's own model counts as noise
            total += d * d / (law[c, 0] * level + law[c, 1] + np.float32(4e-4) * level * level)
        power[by, bx] = np.float32(4) * total
        ds = max(s[k] - max(s[o1], s[o2]), np.float32(1e-4))
        neutral[by, bx] = one - (f[k] - max(f[o1], f[o2])) / ds


@njit(parallel=True, fastmath=True, error_model="numpy", cache=True, nogil=True)
def compare_halves(frame, base, ratio, law, channels, halves, neutral, power):  # type: ignore[no-untyped-def]
    """Compare a frame with its screen at half the size, in one pass over 2 x 2 blocks; odd last rows and columns are in none.

    base: (h, w, 3), or (1, 1, 3) for one colour. ratio: (gh, gw, 3). Fills `halves` (2, h // 2, w // 2, 3), frame and screen; `neutral`
    (h // 2, w // 2), the difference matte that assumes a neutral subject; and `power` (h // 2, w // 2), the power of the
    2 x 2 mean of (frame - screen) against the noise law.
    """
    for by in prange(frame.shape[0] // 2):
        _compare_row(by, frame, base, ratio, law, channels, halves, neutral, power)


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
