"""Paint the parts of the built shots: a lantern and its flame, the letter, the kite, a storm sky. Numpy and OpenCV only; each is written once with its shot.

python demo/paint_parts.py
"""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np

from transmixis.media.movie import MovieWriter
from transmixis.media.still import write_still

OUT = Path(__file__).resolve().parent / "kite_post" / "plates"
FINE = 4  # times as large while it is painted
RATE = Fraction(24)
FLAME = (160, 96)


def _canvas(h: int, w: int) -> np.ndarray:
    return np.zeros((h * FINE, w * FINE, 4), np.float32)


def _fill(p: np.ndarray, points: list[tuple[float, float]], colour: tuple[float, float, float], alpha: float = 1.0) -> None:
    layer = np.zeros(p.shape[:2], np.uint8)
    cv2.fillPoly(layer, [np.round(np.array(points) * FINE).astype(np.int32)], 255)
    a = (layer.astype(np.float32) / 255 * alpha)[..., None]
    p[:] = np.concatenate([np.float32(colour) * np.ones_like(p[..., :3]), np.ones_like(p[..., 3:])], 2) * a + p * (1 - a)


def _line(p: np.ndarray, points: list[tuple[float, float]], colour: tuple[float, float, float], wide: float) -> None:
    layer = np.zeros(p.shape[:2], np.uint8)
    cv2.polylines(
        layer, [np.round(np.array(points) * FINE).astype(np.int32)], False, 255, max(1, round(wide * FINE)), cv2.LINE_AA
    )
    a = (layer.astype(np.float32) / 255)[..., None]
    p[:] = np.concatenate([np.float32(colour) * np.ones_like(p[..., :3]), np.ones_like(p[..., 3:])], 2) * a + p * (1 - a)


def _done(p: np.ndarray, seed: int, rough: float = 0.08) -> np.ndarray:
    """At its size, with the unevenness of painted card, premultiplied."""
    h, w = p.shape[0] // FINE, p.shape[1] // FINE
    out = cv2.resize(p, (w, h), interpolation=cv2.INTER_AREA)
    noise = cv2.GaussianBlur(np.random.default_rng(seed).standard_normal((h, w)).astype(np.float32), (0, 0), 1.2)
    out[..., :3] *= np.clip(1 + rough * noise / noise.std(), 0.5, 1.5)[..., None]
    return np.asarray(out, np.float32)


def lantern() -> np.ndarray:
    """A small lantern that hangs from the middle of its upper edge, (110, 70, 4)."""
    p = _canvas(110, 70)
    iron, glass = (0.035, 0.03, 0.028), (0.16, 0.12, 0.07)
    a = np.linspace(np.pi, 2 * np.pi, 30)
    _line(p, [(35 + 17 * np.cos(t), 27 + 21 * np.sin(t)) for t in a], iron, 2.2)
    _fill(p, [(18, 34), (52, 34), (58, 98), (12, 98)], glass, 0.45)
    _fill(p, [(22, 22), (48, 22), (56, 36), (14, 36)], iron)
    _fill(p, [(10, 96), (60, 96), (62, 106), (8, 106)], iron)
    for x0, x1 in ((18, 12), (35, 35), (52, 58)):
        _line(p, [(x0, 34), (x1, 98)], iron, 2.4)
    return _done(p, 1)


def kite() -> np.ndarray:
    """A kite of mail paper with its tail, (220, 150, 4)."""
    p = _canvas(220, 150)
    paper, dark = (0.62, 0.54, 0.40), (0.10, 0.05, 0.035)
    _fill(p, [(75, 6), (136, 66), (75, 140), (14, 66)], paper)
    _fill(p, [(75, 6), (136, 66), (75, 66)], (0.52, 0.13, 0.07))
    _fill(p, [(75, 140), (14, 66), (75, 66)], (0.10, 0.17, 0.33))
    _line(p, [(75, 6), (75, 140)], dark, 1.6)
    _line(p, [(14, 66), (136, 66)], dark, 1.6)
    tail = [(75 + 12 * np.sin(t / 9), 140 + t) for t in range(0, 74, 2)]
    _line(p, tail, dark, 1.3)
    for k in (8, 18, 28):
        x, y = tail[k]
        _fill(p, [(x - 9, y - 4), (x + 9, y + 4), (x + 9, y - 4), (x - 9, y + 4)], (0.55, 0.34, 0.06))
    return _done(p, 2)


