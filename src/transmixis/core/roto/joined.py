"""Several outlines as one matte: each filled, soft and blurred, then joined in order by Porter and Duff's algebra (1984)."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.roto.soft import softened, strand
from transmixis.core.types import Array, Matte

SMALL = 320  # px across: where it is looked whether a border does anything
IDLE = 0.05  # alpha: what is less is nothing that a hand drew

ADD, SUBTRACT, MEET = "add", "subtract", "meet"


@dataclass(frozen=True)
class Border:
    """An outline as it is filled: `lines`, one, or several over the time of an exposure, each (n, 2) px of the same places; `inward`, `outward` and
    `wide` (n) px at these. `joins` what stands before it; outlines of one `group` are joined among themselves first."""

    lines: tuple[Array, ...]
    inward: Array
    outward: Array
    closed: bool = True
    wide: Array | None = None
    joins: str = ADD
    group: str = ""


def filled(border: Border, height: int, width: int) -> Matte:
    """(height, width) one outline, the mean over its exposure."""
    total: Matte | None = None
    for line in border.lines:
        if border.closed:
            one = softened(line, border.inward, border.outward, height, width)
        else:
            wide = np.zeros(len(line)) if border.wide is None else border.wide
            one = strand(line, wide, border.inward, border.outward, height, width)
        total = one if total is None else np.add(total, one, out=total)
    if total is None:
        return np.zeros((height, width), np.float32)
    return total if len(border.lines) == 1 else total / np.float32(len(border.lines))


def union(a: Matte, b: Matte) -> Matte:
    """What either covers: a over b."""
    return np.asarray(a + b - a * b)


def without(a: Matte, b: Matte) -> Matte:
    """What of a lies outside of b: a out b."""
    return np.asarray(a * (1 - b))


def meet(a: Matte, b: Matte) -> Matte:
    """What both cover: a in b."""
    return np.asarray(a * b)


JOINS = {ADD: union, SUBTRACT: without, MEET: meet}


def joined(borders: Sequence[Border], height: int, width: int) -> Matte:
    """(height, width) all outlines in order: each adds itself, takes itself away, or leaves what lies in it. Those of a group are one; it joins as its
    first one says, and that one begins it."""
    return _joined(borders, range(len(borders)), lambda i: filled(borders[i], height, width), (height, width))


def idle(borders: Sequence[Border], height: int, width: int, least: float = IDLE) -> list[int]:
    """Which of the borders do nothing: without them the matte is the same but for `least`. Looked at on a grid of at most SMALL px across."""
    k = min(1.0, SMALL / width)
    size = max(2, round(height * k)), max(2, round(width * k))
    fills = [filled(_smaller(b, k), *size) for b in borders]
    every = range(len(borders))
    whole = _joined(borders, every, fills.__getitem__, size)
    rests = ([j for j in every if j != i] for i in every)
    return [i for i, rest in enumerate(rests) if np.abs(_joined(borders, rest, fills.__getitem__, size) - whole).max() < least]


def _smaller(b: Border, k: float) -> Border:
    """The middle of its exposure, `k` times as large."""
    middle = b.lines[len(b.lines) // 2] * k
    return replace(b, lines=(middle,), inward=b.inward * k, outward=b.outward * k, wide=None if b.wide is None else b.wide * k)


def _joined(borders: Sequence[Border], which: Sequence[int], fill: Callable[[int], Matte], size: tuple[int, int]) -> Matte:
    """`which` of the borders joined in order; `fill` gives what each covers."""
    groups: list[list[int]] = []
    for i in which:
        own = next((g for g in groups if borders[i].group and borders[g[0]].group == borders[i].group), None)
        if own is None:
            groups.append([i])
        else:
            own.append(i)
    if len(groups) == 1 and len(groups[0]) == 1 and borders[groups[0][0]].joins == ADD:
        return fill(groups[0][0])
    total: Matte = np.zeros(size, np.float32)
    for group in groups:
        one = fill(group[0])
        for i in group[1:]:
            one = JOINS[borders[i].joins](one, fill(i))
        total = JOINS[borders[group[0]].joins](total, one)
    return total
