"""Camera from a file: a camera that another program, or this one, has solved, with its points."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.pose import Camera as Pose
from transmixis.core.plot import Plot, Solid
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.media.exchange.usd import Scene
from transmixis.media.files import said
from transmixis.shot.contract import Handle, Inputs, Product, StepKind
from transmixis.shot.exchange import CAMERAS, read_scene
from transmixis.shot.model import Shot, Step
from transmixis.shot.steps.camera import PLACE_TIP, REPROJECTION
from transmixis.shot.steps.fromfile import NOTHING, FromFile, known, plain
from transmixis.shot.steps.params import hidden, number

LIKE = 0.01  # that width over height may differ
POINTS = 20_000  # at most that are kept: more are thinned evenly
SHOWN = "Dots lie where the file's camera sees its points: they must lie on the same things in every frame."
Row = tuple[bool, float | None, tuple[float, ...], tuple[float, ...], float | None]


class CameraFileParams(FromFile):
    frames: tuple[Row, ...] = hidden(())  # of each: known, focal px, turn (9), shift (3), error px
    lens: tuple[float, ...] = hidden(())  # middle x, y px, k1, k2
    points: tuple[tuple[float, float, float, float | None], ...] = hidden(())  # with the error px of each
    level: bool = hidden(False)
    measured: bool = hidden(False)
    metres: float = number(
        1.0, 1e-4, 10_000, "m", "One in the file is", "How long in the place what the file calls 1 is.", step=0.01
    )


class CameraFile(StepKind[CameraFileParams]):
    kind, title, stage, product = "camera_file", "Camera from a file", "Motion", "camera"
    says = "takes a camera that was solved elsewhere"
    roles = ("camera",)
    slots = ()
    Params = CameraFileParams
    files = CAMERAS
    plots = "whole"
    tools = ("dots",)

    def from_file(self, step: Step, shot: Shot, path: Path) -> Step:
        """With the file's camera and points, for pictures of the shot's size. Raises UserError where the file holds none, or its
        pictures have another shape."""
        scene = _sized(read_scene(path), shot, path)
        rows = [[c.known, plain(c.focal), c.turn.ravel().tolist(), c.shift.tolist(), plain(c.error)] for c in scene.cameras]
        first = scene.cameras[0]
        some = np.unique(np.linspace(0, len(scene.points) - 1, min(len(scene.points), POINTS)).astype(int))
        points = [[*scene.points[k].tolist(), plain(float(scene.errors[k]))] for k in some]
        change = {
            "source": path.name, "frames": rows, "lens": [*first.middle, first.k1, first.k2], "points": points,
            "level": first.level, "measured": first.metres, "starts": 1,
        }  # fmt: skip
        return step.model_copy(update={"params": {**step.params, **change}})

    def handles(self, inputs: Inputs, params: CameraFileParams, frame: int) -> tuple[Handle, ...]:
        """The file's points, where its camera sees them."""
        if not params.points:
            return ()
        pose, cloud = _pose(params, frame), _cloud(params)
        at = pose.project(cloud[:, :3]) if pose.known else np.zeros((0, 2))
        dots = [
            (float(x), float(y), float(np.nan_to_num(e)), True)
            for (x, y), e in zip(at, cloud[:, 3], strict=False)
            if np.isfinite(x)
        ]
        note = "" if dots else f"Not known here: {pose.why}" if pose.why else "None of its points is seen here."
        return (
            Handle("dots", "points", "Points", SHOWN, (), live=False, note=note, facts={"dots": dots, "limit": REPROJECTION}),
        )

    def compute(self, inputs: Inputs, params: CameraFileParams, frame: int) -> Product:
        return Product(camera=_pose(params, frame), cloud=_cloud(params))

    def read(self, inputs: Inputs, params: CameraFileParams, product: Product, frame: int) -> list[Reading]:
        c = product.camera
        assert c is not None
        told = plain(c.error) if c.known else None
        note = c.why if not c.known else "as the file tells it" if told is not None else "the file does not tell how sure it is"
        return [Reading("reprojection", told, "px", REPROJECTION, note=note)]

    def plot(self, inputs: Inputs, params: CameraFileParams, frame: int) -> Plot | None:
        if not params.frames:
            return None
        cameras = [_pose(params, n) for n in range(1, inputs.shot.length + 1)]
        way = np.array([c.place if c.known else (np.nan,) * 3 for c in cameras])
        cloud = _cloud(params)
        solid = Solid(
            cloud[:, :3], cloud[:, 3], REPROJECTION, way, np.array([c.turn for c in cameras]), params.level,
            "m" if _measured(params) else "", f"Read from {params.source}.",
        )  # fmt: skip
        there = sum(c.known for c in cameras)
        words = f"Read from {params.source}: {there} of {len(cameras)} frames, {len(cloud)} points."
        return Plot("Place and way", PLACE_TIP, (solid,), words)


def _sized(scene: Scene, shot: Shot, path: Path) -> Scene:
    """The scene for pictures of the shot's size."""
    w, h = scene.size
    if abs(w * shot.height / (h * shot.width) - 1) > LIKE:
        raise UserError(
            f"The camera of '{said(path.name)}' took pictures of {w} x {h} px, the shot's are {shot.width} x {shot.height}: they have "
            "another shape. Solve the camera on this plate, or on one of its shape."
        )
    by = shot.width / w
    return replace(scene, cameras=tuple(c.scaled(by) for c in scene.cameras), errors=scene.errors * by)


def _pose(params: CameraFileParams, frame: int) -> Pose:
    at = params.counted(frame) - 1
    x, y, k1, k2 = params.lens or (0.0, 0.0, 0.0, 0.0)
    if not 0 <= at < len(params.frames):
        why = "the file tells nothing of this frame" if params.frames else NOTHING
        return Pose(float("nan"), (x, y), np.eye(3), np.zeros(3), k1, k2, known=False, why=why)
    there, focal, turn, shift, error = params.frames[at]
    sure = there and focal is not None
    why = "" if sure else "the file does not know the camera here"
    return Pose(
        known(focal), (x, y), np.array(turn).reshape(3, 3), params.metres * np.array(shift), k1, k2, sure, known(error), why,
        params.level, _measured(params),
    )  # fmt: skip


def _measured(params: CameraFileParams) -> bool:
    return params.measured or params.metres != 1.0  # what was set by hand was measured


def _cloud(params: CameraFileParams) -> Array:
    rows = [[x * params.metres, y * params.metres, z * params.metres, known(e)] for x, y, z, e in params.points]
    return np.array(rows, np.float64).reshape(-1, 4)
