"""Whether a delivery can keep the sound that was recorded with its plate, and if not, why."""

from __future__ import annotations

from dataclasses import dataclass

from transmixis.core.errors import UserError
from transmixis.media.sound import Sound
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of


@dataclass(frozen=True)
class Kept:
    """The sound to be written along (None: none), and one sentence about it ('' where there never was any)."""

    sound: Sound | None
    words: str


def sound_for(renderer: Renderer, frames: range, *, movie: bool) -> Kept:
    """The sound of the shot's first plate that has one, the hero before others, for these frames of it.

    It is kept along in movies that have the plate's frames one for one: the whole shot, at the plate's rate, from a plate of even
    rate, with no step that takes other frames.
    """
    shot = renderer.shot
    for plate in sorted(shot.plates, key=lambda p: p.role != "hero"):
        try:
            info = renderer.material.source(plate).info
            path = renderer.material.path_of(plate)
        except UserError:
            continue
        if not info.sound:
            continue
        name = plate.name or plate.id
        timed = next((s.name for s in shot.steps if s.on and not kind_of(s.kind).keeps_time), "")
        why = ""
        if not movie:
            why = "a sequence of pictures holds none; deliver a movie beside it, or lay the plate's own sound under it"
        elif timed:
            why = f"{timed} takes other frames than were recorded"
        elif info.rate is not None and abs(float(info.rate) / float(shot.fps) - 1) > 1e-6:
            why = f"it was recorded at {float(info.rate):.5g} frames a second, the shot has {float(shot.fps):.5g}"
        elif info.variable_rate:
            why = "its frames are not evenly spaced"
        elif len(frames) < shot.length:
            why = "only a part of the shot is written"
        if why:
            return Kept(None, f"The sound of '{name}' is not kept: {why}.")
        start = (plate.offset + frames.start - 1) / float(shot.fps)
        return Kept(Sound(path, start, len(frames) / float(shot.fps)), f"The sound of '{name}' is kept along.")
    return Kept(None, "")
