"""The coverage map: what must go in a frame, marked by the soundest way that gives each place back; the sounder, the less ink."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.repair import ways
from transmixis.core.repair.laying import bounds
from transmixis.core.repair.ways import Way
from transmixis.core.types import Array, Mask, Rgb

ROOM = 24  # px about what must go that are drawn
WIDE, TALL, LARGEST = 380, 250, 6.0  # px of the drawing, and how many times the plate is enlarged in it at most
APART = 18  # px of the drawing from mark to mark
WHITE, INK, ORANGE, VERMILION = (255, 255, 255), (30, 34, 38), (230, 159, 0), (213, 94, 0)


def map_of(gone: Mask, found: Sequence[Way]) -> Array:
    """(h, w) 0 where nothing goes, else 1 clean plate, 2 other frames, 3 a neighbour or a string's sides, 4 made up."""
    by = {w.name: w for w in found}
    out = np.where(gone, 4, 0).astype(np.uint8)
    for code, names in ((3, (ways.SPACE, ways.WIRE)), (2, (ways.TIME,)), (1, (ways.CLEAN,))):
        for name in names:
            w = by.get(name)
            if w is not None and w.gives is not None and (w.serves or code < 3):
                out[(np.asarray(w.gives) > 0.5) & gone] = code
    return out


def drawn(picture: Rgb, gone: Mask, found: Sequence[Way]) -> Rgb:
    """The part of a linear picture about what must go, enlarged, with the marks on it (h, w, 3) linear."""
    box = bounds([gone])
    assert box is not None
    h, w = gone.shape
    x0, y0, x1, y1 = max(0, box[0] - ROOM), max(0, box[1] - ROOM), min(w, box[2] + ROOM), min(h, box[3] + ROOM)
    scale = float(np.clip(min(WIDE / (x1 - x0), TALL / (y1 - y0)), 0.2, LARGEST))
    size = (round((x1 - x0) * scale), round((y1 - y0) * scale))
    part = cv2.resize(
        linear_to_srgb(np.clip(picture[y0:y1, x0:x1], 0, 1)).astype(np.float32) * 255, size, interpolation=cv2.INTER_LINEAR
    )
    image = np.ascontiguousarray(part.round().clip(0, 255).astype(np.uint8))
    where = map_of(gone, found)[y0:y1, x0:x1]
    border, _ = cv2.findContours(
        (cv2.resize((where > 0).astype(np.uint8), size, interpolation=cv2.INTER_NEAREST)),
        cv2.RETR_EXTERNAL,
        cv2.CHAIN_APPROX_NONE,
    )
    for colour, thick in ((WHITE, 3), (INK, 1)):
        cv2.drawContours(image, border, -1, colour, thick, cv2.LINE_AA)
    for y in range(APART // 2, size[1], APART):
        for x in range(APART // 2, size[0], APART):
            _mark(image, x, y, int(where[min(int(y / scale), where.shape[0] - 1), min(int(x / scale), where.shape[1] - 1)]))
    return np.asarray(srgb_to_linear(image.astype(np.float32) / 255), np.float32)


def _mark(image: Array, x: int, y: int, code: int) -> None:
    if code == 1 and (x // APART + y // APART) % 2 == 0:
        cv2.circle(image, (x, y), 4, INK, 3, cv2.LINE_AA)
        cv2.circle(image, (x, y), 4, WHITE, 1, cv2.LINE_AA)
    elif code == 2:
        for colour, thick in ((INK, 5), (WHITE, 2)):
            cv2.line(image, (x, y - 4), (x, y + 4), colour, thick, cv2.LINE_AA)
    elif code == 3:
        for dy in (-3, 3):
            for colour, thick in ((INK, 4), (ORANGE, 2)):
                cv2.line(image, (x - 5, y + dy), (x + 5, y + dy), colour, thick, cv2.LINE_AA)
    elif code == 4:
        corners = np.array([[x - 5, y - 5], [x + 6, y], [x - 5, y + 5]], np.int32)
        cv2.fillConvexPoly(image, corners, VERMILION, cv2.LINE_AA)
        cv2.polylines(image, [corners], True, WHITE, 1, cv2.LINE_AA)
