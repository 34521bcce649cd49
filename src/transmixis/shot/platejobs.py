"""Work on plates without a project: mends rendered to files, a clean plate's fit, a clean plate made, frames to freeze or join."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.core.repair.background import background_words
from transmixis.core.survey.clean_fit import WHY, CleanFit
from transmixis.media.source import open_source
from transmixis.shot import looks
from transmixis.shot.bare import bare_shot
from transmixis.shot.contract import sampled
from transmixis.shot.cutjob import reading_dict
from transmixis.shot.deliver import deliver, refuse_target
from transmixis.shot.material import Material
from transmixis.shot.model import Shot
from transmixis.shot.outputs import refuse
from transmixis.shot.render import Renderer
from transmixis.shot.stored import AnalysisStore
from transmixis.shot.surveys import Surveys
from transmixis.shot.workorder import add_step

HERO = "plate:hero"


def open_plate(path: Path, space: str | None) -> tuple[Shot, Renderer]:
    """A shot around one plate and a renderer for it."""
    shot, _ = bare_shot(path, space)
    return shot, Renderer(shot, Material(Path.cwd()))


TRIED = 8  # frames on which a mend is compared with none
NOTICED = 0.1  # of a reading's limit: less is not told apart from what measuring itself is off by (judgement)


class Worse(UserError):
    """A mend that makes worse what it is to mend, by its own readings."""


def mend_plate(
    path: Path, kind: str, settings: dict[str, Any], out: Path, progress: Progress, space: str | None = None, length: int = 0,
    *, overwrite: bool = False, anyway: bool = False,
) -> dict[str, Any]:  # fmt: skip
    """Render a plate through one mend. Settings not given are proposed by measurement. Raises UserError before any work if
    something would be written over, and Worse if the plate is better without the mend, unless `anyway`."""
    shot, _ = bare_shot(path, space)
    shared: dict[str, Any] = {"material": Material(Path.cwd()), "analyses": AnalysisStore(None), "surveys": Surveys(None)}
    frames = range(1, (length or shot.length) + 1)
    refuse_target(Renderer(shot, **shared), out, frames, overwrite=overwrite)
    if length:
        shot = shot.model_copy(update={"length": length})
    shot, step = add_step(shot, kind)
    shot = shot.with_step(step.model_copy(update={"params": settings}))
    proposal = Renderer(shot, **shared).propose(step.id, progress)
    used = {**(proposal.values if proposal else {}), **settings}
    shot = shot.with_step(step.model_copy(update={"params": used}))
    renderer = Renderer(shot, **shared)
    if not anyway and "strength" in used:
        idle = shot.with_step(step.model_copy(update={"params": {**used, "strength": 0.0}}))
        refuse_worse(renderer, Renderer(idle, **shared), step.id, len(frames), progress)
    report = deliver(renderer, f"step:{step.id}", out, frames, progress, overwrite=overwrite)
    rows = [
        {"frame": n, "readings": [reading_dict(r) for r in renderer.measure(step.id, n)]}
        for n in frames
        if n not in report.failed
    ]
    return {
        "path": report.path, "made": report.made, "kept": report.kept, "failed": report.failed, "settings": used,
        "reason": proposal.reason if proposal else "", "frames": rows,
    }  # fmt: skip


def refuse_worse(mended: Renderer, idle: Renderer, step_id: str, count: int, progress: Progress) -> None:
    """Raises Worse if the mend's own first reading is worse with it than without it, on the worst of a few frames."""

    def readings(n: int) -> tuple[Reading, Reading] | None:
        a, b = (r.measure(step_id, n) for r in (idle, mended))
        return (a[0], b[0]) if a and b and a[0].value is not None and b[0].value is not None else None

    tried = [r for r in sampled(count, TRIED, readings, progress, "comparing with and without").values() if r]
    if not tried:
        return
    before, after = (max((t[k] for t in tried), key=lambda r: abs(r.value or 0.0)) for k in (0, 1))
    if abs(after.value or 0.0) > abs(before.value or 0.0) + NOTICED * after.limit:
        raise Worse(
            f"Nothing was written: {after.name} is {after.value:.3g} {after.unit} with the mend, {before.value:.3g} {before.unit} "
            "without it, on the frames tried. Leave the plate as it is, or ask for it anyway (--anyway)."
        )


def clean_part(path: Path, clean: Path, space: str | None, progress: Progress) -> dict[str, Any]:
    """Fit of a clean plate as plain values; the maps as rows of numbers."""
    fit = clean_fit(path, clean, space, progress)
    return {
        "words": fit.words, "serves": fit.serves, "share": fit.share,
        "move": {"x": fit.move.x, "y": fit.move.y, "turn": fit.move.turn, "grow": fit.move.grow,
                 "error": fit.move.error, "reason": fit.move.reason},
        "gain": [float(2**v) if np.isfinite(v) else None for v in fit.gain], "gain_error": float(fit.gain_error),
        "why": {w: float((fit.why == k).mean()) for k, w in enumerate(WHY)},
    }  # fmt: skip


def clean_fit(path: Path, clean: Path, space: str | None, progress: Progress) -> CleanFit:
    """Compare a clean plate with a few frames of a take. Raises UserError if their sizes differ."""
    _, renderer = open_plate(path, space)
    source = open_source(clean)
    source = source.with_settings(space=space) if space else source
    frames = list(sampled(source.info.count, looks.CLEAN_FRAMES, source.read, progress, "looking at the clean plate").values())
    return looks.clean_fit(renderer, HERO, frames, clean.name, progress).fit


def make_clean(path: Path, out: Path, space: str | None, progress: Progress, *, overwrite: bool = False) -> dict[str, Any]:
    """Write a clean plate made from the take, and beside it a map of how much of the time each place shows it."""
    refuse(looks.clean_outputs(out), inputs=[path], overwrite=overwrite)
    _, renderer = open_plate(path, space)
    made = looks.clean_from_take(renderer, HERO, progress)
    shown = looks.write_clean(made, out)
    never = float(1 - made.shown.mean())
    return {"plate": str(out), "shown": str(shown), "frames": list(made.frames), "never_shown": never,
            "doubtful": made.doubtful, "words": background_words(made)}  # fmt: skip


def freeze_picks(path: Path, space: str | None, most: int, progress: Progress) -> list[dict[str, Any]]:
    """The best frames to freeze."""
    _, renderer = open_plate(path, space)
    return [asdict(p) for p in looks.freezes(renderer, HERO, most, progress).picks]


def join_picks(first: Path, second: Path, space: str | None, most: int, progress: Progress) -> list[dict[str, Any]]:
    """The best pairs of frames to go from one take to another."""
    small = [looks.small_pictures(open_plate(path, space)[1], HERO, progress) for path in (first, second)]
    return [asdict(j) for j in looks.joins_of(small[0], small[1], most)]
