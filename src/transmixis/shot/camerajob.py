"""The camera of a plate solved without a project, as plain numbers."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.solve.camera import ZOOM_ALONE, Solved, solved
from transmixis.core.solve.tracks import follow_all
from transmixis.media.exchange.usd import Scene
from transmixis.media.files import said
from transmixis.shot.exchange import scene_of, told_scene
from transmixis.shot.trackjob import bars, plate_frames

FREE, CHANGING = "free", "changing"


def track_camera(
    path: Path, focal: str, lens: str, holdout: Path | None, space: str | None, progress: Progress
) -> tuple[dict[str, Any], str, Scene]:
    """The camera of every frame, the points it saw, and what was found in words. `focal` px, 'free' or 'changing'; `lens` 'none' or 'solve'."""
    zoom = focal == CHANGING
    known = None if zoom else _focal(focal)
    if lens not in ("none", "solve"):
        raise UserError(f"'{said(lens)[:40]}' is neither none nor solve: say whether the lens bends and is to be found.")
    bend = lens == "solve"
    if zoom and bend:
        raise UserError(ZOOM_ALONE)
    count, look, rate = plate_frames(path, space, 1)
    if count < 3:
        raise UserError(f"The plate has {count} frames; a camera is solved from three on.")
    h, w = look(0).shape[:2]
    barred = bars(holdout, count, (w, h)) if holdout is not None else None
    tracks = follow_all(look, count, barred, progress)
    made = solved(tracks, (w, h), known, bend=bend, zoom=zoom, progress=progress)
    scene = scene_of(made.cameras, made.points, made.errors, (w, h), rate)
    return told(made, scene), made.words, scene


def told(made: Solved, scene: Scene) -> dict[str, Any]:
    """A solved camera as plain numbers, with the kind of its move."""
    return {**told_scene(scene), "kind": made.kind}


def _focal(text: str) -> float | None:
    if text == FREE:
        return None
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not 1 < value < 1e6:
        raise UserError(
            f"'{said(text)[:40]}' is no focal length; give it in px, 'free' if it is not known, or 'changing' if the lens was zoomed."
        )
    return value
