"""Camera: solves where the camera stood in every frame, or how a thing before it moves, and lays the place out in metres."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.pose import Camera as Pose
from transmixis.core.plot import Plot, Solid
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.solve.camera import LOCKED, TURN, Solved, solved
from transmixis.core.solve.tracks import follow_all
from transmixis.core.solve.world import Marks, World, laid_out
from transmixis.core.types import Array, Mask
from transmixis.shot.contract import Analysis, Handle, Inputs, Product, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

REPROJECTION = 0.5  # px: more, and what stands in the place slides (docs/limits.md)
POINTS = 25.0  # seen at a frame at least, for its place to be told by more than chance (docs/limits.md)
SPREAD = 30.0  # % of the frame's cells with a point
PARALLAX = 2.0  # degrees that points are seen from aside: with less their depth is a guess (docs/limits.md)
CELLS = (6, 8)
PLACE, THING = "the camera", "a thing on the matte"
KNOWN_LENS, FIND_LENS = "as good as straight", "bends; find how"
STAYS, CHANGES = "stays", "changes; find it for every frame"
GROUND = "Press three dots that lie on the ground, as a wide triangle."
ORIGIN = "Press the dot, or the place of the ground, that all lengths are counted from."
LATER = "Not solved yet: its dots are there as soon as its readings are."
PLACE_TIP = (
    "The place from the side: drag to go round it, turn the wheel to come nearer."
    " Dots are solved points, the line is the camera's way."
)
SPAN = "Press the two dots between which the length below was measured."


class CameraParams(Params):
    what: str = choice(PLACE, (PLACE, THING), "Solve", "The camera in its place, or a thing that moves before it, on its matte.")
    focal: float = number(
        0.0, 0.0, 100_000, "px", "Focal length", "Of the lens, in px of the plate. 0: not known, find it.", step=1
    )
    zoom: str = choice(
        STAYS, (STAYS, CHANGES), "Zoom", "Whether the focal length stays, or the lens was zoomed while the take ran."
    )
    lens: str = choice(KNOWN_LENS, (KNOWN_LENS, FIND_LENS), "Lens", "Whether it bends straight lines so that it is to be found.")
    ground: tuple[tuple[float, float], ...] = hidden(())
    origin: tuple[tuple[float, float], ...] = hidden(())
    span: tuple[tuple[float, float], ...] = hidden(())
    at: float = number(1, 1, 1_000_000, "frame", "Marked at", "The frame in which ground, origin and length were marked.", step=1)
    metres: float = number(0.0, 0.0, 10_000, "m", "Measured length", "How long the marked length is. 0: not measured.", step=0.01)
    height: float = number(
        0.0,
        0.0,
        1000,
        "m",
        "Camera's height",
        "Over the ground at that frame, if no length was measured. 0: not known.",
        step=0.01,
    )


class Camera(StepKind[CameraParams]):
    kind, title, stage, product = "camera_solve", "Camera", "Motion", "camera"
    says = "solves the camera's way and lens"
    work = "camera solve"
    roles = ("camera",)
    slots = (
        Slot("plate", "the plate it took"),
        Slot("matte", "a matte of what moves by itself, or of the thing that is solved", takes="matte", optional=True, usual=()),
    )
    Params = CameraParams
    analyses = True
    analysis_params = ("what", "focal", "zoom", "lens")
    version = 4
    plots = "whole"
    tools = ("dots",)

    def analyse(self, inputs: Inputs, params: CameraParams, progress: Progress) -> Analysis:
        """Turns (n, 3, 3), shifts (n, 3), errors (n,) and reasons of the frames, the points (m, 3) with errors, lens and kind."""
        n, size = inputs.shot.length, (inputs.shot.width, inputs.shot.height)
        tracks = follow_all(
            lambda i: inputs.picture("plate", i + 1),
            n,
            self._barred(inputs, params),
            progress,
            half=inputs.draft.read(),
            keep=inputs.draft.keep,
        )
        bend = params.lens == FIND_LENS
        made = solved(tracks, size, params.focal or None, bend=bend, zoom=params.zoom == CHANGES, progress=progress)
        return _table(made)

    def _barred(self, inputs: Inputs, params: CameraParams) -> Callable[[int], Mask] | None:
        if params.what == THING:
            if not inputs.has("matte"):
                raise UserError("A thing is solved on its matte: connect a matte that is white where the thing is.")
            return lambda i: inputs.matte("matte", i + 1) < 0.5
        if not inputs.has("matte"):
            return None
        return lambda i: inputs.matte("matte", i + 1) > 0.5

    def compute(self, inputs: Inputs, params: CameraParams, frame: int) -> Product:
        table = inputs.analysis()
        pose = _pose(table, frame)
        world = _world(table, params)
        cloud = np.c_[world.points(table["points"]), table["errors"]]
        return Product(camera=world.camera(pose) if pose.known else pose, cloud=cloud)

    def read(self, inputs: Inputs, params: CameraParams, product: Product, frame: int) -> list[Reading]:
        table, c = inputs.analysis(), product.camera
        assert c is not None
        if not c.known:
            return [
                Reading("reprojection", None, "px", REPROJECTION, note=c.why),
                Reading("points seen", None, "", POINTS, "high", note=c.why),
                Reading("spread", None, "%", SPREAD, "high", note=c.why),
                Reading("parallax", None, "°", PARALLAX, "high", note=c.why),
            ]
        error = c.error if np.isfinite(c.error) else None
        note = "" if error is not None else "no point was seen here"
        out = [Reading("reprojection", error, "px", REPROJECTION, note=note)]
        if str(table["kind"]) == LOCKED:
            return out
        seen = np.asarray(table["seen"])[frame - 1]
        at = _pose(table, frame).project(np.asarray(table["points"])[seen])
        turns = str(table["kind"]) == TURN
        angle = float(np.median(np.asarray(table["angles"])[seen])) if seen.any() and not turns else None
        aside = "it only turns: no depth is told" if turns else "of the points seen here, how far apart they are seen from"
        return [
            *out,
            Reading("points seen", float(seen.sum()), "", POINTS, "high", note="of the solved ones"),
            Reading(
                "spread", _spread(at, inputs.shot.width, inputs.shot.height), "%", SPREAD, "high", note="of the frame's cells"
            ),
            Reading("parallax", angle, "°", PARALLAX, "high", note=aside),
        ]

    def plot(self, inputs: Inputs, params: CameraParams, frame: int) -> Plot:
        """The place from the side: its points by their error, the camera's way, and where it stands now."""
        table = inputs.analysis()
        world = _world(table, params)
        cameras = [world.camera(_pose(table, n)) for n in range(1, len(table["known"]) + 1)]
        way = np.array([c.place if c.known else (np.nan,) * 3 for c in cameras])
        turns = np.array([c.turn for c in cameras])
        solid = Solid(
            world.points(table["points"]), np.asarray(table["errors"]), REPROJECTION, way, turns, world.levelled,
            "m" if world.measured else "", str(table["words"]),
        )  # fmt: skip
        return Plot("Place and way", PLACE_TIP, (solid,), _said(table, world))

    def handles(self, inputs: Inputs, params: CameraParams, frame: int) -> tuple[Handle, ...]:
        """The solved points as dots, and what they were said to be in the frame in which they were marked."""
        table = inputs.analysis_if_there()
        if table is None:
            return (Handle("dots", "ground", "Ground", GROUND, (), live=False, note=LATER, facts={"dots": []}),)
        pose = _pose(table, frame)
        marked = bool(params.ground or params.origin or params.span)
        here = frame == int(params.at) or not marked
        facts = {"dots": _dots(table, pose, frame), "limit": REPROJECTION}
        note = "" if here else f"Marked at frame {int(params.at)}; go there to change it."
        if not len(table["points"]) or str(table["kind"]) == TURN:
            note = str(table["words"])
        out = []
        for name, words, hint, most in (
            ("ground", "Ground", GROUND, 3), ("origin", "Origin", ORIGIN, 1), ("span", "Length", SPAN, 2),
        ):  # fmt: skip
            value = getattr(params, name)
            if not here:
                value = _followed(table, params, value, pose)
            out.append(
                Handle(
                    "dots",
                    name,
                    words,
                    hint,
                    value,
                    here=here,
                    live=False,
                    note=note,
                    facts={**facts, "most": most, "free": name == "origin" and len(params.ground) == 3},
                )
            )
        return tuple(out)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        params = step.params
        change: dict[str, Any] = {handle.param: rounded(value)}
        if not any(params.get(n) for n in ("ground", "origin", "span")):
            change["at"] = frame
        elif frame != int(params.get("at", 1)):
            return step  # marks belong to one frame
        return step.model_copy(update={"params": {**params, **change}})


