"""The outlines of a Shapes step as data: what each is, where it was pinned, and how its points at two pins belong to each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from transmixis.core.errors import UserError
from transmixis.core.matte.outline import Mark, completed, marks_of, xy
from transmixis.core.roto.curve import controls, on_cubic
from transmixis.core.types import Array
from transmixis.shot.contract import Pins
from transmixis.shot.model import Pin
from transmixis.shot.steps.params import choice, number, words

ADD, SUBTRACT, MEET = "add", "subtract", "meet"
CORNERS, SMOOTH = "corners", "smooth"
WHOLE, SOME = "outline", "points"  # the parameters whose pins set a whole outline, or single points of it
STYLE = "style"  # by which a tool names the settings of points, which are no pins
MOST = 200  # outlines of one step


class PointStyle(BaseModel):
    """What a point is beside its place: a corner, and px that the border is soft there in- and outward beside what its shape is; px that a strand is wide."""

    model_config = ConfigDict(extra="ignore", frozen=True)
    corner: bool = False
    inward: float = Field(default=0.0, ge=0, le=500)
    outward: float = Field(default=0.0, ge=0, le=500)
    wide: float | None = Field(default=None, ge=0, le=2000)


class OneShape(BaseModel):
    """One outline of a step. `joins` what the outlines before it give; those of one `group` are joined among themselves first. A strand (`closed`
    False) is `wide` px. `styles` by the points' identities."""

    model_config = ConfigDict(extra="ignore", frozen=True)
    id: int = Field(ge=1)
    name: str = words("", "Name", "What it is called; names keep shapes apart.")
    group: str = words("", "Group", "Shapes of one group are joined among themselves first, then with the others.")
    joins: str = choice(
        ADD, (ADD, SUBTRACT, MEET), "Joins", "Adds itself to the shapes before it, takes itself away, or leaves what lies in it."
    )
    line: str = choice(SMOOTH, (CORNERS, SMOOTH), "Runs", "Straight from point to point, or smoothly through them.")
    inward: float = number(
        0.0, 0.0, 500.0, "px", "Softer inwards", "How much farther the border reaches in than the step's feather.", step=0.5
    )
    outward: float = number(
        0.0, 0.0, 500.0, "px", "Softer outwards", "How much farther the border reaches out than the step's feather.", step=0.5
    )
    wide: float = number(
        4.0, 0.0, 2000.0, "px", "Strand's width", "How wide an open line is; a closed outline has none.", step=0.5
    )
    closed: bool = True
    on: bool = True
    styles: Mapping[str, PointStyle] = Field(default_factory=dict)

    @property
    def smooth(self) -> bool:
        return self.line == SMOOTH

    @property
    def whole(self) -> str:
        """The name of the pins of the whole outline."""
        return named(WHOLE, self.id)

    @property
    def some(self) -> str:
        """The name of the pins of single points."""
        return named(SOME, self.id)

    @property
    def style(self) -> str:
        """The name of its points' settings."""
        return named(STYLE, self.id)

    @property
    def least(self) -> int:
        """Points that it needs."""
        return 3 if self.closed else 2

    def corners(self, marks: Sequence[Mark]) -> Array:
        """(n) True where a point is a corner."""
        own = [self.styles.get(str(m[0])) for m in marks]
        return np.array([s.corner if s is not None else not self.smooth for s in own], bool)

    def softness(self, marks: Sequence[Mark]) -> tuple[Array, Array]:
        """((n), (n)) px that the border is soft in- and outward at the points."""
        own = [self.styles.get(str(m[0]), PointStyle()) for m in marks]
        return np.array([self.inward + s.inward for s in own]), np.array([self.outward + s.outward for s in own])

    def widths(self, marks: Sequence[Mark]) -> Array:
        """(n) px that a strand is wide at its points."""
        own = [self.styles.get(str(m[0]), PointStyle()).wide for m in marks]
        return np.array([self.wide if w is None else w for w in own])


def named(parameter: str, shape: int) -> str:
    """The name of a shape's pins; the first shape's is the parameter's own."""
    return parameter if shape == 1 else f"{parameter}.{shape}"


