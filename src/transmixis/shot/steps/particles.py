"""Particles: sparks, dust, rain or snow from a place that may move, each smeared by its own way."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from transmixis.core.made.particles import Particles, strokes_at
from transmixis.core.made.strokes import added, coloured
from transmixis.core.motion.motion import moved_points
from transmixis.core.plot import Plot
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.shot.contract import Act, Handle, Inputs, Pins, Product, Proposal, Slot, StepKind
from transmixis.shot.model import Step
from transmixis.shot.steps.cues import action, cue_proposal, cue_reading, heeds
from transmixis.shot.steps.params import Params, choice, hidden, number, rounded

SPARKS, DUST, RAIN, SNOW = "sparks", "dust", "rain", "snow"
# what is usual for each (common practice and looks; px at 1920 across, per second)
USUAL: dict[str, dict[str, float]] = {
    SPARKS: {
        "rate": 120,
        "speed": 260,
        "angle": 90,
        "cone": 120,
        "pull": 500,
        "drag": 0.5,
        "sway": 0,
        "life": 0.8,
        "size": 2,
        "soft": 0.3,
    },
    DUST: {"rate": 40, "speed": 14, "angle": 0, "cone": 360, "pull": -2, "drag": 0.2, "sway": 6, "life": 6, "size": 3, "soft": 1},
    RAIN: {
        "rate": 900,
        "speed": 1100,
        "angle": 264,
        "cone": 5,
        "pull": 0,
        "drag": 0,
        "sway": 0,
        "life": 1.4,
        "size": 1,
        "soft": 0.5,
    },
    SNOW: {
        "rate": 160,
        "speed": 130,
        "angle": 268,
        "cone": 20,
        "pull": 0,
        "drag": 0,
        "sway": 16,
        "life": 9,
        "size": 4,
        "soft": 0.9,
    },
}
LIGHT = {SPARKS: (4.0, 1.8, 0.5), DUST: (0.25, 0.24, 0.22), RAIN: (0.35, 0.38, 0.42), SNOW: (0.8, 0.82, 0.86)}
SPREAD = {SPARKS: (4.0, 4.0), DUST: (700.0, 380.0)}
OFF_BLUR = (
    45.0  # degrees of shutter off the plate's usual one that the smear of drops and sparks shows (judgement, docs/limits.md)
)
PLACE = "Press where they come from; rain and snow come from above the whole frame."


class ParticleParams(Params):
    place: tuple[tuple[float, float], ...] = hidden(())
    what: str = choice(
        SPARKS,
        (SPARKS, DUST, RAIN, SNOW),
        "Are",
        "Sparks are thrown and fall; dust hangs and drifts; rain and snow fall over the whole frame.",
    )
    at: float = number(1, 1, 1_000_000, "frame", "Set at", "The frame at which their place was pressed.", step=1)
    begin: float = number(
        1,
        -100_000,
        1_000_000,
        "frame",
        "Begin at",
        "The frame at which the first is born; well before the shot for rain.",
        step=1,
    )
    end: float = number(0, 0, 1_000_000, "frame", "End at", "The frame at which the last is born.", step=1, zero="never")
    heeds: str = heeds()
    rate: float = number(120.0, 0.1, 20_000, "a second", "New ones", "That are born.", step=10)
    speed: float = number(260.0, 0.0, 20_000, "px/s", "Speed", "With which they set out, by half of it more or less.", step=10)
    angle: float = number(90.0, -360, 360, "°", "Direction", "0 is to the right, 90 up, 270 down.", step=5)
    cone: float = number(120.0, 0.0, 360.0, "°", "Within", "How far their directions spread.", step=5)
    pull: float = number(500.0, -20_000, 20_000, "px/s²", "Pull", "Downwards; below zero they rise.", step=20)
    drag: float = number(0.5, 0.0, 50.0, "a second", "Air", "How soon air brakes them.", step=0.1)
    sway: float = number(0.0, 0.0, 500.0, "px", "Sway", "To either side, as snow and dust do.", step=1)
    life: float = number(0.8, 0.02, 100.0, "s", "Life", "Up to so long.", step=0.1)
    spread_x: float = number(4.0, 0.0, 20_000, "px", "Spread right", "To either side of their place.", step=2)
    spread_y: float = number(4.0, 0.0, 20_000, "px", "Spread down", "Above and below it.", step=2)
    size: float = number(2.0, 0.2, 200.0, "px", "Size", "Of one, by about a third more or less.", step=0.25)
    soft: float = number(0.3, 0.0, 1.0, "%", "Soft", "Their edge; what is out of focus more.", percent=True)
    red: float = number(4.0, 0.0, 100.0, "× white", "Red", "Of their light.", step=0.1)
    green: float = number(1.8, 0.0, 100.0, "× white", "Green", "Of their light.", step=0.1)
    blue: float = number(0.5, 0.0, 100.0, "× white", "Blue", "Of their light.", step=0.1)
    shutter: float = number(180.0, 0.0, 360.0, "°", "Shutter", "As the plate's.", step=5)
    seed: float = number(1, 0, 1_000_000, "", "Seed", "Another number throws others.", step=1)


class ParticleStep(StepKind[ParticleParams]):
    kind, title, stage, product = "particle", "Particles", "Build", "picture"
    says = "makes sparks, dust, rain or snow"
    gives = ("picture", "matte")
    slots = (
        Slot("motion", "the motion that their place hangs on", takes="motion", optional=True, whole=True, usual=("step:motion",)),
    )
    Params = ParticleParams
    cued = True
    plots = "whole"
    tools = ("point",)
    positions = ("place",)
    acts = tuple(
        Act(k, f"As usual for {k}", f"Sets rate, speed, direction, size and light to what is usual for {k}.") for k in USUAL
    )

    def act(self, name: str, inputs: Inputs, step: Step, params: ParticleParams, frame: int) -> Step:
        """All as it is usual, for the frame's size; what hangs or falls over the whole frame has begun before the shot."""
        by = inputs.shot.width / 1920
        values: dict[str, Any] = {
            k: round(v * by, 3) if k in ("speed", "pull", "sway", "size") else v for k, v in USUAL[name].items()
        }
        values["size"] = max(values["size"], 0.6)
        values |= dict(zip(("red", "green", "blue"), LIGHT[name], strict=True))
        values |= {k: round(v * by, 1) for k, v in zip(("spread_x", "spread_y"), SPREAD.get(name, ()), strict=False)}
        begin = 1.0 if name == SPARKS else 1.0 - math.ceil(USUAL[name]["life"] * float(inputs.shot.fps))
        pins = {k: v for k, v in step.pins.items() if k not in values}
        return step.model_copy(update={"params": {**step.params, **values, "what": name, "begin": begin}, "pins": pins})

    def looks_at(self, slot: str, params: ParticleParams, pins: Pins, frame: int, length: int) -> tuple[int, ...] | None:
        return tuple(sorted({min(int(params.at), length), frame}))

    def handles(self, inputs: Inputs, params: ParticleParams, frame: int) -> tuple[Handle, ...]:
        if params.what in (RAIN, SNOW):
            return ()
        place, why = _place(inputs, params, frame)
        at = () if place is None or not params.place else (place,)
        return (Handle("point", "place", "Place", PLACE, at, here=frame == int(params.at), note=why),)

    def edited(self, step: Step, handle: Handle, frame: int, value: Any) -> Step:
        at = rounded(value)
        return step.model_copy(update={"params": {**step.params, "place": at, "at": frame}})

    def compute(self, inputs: Inputs, params: ParticleParams, frame: int) -> Product:
        size = (inputs.shot.height, inputs.shot.width)
        place, why = _place(inputs, params, frame)
        if place is None:
            return Product(picture=np.zeros((*size, 4), np.float32), matte=np.zeros(size, np.float32), work=(None, why))
        fps = float(inputs.shot.fps)
        strokes = strokes_at(particles_of(params, fps, size), frame / fps, params.shutter / 360 / fps, place)
        light = added(strokes, size, params.soft)
        made = coloured(light, (params.red, params.green, params.blue), 0.5 if params.what == SPARKS else 0.0)
        return Product(picture=made, matte=np.ascontiguousarray(made[..., 3]), work=(len(strokes), ""))

    def read(self, inputs: Inputs, params: ParticleParams, product: Product, frame: int) -> list[Reading]:
        count, why = product.work
        cue = cue_reading(inputs, params, frame, seen=bool(count))
        if count is None:
            return [Reading("shutter", None, "°", OFF_BLUR, note=why), cue]
        note = f"off the usual 180°; {count} are seen here"
        return [Reading("shutter", abs(params.shutter - 180.0), "°", OFF_BLUR, note=note), cue]

    def propose(self, inputs: Inputs, params: ParticleParams, progress: Progress) -> Proposal | None:
        """Its cue."""
        return cue_proposal(inputs, params, lambda n: self._count(inputs, params, n) > 0, progress)

    def plot(self, inputs: Inputs, params: ParticleParams, frame: int) -> Plot | None:
        """How many are there in each frame."""
        values = np.array([float(self._count(inputs, params, n)) for n in range(1, inputs.shot.length + 1)])
        if not values.any():
            return None
        tip = "How many are there in each frame, time downwards. Drag their begin and end, or the bar between them."
        words = f"{values.max():.0f} at most."
        return Plot("What they do", tip, (action(inputs.shot, "none to most", values / values.max(), params),), words)

    def _count(self, inputs: Inputs, params: ParticleParams, frame: int) -> int:
        fps, size = float(inputs.shot.fps), (inputs.shot.height, inputs.shot.width)
        return len(strokes_at(particles_of(params, fps, size), frame / fps, params.shutter / 360 / fps, (0.0, 0.0)))


