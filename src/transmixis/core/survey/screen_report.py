"""The report on a keying plate's screen: colour, evenness, shadows, wrinkles, markers, level, and what to change on the set."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.matte.convolve import grow, weighted_blur
from transmixis.core.matte.difference import channels_of, colour_difference
from transmixis.core.matte.empty import lone_marks
from transmixis.core.matte.keyer import KeyModel, KeyResult
from transmixis.core.matte.measure import key_readings
from transmixis.core.matte.screen import frame_screen
from transmixis.core.types import Array, Mask, Rgb

GRID = (24, 14)  # cells of the evenness map, across and down
SHADOW = -0.7  # stops below the screen's middle
EVEN_BAD = 1.0  # stops, 5 % to 95 % (common practice asks for half a stop, for keys without a model of the screen)
WRINKLED = 0.06  # stops rms between a twentieth and a fiftieth of the width
LEVEL = (-1.5, 0.5)  # stops of the screen against the subject's lit parts: darker keys noisily, brighter spills (common practice)
LIT = 0.8  # quantile of the subject that stands for its lit parts: dark clothes say nothing of the light
FEW_STEPS = 12.0  # of noise between screen and subject
ALIKE = 0.4  # of the largest marker's size
SMALL_SHARE = 0.15  # of the frame


@dataclass(frozen=True)
class Marker:
    """Centre and size, px."""

    x: float
    y: float
    size: float


@dataclass(frozen=True)
class ScreenReport:
    """`colour` (3,) linear; `share` of the frame that is bare screen; `evenness` stops; `map` (14, 24) stops off the screen's
    middle, nan where no screen shows; `shadow` share of the bare screen; `wrinkles` stops rms; `level` stops against the
    subject's lit parts, nan if no subject; `separation` noise steps; `spill` ΔE; `advice`: sentences, what to change on the set."""

    kind: str
    colour: tuple[float, float, float]
    share: float
    evenness: float
    map: Array
    shadow: float
    wrinkles: float
    level: float
    separation: float | None
    spill: float | None
    markers: tuple[Marker, ...]
    verdict: str
    advice: tuple[str, ...]


def report_screen(frame: Rgb, result: KeyResult, model: KeyModel) -> ScreenReport:
    """Judge the screen of one keyed frame (h, w, 3)."""
    h, w = frame.shape[:2]
    bare = (grow(result.sure_screen, w, h) > 0.9) & (result.alpha < 0.02)
    subject = result.alpha > 0.98
    y = luminance(frame)
    middle = float(np.median(y[bare])) if bare.any() else float(luminance(np.asarray(model.screen_colour)))
    stops = np.log2(np.maximum(cv2.GaussianBlur(y, (0, 0), max(1.0, 0.004 * w)), 1e-5) / max(middle, 1e-5))
    cells = _cells(stops, bare)
    low, high = np.quantile(stops[bare], [0.05, 0.95]) if bare.any() else (0.0, 0.0)
    readings = {r.name: r.value for r in key_readings(frame, result, model)}
    level = (
        float(np.log2(max(middle, 1e-5) / max(float(np.quantile(y[subject], LIT)), 1e-5)))
        if subject.sum() > 200
        else float("nan")
    )
    marks = _all_marks(frame, model)
    found = ScreenReport(
        kind=model.kind, colour=tuple(float(v) for v in model.screen_colour), share=float(bare.mean()),  # type: ignore[arg-type]
        evenness=float(high - low), map=cells, shadow=float((stops[bare] < SHADOW).mean()) if bare.any() else 0.0,
        wrinkles=_wrinkles(frame, bare, model), level=level, separation=readings["separation"], spill=readings["spill left"],
        markers=_markers(marks), verdict="", advice=(),
    )  # fmt: skip
    advice = tuple(_advice(found))
    verdict = "good" if not advice else "usable" if len(advice) < 3 else "poor"
    return ScreenReport(**{**found.__dict__, "advice": advice, "verdict": verdict})


def _all_marks(frame: Rgb, model: KeyModel) -> Mask:
    """Marks on the screen, those that the key keyed out with an empty screen of their own included."""
    plain = frame_screen(frame, np.asarray(model.screen_colour), model.law, channels_of(model.kind), picture_base=False)
    marks = lone_marks(frame, plain.colour, channels_of(model.kind))
    return marks if model.marks is None else marks | model.marks


