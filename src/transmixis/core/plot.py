"""What is drawn beside a step's controls, as plain values: the kind says what, the desk draws all of it with one widget."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from transmixis.core.types import Array

DOUBLED, COMBED, JUMP, MISSING = "doubled", "combed", "jump", "missing"
Readings = Literal["beside", "above", "not"]


@dataclass(frozen=True)
class Trace:
    """Values `values` (n,) of the frames 1..n, nan where not known, about a middle line; `floor`: from 0 upwards. `limit` is drawn as a
    line (both ways if not from the floor). `why` is said where nothing is known."""

    words: str
    values: Array
    limit: float | None = None
    unit: str = ""
    floor: bool = False
    top: float | None = None  # the highest value that is shown; None: a little more than there is
    why: str = "not measured"

    @property
    def reach(self) -> float:
        """The value at the drawing's edge."""
        if self.top is not None:
            return self.top
        known = np.abs(self.values[np.isfinite(self.values)])
        return max(1.2 * float(known.max(initial=0.0)), 1.6 * (self.limit or 0.0)) or 1.0


@dataclass(frozen=True)
class Curve:
    """A line through `xs`, `ys`, and `dots` (k, 2) that it should meet, both from 0 upwards."""

    words: str
    xs: Array
    ys: Array
    dots: Array = field(default_factory=lambda: np.zeros((0, 2)))
    why: str = ""  # said instead, where nothing could be measured


@dataclass(frozen=True)
class Path:
    """Where something goes: `points` (n, 2) px of the frames 1..n about the middle of the drawing, nan where not known; `ring` px is a limit."""

    points: Array
    ring: float


@dataclass(frozen=True)
class Limit:
    """A parameter drawn as a jaw, from `low` to `high`, that can be dragged."""

    param: str
    value: float
    low: float
    high: float


@dataclass(frozen=True)
class Hill:
    """A population: counts over equal steps of 0..1, drawn on a log scale."""

    counts: Array
    hatched: bool = False


@dataclass(frozen=True)
class Hills:
    """Populations over 0..1 with jaws (two: what lies between is dragged as one). Of the first hill, what lies beyond the first jaw (from
    `least` on) is told as `words` in % of it, against `most`. `colour` is a linear colour to show beside it."""

    hills: tuple[Hill, ...]
    jaws: tuple[Limit, ...]
    words: str
    least: float
    most: float
    colour: tuple[float, float, float] | None = None

    def beyond(self, value: float) -> float:
        """% of the first hill beyond a place of its jaw."""
        counts = self.hills[0].counts
        first = int(np.ceil(max(value, self.least) * len(counts)))
        return 100 * float(counts[first:].sum()) / max(float(counts.sum()), 1.0)


@dataclass(frozen=True)
class Action:
    """How much of an element is there in each frame of the shot, time downwards: `values` (n,) 0..1 of its most, nan where it is not to be seen. `jaws` are its
    begin and end in frames; `seams` the first and last frames in which a loop goes over into its beginning, dragged by `slides` (its value in frames, in a ring from low to high); `cues` frames and names."""

    words: str
    values: Array
    jaws: tuple[Limit, ...] = ()
    seams: tuple[tuple[int, int], ...] = ()
    slides: Limit | None = None
    cues: tuple[tuple[int, str], ...] = ()


@dataclass(frozen=True)
class Frames:
    """The frames 1..count as a strip, some of them marked DOUBLED, COMBED, JUMP (before it) or MISSING."""

    count: int
    marks: tuple[tuple[int, str], ...]


@dataclass(frozen=True)
class Spotted:
    """The frame (h, w) with rings (x, y, radius px) and boxes (x, y, w, h in 0..1, first and last frame)."""

    size: tuple[int, int]
    rings: tuple[tuple[float, float, float], ...] = ()
    boxes: tuple[tuple[float, float, float, float, int, int], ...] = ()


@dataclass(frozen=True)
class Patches:
    """A column of colours: name and linear colour of each, and notes below; `why` instead where there are none."""

    words: str
    patches: tuple[tuple[str, tuple[float, float, float]], ...] = ()
    notes: tuple[str, ...] = ()
    why: str = ""


@dataclass(frozen=True)
class Stills:
    """Pictures (h, w, 3) linear of several frames beside each other, that must look alike, with what is told of each below it."""

    words: str
    pictures: tuple[Array, ...] = ()
    below: tuple[str, ...] = ()
    bad: tuple[bool, ...] = ()
    why: str = ""
    lines: bool = True  # two across all of them, by which a move is seen


@dataclass(frozen=True)
class Unrolled:
    """What lies along something, one row of colours a frame: `rows` (n, m, 3) uint8 of the frames 1..n, `known` (n,) True where there is one, `over`
    (n,) True where its reading is over the limit, `pins` the frames that were set by a person, `asks` those that want a hand."""

    words: str
    rows: Array
    known: Array
    over: Array
    pins: tuple[int, ...] = ()
    asks: tuple[int, ...] = ()
    why: str = "not carried yet"


@dataclass(frozen=True)
class Solid:
    """A solved place seen from the side: `points` (m, 3) with their `errors` (m,) px against `limit`, the camera's `way` (n, 3; nan where not
    known) with its `turns` (n, 3, 3). `levelled`: y = 0 is the ground; `unit` of lengths, '' if they are not measured. It is looked at
    from `yaw` and `pitch` degrees, `zoom` times as near."""

    points: Array
    errors: Array
    limit: float
    way: Array
    turns: Array
    levelled: bool
    unit: str
    why: str = ""
    yaw: float = 35.0
    pitch: float = 22.0
    zoom: float = 1.0


Panel = Action | Solid | Stills | Unrolled | Trace | Curve | Path | Hills | Frames | Spotted | Patches


@dataclass(frozen=True)
class Plot:
    """Panels below each other (Patches beside each other), `words` below them, and where the readings stand."""

    title: str
    tip: str
    panels: tuple[Panel, ...]
    words: str = ""
    readings: Readings = "beside"
