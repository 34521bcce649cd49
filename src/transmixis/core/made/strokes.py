"""Strokes of light with a width: beams, arcs, streaks, lines between outlines."""

from __future__ import annotations

import math

import numpy as np
from numba import njit, prange

from transmixis.core.types import Array

Place = tuple[float, float]
HALVINGS = 7  # of an arc: finer jags are thinner than a pixel
FORK = 0.35  # of an arc's length that a fork has


def drawn(strokes: Array, size: tuple[int, int], soft: float = 0.0) -> Array:
    """(h, w) light of `strokes` (n, 7): x0, y0, x1, y1 px, width px at both ends, and light. Where several lie on each other the brightest counts. `soft` 0..1: how much of the width is a gaussian skirt. A stroke
    thinner than a pixel is fainter instead."""
    out = np.zeros(size, np.float32)
    rows = np.ascontiguousarray(strokes, np.float64).reshape(-1, 7)
    rows = rows[np.isfinite(rows).all(axis=1)]
    if len(rows):
        _draw(rows, float(soft), False, out)
    return out


def added(strokes: Array, size: tuple[int, int], soft: float = 0.0) -> Array:
    """The same, the light of all of them added up."""
    out = np.zeros(size, np.float32)
    rows = np.ascontiguousarray(strokes, np.float64).reshape(-1, 7)
    rows = rows[np.isfinite(rows).all(axis=1)]
    if len(rows):
        _draw(rows, float(soft), True, out)
    return out


@njit(parallel=True, cache=True, nogil=True)
def _draw(rows, soft, adds, out):  # type: ignore[no-untyped-def]
    h, w = out.shape
    bands = 16
    for band in prange(bands):  # rows of the picture are shared out, so that no two threads write one
        top, bottom = band * h // bands, (band + 1) * h // bands
        for k in range(rows.shape[0]):
            x0, y0, x1, y1, w0, w1, light = rows[k]
            widest = max(w0, w1)
            reach = 0.5 * widest + 1 + 1.5 * soft * widest
            low, high = max(top, math.floor(min(y0, y1) - reach)), min(bottom - 1, math.ceil(max(y0, y1) + reach))
            left, right = max(0, math.floor(min(x0, x1) - reach)), min(w - 1, math.ceil(max(x0, x1) + reach))
            dx, dy = x1 - x0, y1 - y0
            length2 = dx * dx + dy * dy
            for y in range(low, high + 1):
                for x in range(left, right + 1):
                    px, py = x + 0.5 - x0, y + 0.5 - y0
                    t = 0.0 if length2 < 1e-12 else min(max((px * dx + py * dy) / length2, 0.0), 1.0)
                    away = math.hypot(px - t * dx, py - t * dy)
                    wide = w0 + t * (w1 - w0)
                    hard = 0.5 * max(wide, 1.0) * (1 - 0.7 * soft)
                    value = min(max(hard + 0.5 - away, 0.0), 1.0) * min(wide, 1.0)
                    if soft > 0 and wide > 0:
                        s = 0.5 * soft * wide + 0.3
                        over = max(away - hard, 0.0)
                        value = max(value, min(wide, 1.0) * math.exp(-over * over / (2 * s * s)))
                    value *= light
                    if adds:
                        out[y, x] += value
                    elif value > out[y, x]:
                        out[y, x] = value


def beam(a: Place, b: Place, wide_a: float, wide_b: float, light: float = 1.0) -> Array:
    """(1, 7) one straight stroke, as wide at its ends as perspective has it."""
    return np.array([[*a, *b, wide_a, wide_b, light]])


def streak(a: Place, b: Place, wide: float, share: float, length: float) -> Array:
    """(n, 7) what flies from a to b: `share` 0..1 of its way is done, its tail is `length` of the way long and fades."""
    head, tail = min(max(share, 0.0), 1.0), min(max(share - length, 0.0), 1.0)
    if head <= tail:
        return np.zeros((0, 7))
    a_, way = np.array(a), np.array(b) - np.array(a)
    at = np.linspace(tail, head, 17)
    glow = np.clip((at - (share - length)) / max(length, 1e-6), 0, 1) ** 2
    p = a_ + at[:, None] * way
    return np.column_stack([p[:-1], p[1:], wide * glow[:-1], wide * glow[1:], glow[1:]])


