"""The survey's plots: the camera's path, exposure, detail and noise, frames in time, dust and edges."""

from __future__ import annotations

import numpy as np

from transmixis.core.plot import COMBED, DOUBLED, JUMP, MISSING, Curve, Frames, Path, Plot, Spotted, Trace
from transmixis.core.survey.findings import EXPOSURE, FLICKER, SHARP, SHIFT, spots_words
from transmixis.core.survey.plate import PlateSurvey


def path_plot(s: PlateSurvey) -> Plot:
    """Where the picture goes, px; the ring is the limit."""
    tip = "The path of the picture over all frames, enlarged. Inside the ring a still clean plate serves."
    at = np.where(s.path.known[:, None], np.stack([s.path.x, s.path.y], 1), np.nan)
    return Plot("Path of the camera", tip, (Path(at, SHIFT),), s.steadiness.words)


def exposure_plot(s: PlateSurvey) -> Plot:
    """Exposure against the first frame, and flicker off the slow trend; stops."""
    tip = "Brightness of every frame against the first, and how far it is off its own slow trend. Passers-by do not count."
    why = s.gains.reason or "not measured"
    drift, flicker = s.gains.against(1).mean(axis=1), s.flicker.mean(axis=1)
    panels = (
        Trace("exposure, stops", drift, EXPOSURE, why=why),
        Trace("flicker, stops", flicker, FLICKER, why=why),
    )
    return Plot("Exposure over the plate", tip, panels)


def detail_plot(s: PlateSurvey) -> Plot:
    """Detail of every frame; noise against brightness, with the fitted law."""
    tip = "How much fine detail each frame keeps, and how the noise grows with brightness."
    detail = Trace("detail, % of the best frames", 100 * s.sharpness, 100 * SHARP, "%", floor=True, top=110.0)
    return Plot("Detail and noise", tip, (detail, _noise(s)))


def _noise(s: PlateSurvey) -> Curve:
    words, nothing = "noise (deviation) against brightness", np.zeros(0)
    if s.noise is None or len(s.noise.levels) < 2:
        return Curve(words, nothing, nothing, why="not measured: nothing stands still")
    xs = np.linspace(0, float(s.noise.levels.max()) * 1.05, 60)
    law = np.sqrt(np.maximum(s.noise.law[1, 0] * xs + s.noise.law[1, 1], 0))
    return Curve(words, xs, law, np.stack([s.noise.levels, np.sqrt(np.maximum(s.noise.variance, 0))], 1))


def timing_plot(s: PlateSurvey) -> Plot:
    """A strip of the frames: those that repeat, those with two fields, and where the picture jumps."""
    tip = (
        "Hatched: a frame that repeats the one before. A red line: the picture jumps as if a frame were missing. A gap: no file."
    )
    t = s.timing
    marks = [
        (n, kind)
        for kind, frames in ((DOUBLED, t.doubled), (COMBED, t.combed), (MISSING, t.missing), (JUMP, t.dropped))
        for n in frames
    ]
    words = t.cadence or (
        f"{len(t.doubled)} doubled, {len(t.dropped)} {'place' if len(t.dropped) == 1 else 'places'} where a frame is missing, {len(t.missing)} without a file, "
        f"{len(t.combed)} combed."
    )
    if not t.told_drops:
        words += " Too little moves evenly to see every dropped frame."
    return Plot("Frames in time", tip, (Frames(s.count, tuple(marks)),), words)


def marks_plot(s: PlateSurvey) -> Plot:
    """The frame with dust as rings and what reaches in hatched."""
    tip = "Where dust lies on the sensor, and where something reaches into the frame."
    rings = tuple((d.x, d.y, d.radius) for d in s.dust.spots)
    boxes = tuple((*i.box, i.first, i.last) for i in s.intruders)
    said = s.dust.reason or (f"{spots_words(len(s.dust.spots))} of dust" if s.dust.spots else "no dust found")
    said = f"{said}; {s.dust.seen}" if s.dust.seen and not s.dust.reason else said
    edge = (
        ("nothing reaches in", "one thing reaches in", "several things reach in")[min(len(s.intruders), 2)]
        if s.intruders_told
        else "edges are not compared: the camera moves"
    )
    return Plot("Dust and edges", tip, (Spotted(s.path.size, rings, boxes),), f"{said[0].upper()}{said[1:]}; {edge}.")
