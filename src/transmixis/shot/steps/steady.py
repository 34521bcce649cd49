"""Steady: takes trembling or all motion of the camera out, by the whole picture or by one or two points."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.align import camera_move
from transmixis.core.motion.motion import moved_points, told_by
from transmixis.core.motion.point import follow_points
from transmixis.core.motion.similarity import Similarity, fit_similarity
from transmixis.core.motion.steady import corrections, from_points, moved, zoom_needed
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.survey.findings import SHIFT
from transmixis.shot.contract import Analysis, Effect, Inputs, Product, Proposal, Slot, StepKind, sampled
from transmixis.shot.steps.attachment import HANGS_ON
from transmixis.shot.steps.params import Params, choice, number

ENLARGED = 8.0  # %: more and the loss of detail shows beside an untouched plate (judgement, docs/limits.md)
WHOLE, ONE, TWO, TRACK = "the whole picture", "one point", "two points", "a track"

TRIED = 5  # frames that a proposal is tried on


class SteadyParams(Params):
    by: str = choice(
        WHOLE, (WHOLE, ONE, TWO, TRACK), "By", "One point tells position; two points, or a track, rotation and scale too."
    )
    strength: float = number(0.0, 0.0, 1.0, "%", "Strength", "How much of the motion is taken out.", percent=True)
    smooth: float = number(
        0.0, 0.0, 200.0, "frames", "Keeps pans slower than", "0 locks the picture to the reference frame.", step=1
    )
    reference: float = number(1, 1, 1_000_000, "frame", "Reference", "The frame that stays as it is.", step=1)
    border: str = choice(
        "fill the frame", ("fill the frame", "leave empty"), "Border", "Enlarge until no border shows, or leave it empty."
    )
    x1: float = number(0, -20000, 20000, "px", "Point 1 across", "Where the first point lies in the reference frame.", step=1)
    y1: float = number(0, -20000, 20000, "px", "Point 1 down", "Where the first point lies in the reference frame.", step=1)
    x2: float = number(0, -20000, 20000, "px", "Point 2 across", "Where the second point lies in the reference frame.", step=1)
    y2: float = number(0, -20000, 20000, "px", "Point 2 down", "Where the second point lies in the reference frame.", step=1)


class Steady(StepKind[SteadyParams]):
    kind, title, stage, product, version = "steady", "Steady", "Survey", "picture", 7
    says = "takes the camera's trembling or motion out"
    mends_topics = ("camera",)
    roles = ("mended",)
    work = "track"
    slots = (Slot("plate", "the plate to steady"), replace(HANGS_ON, words="a track to steady it by", usual=()))
    mends = True
    Params = SteadyParams
    reads_other_frames = True
    analyses = True
    analysis_params = ("by", "reference", "x1", "y1", "x2", "y2")

    def analyse(self, inputs: Inputs, params: SteadyParams, progress: Progress) -> Analysis:
        """Rows x, y, turn, grow of the plate's motion since the reference frame, nan where lost."""
        n = inputs.shot.length
        reference = min(int(params.reference), n)
        if params.by == WHOLE:
            path = inputs.survey("plate").path
            base = path.similarity(reference - 1) if path.known[min(reference, len(path.x)) - 1] else None
            if base is None:
                raise UserError("The camera's motion is not known at the reference frame; choose another reference frame.")
            rows = [path.similarity(i).after(base.inverse()) if i < len(path.x) and path.known[i] else None for i in range(n)]
        elif params.by == TRACK:
            rows = self._by_track(inputs, reference)
        else:
            rows = self._by_points(inputs, params, reference, progress)
        pivot = (inputs.shot.width / 2, inputs.shot.height / 2)
        table = np.full((n, 4), np.nan)
        for i, s in enumerate(rows):
            if s is not None:
                a = s.about(pivot)
                table[i] = a.x, a.y, a.turn, a.grow
        return {"path": table}

    def _by_track(self, inputs: Inputs, reference: int) -> list[Similarity | None]:
        """How the track says that the picture has moved since the reference frame: position, turn and size."""
        if not inputs.has("motion"):
            raise UserError("No track is connected to steady by; connect one in the step sheet.")
        base = inputs.motion("motion", reference)
        if not base.known:
            raise UserError(f"The track is not known at the reference frame ({base.why}); choose another reference frame.")
        places = told_by(moved_points(base.matrix, base.about))
        back = np.linalg.inv(base.matrix)
        out: list[Similarity | None] = []
        for n in range(1, inputs.shot.length + 1):
            m = inputs.motion("motion", n)
            out.append(fit_similarity(places, moved_points(m.matrix @ back, places)) if m.known else None)
        return out

    def _by_points(self, inputs: Inputs, params: SteadyParams, reference: int, progress: Progress) -> list[Similarity | None]:
        n = inputs.shot.length
        points = _points(inputs, params)
        seen = follow_points(lambda i: inputs.picture("plate", i + 1), points, reference - 1, n, progress=progress)
        pivot = (float(points[0, 0]), float(points[0, 1]))
        return [from_points(points, p, pivot) if np.isfinite(p).all() else None for p in seen]

    def compute(self, inputs: Inputs, params: SteadyParams, frame: int) -> Product:
        picture = inputs.picture("plate", frame)
        if params.strength == 0:
            return Product(picture=picture)
        moves, zoom = _moves(inputs, params)
        return Product(picture=moved(picture, moves[frame - 1], zoom))

    def read(self, inputs: Inputs, params: SteadyParams, product: Product, frame: int) -> list[Reading]:
        rows = np.asarray(inputs.analysis()["path"])
        if not np.isfinite(rows[frame - 1]).all():
            note = "the motion is not known at this frame; it is moved like its neighbours"
            return [Reading("shift left", None, "px", SHIFT, note=note)]
        zoom = _moves(inputs, params)[1] if params.strength > 0 else 1.0
        left = _shift_left(inputs, params, product, frame, zoom)
        note = ("off the smooth path" if params.smooth else "off the reference frame") + ", measured on the steadied pictures"
        return [
            left if isinstance(left, Reading) else Reading("shift left", left, "px", SHIFT, note=note),
            Reading("enlarged", 100 * (zoom - 1), "%", ENLARGED, note="detail is lost by as much"),
        ]

    def propose(self, inputs: Inputs, params: SteadyParams, progress: Progress) -> Proposal | None:
        survey = inputs.survey("plate")
        v = survey.steadiness
        if v.verdict in ("locked", "unknown") or params.strength > 0:
            return None
        pans = v.verdict == "moving" and v.drift > 12
        smooth = 8.0 if pans else 0.0
        full = params.model_copy(update={"strength": 1.0, "smooth": smooth, "by": WHOLE})
        _, zoom = _moves(inputs, full)
        now, then = self._worst_left(inputs, params, progress), self._worst_left(inputs, full, progress)
        if now is None or then is None or then >= now:
            return None
        words = (
            v.words[0].upper()
            + v.words[1:]
            + (". The pan stays, the trembling goes." if pans else ". All of it can be taken out.")
        )
        return Proposal(
            {"strength": 1.0, "smooth": smooth, "by": WHOLE}, words, (Effect("shift left", now, then, "px", SHIFT),),
            gains=f"Measured on {TRIED} frames, steadied to see.",
            costs=f"Enlarges by {100 * (zoom - 1):.1f} % so that no border shows." if zoom > 1.0005 else "",
        )  # fmt: skip

    def _worst_left(self, inputs: Inputs, params: SteadyParams, progress: Progress) -> float | None:
        """The largest shift that settings leave on a few frames, measured on pictures steadied by them; None if it cannot be."""
        _, zoom = _moves(inputs, params) if params.strength > 0 else ([], 1.0)

        def left(n: int) -> float | None:
            found = _shift_left(
                inputs, params, self.compute(inputs, params, n), n, zoom, lambda k: self.compute(inputs, params, k).picture
            )
            return None if isinstance(found, Reading) else found

        rows = np.isfinite(np.asarray(inputs.analysis()["path"])).all(axis=1)
        tried = sampled(
            inputs.shot.length, TRIED, lambda n: left(n) if rows[n - 1] else None, progress, "trying it on a few frames"
        )
        told = [v for v in tried.values() if v is not None]
        return max(told) if told else None