def _table(made: Solved) -> Analysis:
    cameras = made.cameras
    return {
        "turn": np.array([c.turn for c in cameras]),
        "shift": np.array([c.shift for c in cameras]),
        "known": np.array([c.known for c in cameras]),
        "error": np.array([c.error for c in cameras]),
        "why": np.array([c.why for c in cameras], dtype=np.str_),
        "focals": np.array([c.focal for c in cameras]),
        "lens": np.array([*cameras[0].middle, cameras[0].k1, cameras[0].k2]),
        "points": made.points,
        "errors": made.errors,
        "seen": made.seen,
        "angles": made.angles,
        "kind": np.array(made.kind),
        "words": np.array(made.words),
    }


def _pose(table: Analysis, frame: int) -> Pose:
    """The camera of a frame, or of the last, as it was solved."""
    i = min(frame, len(table["known"])) - 1
    focal = float(table["focals"][i])
    x, y, k1, k2 = (float(v) for v in table["lens"])
    known, why = bool(table["known"][i]), str(table["why"][i])
    if not np.isfinite(focal):
        known, why = False, why or str(table["words"])
    return Pose(focal, (x, y), table["turn"][i], table["shift"][i], k1, k2, known, float(table["error"][i]), why)


def _world(table: Analysis, params: CameraParams) -> World:
    marks = Marks(params.ground, params.origin, params.span, params.metres, params.height)
    if str(table["kind"]) == LOCKED or not np.asarray(table["known"]).any() or marks == Marks():
        return World()
    return laid_out(np.asarray(table["points"]), _pose(table, int(params.at)), marks)


