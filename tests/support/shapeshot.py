"""A production with a short take of a thing that moves, turns and is stirred, whose outline's truth is exact; nine frames of 300 x 200."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from rotoclips import blob, photo, swinging

from transmixis.core.roto.cover import covered
from transmixis.media.still import write_still
from transmixis.shot.model import Pin, Plate, Shot, Step

SIZE, LENGTH = (200, 300), 9
THING = swinging(blob(50, 3), photo("chelsea"), lambda t: (150 + 5 * t, 100 + 8 * np.sin(t / 3), 3 * t, 1 + 0.01 * t), 2.0, 1)
EVERY = 4  # of the truth's points that an outline is drawn with


def truth(frame: int) -> np.ndarray:
    """(96, 2) px."""
    return THING.outline(frame - 5.0)


def marks(frame: int) -> list[list[float]]:
    """The outline as a hand would draw it, with identities."""
    return [[i, round(float(x), 2), round(float(y), 2)] for i, (x, y) in enumerate(truth(frame)[::EVERY], 1)]


def picture(frame: int) -> np.ndarray:
    """(h, w, 3) linear."""
    h, w = SIZE
    ys, xs = np.mgrid[0:h, 0:w] + 0.5
    t = frame - 5.0
    cover = covered(THING.outline(t), h, w)[..., None]
    u, v = THING.inverse(t, xs, ys)
    own = cv2.remap(
        THING.texture, (u - 0.5).astype(np.float32), (v - 0.5).astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
    )
    ground = photo("coffee")[100 : 100 + h, 200 : 200 + w]
    return np.asarray(ground * (1 - cover) + own * cover, np.float32)


def written(folder: Path) -> Path:
    """The take as a sequence of PNG files; gives its pattern."""
    folder.mkdir(parents=True, exist_ok=True)
    for n in range(1, LENGTH + 1):
        write_still(folder / f"take.{n:04d}.png", picture(n), kind="uint8")
    return folder / "take.####.png"


def shot_of(plate: Path, step: Step) -> Shot:
    """A shot of the take with one step."""
    h, w = SIZE
    plates = (Plate(id="hero", role="hero", path=str(plate)),)
    return Shot(code="A010", length=LENGTH, width=w, height=h, plates=plates, steps=(step,))


def shapes_step(*frames: int, **params: object) -> Step:
    """Shapes, its one outline pinned at `frames` by the truth."""
    pins = {"outline": tuple(Pin(frame=n, value=marks(n), easing="linear") for n in frames)} if frames else {}
    given = {"line": "smooth", "feather": 0.0, **params}
    return Step(id="shapes", kind="shapes", name="Cut out", inputs={"plate": "plate:hero"}, params=given, pins=pins)
