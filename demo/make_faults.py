"""Make the demo film's faulty plates from its good ones: a flickering time lapse, a dusty take, two takes to join. No renderer.

python demo/make_faults.py        (after the plates of KP010 and KP020; the truth goes to demo/truth)
"""

from __future__ import annotations

import json
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path

import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.media.movie import MOVIE_KINDS, MovieKind, MovieWriter
from transmixis.media.source import Source, open_source

HERE = Path(__file__).resolve().parent
PLATES, TRUTH = HERE / "kite_post" / "plates", HERE / "truth"
RATE = Fraction(24)
SIZE = (540, 960)
MOVIE_KINDS["plate"] = MovieKind("libx264", "yuv444p", ".mp4", {"crf": "11", "preset": "slow"}, "as the demo's other movies")
LAPSE_FRAMES, FLICKER, TINT = 48, 0.043, 0.014  # stops: 3 % and 1 %
SPOTS = (
    (212.0, 96.0, 7.0, 0.16),
    (641.0, 61.0, 5.0, 0.11),
    (770.0, 188.0, 9.0, 0.09),
    (402.0, 171.0, 4.5, 0.14),
)  # x, y, r, depth
TAKES = {"first": (1, 30), "second": (19, 48)}  # frames of KP010's hero
SECOND_LIGHT = (0.97, 0.965, 0.955)  # 3 % down and a little warmer


def main() -> None:
    """Write the movies and their truth."""
    lapse()
    dusty()
    takes()


def lapse() -> None:
    """The station from morning to noon: light that rises and cools, and a random gain on every frame."""
    rng = np.random.default_rng(40)
    source = _source("KP010/background/KP010_background.mp4")
    t = np.linspace(0, 1, LAPSE_FRAMES)[:, None]
    stops = -0.45 + 0.45 * t + (1 - t) * np.array([0.10, 0.0, -0.14]) + rng.normal(0, FLICKER, (LAPSE_FRAMES, 1))
    stops += rng.normal(0, TINT, (LAPSE_FRAMES, 3))
    frames = (_grained(source.read(n + 1)[..., :3] * np.exp2(stops[n]).astype(np.float32), 400 + n) for n in range(LAPSE_FRAMES))
    _write("KP040/hero/KP040_hero.mp4", frames)
    _truth("KP040/light.json", {"stops": np.round(stops, 5).tolist()})


def dusty() -> None:
    """The truck along the station with four spots on the sensor."""
    source = _source("KP020/hero/KP020_hero.mp4")
    light = _dust_light()
    frames = (_grained(source.read(n)[..., :3] * light[..., None], 500 + n, 0.4) for n in range(1, source.info.count + 1))
    _write("KP050/hero/KP050_hero.mp4", frames)
    _truth("KP050/dust.json", {"spots": [dict(zip(("x", "y", "radius", "depth"), s, strict=True)) for s in SPOTS]})


def _dust_light() -> np.ndarray:
    """Share of the light that is left, (h, w): flat in the middle of a spot, fading from half of its radius to one and a half."""
    yy, xx = np.mgrid[0 : SIZE[0], 0 : SIZE[1]].astype(np.float32)
    light = np.ones(SIZE, np.float32)
    for x, y, r, deep in SPOTS:
        light *= 1 - deep * np.clip(1.5 - np.hypot(xx - x, yy - y) / r, 0, 1)
    return light


def takes() -> None:
    """The courier twice: the second take begins before the first one ends, in other light."""
    source = _source("KP010/hero/KP010_hero.1001.png")
    for k, (name, (first, last)) in enumerate(TAKES.items()):
        gain = np.float32(SECOND_LIGHT if k else (1, 1, 1))
        frames = (_grained(source.read(n)[..., :3] * gain, 600 + 100 * k + n, 0.8) for n in range(first, last + 1))
        _write(f"KP060/{name}/KP060_{name}.mp4", frames)
    pairs = [[a, a + 1 - TAKES["second"][0] + 1] for a in range(TAKES["second"][0] - 1, TAKES["first"][1] + 1)]
    _truth("KP060/join.json", {"pairs": pairs, "light": SECOND_LIGHT})


def _source(name: str) -> Source:
    return open_source(PLATES / name).with_settings(space="camera 709")


def _grained(linear: np.ndarray, seed: int, levels: float = 0.9) -> np.ndarray:
    """New grain, in 8-bit levels of the coded picture, as on another day's recording."""
    coded = linear_to_srgb(np.clip(linear, 0, 1))
    noisy = coded + np.random.default_rng(seed).normal(0, levels / 255, linear.shape)
    return np.asarray(srgb_to_linear(np.clip(noisy, 0, 1)), np.float32)


def _write(name: str, frames: Iterable[np.ndarray]) -> None:
    path = PLATES / name
    path.parent.mkdir(parents=True, exist_ok=True)
    writer = MovieWriter(path, "plate", SIZE[1], SIZE[0], RATE)
    for f in frames:
        writer.write(f)
    writer.finish()


def _truth(name: str, values: dict[str, object]) -> None:
    path = TRUTH / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(json.dumps(values, indent=1) + "\n")


if __name__ == "__main__":
    main()
