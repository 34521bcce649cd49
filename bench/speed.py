"""Speed and memory as ratios against plain library calls, measured in one run on this machine.

python bench/speed.py [--runs N]
"""

from __future__ import annotations

import argparse
import os
import statistics
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import cv2
import numpy as np
import psutil

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))
import keyplates as kp

from transmixis.core.matte.keyer import KeyModel, key_frame, learn_shot
from transmixis.core.progress import Progress
from transmixis.core.warm import warm

SIZE = (1080, 1920)


def paired(ours: Callable[[], object], theirs: Callable[[], object], runs: int) -> tuple[float, float, float]:
    """Median times (s) of both, run in turn so that a drifting machine hits both, and the median ratio."""
    a, b = [], []
    for _ in range(3):
        ours(), theirs()
    for _ in range(runs):
        for call, times in ((ours, a), (theirs, b)):
            start = time.perf_counter()
            call()
            times.append(time.perf_counter() - start)
    return statistics.median(a), statistics.median(b), statistics.median(x / y for x, y in zip(a, b, strict=True))


def row(name: str, a: float, b: float, ratio: float, bar: str) -> None:
    print(f"{name:58}{1000 * a:9.1f} ms{1000 * b:9.1f} ms   ratio {ratio:5.2f}   {bar}")


def bench_key(runs: int) -> None:
    """One 1920 x 1080 frame: key, despill and foreground, against one gaussian of sigma 5."""
    p = kp.make_plate("green", 3, SIZE)
    frames = [np.ascontiguousarray(f) for f in p.plate]
    for name, clean in (
        ("key, despill, foreground; no empty frame", None),
        ("key, despill, foreground; with empty frame", p.clean),
    ):
        model = learn_shot(frames, clean=clean)
        assert isinstance(model, KeyModel)
        a, b, r = paired(lambda m=model: key_frame(frames[1], m), lambda: cv2.GaussianBlur(frames[1], (0, 0), 5), runs)
        row(name, a, b, r, "wanted: at most 3 gaussian blurs of sigma 5")


def bench_show(runs: int) -> None:
    """Showing a cached frame: view transform, conversion and paint, against copies of the float frame."""
    from PyQt6.QtCore import QPoint
    from PyQt6.QtGui import QImage, QPainter

    from transmixis.desk.app import application
    from transmixis.desk.viewimage import picture_image

    application()
    frame = np.ascontiguousarray(kp.make_plate("green", 1, (270, 480)).plate[0].repeat(4, 0).repeat(4, 1))
    target, held = QImage(SIZE[1], SIZE[0], QImage.Format.Format_RGB32), np.empty_like(frame)

    def show() -> None:
        p = QPainter(target)
        p.drawImage(QPoint(0, 0), picture_image(frame))
        p.end()

    a, b, r = paired(show, lambda: np.copyto(held, frame), runs * 3)
    row("show a cached frame: view, conversion, paint", a, b, r, "wanted: at most 8 copies of the frame")


def bench_memory() -> None:
    """Render 48 frames of 1920 x 1080 with two cache settings; the growth of memory follows the setting."""
    from transmixis.media.still import write_still
    from transmixis.shot.keyjob import KeyJob, run_key

    frame = kp.make_plate("green", 1, (270, 480)).plate[0]
    big = cv2.resize(frame, SIZE[::-1], interpolation=cv2.INTER_CUBIC)
    with tempfile.TemporaryDirectory() as t:
        for n in range(1, 49):
            write_still(Path(t) / f"hero.{n:04d}.png", np.roll(big, n, axis=1), kind="uint8")
        one = big.nbytes / 2**20
        print(f"\n48 frames of 1920 x 1080; one picture is {one:.0f} MiB, all plates and results {48 * one * 7 / 3:.0f} MiB")
        for mib in (256, 1024):
            watch = _Peak()
            run_key(KeyJob(Path(t) / "hero.0001.png", cache_bytes=mib << 20), Path(t) / f"out{mib}", watch)
            print(
                f"cache set to {mib:5d} MiB: memory at its highest {watch.peak:6.0f} MiB, {watch.peak - watch.start:6.0f} MiB above the start"
            )


class _Peak(Progress):
    """Notes the highest memory in use whenever the job tells of its progress."""

    def __init__(self) -> None:
        super().__init__()
        self.start = self.peak = self._now()

    @staticmethod
    def _now() -> float:
        return psutil.Process().memory_info().rss / 2**20

    def at(self, done: float, total: float, words: str = "") -> None:
        self.peak = max(self.peak, self._now())
        super().at(done, total, words)


def main() -> None:
    """Print the table."""
    args = argparse.ArgumentParser()
    args.add_argument("--runs", type=int, default=15)
    args.add_argument("--no-memory", action="store_true")
    a = args.parse_args()
    warm()
    print(f"{os.cpu_count()} processors; medians of {a.runs} runs in turn")
    bench_key(a.runs)
    bench_show(a.runs)
    if not a.no_memory:
        bench_memory()


if __name__ == "__main__":
    main()