def _cells(stops: Array, bare: Mask) -> Array:
    total, weight = (
        cv2.resize(x.astype(np.float32), GRID, interpolation=cv2.INTER_AREA) for x in (np.where(bare, stops, 0), bare)
    )
    return np.where(weight > 0.25, total / np.maximum(weight, 1e-3), np.nan)


def _wrinkles(frame: Rgb, bare: Mask, model: KeyModel) -> float:
    """Unevenness of middle size on the bare screen, stops rms; the noise is averaged away first."""
    if bare.sum() < 400:
        return 0.0
    w = frame.shape[1]
    d = np.maximum(colour_difference(frame, channels_of(model.kind)), 1e-4)[..., None].astype(np.float32)
    weight = cv2.erode(bare.astype(np.uint8), np.ones((5, 5), np.uint8)).astype(np.float32)
    fine, wide = (_mean_of(d, weight, share * w) for share in (0.008, 0.05))
    inside = weight > 0
    if not inside.any():
        return 0.0
    ratio = np.log2(np.maximum(fine[inside], 1e-4) / np.maximum(wide[inside], 1e-4))
    return float(1.4826 * np.median(np.abs(ratio - np.median(ratio))))


def _mean_of(values: Array, weight: Array, sigma: float) -> Array:
    total, known = weighted_blur(values, weight, sigma)
    return np.asarray(total.reshape(weight.shape) / np.maximum(known.reshape(weight.shape), 1e-3))


def _markers(marks: Mask | None) -> tuple[Marker, ...]:
    if marks is None or not marks.any():
        return ()
    count, _, stats, centres = cv2.connectedComponentsWithStats(marks.astype(np.uint8), connectivity=8)
    found = [Marker(float(centres[i][0]), float(centres[i][1]), float(max(stats[i][2:4]))) for i in range(1, count)]
    largest = max(m.size for m in found)
    return tuple(m for m in found if m.size > ALIKE * largest)  # markers of one set are of a size; specks are not


def _advice(r: ScreenReport) -> list[str]:
    """What to change on the set, if it can be filmed again."""
    out = []
    if r.evenness > EVEN_BAD:
        out.append(
            f"The screen is uneven by {r.evenness:.1f} stops: {_side(r.map)}; add light there or move the lamps further off."
        )
    if r.shadow > 0.02:
        out.append(
            f"{100 * r.shadow:.0f} % of the screen lies in shadow: bring the subject further from it, or light it from both sides."
        )
    if r.wrinkles > WRINKLED:
        out.append(f"The cloth is wrinkled ({r.wrinkles:.2f} stops): stretch or iron it, or set it further out of focus.")
    if np.isfinite(r.level) and r.level < LEVEL[0]:
        out.append(f"The screen lies {-r.level:.1f} stops under the subject: give it more light, or its noise will cost hair.")
    if np.isfinite(r.level) and r.level > LEVEL[1]:
        out.append(f"The screen lies {r.level:.1f} stops over the subject: take light off it, or it spills.")
    if r.separation is not None and r.separation < FEW_STEPS:
        out.append("Something on the subject is too like the screen: use the other screen colour, or change the clothes.")
    if r.spill is not None and r.spill > 4:
        out.append("The screen's light falls on the subject: more distance, or a smaller piece of cloth.")
    if r.share < SMALL_SHARE:
        out.append(f"Only {100 * r.share:.0f} % of the frame is bare screen: a larger cloth, or a tighter frame.")
    return out


def _side(cells: Array) -> str:
    """Which part of the screen is darkest, in words."""
    known = np.isfinite(cells)
    if not known.any():
        return "somewhere"
    y, x = np.unravel_index(int(np.argmin(np.where(known, cells, np.inf))), cells.shape)
    across = ("left", "middle", "right")[min(2, int(3 * x / cells.shape[1]))]
    down = ("top", "middle", "bottom")[min(2, int(3 * y / cells.shape[0]))]
    place = across if down == "middle" else down if across == "middle" else f"{down} {across}"
    return f"darkest at the {place}"
