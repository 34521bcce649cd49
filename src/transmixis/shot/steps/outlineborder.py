"""An outline of a Shapes step as it is filled: its line through its points, how soft and wide, and where it goes while the shutter is open."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from transmixis.core.matte.outline import Mark, xy
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.joined import Border
from transmixis.core.types import Array
from transmixis.shot.steps.outlinecarry import Lies
from transmixis.shot.steps.outlines import OneShape

SPREAD = 1.5  # px to either side for each of the feather: a border as wide looks as soft as a gaussian of it
MOST = 33  # places over an exposure
STEPS = 8  # of a segment's line, where lines of several moments must have the same places


def border_of(shape: OneShape, marks: Sequence[Mark], at: Callable[[int], Lies], frame: int, length: int, params: Any) -> Border:
    """The outline `marks` of a frame as it is filled; `at` gives where it lies in the frames beside."""
    corner, here = shape.corners(marks), xy(marks)
    inward, outward = shape.softness(marks)
    moments = _over_time(here, marks, at, frame, length, params.shutter / 720) if params.shutter > 0 else [here]
    steps = STEPS if len(moments) > 1 else None
    drawn_lines = [drawn(p, corner, shape.closed, steps=steps) for p in moments]
    places = drawn_lines[0][1]

    def along(values: Array) -> Array:
        ring = np.append(values, values[0]) if shape.closed else values
        return np.interp(places, np.arange(len(ring)), ring)

    soft = params.feather * SPREAD
    lines = tuple(line for line, _ in drawn_lines)
    return Border(
        lines, along(inward + soft), along(outward + soft), shape.closed, along(shape.widths(marks)), shape.joins, shape.group
    )


def _over_time(
    here: Array, marks: Sequence[Mark], at: Callable[[int], Lies], frame: int, length: int, half: float
) -> list[Array]:
    """The points while the shutter is open, `half` a frame to either side: on the parabola through their places in the frames about this one."""

    def beside(n: int) -> Array | None:
        if not 1 <= n <= length:
            return None
        there = {m[0]: (m[1], m[2]) for m in at(n).marks}
        return np.array([there.get(m[0], (m[1], m[2])) for m in marks])

    before, after = beside(frame - 1), beside(frame + 1)
    if before is None and after is None:
        return [here]
    before = 2 * here - after if before is None and after is not None else before
    after = 2 * here - before if after is None and before is not None else after
    assert before is not None
    assert after is not None
    far = float(np.hypot(*(after - before).T).max()) * half
    many = int(np.clip(np.ceil(2 * far), 1, MOST))
    times = ((np.arange(many) + 0.5) / many * 2 - 1) * half
    return [here + t * (after - before) / 2 + t * t / 2 * (after - 2 * here + before) for t in times]
