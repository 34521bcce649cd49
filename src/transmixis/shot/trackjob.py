"""A point or a surface followed on a plate without a project, written as plain JSON."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.files import said, write_atomically
from transmixis.shot.outputs import refuse
from transmixis.shot.plainjson import cleaned, dumps
from transmixis.shot.platejobs import HERO, open_plate
from transmixis.shot.render import Renderer
from transmixis.shot.steps import KINDS
from transmixis.shot.steps.tracking import ERROR, Track
from transmixis.shot.workorder import add_step

MOST_POINTS = 1000


def track_plate(
    path: Path,
    follows: str,
    settings: dict[str, Any],
    out: Path,
    space: str | None,
    progress: Progress,
    *,
    overwrite: bool = False,
) -> dict[str, Any]:
    """Follow what `settings` say through a plate; gives, and writes to `out`, the matrix of every frame (reference to frame px, pixel
    centres at +0.5), its error px, and where it is not known why. Raises UserError before any work if `out` must not be written."""
    if out.suffix.lower() != ".json":
        raise UserError(f"'{said(out.name)}' should end with .json: a track is written as plain numbers.")
    refuse([out], inputs=[path], overwrite=overwrite)
    shot, bare = open_plate(path, space)
    kind = next(k for k in KINDS.values() if isinstance(k, Track) and k.kind.startswith(follows))
    shot, step = add_step(shot, kind.kind, inputs={"plate": HERO})
    shot = shot.with_step(step.model_copy(update={"params": settings}))
    if not 1 <= int(settings["reference"]) <= shot.length:
        raise UserError(f"The plate has no frame {settings['reference']}; it has {shot.length}.")
    renderer = Renderer(shot, bare.material)
    frames = []
    for n in range(1, shot.length + 1):
        progress.at(n - 1, shot.length, f"following, frame {n}")
        frames.append(_row(renderer, step.id, n))
    if all(f["frame"] == int(settings["reference"]) or not f["known"] for f in frames) and shot.length > 1:
        raise UserError(f"It could not be followed on any frame: {frames[-1]['why'] or frames[0]['why']}.")
    made = cleaned({"path": str(out), "reference": int(settings["reference"]), "limit": ERROR, "frames": frames})
    write_atomically(out, dumps(made))
    return dict(made)


def _row(renderer: Renderer, step_id: str, n: int) -> dict[str, Any]:
    try:
        m = renderer.product(f"step:{step_id}", n).motion
    except UserError as e:
        return {"frame": n, "known": False, "matrix": None, "error": None, "why": str(e)}
    assert m is not None
    return {"frame": n, "known": m.known, "matrix": m.matrix.tolist() if m.known else None, "error": m.error, "why": m.why}


def place_of(text: str) -> list[float]:
    """'412.5,230' as a place. Raises UserError."""
    try:
        x, y = (float(v) for v in text.split(","))
    except ValueError:
        x = y = float("nan")
    if not (abs(x) < 1e6 and abs(y) < 1e6):
        raise UserError(f"'{said(text)[:60]}' is not a place; write it like 412.5,230.")
    return [x, y]


def outline_of(text: str) -> list[list[float]]:
    """'10,20 90,22 88,70' as an outline whose points have identities. Raises UserError."""
    places = text.split()
    if not 3 <= len(places) <= MOST_POINTS:
        raise UserError(f"'{said(text)[:60]}' is not an outline; write three places or more, like '10,20 90,22 88,70'.")
    return [[i + 1, *place_of(p)] for i, p in enumerate(places)]
