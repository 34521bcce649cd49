"""How many markers, how big?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, luminance
from transmixis.core.errors import UserError
from transmixis.core.plan import markers as core
from transmixis.core.plan.cautions import of_height, of_motion
from transmixis.core.plan.screen import CLOTHS, COMMON, law_of_grain
from transmixis.core.readings import Reading
from transmixis.core.types import Array
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, choice, number

ERROR_LIMIT = 0.3  # px at the object's corner: two things that slide by a third of a pixel are seen to slide (see docs/limits.md)
LOST_LIMIT = 5.0  # % of frames: more, and the track is mended by hand
SMALL_LIMIT = 5.0  # px across: smaller ones are hidden by grain and coding (judgement)
COVER_LIMIT = 25.0  # % of the surface: three times as much must be left clean to patch from (judgement)
COLOURS: dict[str, tuple[float, float, float]] = {
    "white": (0.80, 0.80, 0.80), "black": (0.025, 0.025, 0.025), "orange": (0.60, 0.19, 0.03), "pink": (0.62, 0.13, 0.30),
    "yellow": (0.68, 0.50, 0.04), "light blue": (0.20, 0.38, 0.62), "dark green": (0.02, 0.09, 0.03),
}  # fmt: skip
SURFACES = {**COMMON, **{f"{k} cloth": v for k, v in CLOTHS.items()}}
SHOWN = (300, 190)  # px of the simulated picture


class MarkersParams(Params):
    motion: str = choice(
        "perspective", tuple(core.NEEDED), "To be followed", "What the markers must tell; a camera needs them at several depths."
    )
    wide: float = number(40.0, 1.0, 2000.0, "cm", "Object, width", "The surface that carries the markers.", step=1)
    high: float = number(30.0, 1.0, 2000.0, "cm", "Object, height", "The surface that carries the markers.", step=1)
    surface: str = choice("grey wool", tuple(SURFACES), "Its colour", "The surface under the markers.")
    colour: str = choice("white", tuple(COLOURS), "Markers", "Colour of the markers; unlike the surface, and not glossy.")
    shape: str = choice("cross", core.SHAPES, "Shape", "A cross has more edge; a dot is smaller to remove.")
    size: float = number(2.0, 0.1, 200.0, "cm", "Across", "Size of one marker.", step=0.1)
    distance: float = number(4.0, 0.2, 200.0, "m", "Distance", "From the camera to the object.", step=0.1)
    focal: float = number(35.0, 4.0, 400.0, "mm", "Focal length", "The lens's own focal length.", step=1)
    sensor: float = number(24.0, 3.0, 60.0, "mm", "Sensor width", "Width of the part of the sensor that is recorded.", step=0.1)
    speed: float = number(0.3, 0.0, 50.0, "m/s", "Moves at", "Fastest motion across the view.", step=0.05)
    angle: float = number(180.0, 1.0, 360.0, "°", "Shutter", "Shutter angle.", step=1)
    grain: float = number(1.5, 0.2, 12.0, "levels", "Grain", "Noise at middle grey, in steps of 255.", step=0.1)
    hidden: float = number(0.2, 0.0, 0.9, "%", "Covered", "Share of the markers that may be covered at a time.", percent=True)


@dataclass(frozen=True)
class MarkersDrawing:
    """The simulated picture (h, w, 3) uint8 as the camera sees it, whether it shows the whole object, the layout, and the object's
    size in cm."""

    picture: Array
    whole: bool
    layout: core.Layout
    wide: float
    high: float
    marker: float


class MarkersQuestion(Question):
    kind, title = "markers", "How many markers, how big?"
    says = "Enough for the tracker, few and small enough to be removed; seen here as the camera will see them."
    Params = MarkersParams
    slow = True

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        seen = core.seen(p.size, p.distance, p.focal, p.sensor, shot.width, p.speed, p.angle, float(shot.fps))
        count = core.how_many(p.motion, p.hidden)
        layout = core.laid_out(count, p.wide, p.high, p.size, seen.metre)
        n = len(layout.places)
        contrast = _contrast(p)
        noise, on_marker = _noise(p.grain, SURFACES[p.surface]), _noise(p.grain, COLOURS[p.colour])
        one = _error(p.shape, seen, contrast, noise, on_marker)
        wide_px, high_px = p.wide / 100 * seen.metre, p.high / 100 * seen.metre
        whole = core.error_at_edge(p.motion, layout.places, one.rms, wide_px, high_px)
        patch = 100 * n * (seen.size + 2 * core.GROWN + core.FEATHER) ** 2 / max(wide_px * high_px, 1)
        readings = (
            Reading("tracking error", None if math.isnan(whole) else whole, "px", ERROR_LIMIT, note="at the object's corners; by simulation" if not math.isnan(whole) else "lost in every trial"),
            Reading("lost", 100 * one.lost, "%", LOST_LIMIT, note="of the simulated frames"),
            Reading("size in the picture", seen.size, "px", SMALL_LIMIT, "high"),
            Reading("blur", seen.blur, "px", max(seen.size, 1.0), note="longer than the marker itself, it is washed out"),
            Reading("surface to patch", patch, "%", COVER_LIMIT, note="markers and the patches over them"),
        )  # fmt: skip
        margin = layout.margin[0] * p.wide
        return Answer(
            f"{n} {_plural(p.shape, n)}, {p.size:g} cm: {seen.size:.1f} px across, blurred by {seen.blur:.1f} px"
            + (f"; followed to {one.rms:.2f} px." if not math.isnan(one.rms) else "; lost."),
            readings,
            (
                ("in the picture", f"{seen.size:.1f} px, blur {seen.blur:.1f} px"), ("the object", f"{wide_px:.0f} × {high_px:.0f} px"),
                ("layout", f"{layout.columns} across, {layout.rows} down"), ("from the edges", f"{margin:.1f} cm"),
                ("contrast", f"{contrast / noise:.0f} steps of noise"), ("one marker's error", "lost" if math.isnan(one.rms) else f"{one.rms:.3f} px"),
                ("to be removed later", f"{n} on {shot.length} frames"),
            ),
            cautions=(
                *of_motion(p.speed), *of_height(p.high / 100),
                "Nothing on glossy or moving cloth folds: reflections and creases move against the object.",
                "Never stick anything near eyes; ask before marking skin, and use what the make-up artist says.",
            ),
            entries=(
                Entry(f"{n} {p.colour} {_plural(p.shape, n)} of {p.size:g} cm, {layout.columns} by {layout.rows}, {margin:.1f} cm from the edges", "enough for the tracker, clean surface left to patch from", setting=True),
                Entry("a few seconds of the object without markers, same light", "what lies under them is then known", True),
            ),
            proposal=_proposal(p, shot, seen, whole, one, contrast),
            drawing=MarkersDrawing(*_picture(p, layout, seen), layout, p.wide, p.high, p.size),
        )  # fmt: skip


def _plural(shape: str, n: int) -> str:
    return {"cross": "crosses", "dot": "dots"}[shape] if n != 1 else shape


def _coded(rgb: tuple[float, float, float]) -> float:
    return float(linear_to_srgb(np.asarray(luminance(np.asarray(rgb)))))


def _contrast(p: Any) -> float:
    return max(abs(_coded(COLOURS[p.colour]) - _coded(SURFACES[p.surface])), 1e-3)


def _noise(grain: float, rgb: tuple[float, float, float]) -> float:
    """Deviation of the coded picture at a colour's brightness."""
    a, b = law_of_grain(grain)
    level = float(luminance(np.asarray(rgb)))
    slope = 1.055 / 2.4 * max(level, 0.01) ** (1 / 2.4 - 1)
    # the weighted sum of three channels is three quarters as noisy as one (BT.709 weights)
    return float(max(0.75 * math.sqrt(a * level + b) * slope, 0.3 / 255))


