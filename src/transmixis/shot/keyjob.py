"""Keying a plate without a production: the same steps, set by measurement, from files to files."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.cache import FrameCache
from transmixis.media.files import make_folder, write_atomically
from transmixis.media.source import Source, open_source
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.outputs import refuse
from transmixis.shot.plainjson import cleaned, dumps
from transmixis.shot.render import Renderer
from transmixis.shot.steps.place import Place
from transmixis.shot.steps.screen_key import ScreenKey

READINGS = "readings.json"


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


def bare_plate(path: Path, plate_id: str, role: Any, space: str | None = None) -> tuple[Plate, Source]:
    """A plate document and its opened material, outside any production."""
    source = open_source(path)
    # the given path, not one of its files, so that the sequence is found again as it was named
    return Plate(id=plate_id, role=role, path=str(path.resolve()), name=path.name, space=space), source


def bare_shot(path: Path, space: str | None = None) -> tuple[Shot, Source]:
    """A shot around one plate."""
    plate, source = bare_plate(path, "hero", "hero", space)
    info = source.info
    rate = str(info.rate) if info.rate else "24"
    return Shot(code="plate", length=info.count, rate=rate, width=info.width, height=info.height, plates=(plate,)), source


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
    return shot.model_copy(update={"plates": tuple(plates), "steps": tuple(steps)}), source


def run_key(job: KeyJob, out: Path, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Key every frame into `out`; gives what is kept there as readings.json. Broken frames are named and passed over.

    Raises UserError before any work if something would be written over.
    """
    shot, source = key_shot(job)
    kinds = ("matte", "foreground", *(("comp",) if job.over else ()))
    numbers = range(source.info.first_number, source.info.first_number + shot.length)
    outputs = [out / f"{kind}.{n:04d}.exr" for n in numbers for kind in kinds] + [out / READINGS]
    refuse(outputs, inputs=[p for p in (job.plate, job.clean, job.over) if p], overwrite=overwrite)
    make_folder(out)
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
    result = _describe(shot, source, renderer, proposal)
    failed: dict[str, str] = {}
    for n in range(1, shot.length + 1):
        progress.at(n - 1, shot.length, f"keying frame {n} of {shot.length}")
        number = source.info.first_number + n - 1
        try:
            result["frames"].append(_one_frame(renderer, n, number, out, with_comp=job.over is not None))
        except UserError as e:
            failed[str(number)] = str(e)
    progress.at(1, 1, "done")
    if failed and not result["frames"]:
        raise UserError(next(iter(failed.values())))
    result = {**result, "failed": failed, "worst": worst_of(result["frames"])}
    write_atomically(out / READINGS, dumps(cleaned(result)))
    return result


def _describe(shot: Shot, source: Source, renderer: Renderer, proposal: Any) -> dict[str, Any]:
    a = renderer.analysis("key")
    return {
        "plate": {"path": source.info.path, "width": shot.width, "height": shot.height, "frames": shot.length,
                  "colour_space": source.info.space, "chroma_halved": source.info.chroma_halved, "notes": list(source.info.notes)},
        "screen": {"kind": str(a["kind"]), "colour_linear": [float(v) for v in a["colour"]], "notes": [str(n) for n in a["notes"]]},
        "settings": dict(shot.step("key").params),
        "proposal": {"values": proposal.values, "reason": proposal.reason} if proposal else None,
        "frames": [],
    }  # fmt: skip


def _one_frame(renderer: Renderer, n: int, number: int, out: Path, *, with_comp: bool) -> dict[str, Any]:
    readings = renderer.measure("key", n)
    if readings and readings[0].name == "frame":
        raise UserError(readings[0].note)
    picture = renderer.product("step:key", n).picture
    assert picture is not None
    write_still(out / f"matte.{number:04d}.exr", picture[..., 3], kind="float")
    write_still(out / f"foreground.{number:04d}.exr", picture, kind="float")
    if with_comp:
        comp = renderer.product("step:place", n).picture
        assert comp is not None
        write_still(out / f"comp.{number:04d}.exr", comp, kind="half")
    return {"frame": number, "readings": [reading_dict(r) for r in readings]}


def reading_dict(r: Any) -> dict[str, Any]:
    """A reading for machine-readable results."""
    out = {"name": r.name, "value": r.value, "unit": r.unit, "limit": r.limit, "ratio": r.ratio, "state": r.state}
    return {**out, "note": r.note} if r.note else out


def worst_of(frames: list[dict[str, Any]]) -> dict[str, Any] | None:
    """The reading that is furthest over its limit, and where; None if nothing was read."""
    known = [(r["ratio"], f["frame"], r) for f in frames for r in f["readings"] if r["ratio"] is not None]
    if not known:
        return None
    ratio, frame, r = max(known, key=lambda t: t[0])
    return {"frame": frame, "name": r["name"], "value": r["value"], "unit": r["unit"], "limit": r["limit"], "ratio": ratio}
