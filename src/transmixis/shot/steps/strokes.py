"""Strokes: cuts a thing out by strokes on it and beside it, and carries what was cut out on to other frames as long as it can be trusted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.matte.measure import holes_reading
from transmixis.core.matte.onward import DOUBT_LIMIT, FADED, Onward, begun, carried_on, why_stopped
from transmixis.core.matte.specks import specks_reading
from transmixis.core.matte.strokes import Strokes, cut_by_strokes, softened
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.roto.curve import controls
from transmixis.core.roto.fitted import fitted
from transmixis.core.types import Array
from transmixis.media.exchange.outlines import Curve, write_svg
from transmixis.shot.contract import Analysis, Handle, Inputs, Piece, Pins, Product, Proposal, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number

ON, HERE = "on and back", "not at all"
LONGEST = 12  # frames of a piece: what a kill may cost
SVG = ".svg"
DRAW = "Left button: over what is kept. Right button: over what is left. Backspace takes the last stroke back. Two short ones are enough to begin with."
KEEP, LEAVE = "in", "out"
Stroke = tuple[int, str, tuple[tuple[float, float], ...]]  # frame, side, places px


class StrokesParams(Params):
    strokes: tuple[Stroke, ...] = hidden(())
    width: float = number(6.0, 1.0, 60.0, "px", "Stroke", "How wide a stroke is. What lies under it is sure.", step=1)
    carry: str = choice(
        ON,
        (ON, HERE),
        "Carried",
        "From a frame with strokes to the next ones, until the next strokes or until it cannot be trusted any more.",
    )
    error: float = number(
        0.75, 0.2, 10.0, "px", "Outline within", "How far the outline written to a file may be off the border.", step=0.05
    )


@dataclass(frozen=True)
class Run:
    """From the strokes at frame `start` to frame `end`, which may lie before it."""

    start: int
    end: int

    @property
    def going(self) -> int:
        return 1 if self.end >= self.start else -1


class StrokesStep(StepKind[StrokesParams]):
    kind, title, stage, product = "stroke_cut", "Strokes", "Matte", "matte"
    says = "cuts out what strokes are drawn over"
    roles = ("cut out",)
    work = "roto"
    slots = (Slot("plate", "the plate that is cut out", whole=True),)
    Params = StrokesParams
    analyses = True
    pieced = True
    full_chroma = True
    tools = ("strokes",)
    writes = (SVG,)
    weighs_itself = True

    def looks_at(self, slot: str, params: StrokesParams, pins: Pins, frame: int, length: int) -> tuple[int, ...]:
        return ()

    def handles(self, inputs: Inputs, params: StrokesParams, frame: int) -> tuple[Handle, ...]:
        own = tuple((side, line) for at, side, line in params.strokes if at == frame)
        return (Handle("strokes", "strokes", "Strokes", DRAW, own, here=bool(own), live=False),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """The strokes of this frame; those of others stay."""
        others = [s for s in step.params.get("strokes", ()) if s[0] != frame]
        own = [[frame, side, [[round(float(x), 1), round(float(y), 1)] for x, y in line]] for side, line in value if len(line)]
        return step.model_copy(update={"params": {**step.params, "strokes": sorted([*others, *own], key=lambda s: s[0])}})

    # -- what is analysed

    def pieces(self, length: int, params: StrokesParams, pins: Pins) -> tuple[Piece, ...]:
        out: list[Piece] = []
        for run in _runs(params, length):
            before = ""
            for k, first in enumerate(range(run.start, run.end + run.going, run.going * LONGEST)):
                last = first + run.going * min(LONGEST - 1, abs(run.end - first))
                frames = sorted({first, last, first - run.going if k else first})
                tells = (first, last) if run.going > 0 or first == last else (last, first)
                if run.going < 0 and k == 0:
                    tells = (last, max(last, first - 1))  # the strokes' own frame belongs to the run forwards
                depends = {
                    "strokes": [[s[1], s[2]] for s in params.strokes if s[0] == run.start],
                    "width": params.width,
                    "run": [first, last],
                }
                piece = Piece(
                    f"{run.start}{'+' if run.going > 0 else '-'}{k}",
                    *tells,
                    tuple(range(frames[0], frames[-1] + 1)),
                    depends,
                    before,
                )
                out.append(piece)
                before = piece.name
        return tuple(out)

    def analyse_piece(
        self, inputs: Inputs, params: StrokesParams, piece: Piece, before: Analysis | None, progress: Progress
    ) -> Analysis:
        first, last = (int(v) for v in piece.depends["run"])
        going = 1 if last >= first else -1

        def look(n: int) -> Array:
            return np.ascontiguousarray(inputs.picture("plate", n)[..., :3], np.float32)

        if before is None:
            at = start = begun(look(first), cut_by_strokes(look(first), _strokes(params, first)))
            told, rest = [at], range(first + going, last + going, going)
        else:
            told, rest = [], range(first, last + going, going)
            if str(before["why"]):
                return _kept([], str(before["why"]), before["start"], inputs)
            at, start = (
                _state(before, inputs),
                Onward(np.zeros((1, 1), bool), np.zeros((1, 1), np.float32), 0, float(before["start"])),
            )
        why = ""
        for n in rest:
            progress.at(abs(n - first), abs(last - first) + 1, f"cutting out frame {n}")
            new = carried_on(look(n - going), look(n), at)
            why = why_stopped(start, at, new)
            if why or new is None:
                why = f"carried no further than frame {n - going}: {why}; draw strokes at frame {n}"
                break
            told.append(new)
            at = new
        return _kept(told, why, start.contrast, inputs)

    # -- what it gives

    def compute(self, inputs: Inputs, params: StrokesParams, frame: int) -> Product:
        h, w = inputs.shot.height, inputs.shot.width
        if not params.strokes:
            raise UserError(
                "Nothing is drawn yet: draw a stroke over what is kept (left button) and one over what is left (right button)."
            )
        found, why = _at(inputs, params, frame)
        if found is None:
            return Product(matte=np.zeros((h, w), np.float32), why=why)
        return Product(matte=found.matte, work=found)

    def read(self, inputs: Inputs, params: StrokesParams, product: Product, frame: int) -> list[Reading]:
        if product.work is None:
            return [Reading("doubt", None, "px", DOUBT_LIMIT, note=product.why)]
        found: Onward = product.work
        assert product.matte is not None
        begins = _begin_contrast(inputs, params, frame)
        return [
            Reading("doubt", found.doubt, "px", DOUBT_LIMIT),
            Reading("border shows", 100 * found.contrast / max(begins, 1e-6), "%", 100 * FADED, "high"),
            holes_reading(product.matte),
            specks_reading(product.matte),
        ]

    def propose(self, inputs: Inputs, params: StrokesParams, progress: Progress) -> Proposal | None:
        """Where strokes are wanted next: the first frame after which it was not carried on."""
        if not params.strokes or params.carry != ON:
            return None
        asks, first = [], ""
        for piece in self.pieces(inputs.shot.length, params, {}):
            made = inputs.piece(piece.first, name=piece.name, make=False)
            if made is None or not str(made["why"]):
                continue
            at, last = (int(v) for v in piece.depends["run"])
            n = at + (1 if last >= at else -1) * len(made["doubt"])
            if len(made["doubt"]) and 1 <= n <= inputs.shot.length:
                asks.append(n)
                first = first or str(made["why"])
        if not asks:
            return None
        return Proposal(values={}, reason=f"{first[0].upper()}{first[1:]}.", asks=tuple(asks))

    def to_file(self, inputs: Inputs, step: Step, params: StrokesParams, frame: int, path: Path) -> str:
        """The border at a frame as outlines of few points."""
        found, why = _at(inputs, params, frame)
        if found is None:
            raise UserError(f"Nothing is cut out at frame {frame}: {why}.")
        curves, told = [], []
        for i, outline in enumerate(fitted(found.matte, params.error), 1):
            curves.append(_curve(f"{step.name} {i}", outline.points))
            told.append(f"{len(outline.points)} points, {outline.mean:.2f} px off in the mean, {outline.worst:.2f} at worst")
        write_svg(path, curves, inputs.shot.width, inputs.shot.height)
        return f"{len(curves)} outline{'s' if len(curves) > 1 else ''} of frame {frame} written: " + "; ".join(told) + "."


def _curve(name: str, points: Array) -> Curve:
    c = controls(points, np.zeros(len(points), bool), True)
    return Curve(name, (float(c[0, 0, 0]), float(c[0, 0, 1])), c[:, 1:], True, 0.0, "add")


def _strokes(params: StrokesParams, frame: int) -> Strokes:
    lines: dict[str, list[Array]] = {KEEP: [], LEAVE: []}
    for at, side, line in params.strokes:
        if at == frame:
            lines[LEAVE if side == LEAVE else KEEP].append(np.asarray(line, np.float64))
    return Strokes(lines[KEEP], lines[LEAVE], params.width)


def _runs(params: StrokesParams, length: int) -> Sequence[Run]:
    frames = sorted({int(s[0]) for s in params.strokes if 1 <= s[0] <= length})
    if params.carry != ON:
        return [Run(f, f) for f in frames]
    if not frames:
        return []
    ends = [*(f - 1 for f in frames[1:]), length]
    runs = [Run(f, e) for f, e in zip(frames, ends, strict=True)]
    return [*runs, Run(frames[0], 1)] if frames[0] > 1 else runs


def _kept(told: Sequence[Onward], why: str, start: Any, inputs: Inputs) -> Analysis:
    size = inputs.shot.height * inputs.shot.width
    masks = np.stack([np.packbits(t.mask) for t in told]) if told else np.zeros((0, -(-size // 8)), np.uint8)
    return {
        "masks": masks, "doubt": np.array([t.doubt for t in told]), "contrast": np.array([t.contrast for t in told]),
        "why": np.array(why, dtype=np.str_), "start": np.array(float(start)),
    }  # fmt: skip


def _state(a: Analysis, inputs: Inputs, k: int = -1) -> Onward:
    shape = inputs.shot.height, inputs.shot.width
    mask = np.unpackbits(a["masks"][k], count=shape[0] * shape[1]).reshape(shape).astype(bool)
    return Onward(mask, softened(mask), float(a["doubt"][k]), float(a["contrast"][k]))


def _at(inputs: Inputs, params: StrokesParams, frame: int) -> tuple[Onward | None, str]:
    """What was cut out at a frame; else why nothing was."""
    made = inputs.piece(frame)
    if made is None:
        return None, "no strokes are drawn at this frame"
    piece = next(p for p in StrokesStep().pieces(inputs.shot.length, params, {}) if p.first <= frame <= p.last)
    k = abs(frame - int(piece.depends["run"][0]))
    return (_state(made, inputs, k), "") if k < len(made["doubt"]) else (None, str(made["why"]))


def _begin_contrast(inputs: Inputs, params: StrokesParams, frame: int) -> float:
    made = inputs.piece(frame)
    return float(made["start"]) if made is not None else 0.0
