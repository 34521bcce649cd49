"""The measured card of a stock element: what it lies on, where and when its action is, how it moves, whether it loops."""

from __future__ import annotations

import colorsys
from dataclasses import dataclass
from itertools import pairwise

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, luminance
from transmixis.core.types import Array

DARK, LIGHT = 0.02, 0.8  # linear: grounds darker or lighter than this are black or white
BORDER = 3  # px of the small pictures
ACTION = 0.015  # linear: what differs from the ground by more is action
QUIET = 0.05  # of the peak: before and after it nothing happens
LOOPS = 1.6  # seam over the usual change from frame to frame: up to here a loop is not seen (judgement)
UNLIKE = 0.2  # of the peak's action: more of it at one end than at the other, and it is no loop
SLOW = 0.7  # px of the small pictures a frame: slower motion is read over several frames
FURTHEST = 12  # px that soft things may move over those frames
ALIKE = 0.3  # of the whole: less alike, and it is not the same things that moved
STILL = 0.15  # px of the small pictures a frame
DIRECTIONS = ("right", "down right", "down", "down left", "left", "up left", "up", "up right")
HUES = ("red", "orange", "yellow", "green", "cyan", "blue", "violet", "pink")


@dataclass(frozen=True)
class Card:
    """`ground`: alpha, black, white or picture; `black` linear level of the ground; `box` (x, y, w, h) shares of the frame where
    the action is; `first`, `peak`, `last` frames of it (1-based); `speed` of the action in frame widths a second and
    `direction` in words; `seam`: the jump from last to first over the usual change; `colour` linear mean of the action."""

    ground: str
    black: float
    box: tuple[float, float, float, float]
    first: int
    peak: int
    last: int
    speed: float
    direction: str
    seam: float
    loops: bool
    colour: tuple[float, float, float]
    hue: str


def card_of(thumbs: list[Array], alphas: list[Array] | None, rate: float) -> Card | None:
    """Measure an element from small linear pictures (h, w, 3) of all its frames, and of its alpha if it has one of its own.

    None if nothing ever happens in it.
    """
    stack = np.stack([t[..., :3] for t in thumbs])
    ground, level = _ground(stack, alphas)
    energy_map = _energy(stack, alphas, ground)
    energy = energy_map.reshape(len(stack), -1).sum(axis=1)
    if energy.max() <= 0:
        return None
    peak = int(np.argmax(energy))
    busy = np.flatnonzero(energy > QUIET * energy[peak])
    speed, direction = _motion(energy_map, rate)
    seam = _seam(stack)
    unlike = abs(float(energy[0] - energy[-1])) / float(energy[peak])
    colour = _colour(stack, energy_map)
    return Card(
        ground, level, _box(energy_map.max(axis=0)), int(busy[0]) + 1, peak + 1, int(busy[-1]) + 1, speed, direction, seam,
        bool(seam < LOOPS and unlike < UNLIKE), colour, hue_word(colour),
    )  # fmt: skip


def _ground(stack: Array, alphas: list[Array] | None) -> tuple[str, float]:
    y = luminance(stack)
    edge = np.concatenate([y[:, :BORDER].ravel(), y[:, -BORDER:].ravel(), y[:, :, :BORDER].ravel(), y[:, :, -BORDER:].ravel()])
    level = float(np.quantile(y, 0.1))
    if alphas is not None and float(np.stack(alphas).min()) < 0.99:
        return "alpha", 0.0
    if np.quantile(edge, 0.75) < DARK:
        return "black", level
    if np.quantile(edge, 0.25) > LIGHT:
        return "white", float(np.quantile(y, 0.9))
    return "picture", level


def _energy(stack: Array, alphas: list[Array] | None, ground: str) -> Array:
    """How much action lies at each place of each frame (n, h, w), 0 where none."""
    if ground == "alpha" and alphas is not None:
        return np.stack(alphas).astype(np.float32)
    if ground == "black":
        base = np.quantile(stack, 0.1)
        away = np.maximum(stack - base, 0).max(axis=3)
    elif ground == "white":
        away = np.maximum(np.quantile(stack, 0.9) - stack, 0).max(axis=3)
    else:
        away = np.abs(stack - np.median(stack, axis=0)).max(axis=3)
    return np.asarray(np.where(away > ACTION, away, 0), np.float32)


def _box(energy: Array) -> tuple[float, float, float, float]:
    h, w = energy.shape
    at = energy > 0
    rows, columns = np.flatnonzero(at.any(axis=1)), np.flatnonzero(at.any(axis=0))
    if len(rows) == 0:
        return 0.0, 0.0, 1.0, 1.0
    return (
        float(columns[0] / w), float(rows[0] / h), float((columns[-1] + 1 - columns[0]) / w), float((rows[-1] + 1 - rows[0]) / h),
    )  # fmt: skip