def arc(a: Place, b: Place, wide: float, jag: float, forks: int, seed: int | tuple[int, int]) -> Array:
    """(n, 7) a jagged arc from a to b by halving, `jag` of its length aside at the first half, with thinner forks."""
    dice = np.random.default_rng(seed)
    line = _jagged(np.array(a, float), np.array(b, float), jag, dice)
    rows = [_stroke(line, wide, wide, 1.0)]
    length = float(np.hypot(*(np.array(b) - np.array(a))))
    for _ in range(forks):
        k = int(dice.integers(1, max(len(line) - 2, 2)))
        way = line[min(k + 8, len(line) - 1)] - line[k]
        angle = math.atan2(way[1], way[0]) + dice.uniform(0.3, 0.9) * dice.choice([-1, 1])
        far = FORK * length * dice.uniform(0.4, 1.0)
        end = line[k] + far * np.array([math.cos(angle), math.sin(angle)])
        rows.append(_stroke(_jagged(line[k], end, jag, dice), 0.6 * wide, 0.1 * wide, 0.7))
    return np.concatenate(rows)


def _jagged(a: Array, b: Array, jag: float, dice: np.random.Generator) -> Array:
    line = np.stack([a, b])
    aside = jag * float(np.hypot(*(b - a)))
    for _ in range(HALVINGS):
        way = np.diff(line, axis=0)
        normal = np.stack([-way[:, 1], way[:, 0]], 1) / np.maximum(np.hypot(*way.T), 1e-9)[:, None]
        middle = (line[1:] + line[:-1]) / 2 + normal * (aside * dice.standard_normal(len(way)))[:, None]
        out = np.empty((2 * len(line) - 1, 2))
        out[0::2], out[1::2] = line, middle
        line, aside = out, aside / 2
    return line


def _stroke(line: Array, wide_a: float, wide_b: float, light: float) -> Array:
    widths = np.linspace(wide_a, wide_b, len(line))
    return np.column_stack([line[:-1], line[1:], widths[:-1], widths[1:], np.full(len(line) - 1, light)])


def between_outlines(one: Array, other: Array, count: int, wide: float) -> Array:
    """(count, 7) lines between places on two outlines (n, 2), spread evenly along each from its highest point on, the same way round."""
    a, b = (_evenly(np.asarray(o, float), count) for o in (one, other))
    return np.column_stack([a, b, np.full(count, wide), np.full(count, wide), np.ones(count)])


def _evenly(outline: Array, count: int) -> Array:
    start = int(np.lexsort((outline[:, 0], np.round(outline[:, 1], 3)))[0])  # of several the leftmost
    p = np.roll(outline, -start, axis=0)
    p = p if _signed_area(p) > 0 else np.concatenate([p[:1], p[:0:-1]])
    closed = np.concatenate([p, p[:1]])
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))])
    at = np.linspace(0, along[-1], count, endpoint=False)
    return np.stack([np.interp(at, along, closed[:, c]) for c in (0, 1)], 1)


def _signed_area(p: Array) -> float:
    x, y = p.T
    return float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum()) / 2


def coloured(light: Array, colour: tuple[float, float, float], hot: float) -> Array:
    """(h, w, 4) premultiplied: light in its colour, towards white where it is whole by `hot` 0..1; its alpha is how much of it is there."""
    core = np.clip(light, 0, None)[..., None]
    white = hot * np.clip(core, 0, 1) ** 3
    rgb = core * ((1 - white) * np.asarray(colour, np.float32) + white * max(max(colour), 1e-6))
    return np.concatenate([rgb, np.clip(core, 0, 1)], axis=2).astype(np.float32)