Base = Callable[[int], Any]


def _points(inputs: Inputs, params: SteadyParams) -> Any:
    """(1 or 2, 2) px of the reference frame."""
    if params.by == TRACK:
        base = inputs.motion("motion", min(int(params.reference), inputs.shot.length))
        return moved_points(base.matrix, base.about.mean(axis=0))
    return np.array([[params.x1, params.y1], [params.x2, params.y2]][: 1 if params.by == ONE else 2], float)


def _path(rows: Any, shot: Any) -> list[Similarity | None]:
    pivot = (shot.width / 2, shot.height / 2)
    return [
        Similarity(float(r[0]), float(r[1]), float(r[2]), float(r[3]), pivot) if np.isfinite(r).all() else None
        for r in np.asarray(rows)
    ]


def _moves(inputs: Inputs, params: SteadyParams) -> tuple[list[Similarity], float]:
    path = _path(inputs.analysis()["path"], inputs.shot)
    if not any(p is not None for p in path):
        raise UserError("The motion could not be followed at any frame; choose other points, or steady by the whole picture.")
    reference = min(int(params.reference), len(path)) - 1
    moves = corrections(path, reference, params.strength, params.smooth)
    zoom = zoom_needed(moves, (inputs.shot.height, inputs.shot.width)) if params.border == "fill the frame" else 1.0
    return moves, zoom


def _shift_left(
    inputs: Inputs, params: SteadyParams, product: Product, frame: int, zoom: float, base_of: Base | None = None
) -> float | Reading:
    """How far the steadied picture at a frame lies from where a full correction would have it, px; a reading that says why not.
    `base_of`: gives the steadied picture of the reference frame; else as the step stands."""
    path = _path(inputs.analysis()["path"], inputs.shot)
    full, _ = _moves(inputs, params.model_copy(update={"strength": 1.0}))
    reference = min(int(params.reference), len(path))
    here, base = path[frame - 1], path[reference - 1]
    assert here is not None
    if base is None or product.picture is None:
        return Reading("shift left", None, "px", SHIFT, note="the motion is not known at the reference frame")
    wanted, first = full[frame - 1].after(here), full[reference - 1].after(base)
    base_picture = base_of(reference) if base_of else inputs.own(reference).picture
    assert base_picture is not None
    h, w = base_picture.shape[:2]
    middle = np.array([w / 2, h / 2])

    def enlarged(points: Any) -> Any:
        return (points - middle) * zoom + middle

    if params.by == WHOLE:
        move = camera_move(base_picture, product.picture)
        if not move:
            return Reading("shift left", None, "px", SHIFT, note=move.reason)
        goal = enlarged(wanted.after(first.inverse()).apply(middle[None]))
        return float(np.hypot(*(move.similarity((h, w)).apply(enlarged(middle[None])) - goal)[0])) / zoom
    points = _points(inputs, params)
    goal = enlarged(wanted.apply(points))
    pair = (base_picture, product.picture)
    found = follow_points(lambda i: pair[i], enlarged(first.apply(points)), 0, 2)[1]
    if not np.isfinite(found).all():
        return Reading("shift left", None, "px", SHIFT, note="the points cannot be found again on the steadied picture")
    return float(np.hypot(*(found - goal).T).max()) / zoom
