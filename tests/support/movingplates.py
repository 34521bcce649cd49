"""Plates with a known camera, exposure and everything else, made from a picture that is random but has something to see.

The picture is moved by spline interpolation of the fourth order, since the usual quick ones are off by hundredths of a pixel.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from scipy import ndimage

from transmixis.core.colour.curves import linear_to_srgb, srgb_to_linear
from transmixis.core.motion.camera import anchor_of
from transmixis.core.motion.similarity import Similarity
from transmixis.core.survey.scan import Scan, prepare, scan_frame

SIZE = (216, 384)
MARGIN = 24


def made_picture(seed: int, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A linear picture with edges, texture and plain parts, larger than the frame by a margin."""
    rng = np.random.default_rng(seed)
    h, w = size[0] + 2 * MARGIN, size[1] + 2 * MARGIN
    out = np.full((h, w, 3), rng.uniform(0.15, 0.3, 3), np.float32)
    out += cv2.resize(rng.random((5, 8, 3)).astype(np.float32), (w, h), interpolation=cv2.INTER_CUBIC) * 0.15
    for _ in range(60):
        x, y = int(rng.integers(0, w)), int(rng.integers(0, h))
        a, b = int(rng.integers(8, 60)), int(rng.integers(8, 60))
        colour = rng.uniform(0.02, 0.7, 3).astype(np.float32)
        if rng.random() < 0.5:
            cv2.rectangle(out, (x, y), (x + a, y + b), colour.tolist(), -1)
        else:
            cv2.ellipse(out, (x, y), (a // 2, b // 2), float(rng.uniform(0, 180)), 0, 360, colour.tolist(), -1)
    fine = cv2.GaussianBlur(rng.normal(0, 1, (h, w, 1)).astype(np.float32), (0, 0), 1.5)
    return np.clip(cv2.GaussianBlur(out, (0, 0), 0.8) * (1 + 0.35 * fine[..., None]), 0.01, 0.8).astype(np.float32)


def seen(picture: np.ndarray, move: Similarity | None = None, size: tuple[int, int] = SIZE) -> np.ndarray:
    """What the camera sees of the picture after `move` (about the frame's centre)."""
    m = (move or Similarity()).inverse().index_matrix
    a, off = m[::-1, :2][:, ::-1], m[::-1, 2] + MARGIN
    return np.stack([ndimage.affine_transform(picture[..., c], a, off, size, order=4, mode="reflect") for c in range(3)], -1)


def centred(x: float, y: float, turn: float = 0.0, grow: float = 1.0, size: tuple[int, int] = SIZE) -> Similarity:
    return Similarity(x, y, turn, grow, (size[1] / 2, size[0] / 2))


def with_people(frame: np.ndarray, n: int) -> np.ndarray:
    """Two figures that walk and change, over a third of the frame."""
    out = frame.copy()
    h, w = frame.shape[:2]
    for k in range(2):
        x = int((0.1 + 0.42 * k) * w + 0.1 * w * np.sin(0.5 * n + 2 * k))
        own = np.random.default_rng(50 + k).random((h // 8, 8, 3)) + 0.3 * np.random.default_rng(90 * n + k).random(
            (h // 8, 8, 3)
        )
        body = cv2.resize(own.astype(np.float32), (w // 6, int(0.95 * h)), interpolation=cv2.INTER_CUBIC)
        out[-body.shape[0] :, x : x + body.shape[1]] = np.clip(body, 0, 1) * 0.12
    return out


def recorded(frame: np.ndarray, seed: int, noise: float = 1.2, bits: int = 8) -> np.ndarray:
    """As a camera would keep it: noise in 8-bit levels, rounded to codes, read back to linear."""
    top = 2**bits - 1
    coded = linear_to_srgb(np.clip(frame, 0, 1)) + np.random.default_rng(seed).normal(0, noise / 255, frame.shape)
    return srgb_to_linear(np.clip(np.round(coded * top), 0, top) / top).astype(np.float32)


def scans_of(frames: list[np.ndarray]) -> list[Scan]:
    """Scans of frames in order, the first being the reference."""
    out, before, anchor = [], None, None
    for f in frames:
        ready = prepare(f)
        out.append(scan_frame(ready, before, anchor))
        before = ready
        anchor = anchor or replace(anchor_of(ready.grey), backdrop=ready.backdrop)
    return out
