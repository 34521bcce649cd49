"""What a step of a shot gives, motion or camera, written for other programs."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import Motion
from transmixis.core.motion.pose import Camera
from transmixis.core.progress import Progress
from transmixis.core.rate import rate_of
from transmixis.core.types import Array
from transmixis.media.exchange.tracks import write_csv
from transmixis.shot.exchange import (
    CAMERAS,
    CSV,
    EXR,
    LENSES,
    TRACKS,
    motion_tracks,
    plain_row,
    refuse_ending,
    scene_of,
    st_maps,
    told_scene,
    write_camera,
    write_json,
    write_lens,
)
from transmixis.shot.model import Shot
from transmixis.shot.outputs import refuse
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of


def export_step(
    renderer: Renderer, step_id: str, out: Path, progress: Progress, *, overwrite: bool = False, frame: int = 1
) -> str:
    """Write a step's motion or camera over all frames, or its shapes, in the format that the file's ending names (a picture of shapes is of
    `frame`); says what was written. Raises UserError where the step gives none of them, or the file must not be written."""
    shot = renderer.shot
    kind = kind_of(shot.step(step_id).kind)
    product = kind.product
    if kind.writes:
        if not 1 <= frame <= shot.length:
            raise UserError(f"The shot has no frame {frame}; it has {shot.length}.")
        refuse_ending(out, kind.writes, shot.step(step_id).name)
        refuse([out], inputs=[renderer.material.path_of(p) for p in shot.plates], overwrite=overwrite)
        return renderer.to_file(step_id, frame, out)
    if product not in ("motion", "camera"):
        raise UserError(
            f"'{shot.step(step_id).name}' gives neither a motion, a camera nor shapes; choose a track, a camera or shapes."
        )
    refuse_ending(out, TRACKS if product == "motion" else (*CAMERAS, *LENSES[1:]), f"a {product}")
    plates = [renderer.material.path_of(p) for p in shot.plates]
    refuse(list(st_maps(out)) if out.suffix.lower() == EXR else [out], inputs=plates, overwrite=overwrite)
    motions: list[Motion] = []
    cameras: list[Camera] = []
    cloud = np.zeros((0, 4))
    for n in range(1, shot.length + 1):
        progress.at(n - 1, shot.length, f"frame {n}")
        made = renderer.product(f"step:{step_id}", n)
        if made.motion is not None:
            motions.append(made.motion)
        if made.camera is not None:
            cameras.append(made.camera)
            cloud = made.cloud if made.cloud is not None else cloud
    if product == "motion":
        return _motion(motions, out)
    return _camera(shot, cameras, cloud, out)


def _motion(motions: list[Motion], out: Path) -> str:
    known = sum(m.known for m in motions)
    if out.suffix.lower() == CSV:
        write_csv(out, motion_tracks(motions))
    else:
        rows: list[dict[str, Any]] = [
            {
                "frame": n,
                "matrix": m.matrix.ravel().tolist() if m.known else None,
                "valid": m.known,
                "error": m.error,
                "why": m.why,
            }
            for n, m in enumerate(motions, 1)
        ]
        about: list[Any] = next((m.about.tolist() for m in motions if m.known), [])
        tracks = [{"name": t.name, "frames": [plain_row(r) for r in t.rows]} for t in motion_tracks(motions)]
        write_json(out, {"about": about, "frames": rows, "tracks": tracks})
    return f"{known} of {len(motions)} frames written"


def _camera(shot: Shot, cameras: list[Camera], cloud: Array, out: Path) -> str:
    rate = float(rate_of(shot.rate))
    scene = scene_of(cameras, cloud[:, :3], cloud[:, 3], (shot.width, shot.height), rate)
    data = told_scene(scene)
    if out.suffix.lower() in CAMERAS:
        write_camera(out, scene, data)
    elif len({c.focal for c in cameras if c.known}) > 1:
        raise UserError(f"The lens was zoomed, so that one file cannot tell it; write the camera as {' or '.join(CAMERAS)}.")
    else:
        write_lens(out, data)
    known = sum(c.known for c in cameras)
    return f"{known} of {len(cameras)} frames and {len(scene.points)} points written"
