"""Several outlines as one matte: each filled, soft and blurred, then joined in order by Porter and Duff's algebra (1984)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from transmixis.core.roto.soft import softened, strand
from transmixis.core.types import Array, Matte

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
    groups: list[list[Border]] = []
    for b in borders:
        own = next((g for g in groups if b.group and g[0].group == b.group), None)
        if own is None:
            groups.append([b])
        else:
            own.append(b)
    if len(groups) == 1 and len(groups[0]) == 1 and groups[0][0].joins == ADD:
        return filled(groups[0][0], height, width)
    total: Matte = np.zeros((height, width), np.float32)
    for group in groups:
        one = filled(group[0], height, width)
        for b in group[1:]:
            one = JOINS[b.joins](one, filled(b, height, width))
        total = JOINS[group[0].joins](total, one)
    return total
