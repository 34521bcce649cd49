"""A heavy shot: 50 steps, 20 shapes of 60 points with pins, 240 frames. What opening, an edit, its keys and the ledger's painting take.

python bench/load.py          figures in ms on this machine, as ratios to writing the shot's document once with plain json
"""

from __future__ import annotations

import json
import math
import os
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QImage, QPainter

from transmixis.core.readings import Reading
from transmixis.desk.app import application, warm_up
from transmixis.desk.window import MainWindow
from transmixis.media.still import write_still
from transmixis.shot.digests import KeptKeys
from transmixis.shot.document import Document
from transmixis.shot.keys import Keys
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot, Step

STEPS, SHAPES, POINTS, PINS, FRAMES = 50, 20, 60, 12, 240
ROUNDS = 15


def outline(k: int, n: int) -> list[list[float]]:
    turn = [2 * math.pi * i / POINTS for i in range(POINTS)]
    return [
        [i + 1, round(480 + n + (40 + k) * math.cos(a), 2), round(270 + (40 + k) * math.sin(a), 2)] for i, a in enumerate(turn)
    ]


def heavy(folder: Path) -> Shot:
    """A shot of shapes, and of layers one over the other."""
    write_still(folder / "still.png", np.full((540, 960, 3), 0.3, np.float32), kind="uint8")
    plates = (Plate(id="hero", role="hero", path="still.png"),)
    steps = []
    for k in range(SHAPES):
        pins = tuple(Pin(frame=1 + i * FRAMES // PINS, value=outline(k, i), easing="linear") for i in range(PINS))
        steps.append(
            Step(id=f"shape{k}", kind="shapes", name=f"Shape {k}", inputs={"plate": "plate:hero"}, pins={"outline": pins})
        )
    below = "plate:hero"
    for k in range(STEPS - SHAPES):
        inputs = {"front": "plate:hero", "back": below, "before": f"step:shape{k % SHAPES}"}
        steps.append(
            Step(
                id=f"layer{k}",
                kind="lay_in",
                name=f"Layer {k}",
                inputs=inputs,
                params={"corners": [[0, 0], [90, 0], [90, 90], [0, 90]]},
            )
        )
        below = f"step:layer{k}"
    return Shot(code="A", length=FRAMES, width=960, height=540, plates=plates, steps=tuple(steps))


def median(act: Callable[[int], object], between: Callable[[], object] = lambda: None) -> float:
    """ms of the middle one of several rounds; what is done `between` them does not count."""
    took = []
    for i in range(ROUNDS):
        began = time.perf_counter()
        act(i)
        took.append(1000 * (time.perf_counter() - began))
        between()
    return statistics.median(took)


def main() -> None:
    """Make the shot, and time it."""
    folder = Path(tempfile.mkdtemp()) / "film"
    doc = Document.create(folder, "Heavy", "24")
    shot = heavy(folder)
    doc.change_shot("Make", shot)
    plain = median(lambda i: (folder / "plain.json").write_text(json.dumps(shot.model_dump(mode="json"))))
    first, last = shot.steps[0], shot.steps[-1]
    edits = {
        "of the last step": lambda i: doc.shot("A").with_step(
            last.model_copy(update={"params": {**last.params, "opacity": 0.5 + i / 100}})
        ),
        "of the first shape": lambda i: doc.shot("A").with_step(first.model_copy(update={"params": {"feather": 1.0 + i / 100}})),
    }
    material, kept = Material(folder), KeptKeys()

    def keys_of(s: Shot) -> None:
        keys = Keys(s, material, kept)
        for step in s.steps:
            for n in range(1, FRAMES + 1):
                keys.frame(f"step:{step.id}", n)

    rows = [("writing the document once with plain json", plain)]
    keys_of(shot)
    for words, make in edits.items():
        rows.append((f"an edit {words} until it is on disk", median(lambda i, make=make: doc.change_shot("Edit", make(i)))))
        rows.append((f"keys after an edit {words}", median(lambda i, make=make: keys_of(make(i)))))
    doc.close()
    began = time.perf_counter()
    doc = Document.open(folder)
    rows.append(("opening the document", 1000 * (time.perf_counter() - began)))
    doc.close()
    rows += window_rows(folder)
    for words, ms in rows:
        print(f"{words:50s} {ms:9.1f} ms   {ms / plain:7.2f}")


def window_rows(folder: Path) -> list[tuple[str, float]]:
    """Opening in the window, an edit as the window feels it, and the ledger's painting with every reading there."""
    app = application()
    warm_up()
    window = MainWindow(settings=QSettings(str(folder.parent / "w.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    app.processEvents()
    began = time.perf_counter()
    window.productions.open_folder(folder)
    window.show_page("bench")
    app.processEvents()
    opened = 1000 * (time.perf_counter() - began)
    state = window.state
    state.work.stop()
    for step in state.shot.steps if state.shot else ():
        state.known.readings[step.id] = {n: [Reading("r", 0.5 + 0.4 * math.sin(n / 9), "px", 1.0)] for n in range(1, FRAMES + 1)}
    image = QImage(window.bench.ledger.size(), QImage.Format.Format_RGB32)

    def paint(i: int) -> None:
        p = QPainter(image)
        window.bench.ledger.render(p)
        p.end()

    rows = [("opening in the window", opened), ("painting the ledger", median(paint))]
    state.set_step("layer29")
    document = state.session.document if state.session else None
    assert document is not None
    rows.append(
        ("an edit on the interface's thread", median(lambda i: state.edits.set_param("opacity", 0.3 + i / 100), document.wait))
    )
    window.close()
    return rows


if __name__ == "__main__":
    main()
