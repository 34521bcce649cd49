"""Marker sweep: finds all the markers on a surface or cloth, follows them, and covers each from the same neighbour on every frame."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.plot import Plot, Stills
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.border import SEAM
from transmixis.core.repair.marklinks import Path, cover_of, gone_on, linked
from transmixis.core.repair.marks import Found, Seen, alike, find_marks, seen
from transmixis.core.repair.sweep import Source, barred, covered, left_over, sources
from transmixis.core.types import Array, Mask
from transmixis.shot.contract import Analysis, Handle, Inputs, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.sampling import sample_frames
from transmixis.shot.steps.markstore import kept, marks_of
from transmixis.shot.steps.mending import FRONT_SLOT
from transmixis.shot.steps.params import Params, hidden, number

LEFT_OVER = 2.0  # levels: less is not seen on even ground
TRIED_ON = 24  # frames on which sources are tried
FARTHEST = 2.6  # sizes of a mark: what it is covered from lies nearer
SHOWN, ROOM = 8, 14  # marks drawn beside the controls, and px about each
LEAVE = (
    "Hold Ctrl and press on a mark that is to stay: it is left as it is on all frames. A right press on the ring takes that back."
)
NONE = "No markers were found: small things alike in colour on a surface that goes on about them. Set how large they are, or give a matte of the surface."


class MarkerSweepParams(Params):
    largest: float = number(40.0, 4, 400, "px", "Largest", "How wide the largest marker is, with its blur.", step=1)
    colour: tuple[float, float, float] | None = hidden(None)  # levels as shown; None: what most have in common
    leave: tuple[tuple[float, float, float, float], ...] = hidden(())  # frame, x, y, radius px of marks that stay


@dataclass(frozen=True)
class Swept:
    """What was covered in a frame: of each mark its number, what it covers, its seam and how it was done."""

    marks: tuple[tuple[int, Array, float, str, tuple[int, int, int, int]], ...]


class MarkerSweep(StepKind[MarkerSweepParams]):
    kind, title, stage, product = "marker_sweep", "Marker sweep", "Repair", "picture"
    version = 2
    gives = ("picture", "matte")
    says = "finds all markers and covers them from beside"
    work = "clean plate patch"
    slots = (
        Slot("plate", "the plate with the markers", ground=True),
        Slot("where", "a matte of the surface that they are on", takes="matte", optional=True, usual=()),
        FRONT_SLOT,
    )
    Params = MarkerSweepParams
    roles = ("mended",)
    keeps_pixels = True
    analyses = True
    analysis_params = ("largest", "colour")
    not_analysed = ("front",)
    tools = ("spots",)
    plots = "whole"

    # -- what is analysed

    def analyse(self, inputs: Inputs, params: MarkerSweepParams, progress: Progress) -> Analysis:
        length = inputs.shot.length
        found: dict[int, list[Found]] = {}
        first: UserError | None = None
        for n in range(1, length + 1):
            progress.at(n - 1, 2 * length, f"looking for markers in frame {n}")
            try:
                found[n] = find_marks(_look(inputs, params, n), params.largest, _where(inputs, n))
            except UserError as e:  # a frame that cannot be read shows none
                first = first or e
        if not found and first is not None:
            raise first
        paths = linked(_alike(found, params))
        if not paths:
            return kept([], [])
        paths = [gone_on(p, lambda n: _look(inputs, params, n), found) for p in paths]
        looks: dict[int, tuple[Seen, Mask]] = {}
        tried = [n for n in sample_frames(length, TRIED_ON) if n in found]
        for i, n in enumerate(tried):
            progress.at(length + i * length // len(tried), 2 * length, "choosing what each is covered from")
            frame = _look(inputs, params, n)
            looks[n] = (frame, barred(frame))
        return kept(paths, [sources(p, looks, tried) for p in paths])

    # -- what it gives

    def compute(self, inputs: Inputs, params: MarkerSweepParams, frame: int) -> Product:
        plate = inputs.picture("plate", frame)
        matte, done = np.zeros(plate.shape[:2], np.float32), []
        marks = self._marks(inputs, params)
        here = [(k, p, s) for k, p, s in marks if p.box_at(frame) is not None]
        if not here:
            return Product(picture=plate, matte=matte, work=Swept(()))
        look = seen(plate[..., :3], params.largest)
        bars, front = barred(look), np.zeros_like(matte)
        for m in inputs.mattes("front", frame):
            front = np.maximum(front, m)
        out = np.array(plate[..., :3])
        for k, path, own in here:
            cover = cover_of(look, path, frame)
            if cover is None or cover.max() < 0.5:
                continue
            cover = np.asarray(cover * (1 - front), np.float32)
            part = _about(cover, path.size)
            made, words = covered(
                np.ascontiguousarray(out[part]), look.part(part), bars[part], cover[part], own, frame, 1000 * frame + 13 * k
            )
            if made is None:
                continue
            out[part], matte = made.picture, np.maximum(matte, cover)
            x, y, w, h = made.spot
            done.append((k, cover, made.seam, words, (x + part[1].start, y + part[0].start, w, h)))
        return Product(picture=np.dstack([out, *plate[..., 3:].transpose(2, 0, 1)]), matte=matte, work=Swept(tuple(done)))

    def _marks(self, inputs: Inputs, params: MarkerSweepParams) -> list[tuple[int, Path, tuple[Source, ...]]]:
        """Number, path and sources of the marks that go."""
        every = list(enumerate(marks_of(inputs.analysis()), 1))
        return [(k, p, s) for k, (p, s) in every if not any(_on(p, spot) for spot in params.leave)]

    def read(self, inputs: Inputs, params: MarkerSweepParams, product: Product, frame: int) -> list[Reading]:
        every = marks_of(inputs.analysis())
        if not every:
            return [Reading("mark left", None, "levels", LEFT_OVER, note=NONE)]
        work: Swept = product.work
        assert product.picture is not None
        words = f"{len(every)} found on the shot, {len(work.marks)} covered here"
        if not work.marks:
            return [Reading("mark left", None, "levels", LEFT_OVER, note=words)]
        look, paths = seen(product.picture[..., :3], params.largest), dict(enumerate((p for p, _ in every), 1))
        left = [(left_over(look, cover, paths[k]), k, spot) for k, cover, _, _, spot in work.marks]
        told = [row for row in left if np.isfinite(row[0])]
        if not told:
            return [Reading("mark left", None, "levels", LEFT_OVER, note=f"{words}; no surface is seen beside them")]
        worst, number_, spot = max(told)
        seam = max(work.marks, key=lambda m: m[2] if np.isfinite(m[2]) else -1)
        how = next(m[3] for m in work.marks if m[0] == number_)
        return [
            Reading("mark left", worst, "levels", LEFT_OVER, spot=spot, note=f"{words}; most of number {number_}, taken {how}"),
            Reading(
                "seam",
                seam[2] if np.isfinite(seam[2]) else None,
                "levels",
                SEAM,
                spot=seam[4],
                note=f"number {seam[0]}, taken {seam[3]}",
            ),
        ]

    # -- what is seen of it

    def handles(self, inputs: Inputs, params: MarkerSweepParams, frame: int) -> tuple[Handle, ...]:
        there = inputs.analysis_if_there()
        found: list[tuple[float, float, float]] = []
        left: list[tuple[float, float, float]] = []
        for path, _ in marks_of(there) if there is not None else []:
            box = path.box_at(frame)
            if box is not None:
                ring = ((box[0] + box[2]) / 2 - 0.5, (box[1] + box[3]) / 2 - 0.5, path.size / 2 + 3)
                (left if any(_on(path, s) for s in params.leave) else found).append(ring)
        return (Handle("spots", "leave", "Markers", LEAVE, tuple(left), live=False, facts={"found": found}),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        """What is to stay, told at the frame at which it was pressed; rings that were there already keep theirs."""
        old = [tuple(s) for s in step.params.get("leave", ())]
        shown = {tuple(round(v, 1) for v in s): s for s in handle.value}
        rows = [tuple(round(float(v), 1) for v in s) for s in value]
        gone = [s for r, s in shown.items() if r not in rows]
        keep = [s for s in old if not any(np.hypot(s[1] - g[0], s[2] - g[1]) <= s[3] + g[2] for g in gone)]
        new = [(frame, *r) for r in rows if r not in shown]
        return step.model_copy(update={"params": {**step.params, "leave": [list(s) for s in (*keep, *new)]}})

    def plot(self, inputs: Inputs, params: MarkerSweepParams, frame: int) -> Plot | None:
        """The marks one by one at the playhead's frame or the nearest in which they show, as they are covered."""
        there = inputs.analysis_if_there()
        if there is None:
            return None
        pictures, below = [], []
        marks = self._marks(inputs, params)
        for k, path, _ in marks[:SHOWN]:
            n = min(path.found, key=lambda m: abs(m - frame))
            made = inputs.own(n).picture
            assert made is not None
            pictures.append(_cut(made, path.found[n].box))
            below.append(f"{k}, frame {n}")
        tip = "Each marker as it is covered at the frame nearest to the playhead in which it shows."
        still = Stills("covered", tuple(pictures), tuple(below), why="" if pictures else "none was found", lines=False)
        return Plot("The markers, one by one", tip, (still,), f"{len(marks)} of {len(marks_of(there))} found are covered.")


