"""What can be read of a drawn border in the picture: whether it is as soft as the picture's own edge, what its soft part shows of the other
side, and whether it wanders where the picture stands still.

The picture across the outline is read as a mixture of the colour inside and the colour outside, both from beside it; how much of it is
inside, 0 to 1, is what the matte should say there.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.matte.outline import FEW, STEP, about, crossing, sampled
from transmixis.core.types import Array, Matte, Rgb

BESIDE = 6.0  # px beyond the soft border from which the colours of both sides are read
FURTHEST = 40.0  # px
CONTRAST = 0.03  # of the lighter side: both sides' difference; less is no edge
FAINT = 0.004  # scene linear: less is none however dark both are
PLAIN = 0.35  # of that difference: sides that vary by more are no plain sides
EVERY = 4.0  # px between places that are looked at over time
WINDOW = 5  # px about a place
SAME = 1.3  # times: what fits so much worse elsewhere stands still
LIKE = 0.1  # of a window's own variance: what changed by no more is the same
TEXTURE = 2.0  # 8-bit levels: a window with less tells nothing

Box = tuple[int, int, int, int]


@dataclass(frozen=True)
class Edges:
    """Along an outline, where the picture shows a plain edge: `width` (n) px that it is wider (+) or narrower (-) in the matte than in the
    picture, `shown` (n) px of the other side's colour that the matte lets through, and `places` (n, 2) px."""

    width: Array
    shown: Array
    places: Array


NOTHING = Edges(np.zeros(0), np.zeros(0), np.zeros((0, 2)))


def edges_across(plate: Rgb, matte: Matte, line: Array, soft: float) -> Edges:
    """Compare matte (h, w) and picture (h, w, 3, scene linear) across a closed outline (n, 2) px whose border is up to `soft` px to either side."""
    places, at, _ = crossing(line, min(soft + BESIDE, FURTHEST), matte.shape)
    if len(places) < FEW:
        return NOTHING
    colour, cover = sampled(plate, at), sampled(matte, at)
    turned = cover[:, 0] < cover[:, -1]  # outlines run either way round
    colour[turned], cover[turned] = colour[turned, ::-1], cover[turned, ::-1]
    share, plain = _shares(colour, round(BESIDE / 2 / STEP))
    plain &= (cover[:, 0] > 0.9) & (cover[:, -1] < 0.1)  # elsewhere another outline covers it
    share, cover, places = share[plain], cover[plain], places[plain]
    if len(share) < FEW:
        return NOTHING
    soft_part = (cover > 0.02) & (cover < 0.98)
    shown = (np.maximum(cover - np.clip(share, 0, 1), 0) * soft_part).sum(axis=1) * STEP
    return Edges(_width(cover) - _width(share), shown, places)


def _shares(colour: Array, end: int) -> tuple[Array, Array]:
    """How much of each sample (m, s) is of the first side's colour, and which of the m places have two plain sides that differ."""
    first, last = colour[:, :end].mean(axis=1), colour[:, -end:].mean(axis=1)
    apart = first - last
    power = (apart**2).sum(axis=1)
    share = ((colour - last[:, None]) * apart[:, None]).sum(axis=2) / np.maximum(power, 1e-12)[:, None]
    rough = np.maximum(share[:, :end].std(axis=1), share[:, -end:].std(axis=1))
    level = np.maximum(np.abs(first), np.abs(last)).max(axis=1)
    plain = (np.sqrt(power) > np.maximum(CONTRAST * level, FAINT)) & (rough < PLAIN)
    return share, plain


def _width(profile: Array) -> Array:
    """Equivalent width (m) px of a fall from 1 to 0 along the second axis: the whole fall over its steepest slope, smoothed a little against noise."""
    soft = ndimage.gaussian_filter1d(profile, 0.7 / STEP, axis=1)
    slope = -np.diff(soft, axis=1) / STEP
    return np.asarray(1 / np.maximum(slope.max(axis=1), 1e-3))


def crept(now: Array, before: Array, line: Array, line_before: Array) -> tuple[float, Box] | None:
    """How far (px, its worst stretch) an outline went across itself where the picture stood still, and where; None if too little of it is told.

    `now` and `before` (h, w) are the picture's luma in 8-bit levels; the lines (n, 2) px have the same places. A window just inside the outline stood
    still if it looks like itself at the same place, and clearly more so than where the outline says that it went.
    """
    step = max(1, round(EVERY / max(_spacing(line), 1e-6)))
    here, was = line[::step], line_before[::step]
    tangent = np.roll(here, -1, axis=0) - np.roll(here, 1, axis=0)
    normal = np.stack([-tangent[:, 1], tangent[:, 0]], 1) / np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
    went = ((here - was) * normal).sum(axis=1)
    turn = cv2.contourArea(here.astype(np.float32), oriented=True)
    inward = normal * (np.sign(turn) or 1.0)  # the thing's own side: what lies outside may well stand while it moves
    told, stood = _stood(now, before, was + (WINDOW + 1) * inward, here - was)
    if told.sum() < FEW:
        return None
    far = ndimage.uniform_filter1d(np.where(stood, np.abs(went), 0), min(5, len(went)), mode="wrap")
    return float(far.max()), about(here[int(far.argmax())], 12)


def _spacing(line: Array) -> float:
    return float(np.hypot(*(np.roll(line, -1, axis=0) - line).T).mean()) if len(line) > 1 else 0.0


def _stood(now: Array, before: Array, places: Array, way: Array) -> tuple[Array, Array]:
    """At which (n) places the picture has enough to tell, and at which of these it stood still rather than went the given way (n, 2)."""
    v, u = np.mgrid[-WINDOW : WINDOW + 1, -WINDOW : WINDOW + 1]
    x, y = places[:, 0, None] + u.ravel() - 0.5, places[:, 1, None] + v.ravel() - 0.5
    ref, still = (sampled(p, np.stack([y, x])) for p in (before, now))
    gone = sampled(now, np.stack([y + way[:, 1, None], x + way[:, 0, None]]))
    h, w = now.shape
    seen = (places > WINDOW).all(axis=1) & (places < np.array([w - WINDOW, h - WINDOW])).all(axis=1)
    power = ref.var(axis=1)
    told = seen & (power > TEXTURE**2)
    off, away = ((still - ref) ** 2).mean(axis=1), ((gone - ref) ** 2).mean(axis=1)
    return told, told & (off < LIKE * power) & (away > SAME * off + TEXTURE)


def idle_names(names: Sequence[str], which: Sequence[int]) -> str:
    """The first few of what does nothing, in words."""
    some = ", ".join(names[i] for i in which[:4])
    return f"{some} change{'s' if len(which) == 1 else ''} nothing here" if which else ""
