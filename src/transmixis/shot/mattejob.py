"""Mattes of a plate without a production: one step, its frames written as matte, foreground and, over a background, the composite."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.types import Array, Matte
from transmixis.media.cache import FrameCache
from transmixis.media.files import make_folder, write_atomically
from transmixis.media.source import Source
from transmixis.media.still import write_still
from transmixis.shot.keyjob import READINGS, bare_plate, bare_shot, reading_dict, worst_of
from transmixis.shot.material import Material
from transmixis.shot.model import Shot, Step
from transmixis.shot.outputs import refuse
from transmixis.shot.plainjson import cleaned, dumps
from transmixis.shot.products import DEFAULT_CACHE
from transmixis.shot.render import Renderer

MATTE, BACK = "matte", "plate:background"


@dataclass(frozen=True)
class MatteJob:
    """What is cut out of `plate`, by the step that `make` gives for its shot; `reads` are other files that it takes. `over` a background."""

    plate: Path
    make: Callable[[Shot], Step]
    over: Path | None = None
    space: str | None = None
    reads: tuple[Path, ...] = ()


def run_matte(job: MatteJob, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Write the mattes of all frames into `out`; gives what is kept there as readings.json. Broken frames are named and passed over. Raises
    UserError before any work if something would be written over."""
    shot, source = bare_shot(job.plate, job.space)
    plates = list(shot.plates)
    if job.over:
        plates.append(bare_plate(job.over, "background", "background")[0])
    shot = shot.model_copy(update={"plates": tuple(plates)})
    shot = shot.model_copy(update={"steps": (job.make(shot),)})
    kinds = ("matte", "foreground", *(("comp",) if job.over else ()))
    numbers = range(source.info.first_number, source.info.first_number + shot.length)
    outputs = [out / f"{kind}.{n:04d}.exr" for n in numbers for kind in kinds] + [out / READINGS]
    refuse(outputs, inputs=[p for p in (job.plate, job.over, *job.reads) if p], overwrite=overwrite)
    make_folder(out)
    renderer = Renderer(shot, Material(Path.cwd()), FrameCache(DEFAULT_CACHE))
    renderer.progress = progress
    rows, failed = [], {}
    for n in range(1, shot.length + 1):
        progress.at(n - 1, shot.length, f"frame {n} of {shot.length}")
        number = numbers[n - 1]
        try:
            rows.append(_one_frame(renderer, n, number, out, over=job.over is not None))
        except UserError as e:
            failed[str(number)] = str(e)
    progress.at(1, 1, "done")
    if failed and not rows:
        raise UserError(next(iter(failed.values())))
    result: dict[str, Any] = {
        "plate": _plate(source, shot),
        "settings": dict(shot.step(MATTE).params),
        "frames": rows,
        "failed": failed,
    }
    result["worst"] = worst_of(rows)
    write_atomically(out / READINGS, dumps(cleaned(result)))
    return result


def _plate(source: Source, shot: Shot) -> dict[str, Any]:
    info = source.info
    return {"path": info.path, "width": shot.width, "height": shot.height, "frames": shot.length, "colour_space": info.space,
            "notes": list(info.notes)}  # fmt: skip


def _one_frame(renderer: Renderer, n: int, number: int, out: Path, *, over: bool) -> dict[str, Any]:
    readings = renderer.measure(MATTE, n)
    if readings and readings[0].name == "frame":
        raise UserError(readings[0].note)
    made = renderer.product(f"step:{MATTE}", n)
    plate = renderer.product("plate:hero", n).picture
    assert plate is not None
    matte, front = cut_out(made.matte, made.picture, plate)
    write_still(out / f"matte.{number:04d}.exr", matte, kind="float")
    write_still(out / f"foreground.{number:04d}.exr", front, kind="float")
    if over:
        back = renderer.product(BACK, n).picture
        assert back is not None
        if back.shape[:2] != matte.shape:
            raise UserError(
                f"The background is {back.shape[1]} x {back.shape[0]} px, the plate {matte.shape[1]} x {matte.shape[0]}; give one of its size."
            )
        write_still(out / f"comp.{number:04d}.exr", front[..., :3] + back[..., :3] * (1 - matte[..., None]), kind="half")
    return {"frame": number, "readings": [reading_dict(r) for r in readings]}


def cut_out(matte: Matte | None, picture: Array | None, plate: Array) -> tuple[Matte, Array]:
    """The matte of a product and its premultiplied foreground (h, w, 4): its own, or the plate's pixels under the matte."""
    if picture is not None and picture.shape[2] == 4:
        return np.ascontiguousarray(picture[..., 3]), picture
    assert matte is not None
    return matte, np.dstack([plate[..., :3] * matte[..., None], matte]).astype(np.float32)
