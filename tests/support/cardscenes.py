"""Made takes of textured cards that stand in depth, seen by a camera with a known path; drawn at twice the size in linear light."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
from camerapaths import turns
from pointclips import texture

FINE = 2
# middle x, y, depth and half side of each, m
CARDS = (
    (-2.2, -0.6, 9.0, 3.2),
    (1.9, 0.5, 8.0, 2.6),
    (0.1, -0.9, 6.5, 1.6),
    (-1.2, 0.9, 5.5, 1.3),
    (1.1, 1.0, 5.0, 1.0),
    (-2.4, 1.4, 7.0, 1.8),
)
WALL = 14.0


@dataclass(frozen=True)
class CardScene:
    """`frames` (n, h, w, 3) linear; `turn` (n, 3, 3) and `place` (n, 3) of the camera, `focal` px. `spots` (m, 3): places on the cards."""

    frames: list[np.ndarray] = field(repr=False)
    turn: np.ndarray
    place: np.ndarray
    focal: float
    spots: np.ndarray


def card_scene(
    seed: int = 1,
    size: tuple[int, int] = (270, 480),
    frames: int = 16,
    move: float = 1.4,
    noise: float = 1.0,
    walker: bool = False,
    zoom: np.ndarray | None = None,
) -> CardScene:
    """`noise` 8-bit levels; `walker`: a card that covers up to a third goes its own way; `zoom` (frames,) times the focal length."""
    h, w = size
    focal = 1.15 * w
    rng = np.random.default_rng(seed)
    t = np.linspace(0, 1, frames)
    place = np.c_[move * (t - 0.5), 0.12 * np.sin(4 * t), 0.25 * t]
    turn = turns(np.c_[0.02 * np.sin(3 * t), -0.09 * (t - 0.5), 0.015 * t])
    cards = [(np.array([0.0, 0, WALL]), 9.0, 0.0, texture(seed + 60, 2200))]
    for k, (x, y, z, half) in enumerate(sorted(CARDS, key=lambda c: -c[2])):
        cards.append((np.array([x, y, z]), half, 0.25 * (-1) ** k, texture(seed + 70 + k, 900)))
    spots = np.array([_on(c, half, yaw, u, v) for c, half, yaw, _ in cards[1:] for u, v in ((-0.6, -0.6), (0.6, -0.5), (0, 0.6))])
    out = []
    for n in range(frames):
        total = np.zeros((h * FINE, w * FINE, 3), np.float32)
        shown = cards
        if walker:
            shown = [*cards, (np.array([-2.0 + 3.0 * t[n], 0.1, 4.2]), 0.75, 0.0, texture(seed + 99, 700))]
        for middle, half, yaw, picture in shown:
            here = focal if zoom is None else focal * zoom[n]
            m = _seen(middle, half, yaw, picture.shape[0], turn[n], place[n], here, size)
            there = cv2.warpPerspective(np.ones(picture.shape[:2], np.float32), m, (w * FINE, h * FINE))[..., None]
            moved = cv2.warpPerspective(picture, m, (w * FINE, h * FINE), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
            total = total * (1 - there) + moved * there
        small = cv2.resize(total, (w, h), interpolation=cv2.INTER_AREA)
        out.append(np.clip(small + noise / 255 * rng.standard_normal(small.shape), 0, 1).astype(np.float32))
    return CardScene(out, turn, place, focal, spots)


def _on(middle: np.ndarray, half: float, yaw: float, u: float, v: float) -> np.ndarray:
    """A place of a card, u and v from -1 to 1."""
    return middle + half * np.array([u * np.cos(yaw), v, u * np.sin(yaw)])


def _seen(
    middle: np.ndarray,
    half: float,
    yaw: float,
    side: int,
    turn: np.ndarray,
    place: np.ndarray,
    focal: float,
    size: tuple[int, int],
) -> np.ndarray:
    """From a card's pixels to the drawing's, as OpenCV counts."""
    h, w = size
    scale = 2 * half / side
    card = np.array(
        [[scale * np.cos(yaw), 0, -half * np.cos(yaw)], [0, scale, -half], [scale * np.sin(yaw), 0, -half * np.sin(yaw)]]
    )
    card[:, 2] += middle - place
    camera = np.array([[focal, 0, w / 2], [0, focal, h / 2], [0, 0, 1]])
    shift = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    return np.linalg.inv(shift) @ np.diag([FINE, FINE, 1.0]) @ camera @ turn @ card @ shift
