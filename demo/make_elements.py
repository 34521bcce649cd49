"""Make the demo film's stock elements on black: chimney smoke, sparks, and paper scraps in the wind. Numpy only.

python demo/make_elements.py
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from transmixis.media.movie import MovieWriter

OUT = Path(__file__).resolve().parent / "kite_post" / "elements"
SIZE = (270, 480)
RATE = Fraction(24)
SHUTTER, SUBFRAMES = 0.5, 6


def smoke(frames: int = 48) -> list[np.ndarray]:
    """Puffs that rise, grow and thin out; whole cycles, so that it loops."""
    rng = np.random.default_rng(1)
    h, w = SIZE
    puffs = [(rng.random(), rng.uniform(-12, 12), rng.uniform(0.7, 1.3)) for _ in range(90)]
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    out = []
    for n in range(frames):
        f = np.zeros((h, w), np.float32)
        for phase, aside, size in puffs:
            t = (phase + n / frames) % 1.0
            x = w / 2 + aside + 70 * t * t + 6 * np.sin(9 * t + 6 * phase)
            y, r = h - 20 - 230 * t, size * (4 + 17 * t)
            f += 0.11 * np.sin(np.pi * t) ** 1.2 * np.exp(-((xx - x) ** 2 + (yy - y) ** 2) / (2 * r * r))
        out.append((1 - np.exp(-1.2 * f))[..., None] * np.float32([0.75, 0.78, 0.82]))
    return out


def sparks(frames: int = 40) -> list[np.ndarray]:
    """A burst that begins at frame 6, thrown out and falling, with motion blur."""
    rng = np.random.default_rng(2)
    h, w = SIZE
    born = [(6 + 5 * rng.random() ** 2, rng.uniform(0, 2 * np.pi), rng.uniform(2, 9), rng.uniform(8, 22)) for _ in range(160)]
    out = []
    for n in range(1, frames + 1):
        f = np.zeros((h, w, 3), np.float32)
        for start, angle, speed, life in born:
            for k in range(SUBFRAMES):
                age = n + SHUTTER * k / SUBFRAMES - start
                if not 0 <= age < life:
                    continue
                x = w / 2 + speed * np.cos(angle) * age
                y = 0.6 * h + speed * np.sin(angle) * age + 0.16 * age * age
                glow = (1 - age / life) ** 1.5 / SUBFRAMES
                if 1 < x < w - 2 and 1 < y < h - 2:
                    f[int(y), int(x)] += 30 * glow * np.float32([1.0, 0.5, 0.14])
        wide = cv2.GaussianBlur(f, (0, 0), 1.1) + 0.25 * cv2.GaussianBlur(f, (0, 0), 4.0)
        out.append(np.minimum(wide, 1.0))
    return out


def scraps(frames: int = 48) -> list[np.ndarray]:
    """Paper scraps that blow through from left to right, turning."""
    rng = np.random.default_rng(3)
    h, w = SIZE
    papers = [
        (rng.uniform(-w, 0.4 * w), rng.uniform(20, h - 20), rng.uniform(7, 12), rng.uniform(0, 6), rng.uniform(4, 9))
        for _ in range(26)
    ]
    out = []
    for n in range(frames):
        f = np.zeros((h, w, 3), np.float32)
        for x0, y0, speed, turn, size in papers:
            for k in range(SUBFRAMES):
                t = n + SHUTTER * k / SUBFRAMES
                x, y = x0 + speed * t, y0 + 14 * np.sin(0.2 * t + turn)
                a, flat = 0.3 * t + turn, abs(np.cos(0.5 * t + turn)) + 0.15
                box = cv2.boxPoints(((float(x), float(y)), (float(size), float(size * flat)), float(np.degrees(a))))
                layer = np.zeros((h, w), np.uint8)
                cv2.fillConvexPoly(layer, (box * 16).astype(np.int32), 255, cv2.LINE_AA, 4)
                f += (layer.astype(np.float32) / 255 / SUBFRAMES)[..., None] * np.float32([0.62, 0.58, 0.48]) * (0.6 + 0.4 * flat)
        out.append(np.minimum(f, 0.9))
    return out


def main() -> None:
    """Write the movies, lossless."""
    OUT.mkdir(parents=True, exist_ok=True)
    for name, frames in (("chimney_smoke", smoke()), ("sparks", sparks()), ("paper_scraps", scraps())):
        writer = MovieWriter(OUT / f"{name}.mp4", "h264", SIZE[1], SIZE[0], RATE)
        for f in frames:
            writer.write(f.astype(np.float32))
        writer.finish()


if __name__ == "__main__":
    main()
