"""What frame and lens do to a whole picture: bars, darker corners, coloured fringes, and the shake of a hand."""

from __future__ import annotations

import math

import cv2
import numpy as np

from transmixis.core.types import Array

TREMOR = (
    (0.35, 1.0),
    (0.8, 0.62),
    (1.7, 0.30),
    (3.4, 0.12),
    (7.0, 0.05),
)  # Hz and amplitude of a hand that holds a camera (made: slow sway, breath, a little tremor)
ROOM = 3.0  # standard deviations of shake for which there must be picture


def bars(shape: tuple[int, int], aspect: float) -> tuple[int, int, int, int]:
    """Rows above and below, and columns left and right, that are black so that a frame (h, w) shows a picture `aspect` times as wide as high."""
    h, w = shape
    if aspect <= 0:
        return 0, 0, 0, 0
    if aspect >= w / h:
        rows = h - round(w / aspect)
        return rows // 2, rows - rows // 2, 0, 0
    columns = w - round(h * aspect)
    return 0, 0, columns // 2, columns - columns // 2


def barred(picture: Array, aspect: float) -> Array:
    """The picture with black bars; its alpha is whole there."""
    top, bottom, left, right = bars((picture.shape[0], picture.shape[1]), aspect)
    out = np.array(picture, np.float32)
    h, w = out.shape[:2]
    black = np.zeros((h, w), bool)
    black[:top] = black[h - bottom :] = True
    black[:, :left] = black[:, w - right :] = True
    out[black] = 0
    if out.shape[2] == 4:
        out[black, 3] = 1
    return out


def vignetted(picture: Array, stops: float, middle: tuple[float, float] = (0.5, 0.5)) -> Array:
    """Darker by `stops` in the farthest corner, as the fourth power of the cosine has it."""
    if stops <= 0:
        return picture
    h, w = picture.shape[:2]
    x, y = (np.arange(w) + 0.5) / w - middle[0], (np.arange(h) + 0.5) / h - middle[1]
    far2 = ((x * w) ** 2)[None] + ((y * h) ** 2)[:, None]
    reach = max((max(middle[0], 1 - middle[0]) * w) ** 2 + (max(middle[1], 1 - middle[1]) * h) ** 2, 1.0)
    # cos⁴ = 1 / (1 + k r²)²: k so that it is 2^-stops in the corner
    k = (2 ** (stops / 2) - 1) / reach
    out = np.array(picture, np.float32)
    out[..., :3] *= (1 / (1 + k * far2) ** 2)[..., None].astype(np.float32)
    return out


def fringed(picture: Array, px: float) -> Array:
    """Red a little larger and blue a little smaller than green, `px` apart in the corner to either side: a lens's lateral colour."""
    if px == 0:
        return picture
    h, w = picture.shape[:2]
    reach = math.hypot(w, h) / 2
    out = np.array(picture, np.float32)
    for channel, sign in ((0, 1.0), (2, -1.0)):
        s = 1 + sign * px / reach
        back = np.array([[1 / s, 0, (w - 1) / 2 * (1 - 1 / s)], [0, 1 / s, (h - 1) / 2 * (1 - 1 / s)]])
        out[..., channel] = cv2.warpAffine(
            np.ascontiguousarray(picture[..., channel]),
            back,
            (w, h),
            flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REPLICATE,
        )
    out[..., :3] = np.maximum(out[..., :3], 0)
    return out


def shaken(seconds: float, seed: int, speed: float = 1.0) -> tuple[float, float, float]:
    """Right, down and turn of a hand-held camera at a time, each about 1 (standard deviation); the same for the same seed, smooth, never the same again."""
    dice = np.random.default_rng(seed)
    out = []
    for _ in range(3):
        value, power = 0.0, 0.0
        for hertz, amplitude in TREMOR:
            for _ in range(3):  # several about each, so that it does not repeat
                f, phase = hertz * dice.uniform(0.75, 1.3) * speed, dice.uniform(0, 2 * math.pi)
                value += amplitude * math.sin(2 * math.pi * f * seconds + phase)
                power += amplitude**2 / 2
        out.append(value / math.sqrt(power))
    return out[0], out[1], out[2]


def room_for(shape: tuple[int, int], px: float, degrees: float) -> float:
    """How much a frame (h, w) must be enlarged so that a shake of `px` and `degrees` (standard deviations) shows no border."""
    h, w = shape
    reach = ROOM * (px + math.radians(degrees) * max(h, w) / 2)
    return 1 + 2 * reach / min(h, w)
