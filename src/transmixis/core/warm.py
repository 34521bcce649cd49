"""Compile (or load) every compiled kernel once, so that the first key is as quick as the next."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.blend import ADD, DISPLAY, LINEAR, MULTIPLY, OVER, blended
from transmixis.core.build.over import with_alpha
from transmixis.core.matte.keyer import KeyModel, key_frame, learn_shot
from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.align import camera_move
from transmixis.core.motion.follow import laid_near
from transmixis.core.motion.point import follow_points
from transmixis.core.motion.surface import Surface
from transmixis.core.survey.blur import measure_blur, spectrum
from transmixis.core.time.inbetween import Pair


def warm() -> None:
    """Key a tiny made frame."""
    rng = np.random.default_rng(1)
    frame = np.full((48, 64, 3), (0.05, 0.3, 0.07), np.float32) + rng.normal(0, 0.004, (48, 64, 3)).astype(np.float32)
    frame[16:32, 24:40] = (0.4, 0.2, 0.15)
    model = learn_shot([frame, frame, frame], clean=None)
    assert isinstance(model, KeyModel)
    key_frame(frame, model)
    plain = learn_shot([frame])
    assert isinstance(plain, KeyModel)
    key_frame(frame, plain)
    fill_shape([(1, 1), (6, 1), (3, 6)], 8, 8)
    camera_move(frame, frame)
    dotted = np.clip(frame + rng.normal(0, 0.1, frame.shape).astype(np.float32), 0, 1)
    follow_points(lambda i: dotted, np.array([[30.0, 24.0]]), 0, 2, half=8, reach=4)
    large = np.clip(0.3 + rng.normal(0, 0.1, (128, 128, 3)), 0, 1).astype(np.float32)
    corners = np.array([[14.0, 14], [114, 14], [114, 114], [14, 114]])
    surface = Surface(large, corners, np.asarray(fill_shape(corners, 128, 128)))
    laid_near(surface, large, np.eye(3))  # what evens the light
    laid_near(surface.smeared(np.array([4.0, 0.0])), large, np.eye(3))
    layer = with_alpha(frame) * np.float32(0.5)
    for mode, light in ((OVER, LINEAR), (ADD, LINEAR), (MULTIPLY, LINEAR), (MULTIPLY, DISPLAY)):
        blended(layer, frame, mode, light)
    Pair(dotted, frame).at(0.5)
    measure_blur(spectrum(np.zeros((256, 256), np.float32)))  # makes the bank of smears


if __name__ == "__main__":
    warm()
