"""Something that reaches into the frame from its edge and goes away again: a microphone, a stand, a light.

Told from people by its hold on the edge: it enters and leaves over the same edge, never comes off it, and does not reach far
in. Only what comes and goes can be told; a stand that is there all the time is part of the picture.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.survey.thumbs import some_of
from transmixis.core.types import Array, Mask

APART = 0.30  # stops from what is usually there
LEVELS = 4  # codes of 8 bit
LEAST_AREA = 0.0008  # of the frame
DEEPEST = 0.45  # of the frame, into the picture from the edge
DEEPEST_BELOW = 0.12  # from the lower edge, where people's legs are cut off anyway
WIDEST = 0.5  # of the edge
SHORTEST = 2  # frames
EDGES = ("left", "right", "top", "bottom")


@dataclass(frozen=True)
class Intruder:
    """First and last frame (1-based), edge, and the box (x, y, w, h) as shares of the frame where it reaches furthest."""

    first: int
    last: int
    edge: str
    box: tuple[float, float, float, float]


@dataclass
class _Track:
    edge: str
    frames: list[int]
    boxes: list[tuple[int, int, int, int]]
    masks: list[Mask]
    came_off: bool = False
    edges: list[float] = field(default_factory=list)  # how much more its outline shows in the frame than in the usual picture


def find_intruders(thumbs: Sequence[Array | None], stops: Array) -> list[Intruder]:
    """Look for intruders in small linear pictures (h, w, 3) of a camera that stands still; `stops` (n, 3) from the exposure."""
    there = [i for i, t in enumerate(thumbs) if t is not None]
    if len(there) < 5:
        return []
    gains = np.nan_to_num(stops)

    def log_of(i: int) -> Array:
        return np.asarray(np.log2(np.maximum(thumbs[i], 2e-3)) - gains[i])  # type: ignore[arg-type]

    logs = np.stack([log_of(i) for i in some_of(there)])
    usual = np.median(logs, axis=0)
    noise = 1.4826 * np.median(np.abs(logs - usual), axis=0).max(axis=-1)
    apart = np.maximum(np.maximum(APART, 5 * noise)[..., None], _steps(usual))
    del logs
    tracks: list[_Track] = []
    for i in there:
        log = log_of(i)
        strange = (np.abs(log - usual) > apart).any(axis=-1).astype(np.uint8)
        strange = cv2.morphologyEx(strange, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
        _follow(tracks, i, strange)
        for t in tracks:
            if t.frames[-1] == i:
                t.edges.append(_outline(log, t.masks[-1]) - _outline(usual, t.masks[-1]))
    h, w = usual.shape[:2]
    return [_told(t, w, h) for t in tracks if _is_intruder(t, w, h, len(there))]


def _steps(usual: Array) -> Array:
    """What LEVELS codes of 8 bit are in stops at each place and channel: in the dark, coding alone changes a channel by that."""
    light = np.exp2(usual)
    return np.asarray(np.log2(srgb_to_linear(linear_to_srgb(light) + LEVELS / 255) / light))


def _follow(tracks: list[_Track], i: int, strange: Array) -> None:
    h, w = strange.shape
    count, labels, stats, _ = cv2.connectedComponentsWithStats(strange, connectivity=8)
    for c in range(1, count):
        x, y, bw, bh, area = (int(v) for v in stats[c])
        if area < LEAST_AREA * h * w:
            continue
        mask = np.asarray(labels == c)
        touched = [e for e, t in zip(EDGES, (x == 0, x + bw == w, y == 0, y + bh == h), strict=True) if t]
        wide = cv2.dilate(mask.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
        before = [t for t in tracks if t.frames[-1] >= i - 2 and t.frames[-1] < i and (t.masks[-1] & wide).any()]
        for t in before:
            if t.edge not in touched:
                t.came_off = True
        same = next((t for t in before if t.edge in touched), None)
        if same is not None:
            same.frames.append(i)
            same.boxes.append((x, y, bw, bh))
            same.masks.append(mask)
        elif before:  # what a track has become stays one, so that a person who has come in is not taken for new
            before[0].frames.append(i)
            before[0].boxes.append((x, y, bw, bh))
            before[0].masks.append(mask)
        elif touched:
            tracks.append(_Track(_main_edge(mask, touched), [i], [(x, y, bw, bh)], [mask]))
        else:
            tracks.append(_Track("", [i], [(x, y, bw, bh)], [mask], came_off=True))


def _main_edge(mask: Mask, touched: list[str]) -> str:
    sides = {"left": mask[:, 0], "right": mask[:, -1], "top": mask[0], "bottom": mask[-1]}
    return max(touched, key=lambda e: float(sides[e].mean()))


def _outline(log: Array, mask: Mask) -> float:
    """How much (stops) a picture changes across the outline of a mask."""
    m, grey = mask.astype(np.uint8), log.mean(axis=-1)
    inner, outer = (m - cv2.erode(m, np.ones((3, 3), np.uint8))) > 0, (cv2.dilate(m, np.ones((5, 5), np.uint8)) - m) > 0
    near = cv2.blur(np.where(outer, grey, 0), (7, 7)), cv2.blur(outer.astype(np.float64), (7, 7))
    known = inner & (near[1] > 0.02)
    return float(np.abs(grey - near[0] / np.maximum(near[1], 1e-6))[known].mean()) if known.any() else 0.0


def _is_intruder(t: _Track, w: int, h: int, frames: int) -> bool:
    if t.came_off or len(t.frames) < SHORTEST or len(t.frames) > 0.7 * frames:
        return False
    if np.median(t.edges) < 0:  # its outline is in the usual picture: something is always there but now
        return False
    across = [b[2] / w if t.edge in ("left", "right") else b[3] / h for b in t.boxes]
    along = [b[3] / h if t.edge in ("left", "right") else b[2] / w for b in t.boxes]
    deepest = DEEPEST_BELOW if t.edge == "bottom" else DEEPEST
    return max(across) < deepest and max(along) < WIDEST


def _told(t: _Track, w: int, h: int) -> Intruder:
    x, y, bw, bh = max(t.boxes, key=lambda b: b[2] * b[3])
    return Intruder(t.frames[0] + 1, t.frames[-1] + 1, t.edge, (x / w, y / h, bw / w, bh / h))