def letter() -> np.ndarray:
    """The letter without an address, (90, 130, 4)."""
    p = _canvas(90, 130)
    _fill(p, [(5, 8), (125, 8), (125, 84), (5, 84)], (0.66, 0.61, 0.52))
    _line(p, [(5, 8), (65, 52), (125, 8)], (0.38, 0.34, 0.28), 1.6)
    layer = [(65 + 9 * np.cos(t), 54 + 9 * np.sin(t)) for t in np.linspace(0, 2 * np.pi, 40)]
    _fill(p, layer, (0.42, 0.05, 0.04))
    return _done(p, 3, 0.05)


def _clouds(h: int, w: int, seed: int) -> np.ndarray:
    """Noise of several sizes, stretched across, that goes on at its sides."""
    dice = np.random.default_rng(seed)
    out = np.zeros((h, w), np.float32)
    for s in (80, 40, 20, 10, 5):
        n = dice.standard_normal((h, w)).astype(np.float32)
        n = cv2.GaussianBlur(np.concatenate([n] * 3, axis=1), (0, 0), 1.7 * s, sigmaY=0.6 * s)[:, w : 2 * w]
        out += s * n / n.std() / 60
    return out


def storm_sky() -> np.ndarray:
    """A dark, torn sky, (300, 960, 3)."""
    c = np.clip(0.5 + 0.28 * _clouds(300, 960, 4), 0, 1)[..., None]
    fall = np.linspace(0.75, 1.25, 300, dtype=np.float32)[:, None, None]
    return np.asarray((np.float32([0.035, 0.042, 0.055]) + c * np.float32([0.16, 0.175, 0.20])) * fall, np.float32)


def flame(frames: int = 72) -> list[np.ndarray]:
    """A small flame on black: a body that stands on its base, torn and carried upwards by noise."""
    h, w = FLAME
    dice = np.random.default_rng(7)
    tall = np.concatenate([dice.standard_normal((h, w)).astype(np.float32) for _ in range(6)])
    side = cv2.GaussianBlur(tall, (0, 0), 9)
    side /= side.std()
    torn = cv2.GaussianBlur(np.random.default_rng(8).standard_normal(tall.shape).astype(np.float32), (0, 0), 4)
    torn /= torn.std()
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    up = np.clip((h - 14 - yy) / (h - 34), 0, 1)  # 0 at its base, 1 at its tip
    out = []
    for n in range(frames):
        rise = int(4.5 * n)
        a, b = (np.roll(t, -rise, axis=0)[:h] for t in (side, torn))
        sway = 3.0 * np.sin(2 * np.pi * n / 31 + 2.5 * up) * up
        x = xx - w / 2 - sway - 5.5 * a * up**1.3
        wide = 19 * (1 - up) ** 0.55 * (0.35 + 0.65 * np.minimum(1, 7 * up + 0.25)) + 0.5
        body = np.clip(1.25 - np.abs(x) / wide + 0.16 * b * up, 0, 1) * (yy < h - 12) * np.clip(8 * (0.96 - up), 0, 1)
        heat = np.clip(body, 0, 1) ** 0.8 * np.clip(1.25 - up, 0, 1)
        rgb = np.stack(
            [np.clip(1.9 * heat, 0, 1), np.clip(1.9 * heat - 0.42, 0, 1) ** 1.2, np.clip(2.2 * heat - 1.35, 0, 1) ** 1.3], 2
        )
        blue = np.exp(-((x / 12) ** 2) - ((yy - (h - 18)) / 7) ** 2)[..., None] * np.float32([0.03, 0.06, 0.22])
        out.append(cv2.GaussianBlur((rgb + blue).astype(np.float32), (0, 0), 1.0))
    return out


def main() -> None:
    """Write them beside the plates of their shots."""
    for code, name, picture in (
        ("KP130", "lantern", lantern()),
        ("KP140", "kite", kite()),
        ("KP160", "letter", letter()),
        ("KP170", "storm_sky", storm_sky()),
    ):
        folder = OUT / code
        folder.mkdir(parents=True, exist_ok=True)
        write_still(folder / f"{name}.png", picture, kind="uint8")
    writer = MovieWriter(OUT / "KP130" / "flame.mp4", "h264", FLAME[1], FLAME[0], RATE)
    for f in flame():
        writer.write(np.clip(f, 0, 1))
    writer.finish()


if __name__ == "__main__":
    main()
