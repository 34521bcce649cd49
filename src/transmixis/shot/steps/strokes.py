"""Strokes: cuts a thing out by strokes on it and beside it, and carries what was cut out on to other frames as long as it can be trusted."""

from __future__ import annotations

from collections.abc import Sequence
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
from transmixis.core.roto.fitted import Fitted, fitted
from transmixis.core.roto.joined import ADD, SUBTRACT
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
        "From a frame with strokes of both sides on and back, until the next such frame or until it cannot be trusted any more. A stroke of one side sets right what was carried there.",
    )
    error: float = number(
        0.75, 0.2, 10.0, "px", "Outline within", "How far the outline written to a file may be off the border.", step=0.05
    )


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
        for start, end in _runs(params, length):
            going, before = (1 if end >= start else -1), ""
            for k, first in enumerate(range(start, end + going, going * LONGEST)):
                last = first + going * min(LONGEST - 1, abs(end - first))
                looked = sorted((last, first - going if k else first))
                # the strokes' own frame belongs to the run forwards
                low, high = sorted((first, last)) if going > 0 or k else (last, first - 1)
                lines = [list(s) for s in params.strokes if looked[0] <= s[0] <= looked[1]]
                depends = {"strokes": lines, "width": params.width, "run": [first, last]}
                piece = Piece(
                    f"{start}{'+' if going > 0 else '-'}{k}", low, high, tuple(range(looked[0], looked[1] + 1)), depends, before
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

        told: list[Onward] = []
        if before is None:
            start = begun(look(first), cut_by_strokes(look(first), _strokes(params, first)))
            told, at, contrast = [start], start, start.contrast
        elif str(before["why"]):
            return _kept(first, told, str(before["why"]), float(before["start"]), inputs)
        else:
            at, contrast = _state(before, inputs), float(before["start"])
        why = ""
        for n in range(first + going * len(told), last + going, going):
            progress.at(abs(n - first), abs(last - first) + 1, f"cutting out frame {n}")
            new = carried_on(look(n - going), look(n), at, _strokes(params, n))
            why = why_stopped(contrast, at, new)
            if why or new is None:
                why = f"carried no further than frame {n - going}: {why}; draw strokes of both sides at frame {n}"
                break
            told.append(new)
            at = new
        return _kept(first, told, why, contrast, inputs)

    # -- what it gives

    def compute(self, inputs: Inputs, params: StrokesParams, frame: int) -> Product:
        h, w = inputs.shot.height, inputs.shot.width
        if not params.strokes:
            raise UserError(
                "Nothing is drawn yet: show the plate and draw a stroke over what is kept (left button) and one over what is left (right button)."
            )
        found, why = _at(inputs, frame)
        if found is None:
            return Product(matte=np.zeros((h, w), np.float32), why=why)
        return Product(matte=found.matte, work=found)

    def read(self, inputs: Inputs, params: StrokesParams, product: Product, frame: int) -> list[Reading]:
        found: Onward | None = product.work
        made = inputs.piece(frame)
        if found is None or made is None:
            return [Reading("doubt", None, "px", DOUBT_LIMIT, note=product.why)]
        return [
            Reading("doubt", found.doubt, "px", DOUBT_LIMIT),
            Reading("border shows", 100 * found.contrast / max(float(made["start"]), 1e-6), "%", 100 * FADED, "high"),
            holes_reading(found.matte),
            specks_reading(found.matte),
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
        found, why = _at(inputs, frame)
        if found is None:
            raise UserError(f"Nothing is cut out at frame {frame}: {why}.")
        curves, told = [], []
        for i, outline in enumerate(fitted(found.matte, params.error), 1):
            curves.append(_curve(f"{step.name} {i}", outline))
            told.append(f"{len(outline.points)} points, {outline.mean:.2f} px off in the mean, {outline.worst:.2f} at worst")
        write_svg(path, curves, inputs.shot.width, inputs.shot.height)
        return f"{len(curves)} outline{'s' if len(curves) > 1 else ''} of frame {frame} written: " + "; ".join(told) + "."


def _curve(name: str, outline: Fitted) -> Curve:
    c = controls(outline.points, np.zeros(len(outline.points), bool), True)
    return Curve(name, (float(c[0, 0, 0]), float(c[0, 0, 1])), c[:, 1:], True, joins=SUBTRACT if outline.hole else ADD)


def _strokes(params: StrokesParams, frame: int) -> Strokes:
    lines: dict[str, list[Array]] = {KEEP: [], LEAVE: []}
    for at, side, line in params.strokes:
        if at == frame:
            lines[LEAVE if side == LEAVE else KEEP].append(np.asarray(line, np.float64))
    return Strokes(lines[KEEP], lines[LEAVE], params.width)


def _runs(params: StrokesParams, length: int) -> list[tuple[int, int]]:
    """From which frame to which it is cut out: anew from every frame with strokes of both sides (strokes of one side set right what was carried there),
    and from the first of them back."""
    drawn = {f: {s[1] for s in params.strokes if s[0] == f} for f in {s[0] for s in params.strokes} if 1 <= f <= length}
    frames = sorted(f for f, sides in drawn.items() if len(sides) == 2) or sorted(drawn)[:1]
    if params.carry != ON:
        return [(f, f) for f in sorted(drawn)]
    if not frames:
        return []
    runs = list(zip(frames, [*(f - 1 for f in frames[1:]), length], strict=True))
    return [*runs, (frames[0], 1)] if frames[0] > 1 else runs


def _kept(first: int, told: Sequence[Onward], why: str, start: float, inputs: Inputs) -> Analysis:
    size = inputs.shot.height * inputs.shot.width
    masks = np.stack([np.packbits(t.mask) for t in told]) if told else np.zeros((0, -(-size // 8)), np.uint8)
    return {
        "first": np.array(first), "masks": masks, "doubt": np.array([t.doubt for t in told]), "contrast": np.array([t.contrast for t in told]),
        "why": np.array(why, dtype=np.str_), "start": np.array(start),
    }  # fmt: skip


def _state(a: Analysis, inputs: Inputs, k: int = -1) -> Onward:
    shape = inputs.shot.height, inputs.shot.width
    mask = np.unpackbits(a["masks"][k], count=shape[0] * shape[1]).reshape(shape).astype(bool)
    return Onward(mask, softened(mask), float(a["doubt"][k]), float(a["contrast"][k]))


def _at(inputs: Inputs, frame: int) -> tuple[Onward | None, str]:
    """What was cut out at a frame; else why nothing was."""
    made = inputs.piece(frame)
    if made is None:
        return None, "no strokes are drawn at this frame"
    k = abs(frame - int(made["first"]))
    return (_state(made, inputs, k), "") if k < len(made["doubt"]) else (None, str(made["why"]))