@lru_cache(maxsize=512)
def _simulated(shape: str, size: float, blur: float, contrast: float, noise: float, on_marker: float) -> core.Error:
    return core.marker_error(shape, size, blur, contrast, noise, on_marker=on_marker)


def _error(shape: str, seen: core.Seen, contrast: float, noise: float, on_marker: float) -> core.Error:
    """Simulated at rounded inputs, so that going back to a setting costs nothing."""
    return _simulated(
        shape, max(round(seen.size, 1), 0.1), round(seen.blur, 1), round(contrast, 3), round(noise, 5), round(on_marker, 5)
    )


def _proposal(p: Any, shot: Shot, seen: core.Seen, whole: float, one: core.Error, contrast: float) -> PlanProposal | None:
    values: dict[str, Any] = {}
    why = []
    best = max(COLOURS, key=lambda c: abs(_coded(COLOURS[c]) - _coded(SURFACES[p.surface])))
    if contrast < 0.6 * abs(_coded(COLOURS[best]) - _coded(SURFACES[p.surface])):
        values["colour"] = best
        why.append(
            f"{best.capitalize()} stands out {abs(_coded(COLOURS[best]) - _coded(SURFACES[p.surface])) / contrast:.1f} times as far."
        )
    bad = (
        math.isnan(whole)
        or whole > ERROR_LIMIT
        or 100 * one.lost > LOST_LIMIT
        or seen.size < SMALL_LIMIT
        or seen.blur > seen.size
    )
    if bad:
        ratio = 2.0 if math.isnan(whole) else whole / ERROR_LIMIT
        need = max(seen.size * min(max(ratio, 1.0), 4.0) * 1.1, 1.2 * SMALL_LIMIT, 1.1 * seen.blur)
        size = math.ceil(10 * need / seen.metre * 100) / 10
        try:
            core.laid_out(core.how_many(p.motion, p.hidden), p.wide, p.high, size, seen.metre)
            fits = size <= 200
        except UserError:
            fits = False
        if fits and size > p.size:
            values["size"] = size
            why.append(f"At {size:g} cm they are {size / 100 * seen.metre:.0f} px across.")
        elif seen.blur > seen.size / 2 and p.angle > 90:
            values["angle"] = 90.0
            why.append(f"Larger ones do not fit; a shutter of 90° cuts the blur to {seen.blur * 90 / p.angle:.1f} px.")
    return PlanProposal(values, " ".join(why)) if values else None


