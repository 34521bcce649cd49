"""The work on KP020: a board nailed over the window, the postbox before it cut out, the door's knob taken off, other words on the sign, smoke on
the chimney, a second chimney and a lamp post that were never there, before which the postbox passes."""

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
SIGN = "plates/KP020/sign/KP020_sign.png"
LAMP = "plates/KP020/lamp/KP020_lamp.png"
FOCAL = 1103.9  # px: what the model's plate was taken with
# two dots on the ground before the house, 32 cm apart on a model of 1 : 10, and one by its wall; px at frame 30
GROUND = [[641.4, 516.8], [157.6, 520.7], [414.1, 444.9]]
METRES = 3.2
LAMP_FOOT, LAMP_WIDE = [452.0, 449.0], 0.2  # px at frame 30, on the ground by the wall, behind the postbox; m
RIDGE, RIDGE_AWAY, WIDE = [233.0, 165.0], 9.55, 0.42  # px at frame 30 and m from the camera; m
KNOB = [
    (271, 366),
    (278, 366),
    (283, 371),
    (285.5, 383),
    (281, 384.5),
    (276, 379),
    (271, 377.5),
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


def paint_sign(path: Path) -> None:
    """A new sign for the station: other words on weathered boards."""
    rng = np.random.default_rng(22)
    h, w = 110, 400
    wood = np.full((h, w, 3), (0.31, 0.295, 0.245), np.float32)
    streaks = cv2.GaussianBlur(rng.standard_normal((h, w)).astype(np.float32), (0, 0), 12, sigmaY=1)
    wood *= 1 + 0.9 * streaks[..., None]
    wood[h // 2 - 1 : h // 2 + 1] *= 0.45
    mask = np.zeros((h, w), np.uint8)
    cv2.putText(mask, "LAST POST", (38, 74), cv2.FONT_HERSHEY_DUPLEX, 1.9, (255,), 4, cv2.LINE_AA)
    worn = np.clip(mask / 255 * (0.85 + 0.5 * rng.standard_normal((h, w))), 0, 1)[..., None]
    wood = wood * (1 - worn) + worn * np.array([0.06, 0.12, 0.24], np.float32)
    wood[[0, 1, 2, -3, -2, -1]] *= 0.5
    path.parent.mkdir(parents=True, exist_ok=True)
    write_still(path, np.clip(wood, 0, 1).astype(np.float32), kind="uint8")


def paint_lamp(path: Path) -> None:
    """A lamp on a wooden post, lit from the left; about it nothing."""
    rng = np.random.default_rng(23)
    h, w = 480, 60
    picture = np.zeros((h, w, 4), np.float32)

    def part(x0: int, y0: int, x1: int, y1: int, colour: tuple[float, float, float]) -> None:
        across = np.linspace(1.3, 0.5, x1 - x0, dtype=np.float32)[None, :, None]
        grain = cv2.GaussianBlur(rng.standard_normal((y1 - y0, x1 - x0)).astype(np.float32), (0, 0), 1, sigmaY=8)[..., None]
        picture[y0:y1, x0:x1, :3] = np.array(colour, np.float32) * across * (1 + 0.5 * grain)
        picture[y0:y1, x0:x1, 3] = 1

    part(24, 96, 38, h, (0.16, 0.11, 0.07))
    part(10, 30, 52, 96, (0.05, 0.045, 0.04))
    part(16, 38, 46, 88, (0.55, 0.42, 0.20))
    part(29, 38, 33, 88, (0.05, 0.045, 0.04))
    part(6, 22, 56, 32, (0.06, 0.05, 0.045))
    part(22, 8, 40, 22, (0.06, 0.05, 0.045))
    path.parent.mkdir(parents=True, exist_ok=True)
    write_still(path, np.clip(cv2.GaussianBlur(picture, (0, 0), 1.2), 0, 1), kind="uint8")


def worked(shot: Shot) -> Shot:
    """The shot with its steps; its plates 'still' and 'element' are the board and the smoke."""
    drawn = json.loads((TRUTH / "drawn.json").read_text())
    at = drawn["reference"]
    reference, set_at = f"reference={at}", f"at={at}"
    board = _rounded(_corners("board", at))
    flush = [_marks(o) for o in drawn["flush"]]
    pins = [f"outline@{n}={json.dumps(_marks(o))}" for n, o in drawn["postbox"].items()]
    for kind, name, inputs, settings, its_pins in (
        ("point_track", "Postbox point", [], [f"point={[drawn['postbox_point']]}", "half=18", reference], []),
        ("shapes", "Postbox", ["motion=step:point_track"], [set_at, "feather=0.6"], pins),
        ("surface_track", "Front", [], [f"region={flush}", reference], []),
        ("patch", "Knob off", ["motion=step:surface_track"], [f"outline={_marks(KNOB)}", set_at, "right=0.5", "down=24"], []),
        ("lay_in", "Board", ["front=plate:still", "back=step:patch", "motion=step:surface_track", "before=step:shapes"],
         [f"corners={board}", set_at, "soften=0.5"], []),
        ("surface_track", "Sign", [], [f"region={[_marks(_corners('sign', at))]}", reference], []),
        ("lay_in", "New sign", ["front=plate:sign", "back=step:lay_in", "motion=step:surface_track2"],
         [f"corners={_rounded(_corners('sign', at))}", set_at, "soften=0.7"], []),
        ("point_track", "Chimney", [], [f"point={[drawn['chimney_point']]}", "half=24", reference], []),
        ("conform", "Smoke slower", ["plate=plate:element"], ["speed=0.8", "frames=blend", "size=keep the size"], []),
        ("place", "Smoke", ["front=step:conform", "back=step:lay_in2", "motion=step:point_track2"],
         ["blend=screen", "x=-65", "y=-265", "scale=0.5", "soften=1.2", "opacity=0.8", set_at], []),
        ("camera_solve", "Camera", [], [f"focal={FOCAL}", f"ground={GROUND}", f"span={GROUND[:2]}", f"metres={METRES}", set_at], []),
        ("stand_in", "Second chimney", ["front=plate:stack", "back=step:place", "camera=step:camera_solve"],
         [f"foot={[RIDGE]}", "where=at a distance", f"distance={RIDGE_AWAY}", f"width={WIDE}", set_at], []),
        ("stand_in", "Lamp post", ["front=plate:lamp", "back=step:stand_in", "camera=step:camera_solve", "before=step:shapes"],
         [f"foot={[LAMP_FOOT]}", "where=on the ground", f"width={LAMP_WIDE}", set_at], []),
    ):  # fmt: skip
        shot, _ = added(shot, kind, name, inputs, settings, its_pins)
    # what is followed is followed on the plate as it came
    for track in ("point_track", "surface_track", "surface_track2", "point_track2", "camera_solve"):
        shot, _ = changed(shot, track, ["plate=plate:hero"], [], [])
    return gathered(shot, "Board", ["shapes", "lay_in"])[0]


def plates() -> tuple[Plate, ...]:
    """The board, the chimney that is added, and the smoke of the shelf."""
    board = Plate(id="still", role="still", path=BOARD, name="board", space="sRGB")
    smoke = Plate(id="element", role="element", path="elements/chimney_smoke.mp4", name="chimney_smoke", space="sRGB")
    stack = Plate(id="stack", role="element", path=STACK, name="second chimney", space="sRGB")
    sign = Plate(id="sign", role="still", path=SIGN, name="new sign", space="sRGB")
    lamp = Plate(id="lamp", role="still", path=LAMP, name="lamp post", space="sRGB")
    return board, smoke, stack, sign, lamp


def _marks(outline: list) -> list[list[float]]:
    return [[i + 1, float(x), float(y)] for i, (x, y) in enumerate(outline)]


def _rounded(corners: np.ndarray) -> list[list[float]]:
    return [[round(float(v), 2) for v in p] for p in corners]


def _corners(name: str, frame: int) -> np.ndarray:
    """Where a thing's corners lie in a frame, from the truth of set and camera, px."""
    camera = json.loads((TRUTH / "camera.json").read_text())["frames"][frame - 1]
    corners = np.array(json.loads((TRUTH / "surfaces.json").read_text())[name])
    k, r, t = (np.array(camera[n]) for n in "KRt")
    p = (k @ (corners @ r.T + t).T).T
    return np.asarray(p[:, :2] / p[:, 2:])
