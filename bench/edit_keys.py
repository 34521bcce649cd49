"""Keys of an edit in a shot of 40 steps and 240 frames, as a ratio to hashing as many short texts with the standard library.

python bench/edit_keys.py
"""

from __future__ import annotations

import hashlib
import tempfile
import time
from pathlib import Path

import numpy as np

from transmixis.media.still import write_still
from transmixis.shot.digests import KeptKeys
from transmixis.shot.keys import Keys
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.workorder import add_step

STEPS, FRAMES = 40, 240


def heavy_shot() -> Shot:
    """Forty pictures placed one over the other, on a take of 240 files."""
    shot = Shot(code="A", length=FRAMES, width=16, height=16, plates=(Plate(id="hero", role="hero", path="take.0001.png"),))
    last = "plate:hero"
    for _ in range(STEPS):
        shot, step = add_step(shot, "place", inputs={"front": last, "back": "plate:hero"})
        last = f"step:{step.id}"
    return shot


def main() -> None:
    with tempfile.TemporaryDirectory() as d:
        for n in range(1, FRAMES + 1):
            write_still(Path(d) / f"take.{n:04d}.png", np.zeros((16, 16, 3), np.float32), kind="uint8")
        shot, material, kept = heavy_shot(), Material(Path(d)), KeptKeys()
        ref = f"step:{shot.steps[-1].id}"

        def seconds(s: Shot) -> float:
            began = time.perf_counter()
            keys = Keys(s, material, kept)
            for n in range(1, FRAMES + 1):
                keys.frame(ref, n)
            return time.perf_counter() - began

        first = seconds(shot)
        began = time.perf_counter()
        for i in range(STEPS * FRAMES):
            hashlib.sha1(f"{i:0300d}".encode()).hexdigest()
        plain = time.perf_counter() - began
        print(f"{STEPS * FRAMES} plain hashes: {1000 * plain:.1f} ms")
        print(f"all keys for the first time: {1000 * first:.1f} ms, {first / plain:.1f} times that")
        for at in (STEPS - 1, STEPS // 2, 0):
            step = shot.steps[at]
            runs = [seconds(shot.with_step(step.model_copy(update={"params": {"x": 1.0 + k}}))) for k in range(5)]
            best = min(runs)
            print(f"keys after an edit of step {at + 1}: {1000 * best:.1f} ms, {best / plain:.2f} times")


if __name__ == "__main__":
    main()
