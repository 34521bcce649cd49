"""Keying a plate without a production: the same steps, set by measurement, from files to files."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.cache import FrameCache
from transmixis.media.source import Source
from transmixis.shot.bare import bare_plate, bare_shot
from transmixis.shot.cutjob import Cut, Folder, told_plate
from transmixis.shot.keeping import REF, keeping
from transmixis.shot.material import Material
from transmixis.shot.model import Shot, Step
from transmixis.shot.render import Renderer
from transmixis.shot.steps.place import Place
from transmixis.shot.steps.screen_key import ScreenKey


@dataclass(frozen=True)
class KeyJob:
    """What to key. `space` and `chroma` None: as guessed."""

    plate: Path
    clean: Path | None = None
    over: Path | None = None
    screen: str = "auto"
    space: str | None = None
    settings: dict[str, Any] | None = None  # None: proposed by measurement
    cache_bytes: int = 1 << 30
    garbage: Path | None = None  # outlines or mattes of what is kept


def key_shot(job: KeyJob) -> tuple[Shot, Source]:
    """The shot that a key job stands for: key, and placed over a background if one is given."""
    shot, source = bare_shot(job.plate, job.space)
    plates, inputs = list(shot.plates), {"plate": "plate:hero"}
    if job.clean:
        plates.append(bare_plate(job.clean, "clean", "clean", job.space)[0])
        inputs["clean"] = "plate:clean"
    steps = [
        Step(
            id="key", kind=ScreenKey.kind, name="Screen key", inputs=inputs, params={"screen": job.screen, **(job.settings or {})}
        )
    ]
    if job.over:
        plates.append(bare_plate(job.over, "background", "background")[0])
        steps.append(Step(id="place", kind=Place.kind, name="Place", inputs={"front": "step:key", "back": "plate:background"}))
    if job.garbage:
        steps[0] = steps[0].model_copy(update={"inputs": {**inputs, "garbage": REF}})
    shot = shot.model_copy(update={"plates": tuple(plates), "steps": tuple(steps)})
    return (keeping(shot, job.garbage) if job.garbage else shot), source


def run_key(job: KeyJob, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Key every frame into `out`; gives what is kept there as readings.json. Broken frames are named and passed over.

    Raises UserError before any work if something would be written over.
    """
    shot, source = key_shot(job)
    folder = Folder(out, shot, source)
    folder.prepare((job.plate, job.clean, job.over, job.garbage), comp=job.over is not None, overwrite=overwrite)
    material, cache = Material(Path.cwd()), FrameCache(job.cache_bytes)
    renderer = Renderer(shot, material, cache)
    renderer.progress = progress
    proposal = None
    if job.settings is None:
        proposal = renderer.propose("key", progress)
        if proposal:
            step = shot.step("key")
            shot = shot.with_step(step.model_copy(update={"params": {**step.params, **proposal.values}}))
            renderer = Renderer(shot, material, cache, renderer.analyses)
    told = _describe(shot, source, renderer, proposal)
    return folder.write(lambda n: _cut(renderer, n, with_comp=job.over is not None), told, "keying", progress)


def _describe(shot: Shot, source: Source, renderer: Renderer, proposal: Any) -> dict[str, Any]:
    a = renderer.analysis("key")
    return {
        "plate": told_plate(source, shot),
        "screen": {"kind": str(a["kind"]), "colour_linear": [float(v) for v in a["colour"]], "notes": [str(n) for n in a["notes"]]},
        "settings": dict(shot.step("key").params),
        "proposal": {"values": proposal.values, "reason": proposal.reason} if proposal else None,
    }  # fmt: skip


def _cut(renderer: Renderer, n: int, *, with_comp: bool) -> Cut:
    readings = renderer.measure("key", n)
    if readings and readings[0].name == "frame":
        raise UserError(readings[0].note)
    picture = renderer.product("step:key", n).picture
    assert picture is not None
    comp = renderer.product("step:place", n).picture if with_comp else None
    return Cut(picture[..., 3], picture, comp, readings)
