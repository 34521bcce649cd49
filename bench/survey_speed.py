"""Speed of a whole survey as a ratio to dense optical flow over the same frames, and how it grows with frames and pixels.

python bench/survey_speed.py PLATE
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

from transmixis.core.progress import Progress
from transmixis.core.survey.blur import measure_blur
from transmixis.core.survey.scan import prepare
from transmixis.media.still import write_still
from transmixis.shot.bare import bare_shot
from transmixis.shot.material import Material
from transmixis.shot.render import Renderer

DEMO = Path(__file__).resolve().parents[1] / "demo" / "kite_post" / "plates"


def survey_seconds(plate: Path, frames: int) -> float:
    """A survey from files, nothing cached."""
    shot, _ = bare_shot(plate)
    shot = shot.model_copy(update={"length": frames})
    renderer = Renderer(shot, Material(Path.cwd()))
    began = time.perf_counter()
    renderer.surveys.whole(renderer, "plate:hero", Progress())
    return time.perf_counter() - began


def flow_seconds(plate: Path, frames: int) -> float:
    """OpenCV's DIS flow (medium) over the same frames, which are in memory already."""
    _, source = bare_shot(plate)
    lumas = [prepare(source.read(n)).luma for n in range(1, frames + 1)]
    dis = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM)
    began = time.perf_counter()
    for a, b in pairwise(lumas):
        dis.calc(a, b, None)  # type: ignore[call-overload]
    return time.perf_counter() - began


def main() -> None:
    measure_blur(np.zeros(4349, np.float32))  # its bank of smears is made once in a process
    plates = [Path(p) for p in sys.argv[1:]] or [
        DEMO / "KP010" / "hero" / "KP010_hero.1001.png",
        DEMO / "KP020" / "hero" / "KP020_hero.mp4",
    ]
    for plate in plates:
        rows = []
        for _ in range(3):
            ours, flow = survey_seconds(plate, 48), flow_seconds(plate, 48)
            rows.append((ours / flow, ours, flow))
        ratio, ours, flow = sorted(rows)[1]
        print(
            f"{plate.name}: 48 frames in {ours:.1f} s, reading the files included; DIS flow {flow:.1f} s; ratio {ratio:.2f} (wanted 3)"
        )
    times = {n: survey_seconds(plates[0], n) for n in (12, 24, 48)}
    print("seconds a frame: " + ", ".join(f"{n} frames {t / n:.3f}" for n, t in times.items()))
    print("with the pixels: " + growth_with_pixels(plates[-1]))


def growth_with_pixels(plate: Path, frames: int = 12) -> str:
    """Seconds a frame and a million pixels of the same frames at half, whole and double size."""
    _, source = bare_shot(plate)
    found = []
    with tempfile.TemporaryDirectory() as folder:
        for scale in (0.5, 1, 2):
            for n in range(1, frames + 1):
                picture = cv2.resize(
                    source.read(n)[..., :3],
                    None,
                    fx=scale,
                    fy=scale,
                    interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC,
                )
                write_still(Path(folder) / f"x{scale}.{n:04d}.png", np.clip(picture, 0, 1), kind="uint8")
            seconds = survey_seconds(Path(folder) / f"x{scale}.0001.png", frames)
            h, w = picture.shape[:2]
            found.append(f"{w} x {h} {seconds / frames / (w * h / 1e6):.2f} s")
    return ", ".join(found) + " a frame and million pixels"


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    main()