def _look(inputs: Inputs, params: MarkerSweepParams, n: int) -> Seen:
    return seen(inputs.picture("plate", n)[..., :3], params.largest)


def _where(inputs: Inputs, n: int) -> Mask | None:
    return inputs.matte("where", n) > 0.5 if inputs.has("where") else None


def _alike(found: dict[int, list[Found]], params: MarkerSweepParams) -> dict[int, list[Found]]:
    """Those of all frames that are of one kind."""
    every = [(n, f) for n, row in found.items() for f in row]
    which = alike([f for _, f in every], None if params.colour is None else np.array(params.colour))
    out: dict[int, list[Found]] = {n: [] for n in found}
    for (n, f), ok in zip(every, which, strict=True):
        if ok:
            out[n].append(f)
    return out


def _on(path: Path, spot: tuple[float, float, float, float]) -> bool:
    """Whether a spot set at its frame lies on a mark."""
    box = path.box_at(int(spot[0]))
    if box is None:
        return False
    return bool(np.hypot((box[0] + box[2]) / 2 - spot[1], (box[1] + box[3]) / 2 - spot[2]) <= spot[3] + path.size / 2)


def _about(cover: Array, size: float) -> tuple[slice, slice]:
    """The part of a frame in which a mark and all that it may be covered from lie."""
    room = round(FARTHEST * size) + 16
    ys, xs = np.nonzero(cover > 0)
    h, w = cover.shape
    return slice(max(0, int(ys.min()) - room), min(h, int(ys.max()) + room)), slice(
        max(0, int(xs.min()) - room), min(w, int(xs.max()) + room)
    )


def _cut(picture: Array, box: tuple[int, int, int, int]) -> Array:
    h, w = picture.shape[:2]
    x0, y0, x1, y1 = box
    return np.ascontiguousarray(picture[max(0, y0 - ROOM) : min(h, y1 + ROOM), max(0, x0 - ROOM) : min(w, x1 + ROOM), :3])
