"""What layers cost: each one more against a copy of the frame, fifty of them, and looking at ten at half size. `python bench/layers.py`"""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from transmixis.core.build.blend import MODES, blended
from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.small import SmallProducts
from transmixis.shot.workorder import add_step

HIGH, WIDE = 1080, 1920


def best(work: Callable[[], object], times: int = 7) -> float:
    """The quickest of several, s."""
    work()
    out = []
    for _ in range(times):
        start = time.perf_counter()
        work()
        out.append(time.perf_counter() - start)
    return min(out)


def stacked(folder: Path, count: int) -> Shot:
    """A background and so many layers of cut-outs over each other."""
    out = Shot(
        code="L",
        length=24,
        width=WIDE,
        height=HIGH,
        plates=(Plate(id="back", role="background", path="back.exr"), Plate(id="card", role="element", path="card.exr")),
    )
    below = "plate:back"
    for k in range(count):
        out, step = add_step(out, "place", name=f"Layer {k + 1}")
        values = {"x": 17.0 * (k % 9) - 70, "y": 11.0 * (k % 7) - 30, "shutter": 0.0}
        out = out.with_step(step.model_copy(update={"inputs": {"front": "plate:card", "back": below}, "params": values}))
        below = f"step:{step.id}"
    return out


def touch(size: int) -> None:
    """Use so many bytes once, so that what is measured does not wait for a virtual machine to be given them."""
    np.ones(size, np.uint8)


def kept_copy(picture: np.ndarray, times: int = 12) -> float:
    """Seconds of a copy that is kept, as each layer's result is."""
    kept = []
    start = time.perf_counter()
    for _ in range(times):
        kept.append(picture.copy())
    return (time.perf_counter() - start) / times


def main() -> None:
    touch(4 << 30)
    dice = np.random.default_rng(1)
    front = dice.random((HIGH, WIDE, 4)).astype(np.float32)
    front[..., :3] *= front[..., 3:]
    back = dice.random((HIGH, WIDE, 4)).astype(np.float32)
    copy = best(lambda: back.copy())
    keeps = kept_copy(back)
    print(f"a copy of 1920 x 1080, four channels: {1000 * copy:.1f} ms; one that is kept: {1000 * keeps:.1f} ms")
    for mode in MODES:
        t = best(lambda m=mode: blended(front, back, m), 5)
        print(f"  {mode:14s} {t / copy:5.2f} copies")
    t = best(lambda: blended(front, back, "multiply", "as the display's"), 3)
    print(f"  multiply as the display's {t / copy:5.2f} copies")
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        card = np.zeros((400, 300, 4), np.float32)
        card[20:-20, 20:-20] = (0.4, 0.3, 0.2, 1)
        write_still(folder / "card.exr", card, kind="half")
        write_still(folder / "back.exr", back[..., :3], kind="half")
        each = []
        for count in (10, 25, 50):
            r = Renderer(stacked(folder, count), Material(folder), FrameCache(3 << 30))
            r.product("plate:back", 1)
            r.product("plate:card", 1)
            last = r.shot.steps[-1].id
            start = time.perf_counter()
            r.product(f"step:{last}", 1)
            took = time.perf_counter() - start
            each.append(took / count)
            print(
                f"{count} layers: {took:.2f} s, {1000 * took / count:.1f} ms each, {took / count / copy:.1f} copies with placing, {took / count / keeps:.1f} of those that are kept"
            )
        print(f"from 10 to 50 layers each takes {each[-1] / each[0]:.2f} times as long")
        shot = stacked(folder, 10)
        material = Material(folder)
        small = SmallProducts(Renderer(shot, material, FrameCache(1 << 29)), 2)  # full soon, as after some work
        last = shot.steps[-1].id
        for n in range(1, 10):
            small.product(f"step:{last}", n)
        start = time.perf_counter()
        for n in range(10, 22):
            moved = shot.with_step(shot.steps[0].model_copy(update={"params": {**shot.steps[0].params, "x": float(n)}}))
            SmallProducts(Renderer(moved, material, small.cache), 2).product(f"step:{last}", n)
        print(f"half size, 10 layers, all of them made anew: {12 / (time.perf_counter() - start):.1f} pictures a second")


if __name__ == "__main__":
    main()