def _motion(energy: Array, rate: float) -> tuple[float, str]:
    """Speed (frame widths a second) and direction of the action."""
    pairs = [(a, b) for a, b in pairwise(energy) if a.max() > 0 and b.max() > 0]
    if not pairs:
        return 0.0, "still"
    mean = np.median(np.stack([_fast_flow(a, b) for a, b in pairs]), axis=0)
    if np.hypot(*mean) < SLOW:
        mean = _slow_motion(energy)
    size = float(np.hypot(*mean))
    if size < STILL:
        return 0.0, "no one way"
    angle = round(float(np.degrees(np.arctan2(mean[1], mean[0]))) / 45) % 8
    return size * rate / energy.shape[2], DIRECTIONS[angle]


def _fast_flow(a: Array, b: Array) -> Array:
    """Mean motion (2,) px of distinct things (Farnebäck's dense flow, as in a general-purpose library)."""
    top = max(float(a.max()), float(b.max()))
    pair = [cv2.convertScaleAbs(np.sqrt(x / top), alpha=255.0) for x in (a, b)]
    flow = cv2.calcOpticalFlowFarneback(pair[0], pair[1], np.zeros((*a.shape, 2), np.float32), 0.5, 3, 13, 3, 5, 1.1, 0)
    return np.asarray((flow * (a / a.sum())[..., None]).sum(axis=(0, 1)))


def _slow_motion(energy: Array) -> Array:
    """Mean motion (2,) px a frame of soft things: the shift at which frames some way apart are most alike, all pairs of the
    clip taken together (ensemble correlation, as in the measuring of flows by particle images; from memory).

    What stands still, such as the plume as a whole, is taken out first; frames further apart tell a slow motion better.
    """
    h, w = energy.shape[1:]
    x = np.sqrt(energy)
    spectra = np.fft.rfft2(x - x.mean(axis=0), s=(2 * h, 2 * w))
    whole = float((np.abs(spectra[..., 1:]) ** 2).sum() * 2 + (np.abs(spectra[..., 0]) ** 2).sum()) / (4 * h * w)
    for lag in (4, 3, 2, 1):
        if len(energy) < 2 * lag + 1 or whole <= 0:
            continue
        alike = np.fft.irfft2((np.conj(spectra[:-lag]) * spectra[lag:]).sum(axis=0), s=(2 * h, 2 * w))
        near = np.roll(alike, (FURTHEST, FURTHEST), (0, 1))[: 2 * FURTHEST + 1, : 2 * FURTHEST + 1]
        y, x0 = (int(v) for v in np.unravel_index(int(near.argmax()), near.shape))
        inside = 0 < y < 2 * FURTHEST and 0 < x0 < 2 * FURTHEST
        if inside and near[y, x0] > ALIKE * whole:
            return np.array([x0 - FURTHEST + _top(near[y, x0 - 1 : x0 + 2]), y - FURTHEST + _top(near[y - 1 : y + 2, x0])]) / lag
    return np.zeros(2)


def _top(three: Array) -> float:
    """Where a parabola through three values has its top, from the middle one."""
    a, b, c = (float(v) for v in three)
    return (c - a) / (2 * max(2 * b - a - c, 1e-12))


def _seam(stack: Array) -> float:
    """The jump from the last frame to the first over the usual change from frame to frame; large where it cannot loop."""
    if len(stack) < 4:
        return float("inf")
    y = np.sqrt(np.maximum(stack, 0))
    usual = float(np.median(np.sqrt(np.mean(np.diff(y, axis=0) ** 2, axis=(1, 2, 3)))))
    jump = float(np.sqrt(np.mean((y[0] - y[-1]) ** 2)))
    return jump / usual if usual > 1e-5 else (0.0 if jump < 1e-5 else float("inf"))


def _colour(stack: Array, energy: Array) -> tuple[float, float, float]:
    weight = energy / max(float(energy.sum()), 1e-9)
    c = (stack * weight[..., None]).sum(axis=(0, 1, 2))
    return float(c[0]), float(c[1]), float(c[2])


def hue_word(colour: tuple[float, float, float]) -> str:
    """A word for a linear colour; 'grey' where it has hardly any."""
    r, g, b = (float(v) for v in linear_to_srgb(np.clip(np.array(colour) / max(*colour, 1e-6), 0, 1)))
    hue, saturation, _ = colorsys.rgb_to_hsv(r, g, b)
    if saturation < 0.12:
        return "grey"
    degrees = 360 * hue
    edges = (15, 45, 70, 165, 200, 260, 300, 345)
    return next((w for w, e in zip(HUES, edges, strict=True) if degrees < e), "red")
