"""Make the demo film's take without a screen from its good plates: the courier before the station's wall, lit and grained as there, and the
empty frame of the same set-up. No renderer; the matte's truth is exact.

python demo/make_take.py ALPHAS        (after the plates of KP010 and KP030 and KP010's truth; the truth goes to demo/truth)
"""

from __future__ import annotations

import sys
from pathlib import Path

import cv2
import numpy as np
from make_faults import PLATES, TRUTH, _grained, _source, _write

from transmixis.media.still import read_coded, write_still

FRAMES, FIRST = 24, 1001
LIGHT = np.float32((1.02, 0.98, 0.95))  # the courier's light to the wall's
SHADE, THROWN, SOFT = 0.28, (46, 18), 22.0  # of the wall's light, px to the right and down, px of softness
DRIFT = 0.03  # stops over the take, as a phone's exposure drifts
EMPTIES = 8


def main(alphas: Path) -> None:
    """Write the take, its empty frame and its truth; `alphas` is the folder of KP010's alpha.####.png."""
    truth, plates = TRUTH / "KP100", PLATES / "KP100"
    for folder in (truth, plates / "clean"):
        folder.mkdir(parents=True, exist_ok=True)
    clean = _source("KP030/clean/KP030_clean.0001.png")
    wall = np.mean([clean.read(n)[..., :3] for n in range(1, EMPTIES + 1)], axis=0)
    write_still(plates / "clean" / "KP100_clean.0001.png", _grained(wall, 900), kind="uint8")
    made = []
    for n in range(1, FRAMES + 1):
        alpha = read_coded(alphas / f"alpha.{FIRST + n - 1}.png")[..., 0] / np.float32(65535)
        made.append(_frame(n, alpha, wall))
        write_still(truth / f"alpha.{FIRST + n - 1}.png", alpha, kind="uint8")
    _write("KP100/hero/KP100_hero.mp4", made)


def _frame(n: int, alpha: np.ndarray, wall: np.ndarray) -> np.ndarray:
    """One frame of the take: the courier, the screen's light taken out of it, before the wall in its shadow."""
    hero = _source("KP010/hero/KP010_hero.1001.png").read(n)[..., :3]
    cloth = _source("KP010/clean/KP010_clean.0001.png").read(1)[..., :3]
    own = np.clip(hero - (1 - alpha[..., None]) * cloth, 0, None)
    own[..., 1] = np.minimum(own[..., 1], (own[..., 0] + own[..., 2]) / 2)  # no more green than red and blue have in the mean
    shade = cv2.GaussianBlur(np.roll(alpha, THROWN[::-1], (0, 1)), (0, 0), SOFT)
    lit = wall * (1 - SHADE * shade[..., None])
    light = 2 ** (DRIFT * (n - 1) / (FRAMES - 1))
    return _grained(light * (own * LIGHT + (1 - alpha[..., None]) * lit), 900 + n)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
