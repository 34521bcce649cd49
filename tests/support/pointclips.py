"""Made clips of a textured thing that moves, turns, grows and is lit otherwise before a moving ground, hidden at times by a post; its
points' truth is exact. Drawn at three times the size in linear light, through the shutter's time, with noise, coded to 8 bit."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from keyplates import srgb_decode, srgb_encode

FINE = 3  # px of the drawing for one of the picture
SIZE = (270, 480)
THING = 120  # px, its side


@dataclass(frozen=True)
class Clip:
    """`frames` (n, h, w, 3) linear float32 as recorded; `truth` (n, k, 2) px of the points; `shown` (n, k) True where it is to be seen;
    `blur` (n,) px that the thing moves while the shutter is open."""

    frames: list[np.ndarray] = field(repr=False)
    truth: np.ndarray = field(repr=False)
    shown: np.ndarray = field(repr=False)
    blur: np.ndarray = field(repr=False)


def texture(seed: int, side: int) -> np.ndarray:
    """(side, side, 3) linear: patches of colour with edges, and detail of several sizes."""
    rng = np.random.default_rng(seed)
    out = np.full((side, side, 3), 0.25, np.float32)
    for _ in range(side // 8):
        x, y = (int(v) for v in rng.integers(0, side, 2))
        a, b = (int(v) for v in rng.integers(side // 40, side // 10, 2))
        colour = rng.uniform(0.04, 0.6, 3).tolist()
        cv2.ellipse(out, (x, y), (a, b), float(rng.uniform(0, 180)), 0, 360, colour, -1, cv2.LINE_AA)
    fine = cv2.GaussianBlur(rng.standard_normal((side, side, 1)).astype(np.float32), (0, 0), 1.5 * FINE)[..., None]
    fine /= fine.std()
    return np.asarray(np.clip(cv2.GaussianBlur(out, (0, 0), 0.35 * FINE) * (1 + 0.15 * fine), 0.01, 0.9), np.float32)


def lies(t: float, seed: int, fast: float, turn: float, grow: float) -> np.ndarray:
    """3 x 3 from the thing (px about its middle) to the picture at a time."""
    a = np.random.default_rng(seed).uniform(0, 2 * np.pi, 4)
    w = 2 * np.pi / 40
    reach = fast / w
    x = SIZE[1] / 2 + min(reach, 150) * np.sin(w * max(reach / 150, 1) * t + a[0])
    y = SIZE[0] / 2 + 40 * np.sin(0.8 * w * t + a[1])
    angle, size = np.radians(turn) * np.sin(1.1 * w * t + a[2]), 1 + grow * np.sin(0.7 * w * t + a[3])
    c, s = size * np.cos(angle), size * np.sin(angle)
    return np.array([[c, -s, x], [s, c, y], [0, 0, 1.0]])


def clip(
    seed: int, *, frames: int = 40, fast: float = 12.0, shutter: float = 0.5, turn: float = 0.0, grow: float = 0.0, light: float = 0.0,
    hidden: bool = False, noise: float = 1.5, points: int = 6, half: bool = False,
    dab: tuple[float, float, float] | None = None, alike: float = 0.0,
) -> Clip:  # fmt: skip
    """`fast` px a frame at most; `shutter` share of a frame's time; `turn` degrees and `grow` either way; `light`: gain 1 ± light;
    `noise` 8-bit levels; `half`: chroma at half size; `dab`: the linear colour of dabs of paint, 6 px wide, on the points;
    `alike`: share of the thing that is nine times the same."""
    dice = np.random.default_rng(1000 + seed)
    thing, ground = texture(seed, THING * FINE), texture(seed + 500, 640 * FINE // 2)
    if alike:
        tile = np.tile(texture(seed + 900, THING * FINE // 3), (3, 3, 1))
        thing = alike * tile + (1 - alike) * thing
    ground = cv2.resize(ground, (640 * FINE, 640 * FINE), interpolation=cv2.INTER_CUBIC)
    own = dice.uniform(-0.32, 0.32, (points, 2)) * THING
    for x, y in own if dab is not None else ():
        yy, xx = np.mgrid[: thing.shape[0], : thing.shape[1]]
        away = np.hypot(xx + 0.5 - (x + THING / 2) * FINE, yy + 0.5 - (y + THING / 2) * FINE)
        thing += np.clip(3.0 * FINE - away + 0.5, 0, 1)[..., None] * (np.array(dab, np.float32) - thing)
    out, truth, shown, blurs = [], [], [], []
    for n in range(frames):
        steps = max(1, int(np.ceil(2 * fast * shutter)))
        times = n + shutter * ((np.arange(steps) + 0.5) / steps - 0.5)
        total = _drawn(thing, ground, [lies(t, seed, fast, turn, grow) for t in times], n, hidden)
        gain = 1 + light * np.sin(2 * np.pi * n / 17 + seed)
        total *= gain
        grain = noise / 255 * 1.8 * np.sqrt(np.maximum(total, 0.02) / 0.2)
        code = srgb_encode(np.clip(total + grain * dice.standard_normal(total.shape), 0, 1).astype(np.float32))
        code = np.round(code * 255).astype(np.uint8)
        out.append(srgb_decode((_halved(code) if half else code).astype(np.float32) / 255))
        m = lies(n, seed, fast, turn, grow)
        there = own @ m[:2, :2].T + m[:2, 2]
        truth.append(there)
        shown.append(np.abs(there[:, 0] - _post(n)) > 40 if hidden else np.ones(points, bool))
        a, b = (lies(n + d, seed, fast, turn, grow)[:2, 2] for d in (-shutter / 2, shutter / 2))
        blurs.append(float(np.hypot(*(b - a))))
    return Clip(out, np.array(truth), np.array(shown), np.array(blurs))


def _post(t: float) -> float:
    """The middle of the post that passes before all, px."""
    return -60 + 18.0 * t


def _drawn(thing: np.ndarray, ground: np.ndarray, ways: list[np.ndarray], t: float, hidden: bool) -> np.ndarray:
    """The ground as it lies at a time, and the thing before it as it passes through `ways` while the shutter is open."""
    x, y = 60 + 1.2 * t, 80 + 0.5 * t
    back = np.array([[1, 0, -x * FINE], [0, 1, -y * FINE]], np.float64)
    size = (SIZE[1] * FINE, SIZE[0] * FINE)
    out = cv2.warpAffine(ground, back, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    corners = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]]) * THING / 2
    reach = np.vstack([corners @ m[:2, :2].T + m[:2, 2] for m in ways])
    low = np.clip(np.floor(reach.min(axis=0)) - 1, 0, SIZE[::-1]).astype(int) * FINE
    high = np.clip(np.ceil(reach.max(axis=0)) + 1, 0, SIZE[::-1]).astype(int) * FINE
    w, h = (int(v) for v in high - low)
    seen, light = np.zeros((h, w), np.float32), np.zeros((h, w, 3), np.float32)
    for m in ways:
        # drawing px k has its middle at k + 0.5
        big = np.diag([FINE, FINE, 1.0]) @ m @ np.array([[1 / FINE, 0, -THING / 2], [0, 1 / FINE, -THING / 2], [0, 0, 1]])
        shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
        way = (np.linalg.inv(shift) @ np.array([[1, 0, -low[0]], [0, 1, -low[1]], [0, 0, 1]]) @ big @ shift)[:2]
        there = cv2.warpAffine(np.ones(thing.shape[:2], np.float32), way, (w, h), flags=cv2.INTER_LINEAR)
        moved = cv2.warpAffine(thing, way, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        seen += there / len(ways)
        light += there[..., None] * moved / len(ways)
    box = (slice(low[1], high[1]), slice(low[0], high[0]))
    out[box] = out[box] * (1 - seen[..., None]) + light
    if hidden:
        left, right = (round((_post(t) + d) * FINE) for d in (-22, 22))
        out[:, max(0, left) : max(0, right)] = (0.12, 0.1, 0.09)
    return cv2.resize(out, SIZE[::-1], interpolation=cv2.INTER_AREA)


def _halved(code: np.ndarray) -> np.ndarray:
    ycc = cv2.cvtColor(code, cv2.COLOR_RGB2YCrCb)
    half = cv2.resize(ycc[..., 1:], (SIZE[1] // 2, SIZE[0] // 2), interpolation=cv2.INTER_AREA)
    ycc[..., 1:] = cv2.resize(half, SIZE[::-1], interpolation=cv2.INTER_LINEAR)
    return cv2.cvtColor(ycc, cv2.COLOR_YCrCb2RGB)
