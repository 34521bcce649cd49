"""Frames so small that a whole shot of them keys in a moment."""

from __future__ import annotations

import numpy as np


def tiny_frame(n: int, size: tuple[int, int] = (48, 64), shift: int = 0) -> np.ndarray:
    """A green frame with a block that moves a pixel a frame; scene linear."""
    rng = np.random.default_rng(100 + n)
    frame = np.full((*size, 3), (0.05, 0.3, 0.07), np.float32)
    frame[14:40, 20 + n + shift : 38 + n + shift] = (0.45, 0.2, 0.12)
    return (frame + rng.normal(0, 0.003, frame.shape)).astype(np.float32)
