"""A solved camera and its points as USD, for programs that build in depth.

USD looks along -z with y up, lengths in metres; a point (x, y, z) of ours is (x, -y, -z) there. The frame is taken as WIDE mm wide, so that
the focal length is told in mm too. Needs the library usd-core, which comes with the extra `interchange`.
"""

from __future__ import annotations

import math
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.pose import Camera
from transmixis.core.types import Array
from transmixis.media.files import make_folder, said, why

SUFFIXES = (".usda", ".usdc", ".usd")
WIDE = 36.0  # mm that the frame is taken to be wide
FLIP = np.diag([1.0, -1.0, -1.0])
CAMERA, POINTS = "/place/camera", "/place/points"
OWN = "transmixis:"  # before the names of what USD has no words for


@dataclass(frozen=True)
class Scene:
    """`cameras` of the frames 1.., `points` (m, 3) with `errors` (m,) px, the frame's `size` (w, h) px, `rate` frames a second."""

    cameras: tuple[Camera, ...]
    points: Array
    errors: Array
    size: tuple[int, int]
    rate: float = 24.0


def _library() -> Any:
    try:
        from pxr import Gf, Sdf, Usd, UsdGeom, Vt
    except ImportError as e:
        raise UserError(
            "USD needs the library usd-core, which is not installed; add it with: pip install 'transmixis[interchange]'."
        ) from e
    return Gf, Sdf, Usd, UsdGeom, Vt


def write_scene(path: Path, scene: Scene) -> None:
    """Write a scene as .usda (text), .usdc or .usd. Raises UserError where it cannot be written."""
    _library()
    make_folder(path.parent)
    part = path.with_name(f".{path.stem}.part{path.suffix}")
    try:
        _made(part, scene)
        os.replace(part, path)
    except Exception as e:
        part.unlink(missing_ok=True)
        if isinstance(e, (OSError, RuntimeError)) or type(e).__module__.startswith("pxr"):
            raise UserError(f"Cannot write '{said(path)}' ({why(e)}); free some space or choose another place.") from e
        raise


def _made(path: Path, scene: Scene) -> None:
    Gf, Sdf, Usd, UsdGeom, Vt = _library()
    path.unlink(missing_ok=True)
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(scene.rate)
    stage.SetFramesPerSecond(scene.rate)
    stage.SetStartTimeCode(1)
    stage.SetEndTimeCode(len(scene.cameras))
    stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/place").GetPrim())
    camera = UsdGeom.Camera.Define(stage, CAMERA)
    prim = camera.GetPrim()
    w, h = scene.size
    mm = WIDE / w
    first = next((c for c in scene.cameras if c.known), scene.cameras[0])
    camera.CreateHorizontalApertureAttr(WIDE)
    camera.CreateVerticalApertureAttr(WIDE * h / w)
    camera.CreateHorizontalApertureOffsetAttr((w / 2 - first.middle[0]) * mm)  # the window's, against the lens's middle
    camera.CreateVerticalApertureOffsetAttr((first.middle[1] - h / 2) * mm)
    focal = camera.CreateFocalLengthAttr(_told(first.focal * mm))
    zoomed = len({c.focal for c in scene.cameras if c.known}) > 1
    for name, value in (("k1", first.k1), ("k2", first.k2)):
        prim.CreateAttribute(OWN + name, Sdf.ValueTypeNames.Double).Set(float(value))
    prim.CreateAttribute(OWN + "measured", Sdf.ValueTypeNames.Bool).Set(bool(first.metres))
    prim.CreateAttribute(OWN + "level", Sdf.ValueTypeNames.Bool).Set(bool(first.level))
    prim.CreateAttribute(OWN + "size", Sdf.ValueTypeNames.Int2).Set(Gf.Vec2i(w, h))
    known = prim.CreateAttribute(OWN + "known", Sdf.ValueTypeNames.Bool)
    error = prim.CreateAttribute(OWN + "error", Sdf.ValueTypeNames.Double)
    move = camera.AddTransformOp(UsdGeom.XformOp.PrecisionDouble)
    for n, c in enumerate(scene.cameras, 1):
        known.Set(bool(c.known), n)
        if zoomed and c.known:
            focal.Set(_told(c.focal * mm), n)
        if math.isfinite(c.error):
            error.Set(float(c.error), n)
        if c.known:
            move.Set(Gf.Matrix4d(*_matrix(c).ravel().tolist()), n)
    cloud = UsdGeom.Points.Define(stage, POINTS)
    cloud.CreatePointsAttr(Vt.Vec3fArray([Gf.Vec3f(*p) for p in (scene.points @ FLIP).tolist()]))
    cloud.CreateWidthsAttr(Vt.FloatArray([0.02] * len(scene.points)))
    cloud.GetPrim().CreateAttribute(OWN + "errors", Sdf.ValueTypeNames.DoubleArray).Set(Vt.DoubleArray(scene.errors.tolist()))
    stage.GetRootLayer().Save()