def particles_of(params: ParticleParams, fps: float, size: tuple[int, int]) -> Particles:
    """What the settings say, in seconds."""
    end = params.end / fps if params.end else None
    spread = (params.spread_x, params.spread_y)
    if params.what in (RAIN, SNOW):
        spread = (0.75 * size[1], 0.0)
    return Particles(
        params.rate, params.speed, params.life, spread, params.angle, params.cone, params.pull, params.drag, params.sway, 0.5, params.size,
        params.what == SPARKS, params.begin / fps, end, int(params.seed),
    )  # fmt: skip


def _place(inputs: Inputs, params: ParticleParams, frame: int) -> tuple[tuple[float, float] | None, str]:
    """Where they come from at a frame; None with the reason where that is not known."""
    w, h = inputs.shot.width, inputs.shot.height
    if params.what in (RAIN, SNOW):
        return (w / 2, -0.08 * h), ""
    at = params.place[0] if params.place else (w / 2, h / 2)
    if not inputs.has("motion"):
        return at, ""
    base, now = inputs.motion("motion", min(int(params.at), inputs.shot.length)), inputs.motion("motion", frame)
    if not (base.known and now.known):
        return None, f"the motion that they hang on is not known here: {now.why or base.why}"
    x, y = moved_points(now.matrix @ np.linalg.inv(base.matrix), np.array([at]))[0]
    return (float(x), float(y)), ""
