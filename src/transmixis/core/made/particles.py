"""Particles: sparks, dust, rain, snow. Where each of them is follows from its number alone, at any moment, so that frames can be made in any order; each is smeared by its own way."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from transmixis.core.types import Array

MOST = 20_000  # at once
BLOCK = 64  # drawn together


@dataclass(frozen=True)
class Particles:
    """`rate` a second begin at a place of the source, `spread` px about it (right, down), and fly at `speed` px a second, by up to a half of that more or less, within `cone` degrees of `angle` (0 right, 90 up); they live `life` seconds, by up to a half less. `pull` px a second² down,
    `drag` a second brakes them, `sway` px aside at `sway_rate` a second. `size` px; `fades`: they grow fainter with age. `begin` and `end` seconds: between them they begin (end: None, for ever)."""

    rate: float
    speed: float
    life: float
    spread: tuple[float, float] = (0.0, 0.0)
    angle: float = 90.0
    cone: float = 360.0
    pull: float = 0.0
    drag: float = 0.0
    sway: float = 0.0
    sway_rate: float = 0.5
    size: float = 2.0
    fades: bool = True
    begin: float = 0.0
    end: float | None = None
    seed: int = 1


def strokes_at(p: Particles, seconds: float, share: float, source: tuple[float, float]) -> Array:
    """(n, 7) the strokes of all particles that are seen at a moment (see core.made.strokes), smeared over `share` seconds; their light is spread over the smear."""
    first = max(math.ceil(0 if p.begin >= seconds - p.life else (seconds - p.life - p.begin) * p.rate), 0)
    last = math.floor((min(seconds, p.end if p.end is not None else seconds) - p.begin) * p.rate)
    if last < first:
        return np.zeros((0, 7))
    first = max(first, last - MOST + 1)
    numbers = np.arange(first, last + 1)
    d = _dice(numbers, p.seed)
    age = seconds - p.begin - numbers / max(p.rate, 1e-9)
    life = p.life * (1 - 0.5 * d[:, 0])
    alive = (age >= 0) & (age < life)
    if not alive.any():
        return np.zeros((0, 7))
    d, age, life = d[alive], age[alive], life[alive]
    a, b = (_where(p, d, np.maximum(age + k * share / 2, 0.0), source) for k in (-1, 1))
    size = p.size * (0.6 + 0.8 * d[:, 1])
    light = np.where(
        p.fades, (1 - age / life) ** 1.5, np.minimum(1.0, np.minimum(age, life - age) / np.maximum(0.15 * life, 1e-9))
    )
    light = light * size / (size + np.hypot(*(b - a).T))
    return np.column_stack([a, b, size, size, light])


def _where(p: Particles, d: Array, age: Array, source: tuple[float, float]) -> Array:
    """(n, 2) px of particles so old."""
    angle = np.radians(p.angle + p.cone * (d[:, 2] - 0.5))
    speed = p.speed * (0.5 + d[:, 3])
    vx, vy = speed * np.cos(angle), -speed * np.sin(angle)
    if p.drag > 1e-6:  # braked in proportion to its speed: closed form
        braked = (1 - np.exp(-p.drag * age)) / p.drag
        x, y = vx * braked, vy * braked + p.pull / p.drag * (age - braked)
    else:
        x, y = vx * age, vy * age + p.pull * age**2 / 2
    phase = 2 * np.pi * (d[:, 4] + p.sway_rate * age)
    x = x + p.sway * np.sin(phase)
    return np.stack([source[0] + p.spread[0] * (2 * d[:, 5] - 1) + x, source[1] + p.spread[1] * (2 * d[:, 6] - 1) + y], 1)


def _dice(numbers: Array, seed: int) -> Array:
    """(n, 7) chance 0..1 of particles, the same for the same number."""
    blocks = np.unique(numbers // BLOCK)
    rows = {int(k): np.random.default_rng((seed, int(k))).random((BLOCK, 7)) for k in blocks}
    return np.stack([rows[int(n // BLOCK)][int(n % BLOCK)] for n in numbers])