@dataclass(frozen=True)
class Held:
    """An outline as pinned at a frame."""

    frame: int
    marks: tuple[Mark, ...]
    easing: str = "linear"
    handles: tuple[float, float, float, float] = (0.42, 0.0, 0.58, 1.0)


def pinned(shape: OneShape, params: Any, pins: Pins) -> tuple[Held, ...]:
    """The whole outlines of a shape at the frames at which they were set, in order; the first shape of a step that was never pinned stands at the
    frame at which the step was set. Raises UserError where they cannot be read."""
    own: tuple[Pin, ...] = pins.get(shape.whole, ())
    if not own and shape.id == 1 and len(params.outline) >= shape.least:
        return (Held(int(params.at), marks_of(params.outline)),)
    held = (Held(p.frame, marks_of(p.value), p.easing, p.handles) for p in own)
    return tuple(h for h in held if len(h.marks) >= shape.least)


def single(shape: OneShape, pins: Pins) -> dict[int, tuple[Mark, ...]]:
    """Points that were set by themselves, by frame."""
    return {p.frame: marks_of(p.value) for p in pins.get(shape.some, ())}


@dataclass(frozen=True)
class Stretch:
    """Where a frame lies among a shape's pins: `before` and `after` it; one of them is None beyond the last."""

    before: Held | None
    after: Held | None

    @property
    def inner(self) -> int:
        """A frame within it."""
        return self.before.frame + 1 if self.before else self.after.frame - 1 if self.after else 1

    @property
    def name(self) -> str:
        return f"{self.before.frame if self.before else ''}-{self.after.frame if self.after else ''}"


def stretches(held: Sequence[Held], length: int) -> tuple[Stretch, ...]:
    """All stretches of a shape within frames 1..length, those between two pins first."""
    if not held:
        return ()
    out = [Stretch(a, b) for a, b in pairwise(held) if b.frame - a.frame > 1]
    if held[0].frame > 1:
        out.append(Stretch(None, held[0]))
    if held[-1].frame < length:
        out.append(Stretch(held[-1], None))
    return tuple(out)


def stretch_at(held: Sequence[Held], frame: int) -> Stretch | None:
    """The stretch that a frame lies in; None at a pin, or without one."""
    if not held or any(h.frame == frame for h in held):
        return None
    before = next((h for h in reversed(held) if h.frame < frame), None)
    after = next((h for h in held if h.frame > frame), None)
    return Stretch(before, after)


def alike(shape: OneShape, one: Held, two: Held) -> tuple[tuple[Mark, ...], tuple[Mark, ...]]:
    """Two pins with the points of both, in one order: a point that only one of them has stands on the other's line, so that to add one changes
    nothing there. Raises UserError where they have nothing in common."""
    both = completed(one.marks, two.marks)
    if both is None:
        raise UserError(
            f"The outlines at frames {one.frame} and {two.frame} have no points in common; take one of the two pins out, or draw a new shape."
        )
    return _on_the_line(shape, one.marks, both[0], two.marks), _on_the_line(shape, two.marks, both[1], one.marks)


def _on_the_line(shape: OneShape, own: Sequence[Mark], whole: Sequence[Mark], other: Sequence[Mark]) -> tuple[Mark, ...]:
    """`whole` with those points that `own` has not set on own's line, at the share of the way between its neighbours that they have in `other`."""
    have = [m[0] for m in own]
    theirs = {m[0]: np.array(m[1:]) for m in other}
    cubics = controls(xy(own), shape.corners(own), shape.closed)
    ids, out = [m[0] for m in whole], list(whole)
    for k, i in enumerate(ids):
        if i in have:
            continue
        back = next((ids[k - j] for j in range(1, len(ids)) if ids[k - j] in have and (shape.closed or k - j >= 0)), None)
        if back is None or have.index(back) >= len(cubics):  # beyond the end of a strand
            continue
        segment = have.index(back)
        ahead = have[(segment + 1) % len(have)]
        if back not in theirs or ahead not in theirs:
            continue
        way = theirs[ahead] - theirs[back]
        t = float(np.clip((theirs[i] - theirs[back]) @ way / max(float(way @ way), 1e-9), 0.02, 0.98))
        p = on_cubic(cubics[segment], t)
        out[k] = (i, float(p[0]), float(p[1]))
    return tuple(out)
