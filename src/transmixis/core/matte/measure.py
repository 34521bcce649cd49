"""Readings of a matte on its frame. What each limit rests on stands in docs/limits.md."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.colour.curves import luminance
from transmixis.core.colour.lab import linear_to_lab
from transmixis.core.matte.convolve import grow, shrink
from transmixis.core.matte.difference import channels_of, colour_difference
from transmixis.core.matte.keyer import KeyModel, KeyResult
from transmixis.core.matte.points import HOLE_LIMIT, LEAK_LIMIT, VISIBLE, bare_screen, inside_and_pits
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Mask, Matte, Rgb

EDGE_LIMIT = 1.0  # % of the frame's width
BOIL_LIMIT = 6.0  # % of alpha
SPILL_LIMIT = 4.0  # CIELAB units
EVEN_LIMIT = 1.5  # stops
SEPARATION_LIMIT = 8.0  # noise steps, at least
CLIPPED_LIMIT = 5.0  # % of the bare screen
WHITE = 0.9  # scene linear: a channel whose highest value is under this is not clipped
BORDER_LIMIT = 15.0  # % of the frame's upper and side borders


def region_box(mask: Mask) -> tuple[int, int, int, int] | None:
    """Box (x, y, w, h) of the largest connected piece of a mask; None if there is none."""
    count, _, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    if count < 2:
        return None
    i = 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))
    x, y, w, h = (int(v) for v in stats[i, :4])
    return x, y, w, h


def leak_reading(alpha: Matte, sure_screen: Mask, inside: Matte | None = None) -> Reading:
    """Share of the plainly bare screen that is visible in the matte; what a garbage matte hides does not count."""
    seen = alpha if inside is None else alpha * inside
    if sure_screen.sum() < 50:
        return Reading("leak", None, "%", LEAK_LIMIT, note="no bare screen in this frame")
    leak = sure_screen & (seen > VISIBLE)
    return Reading("leak", 100 * float(leak.sum()) / float(sure_screen.sum()), "%", LEAK_LIMIT, spot=region_box(leak))


def holes_reading(alpha: Matte) -> Reading:
    """Share of the subject's inside that is thinner than what surrounds it."""
    inner, hole = inside_and_pits(alpha)
    if inner.sum() < 50:
        return Reading("holes", None, "%", HOLE_LIMIT, note="the subject is too thin to have an inside")
    return Reading("holes", 100 * float(hole.sum()) / float(inner.sum()), "%", HOLE_LIMIT, spot=region_box(hole))


