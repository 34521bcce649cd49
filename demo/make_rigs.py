"""Make the demo film's plates with something to take out, from its good plates, so that the truth is those: a road sign that passes close by while the camera trucks along the
station, and a microphone on a pole that dips into the locked take of the kite.

python demo/make_rigs.py        (after the plates of KP020 and KP030)
"""

from __future__ import annotations

import cv2
import numpy as np
from make_faults import SIZE, _source, _write
from rigs import BOARD, POLE, POST, SIGN_FRAMES, pole_at, sign_left

BLUR = 0.5  # of a frame that the shutter is open
STEPS = 9  # within that
SOFT = 1.6  # px: nearer than where the lens is focused
SIGN_INK, POLE_INK = np.float32((0.16, 0.05, 0.045)), np.float32((0.03, 0.03, 0.033))
GRAIN = 0.9 / 255  # of the coded picture, as the plates have


def main() -> None:
    """Write both takes."""
    road = _source("KP020/hero/KP020_hero.mp4")
    _write(
        "KP110/hero/KP110_hero.mp4",
        (_before(road.read(n)[..., :3], _sign(n), SIGN_INK, 1100 + n) for n in range(1, SIGN_FRAMES + 1)),
    )
    kite = _source("KP030/hero/KP030_hero.mp4")
    _write(
        "KP120/hero/KP120_hero.mp4",
        (_before(kite.read(n)[..., :3], _pole(n), POLE_INK, 1200 + n) for n in range(1, kite.info.count + 1)),
    )


def _before(plate: np.ndarray, cover: np.ndarray, ink: np.ndarray, seed: int) -> np.ndarray:
    """The plate with a thing of one colour before it, lit from above and grained."""
    lit = ink * np.linspace(1.25, 0.8, SIZE[0], dtype=np.float32)[:, None, None]
    noise = np.random.default_rng(seed).normal(0, GRAIN * 0.35, plate.shape)
    return np.asarray(plate * (1 - cover[..., None]) + np.clip(lit + noise, 0, None) * cover[..., None], np.float32)


def _drawn(outlines: list[list[tuple[float, float]]]) -> np.ndarray:
    image = np.zeros(SIZE, np.uint8)
    for points in outlines:
        cv2.fillPoly(image, [np.round(np.array(points) * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)
    return image.astype(np.float32) / 255


def _seen(at: list[float], outlines_at: object) -> np.ndarray:
    """How much a frame shows of what moves while the shutter is open."""
    cover = np.mean([_drawn(outlines_at(t)) for t in at], axis=0)  # type: ignore[operator]
    return cv2.GaussianBlur(cover, (0, 0), SOFT)


def _sign(n: int) -> np.ndarray:
    def outlines(t: float) -> list[list[tuple[float, float]]]:
        return [[(x + sign_left(t), y) for x, y in part] for part in (BOARD, POST)]

    return _seen([n + BLUR * s for s in np.linspace(-0.5, 0.5, STEPS)], outlines)


def _pole(n: int) -> np.ndarray:
    def outlines(t: float) -> list[list[tuple[float, float]]]:
        dx, dy = pole_at(t)
        return [[(x + dx, y + dy) for x, y in part] for part in POLE]

    return _seen([n + BLUR * s for s in np.linspace(-0.5, 0.5, STEPS)], outlines)


if __name__ == "__main__":
    main()
