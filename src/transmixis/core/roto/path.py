"""The outline between its pins: carried from both of them by one of several ways, each way judged by how it closes at the pins."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.types import Array

ALIKE = 3.0  # of ways that close within so many times the best one, what the picture shows decides
SEATED = 1.3  # a way that is fitted to the strip must agree better with it by so much
NEGLIGIBLE = 0.3  # px: closing better than this is chance


@dataclass(frozen=True)
class Way:
    """One way to carry from a pin: `points` (k, n, 2) px at 0, 1, 2 .. frames from it, and `doubt` (k) px that it may be off by there."""

    points: Array
    doubt: Array
    seated: bool = False  # fitted to what lies inside the outline


@dataclass(frozen=True)
class Between:
    """A stretch from the pin at frame `first` to the next at `last`, carried by `way`: `points` (k, n, 2) px of all its frames,
    `closes` px that the two directions miss the other pin by, `apart` (k) px between the directions, `share` (k) of the one from behind."""

    first: int
    last: int
    way: str
    points: Array
    closes: float
    apart: Array
    share: Array
    seated: bool = False


def off_line(points: Array, line: Array, closed: bool = True) -> Array:
    """(..., n) px that points lie off an outline (..., n, 2) across it, each measured at its own point."""
    if closed:
        along = np.roll(line, -1, axis=-2) - np.roll(line, 1, axis=-2)
    else:
        along = np.gradient(line, axis=-2)
    along = along / np.maximum(np.linalg.norm(along, axis=-1, keepdims=True), 1e-9)
    d = points - line
    return np.asarray(np.abs(d[..., 0] * along[..., 1] - d[..., 1] * along[..., 0]))


def apart(a: Array, b: Array, closed: bool = True) -> Array:
    """(...) mean px between two outlines of the same points, across them."""
    return np.asarray((off_line(a, b, closed) + off_line(b, a, closed)).mean(axis=-1) / 2)


def between(first: int, last: int, way: str, forth: Way, back: Way, closed: bool = True) -> Between:
    """A stretch by one way: `forth` from its first pin, `back` from its last (told backwards). Each direction counts by its doubt."""
    k = last - first + 1
    f, b = forth.points[:k], back.points[:k][::-1]
    df, db = forth.doubt[:k], back.doubt[:k][::-1]
    missed = np.array([float(apart(f[-1], b[-1], closed)), float(apart(f[0], b[0], closed))])
    df = np.maximum.accumulate(df)
    db = np.maximum.accumulate(db[::-1])[::-1]
    share = df**2 / np.maximum(df**2 + db**2, 1e-12)
    share[0], share[-1] = 0.0, 1.0
    points = (1 - share)[:, None, None] * f + share[:, None, None] * b
    return Between(first, last, way, points, float(missed.mean()), apart(f, b, closed), share, forth.seated)


def chosen(ways: Sequence[Between], unlike: Mapping[str, float]) -> Between:
    """Of several ways over one stretch the one that closes best; of those that close alike the one whose picture agrees most (`unlike`:
    what the strip inside the outline differs by, levels)."""
    best = max(min(w.closes for w in ways), NEGLIGIBLE)
    alike = [w for w in ways if w.closes <= ALIKE * best]
    return min(alike, key=lambda w: unlike.get(w.way, 0.0) * (SEATED if w.seated else 1.0) * (1 + 0.2 * w.closes / best))
