"""An element brought into another time without a production: frames in its own coding, counted from 1, with their readings."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from transmixis.core.build.codes import from_codes, to_codes
from transmixis.core.build.loop import best_loop, frame_of, loop_readings
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.time.conform import blended
from transmixis.core.time.inbetween import Pair
from transmixis.core.time.retime import by_curve, by_rate, retime_readings, shown, to_length
from transmixis.core.types import Array
from transmixis.media.colour import LINEAR
from transmixis.media.files import make_folder
from transmixis.media.source import Source
from transmixis.media.still import write_still
from transmixis.shot.bare import bare_shot
from transmixis.shot.cutjob import READINGS, frame_by_frame, told_plate
from transmixis.shot.model import Shot
from transmixis.shot.outputs import refuse
from transmixis.shot.plainjson import read_json


@dataclass(frozen=True)
class Element:
    """An element that is read from a file; `exr`: linear pictures instead of 16-bit ones in its coding."""

    path: Path
    shot: Shot
    source: Source
    exr: bool = False

    def linear(self, n: int) -> Array:
        """Frame `n`, counted from 1."""
        return self.source.read(n)

    def codes(self, n: int) -> Array:
        return to_codes(self.linear(n))

    def write(
        self,
        out: Path,
        name: str,
        count: int,
        made: Callable[[int], Array],
        told: Mapping[str, Any],
        each: Callable[[int], Sequence[Reading]],
        progress: Progress,
        *,
        overwrite: bool,
    ) -> dict[str, Any]:
        """Frames 1..count as `made` gives them, linear, as name.####.png (or .exr) into `out`; gives what is kept there as readings.json: `told`, and what `each` reads. Raises UserError before any work if
        something would be written over."""
        files = [out / f"{name}.{n:04d}.{'exr' if self.exr else 'png'}" for n in range(1, count + 1)]
        refuse([*files, out / READINGS], inputs=[self.path], overwrite=overwrite)
        make_folder(out)
        kind, space = ("half", LINEAR) if self.exr else ("uint16", self.source.info.space)

        def one(n: int) -> Sequence[Reading]:
            write_still(files[n - 1], made(n), kind=kind, space=space)
            return each(n)

        said = {"element": told_plate(self.source, self.shot), **told}
        return frame_by_frame({n: n for n in range(1, count + 1)}, one, said, out, "making", progress)


def element_of(path: Path, space: str | None, *, exr: bool) -> Element:
    """An element of a file. Raises UserError if it is a still."""
    shot, source = bare_shot(path, space)
    if shot.length < 2:
        raise UserError(f"{path} is a still; give a movie or a sequence.")
    return Element(path, shot, source, exr)


@dataclass(frozen=True)
class LoopWish:
    """What a loop is made of: frames `first` to `last` (None: to the end); its `length` and `blend` in frames, None as is best."""

    first: int = 1
    last: int | None = None
    length: int | None = None
    blend: int | None = None


def run_loop(element: Element, wish: LoopWish, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Write loop.####.png into `out`: its last frame goes on with its first. Raises UserError if no loop fits."""
    last = element.shot.length if wish.last is None else wish.last
    if not 1 <= wish.first < last <= element.shot.length:
        raise UserError(f"Frames {wish.first} to {last} cannot be used: the element has frames 1 to {element.shot.length}.")
    refuse([out / READINGS], inputs=[element.path], overwrite=overwrite)
    loop, read = best_loop(element.codes, wish.first, last, progress, wish.length, wish.blend)
    readings = loop_readings(read, loop, last - wish.first + 1)

    def made(n: int) -> Array:
        shown, into, _ = loop.sources(n)
        return element.linear(shown) if not into else from_codes(frame_of(loop, element.codes, n))

    def each(n: int) -> Sequence[Reading]:
        return readings if n == loop.length else []

    sources = [loop.sources(n) for n in range(1, loop.length + 1)]
    told = {
        "loop": {"first": loop.first, "last": loop.last, "length": loop.length, "blend": loop.blend, "way": loop.way},
        "shows": [{"frame": n + 1, "from": a, "into": b or None, "share": s} for n, (a, b, s) in enumerate(sources)],
    }
    return element.write(out, "loop", loop.length, made, told, each, progress, overwrite=overwrite)


HOLD, BLEND, FLOW = "hold", "blend", "flow"


@dataclass(frozen=True)
class RetimeWish:
    """How an element is retimed: to a `rate` of pictures a second (from its own, or `own`), by a `curve`, or to so many `frames`; one of them. `by` says what is shown between its frames."""

    rate: float | None = None
    curve: Path | None = None
    frames: int | None = None
    by: str = FLOW
    own: float | None = None


def run_retime(element: Element, wish: RetimeWish, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Write retimed.####.png into `out`. Raises UserError for a wish that cannot be met."""
    count = element.shot.length
    moments = _moments(element, wish, count)
    hold = wish.by == HOLD
    last: dict[int, Pair] = {}

    def made(n: int) -> Array:
        now = shown(moments[n - 1], count, hold=hold)
        if not now.share:
            return element.linear(now.low)
        if wish.by == BLEND:
            return blended(element.linear(now.low), element.linear(now.low + 1), now.share)
        if now.low not in last:  # frames of one pair follow each other
            last.clear()
            last[now.low] = Pair(element.linear(now.low), element.linear(now.low + 1))
        return last[now.low].at(now.share)

    def each(n: int) -> Sequence[Reading]:
        return retime_readings(moments, count, n, hold=hold)

    told = {"by": wish.by, "shows": [{"frame": n, "of the element": float(m)} for n, m in enumerate(moments, 1)]}
    if wish.curve is not None:
        refuse([out / READINGS], inputs=[wish.curve], overwrite=overwrite)
    return element.write(out, "retimed", len(moments), made, told, each, progress, overwrite=overwrite)


def _moments(element: Element, wish: RetimeWish, count: int) -> list[float]:
    """The moment of the element that each frame shows."""
    asked = [w for w in (wish.rate, wish.curve, wish.frames) if w is not None]
    if len(asked) != 1:
        raise UserError("Say one of: a rate, a curve of speed, a number of frames.")
    if wish.frames is not None:
        return [float(m) for m in to_length(count, wish.frames)]
    if wish.curve is not None:
        return [float(m) for m in by_curve(read_json(wish.curve), count)]
    own = wish.own or (float(element.source.info.rate) if element.source.info.rate else None)
    if own is None:
        raise UserError(f"{element.path} does not say how many pictures a second it has; say it too.")
    assert wish.rate is not None
    return [float(m) for m in by_rate(count, own, wish.rate)]
