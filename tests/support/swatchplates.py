"""Plates rendered from swatches: a figure striped with known colours before uneven cloth, photon noise, 8-bit code."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from keyplates import made_screen, srgb_decode, srgb_encode

from transmixis.core.plan.screen import COMMON, law_of_grain

W, H = 640, 360


@dataclass(frozen=True)
class SwatchPlate:
    """`frames` linear as read from 8 bit; `alpha` of the figure; `stripe` which colour stands in a row; `texture` its deviation."""

    frames: list[np.ndarray]
    alpha: np.ndarray
    stripe: np.ndarray


def swatch_plate(kind: str, names: tuple[str, ...], grain: float, seed: int, texture: float = 0.12) -> SwatchPlate:
    """Three frames; `grain` is the deviation of the coded picture at middle grey, its rounding included."""
    rng = np.random.default_rng(seed)
    cloth = made_screen(kind, H, W, rng)
    cloth = cloth[0] if isinstance(cloth, tuple) else cloth
    mask = np.zeros((4 * H, 4 * W), np.uint8)
    cv2.ellipse(mask, (2 * W, int(2.48 * H)), (int(0.64 * W), int(2.0 * H)), 0, 0, 360, 255, -1)
    alpha = cv2.resize(mask, (W, H), interpolation=cv2.INTER_AREA).astype(np.float32) / 255
    stripe = np.clip(((np.arange(H) - H * 0.12) / (H * 0.88) * len(names)).astype(int), 0, len(names) - 1)
    figure = np.array([COMMON[n] for n in names], np.float32)[stripe][:, None].repeat(W, 1)
    wave = cv2.GaussianBlur(rng.standard_normal((H, W)).astype(np.float32), (0, 0), 2.0) * np.sqrt(4 * np.pi * 4)
    figure = figure * np.maximum(1 + texture * wave, 0.05)[..., None]
    light = figure * alpha[..., None] + (1 - alpha[..., None]) * cloth
    a, b = law_of_grain(np.sqrt(max(grain**2 - 1 / 12, 0.01)))  # the rounding adds a twelfth of a level squared
    frames = []
    for _ in range(3):
        noisy = light + np.sqrt(np.maximum(a * light + b, 0)) * rng.standard_normal(light.shape)
        frames.append(srgb_decode((np.clip(np.round(srgb_encode(noisy) * 255), 0, 255) / 255).astype(np.float32)))
    return SwatchPlate(frames, alpha, stripe)