def edge_width_reading(alpha: Matte) -> Reading:
    """Mean width (px) of the soft edge: soft pixels over the length of the outline."""
    limit = EDGE_LIMIT / 100 * alpha.shape[1]
    contours, _ = cv2.findContours((alpha > 0.5).astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    length = sum(cv2.arcLength(c, True) for c in contours if len(c) > 20)
    if length < 50:
        return Reading("edge width", None, "px", limit, note="no outline in this frame")
    soft = float(((alpha > 0.1) & (alpha < 0.9)).sum())
    return Reading("edge width", soft / length, "px", limit)


def boil_reading(alpha: Matte, before: Matte, frame: Rgb, frame_before: Rgb, law: Array) -> Reading:
    """Mean change (%) of the matte's soft pixels where the plate itself has not changed beyond its noise."""
    diff = cv2.GaussianBlur(luminance(frame) - luminance(frame_before), (0, 0), 1.5)
    sd = float(np.sqrt(law[1, 0] * max(float(luminance(frame).mean()), 0) + law[1, 1]))
    soft = ((alpha > 0.02) & (alpha < 0.98)) | ((before > 0.02) & (before < 0.98))
    moved = cv2.dilate((np.abs(diff) > 0.75 * sd).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    still = soft & ~moved
    if still.sum() < 200:
        return Reading("boil", None, "%", BOIL_LIMIT, note="no part of the edge keeps still here")
    change = np.abs(alpha - before)
    worst = still & (change > 0.15)
    return Reading("boil", 100 * float(change[still].mean()), "%", BOIL_LIMIT, spot=region_box(worst))


def spill_reading(result: KeyResult, model: KeyModel) -> Reading:
    """How far the rim's colour leans from the core nearby towards the screen's colour, in CIELAB units (median)."""
    h, w = result.alpha.shape
    gw, gh = 320, max(2, round(h * 320 / w))
    alpha, fore = shrink(result.alpha, gw, gh), shrink(result.foreground, gw, gh)
    depth = grow(result.depth, gw, gh)
    core, rim = (depth > result.reach).astype(np.float32), (alpha > 0.6) & (depth <= result.reach)
    if rim.sum() < 30 or core.sum() < 30:
        return Reading("spill left", None, "ΔE", SPILL_LIMIT, note="no rim with a core beside it")
    straight = fore / np.maximum(alpha, 0.05)[..., None]
    sigma = 10.0
    weight = cv2.GaussianBlur(core, (0, 0), sigma)
    near = cv2.GaussianBlur(straight * core[..., None], (0, 0), sigma) / np.maximum(weight, 1e-4)[..., None]
    rim &= weight > 0.02
    if rim.sum() < 30:
        return Reading("spill left", None, "ΔE", SPILL_LIMIT, note="no rim with a core beside it")
    lab, lab_near = linear_to_lab(straight[rim]), linear_to_lab(near[rim])
    hue = linear_to_lab(model.screen_colour)[1:]
    lean = (lab - lab_near)[:, 1:] @ (hue / max(float(np.linalg.norm(hue)), 1e-6))
    value = max(float(np.median(lean)), 0.0)
    return Reading("spill left", value, "ΔE", SPILL_LIMIT)


def evenness_reading(result: KeyResult) -> Reading:
    """Range (stops, 5 % to 95 %) of the screen's brightness where it is plainly seen."""
    sure = result.sure_screen > 0.5
    if sure.sum() < 50:
        return Reading("evenness", None, "stops", EVEN_LIMIT, note="no bare screen in this frame")
    level = luminance(shrink(result.screen, sure.shape[1], sure.shape[0]))[sure]
    lo, hi = np.quantile(np.maximum(level, 1e-5), [0.05, 0.95])
    return Reading("evenness", float(np.log2(hi / lo)), "stops", EVEN_LIMIT)


def separation_reading(frame: Rgb, result: KeyResult, model: KeyModel) -> Reading:
    """Distance between the screen's colour difference and the subject's highest (95 %), in steps of the plate's noise."""
    ch = channels_of(model.kind)
    sure = result.sure_screen > 0.5
    core = grow(result.depth, frame.shape[1], frame.shape[0]) > result.reach
    if sure.sum() < 50 or core.sum() < 50:
        return Reading("separation", None, "steps", SEPARATION_LIMIT, "high", note="screen or subject is not plainly seen")
    small = shrink(frame, sure.shape[1], sure.shape[0])
    screen = float(np.quantile(colour_difference(small[sure], ch), 0.05))
    subject = float(np.quantile(colour_difference(frame[core], ch), 0.95))
    level = model.screen_colour[ch.screen]
    sd = float(np.sqrt(2 * (model.law[ch.screen, 0] * level + model.law[ch.screen, 1])))
    return Reading("separation", max((screen - subject) / max(sd, 1e-6), 0.0), "steps", SEPARATION_LIMIT, "high")


def clipped_reading(frame: Rgb, result: KeyResult, model: KeyModel) -> Reading:
    """How much of the bare screen (%) is as bright as the recording can show: there it holds neither shadow nor glass nor hair."""
    sure = cv2.resize(result.sure_screen, frame.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0.5
    if sure.sum() < 50:
        return Reading("screen clipped", None, "%", CLIPPED_LIMIT, note="no bare screen in this frame")
    level = frame[..., channels_of(model.kind).screen]
    top = float(level.max())
    clipped = sure & (level >= 0.998 * top) if top > WHITE else np.zeros_like(sure)
    share = 100 * float(clipped.sum()) / float(sure.sum())
    return Reading("screen clipped", share, "%", CLIPPED_LIMIT, spot=region_box(clipped))


def border_reading(alpha: Matte) -> Reading:
    """How much of the frame's border (%), its lower one left out, is solid: a set that reaches beyond the screen, which nobody can key."""
    lines = np.concatenate([alpha[0], alpha[:, 0], alpha[:, -1]]) > 0.5
    solid = (alpha > 0.5).astype(np.uint8)
    solid[3:, 3:-3] = 0
    note = "" if lines.mean() <= BORDER_LIMIT / 100 else "what lies beside the screen stays solid: a garbage matte takes it out"
    return Reading("solid at border", 100 * float(lines.mean()), "%", BORDER_LIMIT, note=note, spot=region_box(solid > 0))


def key_readings(frame: Rgb, result: KeyResult, model: KeyModel, inside: Matte | None = None) -> list[Reading]:
    """All readings of one keyed frame but boil, which needs the frame before."""
    return [
        leak_reading(result.alpha, bare_screen(result), inside),
        holes_reading(result.alpha if inside is None else result.alpha * inside),
        edge_width_reading(result.alpha),
        spill_reading(result, model),
        evenness_reading(result),
        separation_reading(frame, result, model),
        clipped_reading(frame, result, model),
        border_reading(result.alpha if inside is None else result.alpha * inside),
    ]
