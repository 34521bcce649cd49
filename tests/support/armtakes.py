"""Made frames of an arm that passes, blurred by its motion, before a rig, with the truth: the same arm where the rig never was. Linear light."""

from __future__ import annotations

from dataclasses import dataclass, field

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode
from rigtakes import grained

Array = np.ndarray
SIZE = (160, 260)


@dataclass(frozen=True)
class ArmFrame:
    """`plate` with arm and rig, `truth` with the arm alone and `behind` without either (h, w, 3); `alpha` of the arm, `shape` of it as drawn, without its blur and aside,
    `rig` and what must go (`gone`), all (h, w)."""

    plate: Array = field(repr=False)
    truth: Array = field(repr=False)
    behind: Array = field(repr=False)
    alpha: Array = field(repr=False)
    shape: Array = field(repr=False)
    rig: Array = field(repr=False)
    gone: Array = field(repr=False)


def arm_frame(
    contrast: float, rig_level: float, blur: float = 14.0, aside: tuple[float, float] = (2.2, 2.0), seed: int = 1
) -> ArmFrame:
    """`contrast`: of the arm's texture, of its light; `rig_level`: linear; `blur` px that it moves while the shutter is open; `aside`: how far the drawn shape lies off."""
    h, w = SIZE
    rng = np.random.default_rng(seed)
    photo = skimage.data.chelsea()[100 : 100 + h, 60 : 60 + w].astype(np.float32) / 255
    behind = np.asarray(srgb_decode(cv2.GaussianBlur(photo, (0, 0), 1.2)), np.float32)
    y, x = np.mgrid[0:h, 0:w] + 0.5
    rig = np.clip(9.5 - np.abs(x - 130 - 0.05 * (y - 80)), 0, 1).astype(np.float32)
    noise = cv2.GaussianBlur(rng.standard_normal((h, 2 * w)).astype(np.float32), (0, 0), 2.0)
    noise = noise / noise.std()
    skin = np.array(srgb_decode(np.float32((0.78, 0.6, 0.5))))
    way = np.array([np.cos(np.radians(20)), -np.sin(np.radians(20))]) * blur
    alpha, colour = np.zeros((h, w)), np.zeros((h, w, 3))
    for t in np.linspace(-0.5, 0.5, 25):
        dx, dy = way * t
        one = _arm(x - dx, y - dy)
        tex = cv2.remap(noise, (x - dx + 60).astype(np.float32), (y - dy).astype(np.float32), cv2.INTER_LINEAR)
        alpha += one / 25
        colour += one[..., None] * skin * (1 + contrast * tex[..., None]) / 25
    alpha, colour = (cv2.GaussianBlur(v.astype(np.float32), (0, 0), 0.6) for v in (alpha, colour))
    old = behind * (1 - rig[..., None]) + rig_level * rig[..., None]
    plate = grained(colour + (1 - alpha[..., None]) * old, rng)
    truth = colour + (1 - alpha[..., None]) * behind
    shape = _arm(x - aside[0], y - aside[1]).astype(np.float32)
    gone = cv2.dilate((rig > 0).astype(np.uint8), np.ones((5, 5), np.uint8)).astype(np.float32)
    return ArmFrame(plate, truth.astype(np.float32), behind, alpha, shape, rig, gone)


def _arm(x: Array, y: Array) -> Array:
    """A forearm that reaches over, its end round."""
    along, across = 0.97 * (x - 40) - 0.25 * (y - 90), 0.25 * (x - 40) + 0.97 * (y - 90)
    far = np.hypot(np.maximum(along - 105, 0), across)
    return np.clip(21 - 0.03 * along - far, 0, 1)
