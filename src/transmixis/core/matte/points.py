"""Black and white point from the two populations: what is plainly screen, and what is plainly subject."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from transmixis.core.matte.convolve import grow
from transmixis.core.matte.keyer import KeyResult
from transmixis.core.readings import WATCH_FROM
from transmixis.core.types import Array, Mask, Matte

BINS = 64
TINY = 1e-6  # of a matte value: rounding
VISIBLE = 0.03  # alpha from which a leak or a hole is seen
LEAK_LIMIT = 1.0  # % of the bare screen
HOLE_LIMIT = 0.5  # % of the subject's inside
HANGS = 0.02  # alpha of a thin thing that is told from noise
THIN = 0.02  # of the width: what is thinner is hair and the like


@dataclass(frozen=True)
class Populations:
    """Counts over the raw matte 0..1: `screen` and `subject` (BINS,), and the share of bare screen above each bin."""

    screen: Array
    subject: Array
    overlap: float  # % of both populations on the other's side of the middle between the points


@dataclass(frozen=True)
class Points:
    """Proposed black and white point, as raw matte values."""

    black: float
    white: float


def populations(results: list[KeyResult]) -> tuple[Populations, Array, Array]:
    """Histograms of the raw matte where the screen is plainly bare and where the subject is plainly deep; both samples too."""
    screen, subject = [], []
    for r in results:
        h, w = r.raw.shape
        depth = grow(r.depth, w, h)
        screen.append(r.raw[bare_screen(r)][::5])
        subject.append(r.raw[(depth > 0.6 * r.reach)][::5])
    a, b = np.concatenate(screen), np.concatenate(subject)
    ha = np.histogram(a, BINS, (0, 1))[0]
    hb = np.histogram(b, BINS, (0, 1))[0]
    overlap = 100 * (float((a > 0.5).sum()) + float((b < 0.5).sum())) / max(len(a) + len(b), 1)
    return Populations(ha, hb, overlap), a, b


def bare_screen(result: KeyResult) -> Mask:
    """Where the screen is plainly bare by its colour, a step away from everything else; thin dark hair, which has the colour of screen in
    shadow, does not count."""
    h, w = result.raw.shape
    sure = cv2.erode(result.sure_screen, np.ones((9, 9), np.uint8))
    return np.asarray((cv2.resize(sure, (w, h), interpolation=cv2.INTER_NEAREST) > 0.5) & ~hanging(result.raw))


def hanging(raw: Matte) -> Mask:
    """Thin things that hang on something solid, as hair does: a leak of the screen is broad, or lies alone."""
    soft = cv2.GaussianBlur(raw, (0, 0), 0.8)
    count, labels = cv2.connectedComponents((soft > HANGS).astype(np.uint8), connectivity=8)
    holds = np.zeros(count, bool)
    holds[labels[soft > 0.5]] = True
    holds[0] = False
    held = holds[labels].astype(np.uint8)
    size = max(3, round(THIN * raw.shape[1]))
    broad = cv2.morphologyEx(held, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size)))
    return np.asarray(cv2.dilate(held & (1 - broad), np.ones((3, 3), np.uint8)) > 0)


def inside_and_pits(alpha: Matte) -> tuple[Mask, Mask]:
    """The subject's inside, and the pits in it.

    Inside: 1 % of the width within the filled outline, what is thinner than 2 % (hair) left out. A pit is lower than
    its surroundings by more than is seen; the slope of motion blur is no pit.
    """
    solid = cv2.morphologyEx((alpha > 0.8).astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    margin = max(2, round(0.01 * alpha.shape[1]))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * margin + 1, 2 * margin + 1))
    solid = cv2.morphologyEx(_filled(solid), cv2.MORPH_OPEN, disc)
    inner = cv2.erode(solid, np.ones((2 * margin + 1, 2 * margin + 1), np.uint8), borderValue=1) > 0
    around = cv2.morphologyEx(alpha, cv2.MORPH_CLOSE, np.ones((4 * margin + 1, 4 * margin + 1), np.uint8))
    return np.asarray(inner), np.asarray(inner & (around - alpha > VISIBLE))


def _filled(solid: Array) -> Array:
    """Fill enclosed gaps under 0.05 % of the frame: larger ones are meant, as between arm and body."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(1 - solid, connectivity=4)
    small = stats[:, cv2.CC_STAT_AREA] < 0.0005 * solid.size
    small[0] = False
    h, w = solid.shape
    for i in np.flatnonzero(small[:count]):
        x, y, bw, bh = stats[i, :4]
        if x == 0 or y == 0 or x + bw == w or y + bh == h:
            small[i] = False
    return np.asarray(solid | small[labels], np.uint8)


def propose_points(screen: Array, leak: float, pits: Array, holes: float) -> Points:
    """Points that bring leak (% of the bare screen, raw `screen` values) and holes (% of the inside, raw `pits` values)
    under half of their limits; each only if it is over 85 % of its limit now, and if the point brings it under the limit at all.

    Kept to black <= 0.10 and white >= 0.95: further in, hair and glass would be lost to clear what a garbage matte or
    a clean plate clears without loss. A matte that is clean already moves nothing.
    """
    black, white = 0.0, 1.0
    if leak > WATCH_FROM * LEAK_LIMIT and len(screen):
        high = float(np.quantile(screen, 1 - LEAK_LIMIT / 200))
        black = float(np.clip(np.ceil(100 * (high - VISIBLE) / (1 - VISIBLE) - TINY) / 100, 0.01, 0.10))
        black = black if visible_share(screen, black, 1.0) <= LEAK_LIMIT else 0.0
    if holes > WATCH_FROM * HOLE_LIMIT and len(pits):
        keep = np.clip(0.5 * HOLE_LIMIT / holes, 0, 1)
        white = float(np.clip(np.floor(100 * np.quantile(pits, keep) / (1 - VISIBLE) + TINY) / 100, 0.95, 0.99))
        left = holes * float((pits < white * (1 - VISIBLE) - TINY).mean())
        white = white if left <= HOLE_LIMIT else 1.0
    return Points(black, white)


def visible_share(screen: Array, black: float, white: float, visible: float = VISIBLE) -> float:
    """Share (%) of the screen's raw matte values that would be visible with these points."""
    return 100 * float(((screen - black) / max(white - black, 1e-3) > visible).mean()) if len(screen) else 0.0
