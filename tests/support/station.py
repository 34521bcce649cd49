"""The demo's shot KP020 with its truth: a board, a mark put on the wall, and the steps that a person would set to work on it."""

from __future__ import annotations

import json
from functools import lru_cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from places import ROOT
from scipy.spatial import cKDTree

from transmixis.core.colour.curves import linear_to_srgb
from transmixis.core.matte.shape import fill_shape
from transmixis.media.source import open_source
from transmixis.media.still import write_still

DEMO = ROOT / "demo"
TRUTH = DEMO / "truth" / "KP020"
PLATE = DEMO / "kite_post" / "plates" / "KP020" / "hero" / "KP020_hero.mp4"
SMOKE = DEMO / "kite_post" / "elements" / "chimney_smoke.mp4"
BOARD = DEMO / "kite_post" / "plates" / "KP020" / "board" / "KP020_board.png"
LENGTH, WIDTH, HEIGHT = 60, 960, 540
MARK, RADIUS = np.array([-16.88, 12.5, 1.2]), 0.3  # cm in the set, on a plank
REFERENCE = 30

DRAWN = json.loads((TRUTH / "drawn.json").read_text())
FLUSH = [
    [(x, y) for x, y in outline] for outline in DRAWN["flush"]
]  # the shutters and the door's trim lie as flush as the board would
BOX_POINT, CHIMNEY = tuple(DRAWN["postbox_point"]), tuple(DRAWN["chimney_point"])
BOX = {int(n): points for n, points in DRAWN["postbox"].items()}  # drawn to half a pixel


def box_at(frame: int) -> list[list[float]]:
    """The drawn outline of the postbox with the identities of its points."""
    return [[i + 1, x, y] for i, (x, y) in enumerate(BOX[frame])]


def marked(outline: list[tuple[float, float]]) -> list[list[float]]:
    return [[i + 1, x, y] for i, (x, y) in enumerate(outline)]


@lru_cache(maxsize=1)
def _truth() -> tuple[dict[str, Any], dict[str, Any]]:
    return json.loads((TRUTH / "camera.json").read_text()), json.loads((TRUTH / "surfaces.json").read_text())


def seen(points: Any, frame: int) -> np.ndarray:
    """Points of the set (cm) as frame 1..60 shows them, px, pixel centres at +0.5."""
    f = _truth()[0]["frames"][frame - 1]
    k, r, t = (np.array(f[n]) for n in "KRt")
    p = (k @ (np.asarray(points, float).reshape(-1, 3) @ r.T + t).T).T
    return p[:, :2] / p[:, 2:]


def board(frame: int) -> np.ndarray:
    """The four corners of the board in a frame."""
    return seen(_truth()[1]["board"], frame)


def surface(name: str, frame: int) -> np.ndarray:
    return seen(_truth()[1][name], frame)


def survey_points(frame: int) -> dict[str, np.ndarray]:
    """The surveyed points that are to be seen in a frame, px."""
    return {k: np.array(v) for k, v in _truth()[0]["frames"][frame - 1]["visible"].items()}


def true_camera() -> tuple[float, np.ndarray]:
    """The focal length, px, and (n, 3) where the camera stood."""
    camera, _ = _truth()
    places = [-np.array(f["R"]).T @ np.array(f["t"]) for f in camera["frames"]]
    return float(camera["frames"][0]["K"][0][0]), np.array(places)


def half_way(frame: int) -> np.ndarray:
    """The half-way line of the postbox's mask above the grass, px to a tenth (n, 2)."""
    mask = cv2.imread(str(TRUTH / f"postbox.{1000 + frame}.png"), cv2.IMREAD_UNCHANGED).astype(np.float32) / 65535
    line = [crossings(mask), crossings(mask.T)[:, ::-1]]
    every = np.vstack(line)
    return every[every[:, 1] < every[:, 1].max() - 45]  # grass and a stone stand before its foot


def crossings(mask: np.ndarray) -> np.ndarray:
    """Where rows of a mask pass one half, by straight lines between pixel centres."""
    a, b = mask[:, :-1] - 0.5, mask[:, 1:] - 0.5
    y, x = np.nonzero(a * b < 0)
    t = a[y, x] / (a[y, x] - b[y, x])
    return np.stack([x + 0.5 + t, y + 0.5], 1)


def apart(outline: np.ndarray, frame: int) -> float:
    """The largest distance px from the half-way line to the outline, either way."""
    truth = half_way(frame)
    low = truth[:, 1].max()
    dense = np.vstack(
        [a + np.linspace(0, 1, 40)[:, None] * (b - a) for a, b in zip(outline, np.roll(outline, -1, 0), strict=True)]
    )
    there, _ = cKDTree(dense).query(truth)
    back, _ = cKDTree(truth).query(dense[dense[:, 1] < low - 2])
    return float(max(there.max(), back.max()))


def mark_at(frame: int) -> np.ndarray:
    """The middle of the mark in a frame."""
    return seen(MARK, frame)[0]


def round_the_mark(frame: int, radius: float = 6.5) -> list[list[float]]:
    """What a person draws round the mark."""
    x, y = mark_at(frame)
    return marked(
        [
            (round(x + radius * np.cos(a), 1), round(y + radius * np.sin(a), 1))
            for a in np.linspace(0, 2 * np.pi, 10, endpoint=False)
        ]
    )


def rim(frame: int) -> np.ndarray:
    """The mark's rim in a frame."""
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    return seen(MARK + RADIUS * np.stack([np.cos(turn), np.sin(turn), 0 * turn], 1), frame)


def make_plate(folder: Path) -> Path:
    """A copy of the plate with the mark on its wall, as numbered files; gives the first."""
    source = open_source(PLATE)
    try:
        for n in range(1, LENGTH + 1):
            cover = fill_shape(rim(n), HEIGHT, WIDTH, 0.7)[..., None]
            frame = source.read(n)[..., :3]
            dark = frame * np.array([0.25, 0.2, 0.2], np.float32) + np.float32(0.01)
            write_still(folder / f"station.{n:04d}.png", (frame + cover * (dark - frame)).astype(np.float32), kind="uint8")
    finally:
        source.close()
    return folder / "station.0001.png"


def bare_frame(frame: int) -> np.ndarray:
    """The plate without the mark, linear."""
    source = open_source(PLATE)
    try:
        return source.read(frame)[..., :3]
    finally:
        source.close()


def steps_at_border(mended: np.ndarray, truth: np.ndarray, matte: np.ndarray) -> float:
    """How far the mended picture is off the truth just inside the patch's border, mean over the border, worst channel, 8-bit levels."""
    inside = cv2.distanceTransform((matte > 0.5).astype(np.uint8), cv2.DIST_L2, 5)
    band = (inside > 0) & (inside <= 2.5)
    off = (linear_to_srgb(np.clip(mended[..., :3], 0, None)) - linear_to_srgb(np.clip(truth, 0, None))) * 255
    return float(np.abs(off[band].mean(axis=0)).max())
