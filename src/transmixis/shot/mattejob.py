"""Mattes of a plate without a production: one step, its frames written as matte, foreground and, over a background, the composite."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.build.over import join, over
from transmixis.core.build.place import fit_scale, placed, placing_matrix
from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.types import Array, Matte, Rgba
from transmixis.media.cache import FrameCache
from transmixis.media.source import Source
from transmixis.shot.bare import bare_plate, bare_shot
from transmixis.shot.cutjob import Cut, Folder, told_plate
from transmixis.shot.keeping import REF, keeping
from transmixis.shot.material import Material
from transmixis.shot.model import Shot, Step
from transmixis.shot.products import DEFAULT_CACHE
from transmixis.shot.render import Renderer

MATTE = "matte"


@dataclass(frozen=True)
class MatteJob:
    """What is cut out of `plate`, by the step that `make` gives for its shot; `reads` are other files that it
    takes, `clean` the plate's empty frame, `garbage` says what is kept; `frames` first and last of those that are
    written, else all. `over` a background."""

    plate: Path
    make: Callable[[Shot], Step]
    over: Path | None = None
    space: str | None = None
    reads: tuple[Path, ...] = ()
    clean: Path | None = None
    garbage: Path | None = None
    frames: tuple[int, int] | None = None


def run_matte(job: MatteJob, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Write the mattes of all frames into `out`; gives what is kept there as readings.json. Broken frames are named and passed over. Raises
    UserError before any work if something would be written over."""
    shot, source = _shot(job)
    folder = Folder(out, shot, source)
    folder.prepare((job.plate, job.over, job.clean, job.garbage, *job.reads), comp=job.over is not None, overwrite=overwrite)
    renderer = Renderer(shot, Material(Path.cwd()), FrameCache(DEFAULT_CACHE))
    renderer.progress = progress
    told = {"plate": told_plate(source, shot), "settings": dict(shot.step(MATTE).params)}
    return folder.write(lambda n: _cut(renderer, n, comp=job.over is not None), told, "cutting out", progress, job.frames)


def _shot(job: MatteJob) -> tuple[Shot, Source]:
    """The shot that a job stands for."""
    shot, source = bare_shot(job.plate, job.space)
    more = []
    if job.over:
        more.append(bare_plate(job.over, "background", "background")[0])
    if job.clean:
        more.append(bare_plate(job.clean, "clean", "clean", job.space)[0])
    step = job.make(shot)
    if job.garbage:
        step = step.model_copy(update={"inputs": {**step.inputs, "garbage": REF}})
    shot = shot.model_copy(update={"plates": (*shot.plates, *more), "steps": (step,)})
    return (keeping(shot, job.garbage) if job.garbage else shot), source


def _cut(renderer: Renderer, n: int, *, comp: bool) -> Cut:
    readings = renderer.measure(MATTE, n)
    if readings and readings[0].name == "frame":
        raise UserError(readings[0].note)
    made = renderer.product(f"step:{MATTE}", n)
    if made.why:
        raise UserError(made.why)
    plate = renderer.product("plate:hero", n).picture
    assert plate is not None
    matte, front = cut_out(made.matte, made.picture, plate)
    back = renderer.product("plate:background", n).picture if comp else None
    return Cut(matte, front, None if back is None else over(front, _filling(back, matte.shape)), readings)


def _filling(back: Array, size: tuple[int, int]) -> Array:
    """A background at the size at which it just fills the frame."""
    shape = (back.shape[0], back.shape[1])
    return placed(back[..., :3], placing_matrix(shape, size, 0, 0, fit_scale(shape, size), 0), size, edge="carry")


def cut_out(matte: Matte | None, picture: Array | None, plate: Array) -> tuple[Matte, Rgba]:
    """The matte of a product and its premultiplied foreground (h, w, 4): its own, or the plate's pixels under the matte."""
    if picture is not None and picture.shape[2] == 4:
        return np.ascontiguousarray(picture[..., 3]), picture
    assert matte is not None
    return matte, join(plate[..., :3] * matte[..., None], matte)
