"""Work on plates without a project: mends rendered to files, a clean plate's fit, a clean plate made, frames to freeze or join."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.similarity import Similarity
from transmixis.core.progress import Progress
from transmixis.core.repair.background import FRAMES, background_of
from transmixis.core.survey.best import best_frames, best_joins
from transmixis.core.survey.clean_fit import WHY, CleanFit, fit_clean
from transmixis.core.survey.scan import is_absent
from transmixis.core.types import Array
from transmixis.media.source import open_source
from transmixis.media.still import write_still
from transmixis.shot.contract import sample_frames
from transmixis.shot.deliver import deliver
from transmixis.shot.keyjob import bare_shot, reading_dict
from transmixis.shot.material import Material
from transmixis.shot.model import Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

FIT_FRAMES = 6


def open_plate(path: Path, space: str | None) -> tuple[Shot, Renderer]:
    """A shot around one plate and a renderer for it."""
    shot, _ = bare_shot(path, space)
    return shot, Renderer(shot, Material(Path.cwd()))


def mend_plate(
    path: Path, kind: str, settings: dict[str, Any], out: Path, progress: Progress, space: str | None = None, length: int = 0
) -> dict[str, Any]:
    """Render a plate through one mend. Settings not given are proposed by measurement."""
    shot, _ = bare_shot(path, space)
    if length:
        shot = shot.model_copy(update={"length": length})
    shot, step = add_step(shot, kind)
    shot = shot.with_step(step.model_copy(update={"params": settings}))
    proposal = Renderer(shot, Material(Path.cwd())).propose(step.id, progress)
    used = {**(proposal.values if proposal else {}), **settings}
    shot = shot.with_step(step.model_copy(update={"params": used}))
    renderer = Renderer(shot, Material(Path.cwd()))
    report = deliver(renderer, f"step:{step.id}", out, range(1, shot.length + 1), progress)
    frames = [
        {"frame": n, "readings": [reading_dict(r) for r in renderer.measure(step.id, n)]}
        for n in range(1, shot.length + 1)
        if n not in report.failed
    ]
    return {
        "path": report.path, "made": report.made, "kept": report.kept, "failed": report.failed, "settings": used,
        "reason": proposal.reason if proposal else "", "frames": frames,
    }  # fmt: skip


def clean_part(path: Path, clean: Path, space: str | None, progress: Progress) -> dict[str, Any]:
    """Fit of a clean plate as plain values; the maps as rows of numbers."""
    fit = clean_fit(path, clean, space, progress)
    return {
        "words": fit.words, "serves": fit.serves, "share": fit.share,
        "move": {"x": fit.move.x, "y": fit.move.y, "turn": float(np.degrees(fit.move.turn)), "grow": fit.move.grow,
                 "error": fit.move.error, "reason": fit.move.reason},
        "gain": [float(2**v) if np.isfinite(v) else None for v in fit.gain], "gain_error": float(fit.gain_error),
        "why": {w: float((fit.why == k).mean()) for k, w in enumerate(WHY)},
    }  # fmt: skip


def clean_fit(path: Path, clean: Path, space: str | None, progress: Progress) -> CleanFit:
    """Compare a clean plate with a few frames of a take. Raises UserError if their sizes differ."""
    shot, renderer = open_plate(path, space)
    survey = renderer.surveys.whole(renderer, "plate:hero", progress)
    source = open_source(clean)
    source = source.with_settings(space=space) if space else source
    empty = np.mean([source.read(n)[..., :3] for n in sample_frames(source.info.count, 8)], axis=0).astype(np.float32)
    take = [renderer.product("plate:hero", n).picture for n in _readable(survey, sample_frames(shot.length, FIT_FRAMES))]
    if take[0] is None or take[0].shape[:2] != empty.shape[:2]:
        raise UserError(f"'{clean.name}' is not of the take's size; export it at {shot.width} x {shot.height}.")
    frames = [np.ascontiguousarray(t[..., :3]) for t in take if t is not None]
    return fit_clean(frames, empty, locked=survey.steadiness.verdict in ("locked", "nearly"))


def _readable(survey: Any, frames: list[int]) -> list[int]:
    good = [n for n in frames if n not in survey.absent]
    if not good:
        raise UserError("None of the frames that were looked at can be read; check the plate's files.")
    return good


def make_clean(path: Path, out: Path, space: str | None, progress: Progress) -> dict[str, Any]:
    """Write a clean plate made from the take, and beside it a map of how much of the time each place shows it."""
    shot, renderer = open_plate(path, space)
    survey = renderer.surveys.whole(renderer, "plate:hero", progress)
    chosen = _readable(survey, sample_frames(shot.length, FRAMES))
    chosen = [n for n in chosen if survey.path.known[n - 1]] or chosen[:1]
    base = survey.path.similarity(chosen[0] - 1).inverse() if survey.path.known[chosen[0] - 1] else Similarity()
    pictures: list[Array] = []
    for i, n in enumerate(chosen):
        progress.at(i, len(chosen), f"reading frame {n}")
        picture = renderer.product("plate:hero", n).picture
        assert picture is not None
        pictures.append(np.ascontiguousarray(picture[..., :3]))
    moves = [survey.path.similarity(n - 1).after(base) if survey.path.known[n - 1] else Similarity() for n in chosen]
    stops = np.nan_to_num(survey.gains.stops[[n - 1 for n in chosen]])
    made = background_of(pictures, moves, stops - stops[0], chosen)
    kind = {".exr": "half", ".png": "uint16", ".tif": "uint16", ".tiff": "uint16"}.get(out.suffix.lower())
    if kind is None:
        raise UserError(f"'{out.name}' is no picture that can be written; name it .exr, .png or .tif.")
    out.parent.mkdir(parents=True, exist_ok=True)
    write_still(out, made.plate, kind=kind)
    shown = out.with_name(f"{out.stem}.shown.png")
    write_still(shown, made.share[..., None], kind="uint8")
    never = float(1 - made.shown.mean())
    return {"plate": str(out), "shown": str(shown), "frames": list(made.frames), "never_shown": never,
            "words": f"Made from {len(chosen)} frames. {100 * never:.1f} % of the frame is not shown for a fifth of the time; "
                     "look there before trusting it."}  # fmt: skip


def freeze_picks(path: Path, space: str | None, most: int, progress: Progress) -> list[dict[str, Any]]:
    """The best frames to freeze."""
    shot, renderer = open_plate(path, space)
    survey = renderer.surveys.whole(renderer, "plate:hero", progress)
    scans = [renderer.surveys.scan(renderer, "plate:hero", n) for n in range(1, shot.length + 1)]
    return [asdict(p) for p in best_frames(scans, survey, most)]


def join_picks(first: Path, second: Path, space: str | None, most: int, progress: Progress) -> list[dict[str, Any]]:
    """The best pairs of frames to go from one take to another."""
    thumbs = []
    for path in (first, second):
        shot, renderer = open_plate(path, space)
        renderer.surveys.whole(renderer, "plate:hero", progress)
        scans = [renderer.surveys.scan(renderer, "plate:hero", n) for n in range(1, shot.length + 1)]
        thumbs.append([None if is_absent(s) else s["thumb"] for s in scans])
    if any(len(t) < 2 for t in thumbs):
        raise UserError("A join needs two takes of at least two frames each; give movies or sequences.")
    return [asdict(j) for j in best_joins(thumbs[0], thumbs[1], most)]