def _told(focal: float) -> float:
    """mm; 0 where it is not known."""
    return focal if math.isfinite(focal) else 0.0


def _matrix(c: Camera) -> Array:
    """(4, 4) from the camera to the place, for row vectors as USD has them."""
    out = np.eye(4)
    out[:3, :3] = (FLIP @ c.turn.T @ FLIP).T
    out[3, :3] = FLIP @ c.place
    return out


def read_scene(path: Path) -> Scene:
    """A camera as it was written, or the first camera of another program's file. Raises UserError where there is none."""
    _, _, Usd, UsdGeom, _ = _library()
    if not path.is_file():
        raise UserError(f"'{said(path)}' is not there; give a .usda, .usdc or .usd file.")
    try:
        stage = Usd.Stage.Open(str(path))
    except Exception as e:  # the library's own kinds of errors are not told apart by type
        raise UserError(f"'{said(path.name)}' cannot be read as USD; it may be damaged.") from e
    prims = [p for p in stage.Traverse() if p.IsA(UsdGeom.Camera)]
    if not prims:
        raise UserError(f"'{said(path.name)}' holds no camera.")
    prim, camera = prims[0], UsdGeom.Camera(prims[0])
    wide, tall = float(camera.GetHorizontalApertureAttr().Get()), float(camera.GetVerticalApertureAttr().Get())
    own = prim.GetAttribute(OWN + "size").Get()
    w, h = (int(own[0]), int(own[1])) if own is not None else (1920, round(1920 * tall / wide))
    mm = wide / w
    x = w / 2 - float(camera.GetHorizontalApertureOffsetAttr().Get() or 0) / mm
    y = h / 2 + float(camera.GetVerticalApertureOffsetAttr().Get() or 0) / mm
    k1, k2 = (float(prim.GetAttribute(OWN + n).Get() or 0) for n in ("k1", "k2"))
    level, metres = (bool(prim.GetAttribute(OWN + n).Get() or False) for n in ("level", "measured"))
    cameras = []
    for n in range(int(stage.GetStartTimeCode()), int(stage.GetEndTimeCode()) + 1):
        focal = float(camera.GetFocalLengthAttr().Get(n)) / mm or float("nan")  # 0: not told
        known = prim.GetAttribute(OWN + "known").Get(n)
        error = prim.GetAttribute(OWN + "error")
        told = n in error.GetTimeSamples() if error else False
        cameras.append(
            _camera(
                np.array(camera.ComputeLocalToWorldTransform(n)),
                focal,
                (x, y),
                (k1, k2),
                known is not False,
                float(error.Get(n)) if told else float("nan"),
                (level, metres),
            )
        )
    clouds = [p for p in stage.Traverse() if p.IsA(UsdGeom.Points)]
    points, errors = np.zeros((0, 3)), np.zeros(0)
    if clouds:
        points = np.array(UsdGeom.Points(clouds[0]).GetPointsAttr().Get(), np.float64).reshape(-1, 3) @ FLIP
        said_errors = clouds[0].GetAttribute(OWN + "errors").Get()
        errors = np.array(said_errors, np.float64) if said_errors is not None else np.full(len(points), np.nan)
    return Scene(tuple(cameras), points, errors, (w, h), float(stage.GetTimeCodesPerSecond()))


def _camera(
    matrix: Array,
    focal: float,
    middle: tuple[float, float],
    bend: tuple[float, float],
    known: bool,
    error: float,
    said_too: tuple[bool, bool],
) -> Camera:
    turn = (FLIP @ matrix[:3, :3].T @ FLIP).T
    place = FLIP @ matrix[3, :3]
    why_not = "" if known else "not known in the file"
    return Camera(focal, middle, turn, -turn @ place, bend[0], bend[1], known, error, why_not, *said_too)