def _followed(table: Analysis, params: CameraParams, marks: tuple[tuple[float, float], ...], pose: Pose) -> tuple[Any, ...]:
    """Marks that lie on solved points, as those lie in another frame."""
    base = _pose(table, int(params.at))
    points = np.asarray(table["points"])
    if not len(points) or not marks or not pose.known:
        return ()
    seen = base.project(points)
    nearest = [int(np.nanargmin(np.hypot(*(seen - m).T))) for m in np.asarray(marks)]
    return tuple(map(tuple, pose.project(points[nearest]).tolist()))


def _dots(table: Analysis, pose: Pose, frame: int) -> list[tuple[float, float, float, bool]]:
    """Place px, error px, and whether it is seen here, of every solved point that lies in this frame."""
    if not pose.known or not len(table["points"]):
        return []
    at, seen = pose.project(np.asarray(table["points"])), np.asarray(table["seen"])[frame - 1]
    return [
        (float(x), float(y), float(e), bool(s)) for (x, y), e, s in zip(at, table["errors"], seen, strict=True) if np.isfinite(x)
    ]


def _spread(at: Array, width: int, height: int) -> float:
    """% of the frame's cells in which a point is seen."""
    rows, columns = CELLS
    good = np.isfinite(at[:, 0])
    j = np.clip((at[good, 1] / height * rows).astype(int), 0, rows - 1)
    i = np.clip((at[good, 0] / width * columns).astype(int), 0, columns - 1)
    return 100 * len(set(zip(j.tolist(), i.tolist(), strict=True))) / (rows * columns)


def _said(table: Analysis, world: World) -> str:
    focals, k1 = np.asarray(table["focals"]), float(table["lens"][2])
    out = [str(table["words"])]
    if np.isfinite(focals[0]) and len(table["points"]):
        changes = f" to {focals[-1]:.0f}" if np.ptp(focals) else ""
        out.append(f"Focal length {focals[0]:.0f}{changes} px" + (f", k1 {k1:.3f}." if k1 else "."))
    if len(table["points"]) and str(table["kind"]) != TURN:
        out.append(
            "Lengths in metres."
            if world.measured
            else "Lengths are not measured: mark a length, or the camera's height over the ground."
        )
    return " ".join(out)
