"""Made clips whose frames in between are known: things that go, turn, grow and pass each other before a ground that moves too. Photographs as textures, linear light."""

from __future__ import annotations

from functools import cache

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode

Array = np.ndarray
SIZE = (216, 320)
NAMES = ("goes", "turns", "grows", "cross", "passed")


@cache
def _texture(name: str) -> Array:
    picture = getattr(skimage.data, name)()
    picture = np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else picture[..., :3]
    return np.asarray(srgb_decode(picture.astype(np.float32) / 255), np.float32)


def _laid(texture: Array, matrix: Array, mask: Array | None = None) -> tuple[Array, Array]:
    """A texture by a matrix (2 x 3), drawn three times as fine; its coverage."""
    h, w = SIZE
    fine = np.vstack([matrix, [0, 0, 1]])
    fine = np.diag([3, 3, 1.0]) @ fine
    picture = cv2.warpAffine(texture, fine[:2], (3 * w, 3 * h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT)
    cover = (
        np.ones((3 * h, 3 * w), np.float32)
        if mask is None
        else cv2.warpAffine(mask, fine[:2], (3 * w, 3 * h), flags=cv2.INTER_LINEAR)
    )
    return picture, cover


def _over(layers: list[tuple[Array, Array]]) -> tuple[Array, Array]:
    """Layers over each other, averaged to size; and which of them is on top (h, w)."""
    out, top = layers[0][0], np.zeros(layers[0][1].shape, np.float32)
    for k, (picture, cover) in enumerate(layers[1:], 1):
        out = out * (1 - cover[..., None]) + picture * cover[..., None]
        top = np.where(cover > 0.5, k, top)
    small = cv2.resize(out, SIZE[::-1], interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.float32), np.asarray(
        cv2.resize(top.astype(np.float32), SIZE[::-1], interpolation=cv2.INTER_NEAREST)
    )


def _turned(angle: float, grow: float, x: float, y: float, middle: tuple[float, float]) -> Array:
    m = cv2.getRotationMatrix2D(middle, angle, grow)
    m[:, 2] += (x, y)
    return np.asarray(m)


@cache
def moment(name: str, t: float) -> tuple[Array, Array]:
    """The clip at a time (h, w, 3), and which thing is on top (h, w)."""
    ground, disc, bar = _texture("coffee"), np.zeros((200, 200), np.float32), np.zeros((300, 60), np.float32)
    cv2.circle(disc, (100, 100), 60, 1.0, -1, cv2.LINE_AA)
    bar[:, 10:50] = 1
    thing, other = _texture("chelsea")[60:260, 120:320], np.ascontiguousarray(_texture("rocket")[100:400, 300:360])
    back = _laid(ground, np.array([[1, 0, -60 - 1.5 * t], [0, 1, -40.0]]))
    if name == "goes":
        return _over([back, _laid(thing, np.array([[1, 0, 40 + 7.3 * t], [0, 1, 10 + 2.1 * t]]), disc)])
    if name == "turns":
        return _over([back, _laid(thing, _turned(6 * t, 1.0, 60, 10, (100, 100)), disc)])
    if name == "grows":
        return _over([back, _laid(thing, _turned(0, 0.8 + 0.05 * t, 50 + 2 * t, 10, (100, 100)), disc)])
    if name == "cross":
        first = _laid(thing, np.array([[1, 0, 10 + 6.0 * t], [0, 1, 10.0]]), disc)
        return _over([back, first, _laid(other, np.array([[1, 0, 190 - 5.0 * t], [0, 1, -30.0]]), bar)])
    near = _laid(other, np.array([[1, 0, 120 - 9.0 * t], [0, 1, -30.0]]), bar)
    return _over([_laid(ground, np.array([[1.1, 0, -60 - 3.5 * t], [0, 1.1, -40.0]])), near])


def uncovered(name: str, t: float, step: float = 1.0) -> Array:
    """(h, w) where what is seen at `t` + half a step is hidden in one of the frames about it."""
    tops = [moment(name, t + d * step)[1] for d in (0.0, 0.5, 1.0)]
    out = (tops[0] != tops[1]) | (tops[2] != tops[1])
    return np.asarray(cv2.dilate(out.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)
