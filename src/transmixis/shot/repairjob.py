"""A plate mended without a production: one step of Repair, its frames written in the plate's own coding, with their readings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.ways import PUNCH, chosen
from transmixis.media.cache import FrameCache
from transmixis.media.colour import LINEAR
from transmixis.media.files import make_folder
from transmixis.media.source import Source
from transmixis.media.still import write_still
from transmixis.shot.bare import bare_plate, bare_shot
from transmixis.shot.cutjob import READINGS, frame_by_frame, told_plate
from transmixis.shot.keeping import REF, keeping
from transmixis.shot.material import Material
from transmixis.shot.model import Shot, Step
from transmixis.shot.outputs import refuse
from transmixis.shot.products import DEFAULT_CACHE
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of
from transmixis.shot.steps.ways import Ways, settings_of, ways_of

MEND = "mend"


@dataclass(frozen=True)
class RepairJob:
    """What is mended of `plate`, by a step of `kind` with its `settings`: `gone` says what must go (outlines, a matte as a still or a sequence), `clean` is the clean plate
    for the kinds that want one. `exr`: linear pictures instead of 16-bit ones in the plate's coding. `propose`: settings are those that the step proposes. `slot`: where the matte goes."""

    plate: Path
    kind: str
    gone: Path | None
    settings: dict[str, Any]
    clean: Path | None = None
    space: str | None = None
    exr: bool = False
    propose: bool = False
    slot: str = "gone"
    second: Path | None = None  # another clean plate, for where the first does not fit


def run_repair(
    job: RepairJob, out: Path, progress: Progress, *, overwrite: bool = False, told: Mapping[str, Any] | None = None
) -> dict[str, Any]:
    """Write repaired.####.png (or .exr), counted from 1, into `out`; gives what is kept there as readings.json, with what is `told` beside. Broken frames are named and passed over. Raises
    UserError before any work if something would be written over."""
    shot, source = _shot(job)
    files = _refused(job, out, shot.length, overwrite=overwrite)
    make_folder(out)
    renderer = Renderer(shot, Material(Path.cwd()), FrameCache(DEFAULT_CACHE))
    renderer.progress = progress
    if job.propose:
        shot, renderer = _as_proposed(shot, renderer, progress)

    def each(n: int) -> list[Reading]:
        picture = renderer.product(f"step:{MEND}", n).picture
        assert picture is not None
        kind, space = ("half", LINEAR) if job.exr else ("uint16", source.info.space)
        write_still(files[n - 1], np.clip(picture, 0, None), kind=kind, space=space)
        return renderer.measure(MEND, n)

    said = {"plate": told_plate(source, shot), **(told or {}), "settings": dict(shot.step(MEND).params)}
    numbers = {n: n for n in range(1, shot.length + 1)}
    return frame_by_frame(numbers, each, said, out, "mending", progress)


def run_auto(job: RepairJob, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Ask what can serve, and mend by what is proposed; the answer stands in readings.json too. `job` says what is to be mended; its kind and settings are those of the way.
    Punching in is told and not done: it would change the framing."""
    shot, _ = _shot(replace(job, kind=Ways.kind, settings={}))
    _refused(job, out, shot.length, overwrite=overwrite)
    renderer = Renderer(shot, Material(Path.cwd()), FrameCache(DEFAULT_CACHE))
    renderer.progress = progress
    a = renderer.analysis(MEND)
    found = {w.name: w for w in ways_of(a)}
    best = chosen({k: w for k, w in found.items() if k != PUNCH})
    kind, title, values = settings_of(a, best)
    took = replace(
        job,
        kind=kind,
        settings={**values, **job.settings},
        clean=job.clean if "clean" in {s.name for s in kind_of(kind).slots} else None,
    )
    rows = [{"way": w.name, "value": w.reading, "unit": w.unit, "limit": w.limit, "words": w.words} for w in found.values()]
    return run_repair(took, out, progress, overwrite=overwrite, told={"answers": rows, "taken": title, "reason": best.reason})


def _refused(job: RepairJob, out: Path, length: int, *, overwrite: bool) -> list[Path]:
    """The files that will be written. Raises UserError if something would be written over."""
    files = [out / f"repaired.{n:04d}.{'exr' if job.exr else 'png'}" for n in range(1, length + 1)]
    refuse([*files, out / READINGS], inputs=[p for p in (job.plate, job.gone, job.clean, job.second) if p], overwrite=overwrite)
    return files


def _as_proposed(shot: Shot, renderer: Renderer, progress: Progress) -> tuple[Shot, Renderer]:
    """The shot with what its mending step proposes, and what renders it."""
    proposal = renderer.propose(MEND, progress)
    if proposal is None:
        return shot, renderer
    step = shot.step(MEND)
    shot = shot.with_step(step.model_copy(update={"params": {**step.params, **proposal.values}}))
    renderer = Renderer(shot, renderer.material, renderer.cache, renderer.analyses)
    renderer.progress = progress
    return shot, renderer


def _shot(job: RepairJob) -> tuple[Shot, Source]:
    """The plate with what must go, and the step that mends it."""
    shot, source = bare_shot(job.plate, job.space)
    inputs = {"plate": "plate:hero"}
    for slot, path in (("clean", job.clean), ("second", job.second)):
        if path is not None:
            clean, _ = bare_plate(path, slot, "clean", job.space)
            shot = shot.model_copy(update={"plates": (*shot.plates, clean)})
            inputs[slot] = f"plate:{slot}"
    if job.gone is not None:
        shot = keeping(shot, job.gone)
        inputs[job.slot] = REF
    step = Step(id=MEND, kind=job.kind, name=kind_of(job.kind).title, inputs=inputs, params=job.settings)
    return shot.model_copy(update={"steps": (*shot.steps, step)}), source
