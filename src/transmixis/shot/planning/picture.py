"""A small picture of a shot for its brief."""

from __future__ import annotations

import cv2
import numpy as np

from transmixis.core.errors import UserError
from transmixis.media.colour import SRGB, from_working
from transmixis.shot.render import Renderer, output_ref

WIDTH = 640


def shot_png(renderer: Renderer) -> bytes | None:
    """The middle frame of what the shot delivers (of its hero plate if it has no work order yet) as PNG; None if there is none."""
    shot = renderer.shot
    hero = shot.plate_of_role("hero") or (shot.plates[0] if shot.plates else None)
    for ref in (output_ref(shot), f"plate:{hero.id}" if hero else None):
        if ref is None:
            continue
        try:
            picture = renderer.product(ref, (shot.length + 1) // 2).picture
        except UserError:
            continue
        if picture is not None:
            return _png(np.asarray(picture[..., :3], np.float32))
    return None


def _png(picture: np.ndarray) -> bytes:
    h, w = picture.shape[:2]
    small = cv2.resize(picture, (min(WIDTH, w), max(1, round(h * min(WIDTH, w) / w))), interpolation=cv2.INTER_AREA)
    code = np.clip(np.round(255 * from_working(np.maximum(small, 0), SRGB)), 0, 255).astype(np.uint8)
    return bytes(cv2.imencode(".png", code[..., ::-1])[1])
