"""The work on KP020: a board nailed over the window, the postbox before it cut out, the door's knob taken off, smoke on the chimney, and a
second chimney that was never there."""

from __future__ import annotations

import json
from pathlib import Path

import cv2
import numpy as np

from transmixis.media.still import write_still
from transmixis.shot.model import Plate, Shot
from transmixis.shot.parts import gathered
from transmixis.shot.stepjob import added, changed

HERE = Path(__file__).resolve().parent
TRUTH = HERE / "truth" / "KP020"
BOARD = "plates/KP020/board/KP020_board.png"
STACK = "plates/KP020/stack/KP020_stack.png"
FOCAL = 1103.9  # px: what the model's plate was taken with
# two dots on the ground before the house, 32 cm apart on a model of 1 : 10, and one by its wall; px at frame 30
GROUND = [[641.4, 516.8], [157.6, 520.7], [414.1, 444.9]]
METRES = 3.2
RIDGE, RIDGE_AWAY, WIDE = [233.0, 165.0], 9.55, 0.42  # px at frame 30 and m from the camera; m
KNOB = [
    (268, 366),
    (278, 366),
    (283, 371),
    (285.5, 383),
    (281, 384.5),
    (276, 379),
    (268, 377.5),
]  # with its shadow; px at frame 30


def paint_board(path: Path) -> None:
    """A painted board: four planks, an envelope's outline on them."""
    rng = np.random.default_rng(20)
    wood = np.full((296, 304, 3), (0.32, 0.26, 0.17), np.float32)
    streaks = cv2.GaussianBlur(rng.standard_normal((296, 304)).astype(np.float32), (0, 0), 9, sigmaY=1)
    wood *= 1 + 0.48 * streaks[..., None]
    wood[74::74] *= 0.3
    red = (0.35, 0.06, 0.05)
    cv2.rectangle(wood, (70, 90), (234, 206), red, 9)
    cv2.polylines(wood, [np.array([[70, 90], [152, 160], [234, 90]])], False, red, 9)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_still(path, np.clip(wood, 0, 1), kind="uint8")


def paint_stack(path: Path) -> None:
    """A chimney of four courses of stones with a clay pot, lit from the left; about it nothing."""
    rng = np.random.default_rng(21)
    h, w = 330, 220
    picture = np.zeros((h, w, 4), np.float32)
    grain = cv2.GaussianBlur(rng.standard_normal((h, w)).astype(np.float32), (0, 0), 2.0)
    grain /= grain.std()
    across = np.linspace(1.25, 0.55, w, dtype=np.float32)[None, :, None]

    def part(x0: int, y0: int, x1: int, y1: int, colour: tuple[float, float, float]) -> None:
        cv2.rectangle(mask := np.zeros((h, w), np.float32), (x0, y0), (x1, y1), 1, -1)
        tone = np.array(colour, np.float32) * across * (1 + 0.14 * grain[..., None])
        picture[..., :3] = np.where(mask[..., None] > 0, tone, picture[..., :3])
        picture[..., 3] = np.maximum(picture[..., 3], mask)

    for k in range(4):
        y, x = 130 + 50 * k, 30
        while x < 190:
            wide = int(rng.integers(38, 70))
            shade = float(rng.uniform(0.8, 1.2))
            part(x, y, min(x + wide, 190), y + 49, (0.24 * shade, 0.19 * shade, 0.13 * shade))
            cv2.rectangle(picture, (x, y), (min(x + wide, 190), y + 49), (0.05, 0.04, 0.03, 1.0), 3)
            x += wide
    part(14, 104, 206, 130, (0.29, 0.24, 0.17))
    part(74, 40, 146, 104, (0.34, 0.13, 0.07))
    part(66, 26, 154, 44, (0.38, 0.16, 0.09))
    soft = cv2.GaussianBlur(picture, (0, 0), 1.2)
    path.parent.mkdir(parents=True, exist_ok=True)
    write_still(path, np.clip(soft, 0, 1), kind="uint8")


def worked(shot: Shot) -> Shot:
    """The shot with its steps; its plates 'still' and 'element' are the board and the smoke."""
    drawn = json.loads((TRUTH / "drawn.json").read_text())
    at = drawn["reference"]
    reference, set_at = f"reference={at}", f"at={at}"
    board = [[round(float(v), 2) for v in p] for p in _board(at)]
    flush = [_marks(o) for o in drawn["flush"]]
    pins = [f"outline@{n}={json.dumps(_marks(o))}" for n, o in drawn["postbox"].items()]
    for kind, name, inputs, settings, its_pins in (
        ("point_track", "Postbox point", [], [f"point={[drawn['postbox_point']]}", "half=18", reference], []),
        ("shapes", "Postbox", ["motion=step:point_track"], [set_at, "feather=0.6"], pins),
        ("surface_track", "Front", [], [f"region={flush}", reference], []),
        ("patch", "Knob off", ["motion=step:surface_track"], [f"outline={_marks(KNOB)}", set_at, "right=0.5", "down=21"], []),
        ("lay_in", "Board", ["front=plate:still", "back=step:patch", "motion=step:surface_track", "before=step:shapes"],
         [f"corners={board}", set_at, "soften=0.5"], []),
        ("point_track", "Chimney", [], [f"point={[drawn['chimney_point']]}", "half=24", reference], []),
        ("conform", "Smoke slower", ["plate=plate:element"], ["speed=0.8", "frames=blend", "size=keep the size"], []),
        ("place", "Smoke", ["front=step:conform", "back=step:lay_in", "motion=step:point_track2"],
         ["blend=screen", "x=-65", "y=-265", "scale=0.5", "soften=1.2", "opacity=0.8", set_at], []),
        ("camera_solve", "Camera", [], [f"focal={FOCAL}", f"ground={GROUND}", f"span={GROUND[:2]}", f"metres={METRES}", set_at], []),
        ("stand_in", "Second chimney", ["front=plate:stack", "back=step:place", "camera=step:camera_solve"],
         [f"foot={[RIDGE]}", "where=at a distance", f"distance={RIDGE_AWAY}", f"width={WIDE}", set_at], []),
    ):  # fmt: skip
        shot, _ = added(shot, kind, name, inputs, settings, its_pins)
    # what is followed is followed on the plate as it came
    for track in ("point_track", "surface_track", "point_track2", "camera_solve"):
        shot, _ = changed(shot, track, ["plate=plate:hero"], [], [])
    return gathered(shot, "Board", ["shapes", "lay_in"])[0]


def plates() -> tuple[Plate, ...]:
    """The board, the chimney that is added, and the smoke of the shelf."""
    board = Plate(id="still", role="still", path=BOARD, name="board", space="sRGB")
    smoke = Plate(id="element", role="element", path="elements/chimney_smoke.mp4", name="chimney_smoke", space="sRGB")
    stack = Plate(id="stack", role="element", path=STACK, name="second chimney", space="sRGB")
    return board, smoke, stack


def _marks(outline: list) -> list[list[float]]:
    return [[i + 1, float(x), float(y)] for i, (x, y) in enumerate(outline)]


def _board(frame: int) -> np.ndarray:
    """Where the board would lie in a frame, from the truth of set and camera, px."""
    camera = json.loads((TRUTH / "camera.json").read_text())["frames"][frame - 1]
    corners = np.array(json.loads((TRUTH / "surfaces.json").read_text())["board"])
    k, r, t = (np.array(camera[n]) for n in "KRt")
    p = (k @ (corners @ r.T + t).T).T
    return np.asarray(p[:, :2] / p[:, 2:])
