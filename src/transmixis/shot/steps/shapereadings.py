"""What a Shapes step reads of its outlines on a frame."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.errors import UserError
from transmixis.core.matte.outline import about, off_the_edge, xy
from transmixis.core.motion.coding import coded_luma
from transmixis.core.readings import Reading
from transmixis.core.roto.curve import drawn
from transmixis.core.roto.joined import ADD, Border, idle
from transmixis.core.roto.judged import Box, crept, edges_across, idle_names
from transmixis.core.types import Array, Matte, Rgb
from transmixis.shot.steps.outlinecarry import Lies
from transmixis.shot.steps.outlines import OneShape
from transmixis.shot.steps.shapethings import words_of

OFF = 1.5  # px: an outline further off its edge shows as a rim or a bite (judgement, docs/limits.md)
FORETOLD = 1.0  # px that an outline may be thought to be off between its pins (docs/limits.md)
SOFTNESS = 2.0  # px that its border may be wider or narrower than the picture's edge
SHOWN = 0.5  # px of the other side's colour along the border
CREEP = 0.5  # px a frame
IDLE = 1  # shapes

Placed = Sequence[tuple[OneShape, Border]]


def nothing_drawn(note: str) -> list[Reading]:
    """The readings where there is no outline."""
    names = (("foretold", "px", FORETOLD), ("off the edge", "px", OFF), ("edge softness off", "px", SOFTNESS),
             ("shown beside", "px", SHOWN), ("creep", "px", CREEP), ("idle shapes", "shapes", IDLE))  # fmt: skip
    return [Reading(name, None, unit, limit, note=note) for name, unit, limit in names]


def foretold(shapes: tuple[OneShape, ...], lies: dict[int, Lies]) -> Reading:
    """The worst of the outlines."""
    known = [(lies[s.id].off, s, lies[s.id]) for s in shapes if s.id in lies and np.isfinite(lies[s.id].off) and lies[s.id].marks]
    if not known:
        note = next((v.note for v in lies.values() if v.note), "it is not known")
        return Reading("foretold", None, "px", FORETOLD, note=note)
    off, shape, its = max(known, key=lambda k: k[0])
    p = xy(its.marks)
    x, y = p.min(axis=0).astype(int)
    spot = (max(0, int(x)), max(0, int(y)), int(np.ptp(p[:, 0])) + 1, int(np.ptp(p[:, 1])) + 1)
    note = "set here" if its.set else f"carried by the {its.way}"
    return Reading(
        "foretold", float(off), "px", FORETOLD, spot=spot, note=f"{words_of(shape)}: {note}" if len(shapes) > 1 else note
    )


def edge(plate: Rgb, lines: Sequence[Array] | None) -> Reading:
    """How far the worst outline stands off the picture's edge."""
    if not lines:
        return Reading("off the edge", None, "px", OFF, note="strands have no edge that they must keep to")
    shown = linear_to_srgb(np.clip(plate, 0, None))
    told = [f for line in lines if (f := off_the_edge(shown, line)) is not None]
    if not told:
        return Reading("off the edge", None, "px", OFF, note="the picture shows no edge along the outline")
    worst = max(told, key=lambda f: f[0])
    note = "median distance to the picture's strongest edge across it"
    return Reading("off the edge", worst[0], "px", OFF, spot=worst[1], note=note)


def borders(plate: Rgb, matte: Matte, placed: Placed) -> list[Reading]:
    """Whether the borders are as soft as the picture's edges, and what they show of the other side."""
    width, shown, places = [], [], []
    for _, b in placed:
        if b.closed and b.joins == ADD:
            found = edges_across(plate, matte, b.lines[len(b.lines) // 2], _reach(b))
            width.append(found.width)
            shown.append(found.shown)
            places.append(found.places)
    off, beside = (np.concatenate(v) if v else np.zeros(0) for v in (width, shown))
    if not len(off):
        why = "no plain edge is seen across the outlines"
        return [
            Reading("edge softness off", None, "px", SOFTNESS, note=why),
            Reading("shown beside", None, "px", SHOWN, note=why),
        ]
    at, middle = np.concatenate(places), float(np.median(off))
    note = f"the border is {'softer' if middle > 0 else 'harder'} than the picture's own edge"
    return [
        Reading("edge softness off", abs(middle), "px", SOFTNESS, spot=about(at[int(np.abs(off).argmax())]), note=note),
        Reading("shown beside", float(beside.mean()), "px", SHOWN, spot=about(at[int(beside.argmax())]),
                note="of the other side's colour, under the soft border"),
    ]  # fmt: skip


def _reach(b: Border) -> float:
    """px to either side that the border may be soft, what it moves while the shutter is open among it."""
    moved = float(np.hypot(*(b.lines[-1] - b.lines[0]).T).max()) / 2 if len(b.lines) > 1 else 0.0
    return float(max(np.max(b.inward, initial=0), np.max(b.outward, initial=0))) + moved


def creep(
    placed: Placed, lies: dict[int, Lies], before: Callable[[OneShape], Lies], now: Rgb, then: Callable[[], Rgb]
) -> Reading:
    """How far an outline wandered since the frame before where nothing moved there; a frame before that cannot be had is said."""
    try:
        return _crept(placed, lies, before, now, then)
    except UserError as e:
        return Reading("creep", None, "px", CREEP, note=str(e))


def _crept(
    placed: Placed, lies: dict[int, Lies], before: Callable[[OneShape], Lies], now: Rgb, then: Callable[[], Rgb]
) -> Reading:
    told: list[tuple[float, Box, str]] = []
    levels: list[Array] = []
    for shape, _ in placed:
        was, its = before(shape), lies[shape.id]
        if not shape.closed or [m[0] for m in was.marks] != [m[0] for m in its.marks]:
            continue
        levels = levels or [_levels(now), _levels(then())]
        corner = shape.corners(its.marks)
        lines = [drawn(xy(m), corner, True, steps=8)[0] for m in (its.marks, was.marks)]
        found = crept(levels[0], levels[1], *lines)
        if found is not None:
            told.append((*found, words_of(shape)))
    if not told:
        return Reading("creep", None, "px", CREEP, note="too little beside the outline tells whether anything moves")
    far, spot, name = max(told, key=lambda t: t[0])
    note = f"since the frame before, where nothing moves{f': {name}' if len(placed) > 1 else ''}"
    return Reading("creep", far, "px", CREEP, spot=spot, note=note)


def _levels(plate: Rgb) -> Array:
    """Luma in 8-bit levels, smoothed a little against grain."""
    return np.asarray(cv2.GaussianBlur(255 * coded_luma(plate), (0, 0), 0.8))


def idle_shapes(placed: Placed, height: int, width: int) -> Reading:
    """How many of the shapes change nothing."""
    which = idle([b for _, b in placed], height, width)
    return Reading("idle shapes", float(len(which)), "shapes", IDLE, note=idle_names([words_of(s) for s, _ in placed], which))