def _picture(p: Any, layout: core.Layout, seen: core.Seen) -> tuple[Array, bool]:
    """The object as the camera sees it, pixel for pixel; its top left part where it is larger than the drawing."""
    w_px, h_px = p.wide / 100 * seen.metre, p.high / 100 * seen.metre
    w, h = min(SHOWN[0], math.ceil(w_px) + 16), min(SHOWN[1], math.ceil(h_px) + 16)
    fine = 3
    yy, xx = np.mgrid[0 : h * fine, 0 : w * fine] / fine
    x, y = xx - 8, yy - 8
    inside = ((x >= 0) & (x < w_px) & (y >= 0) & (y < h_px)).astype(np.float32)
    mark = np.zeros((h * fine, w * fine), np.float32)
    r = seen.size / 2
    for u, v in layout.places:
        dx, dy = np.abs(x - u * w_px), np.abs(y - v * h_px)
        arm = core.ARM * r
        hit = (np.hypot(dx, dy) <= r) if p.shape == "dot" else ((dx <= r) & (dy <= arm)) | ((dx <= arm) & (dy <= r))
        mark[hit] = 1
    surface, colour, behind = (np.asarray(c, np.float32) for c in (SURFACES[p.surface], COLOURS[p.colour], (0.28, 0.28, 0.28)))
    light = behind + inside[..., None] * (surface - behind)
    light = light + (mark * inside)[..., None] * (colour - light)
    if seen.blur * fine > 1:
        n = min(int(seen.blur * fine), w * fine - 1)
        light = cv2.blur(light, (max(n, 1), 1), borderType=cv2.BORDER_REPLICATE)
    light = cv2.GaussianBlur(cv2.resize(light, (w, h), interpolation=cv2.INTER_AREA), (0, 0), core.LENS)
    a, b = law_of_grain(p.grain)
    light = light + np.sqrt(np.maximum(a * light + b, 0)) * np.random.default_rng(0).standard_normal(light.shape)
    code = np.clip(np.round(255 * linear_to_srgb(np.maximum(light, 0))), 0, 255).astype(np.uint8)
    return code, w_px <= SHOWN[0] - 16 and h_px <= SHOWN[1] - 16
