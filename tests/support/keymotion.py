"""Keying plates whose camera motion is known: a screen with or without crosses, and a textured subject that sways before it.

The screen (falloff, wrinkles, seams) and the subject are pictures moved by fourth-order splines; the subject has a motion of its
own that has nothing to do with the camera's.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from keyplates import smooth_noise
from movingplates import MARGIN, centred, recorded, seen
from scipy import ndimage

from transmixis.core.colour.curves import linear_to_srgb

SIZE = (270, 480)


@dataclass(frozen=True)
class KeyTake:
    """Frames as recorded (linear), the camera's path (n, 2) px since the first frame, and the subject's share of the frame."""

    frames: list[np.ndarray]
    path: np.ndarray
    share: float


def screen_picture(seed: int, kind: str, *, crosses: bool, size: tuple[int, int] = SIZE) -> np.ndarray:
    """A linear picture of cloth, larger than the frame by a margin."""
    rng = np.random.default_rng(seed)
    h, w = size[0] + 2 * MARGIN, size[1] + 2 * MARGIN
    base = np.float32([0.045, 0.27, 0.07]) if kind == "green" else np.float32([0.03, 0.07, 0.25])
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    stops = -0.8 * (xx / w * 0.7 + yy / h * 0.4) + 0.08 * smooth_noise(rng, h, w, 80)
    stops += 0.04 * np.sin(xx / 19 + 2 * np.sin(yy / 60) + rng.uniform(0, 6))
    stops -= 0.07 * np.exp(-((xx - rng.uniform(0.2, 0.8) * w - 0.1 * yy) ** 2) / 20)  # a seam
    out = base * np.exp2(stops)[..., None]
    if crosses:
        mark = np.zeros((h, w), np.float32)
        for cx, cy in ((0.12, 0.2), (0.88, 0.22), (0.12, 0.7), (0.9, 0.75), (0.5, 0.1)):
            x, y = int(cx * w), int(cy * h)
            cv2.line(mark, (x - 6, y), (x + 6, y), 1.0, 2)
            cv2.line(mark, (x, y - 6), (x, y + 6), 1.0, 2)
        mark = cv2.GaussianBlur(mark, (0, 0), 0.7)[..., None]
        out = out * (1 - mark) + np.float32([0.16, 0.3, 0.17]) * mark
    return cv2.GaussianBlur(out, (0, 0), 0.6).astype(np.float32)


def subject_of(seed: int, share: float, size: tuple[int, int] = SIZE) -> tuple[np.ndarray, np.ndarray]:
    """Colour and alpha (h, w, …) with margins of a standing figure that fills about `share` of the frame."""
    rng = np.random.default_rng(seed + 1000)
    h, w = size[0] + 2 * MARGIN, size[1] + 2 * MARGIN
    alpha = np.zeros((h, w), np.float32)
    wide, tall = share * size[1] / 0.8, 0.8 * h
    x = w * rng.uniform(0.45, 0.55)
    cv2.ellipse(alpha, (int(x), h), (int(0.55 * wide), int(tall)), 0, 180, 360, 1.0, -1)
    cv2.circle(alpha, (int(x), int(h - tall)), int(0.07 * w), 1.0, -1)
    alpha = cv2.GaussianBlur(alpha, (0, 0), 1.0)
    tiles = cv2.resize(rng.random((18, 26, 1)).astype(np.float32), (w, h), interpolation=cv2.INTER_NEAREST)
    fine = cv2.GaussianBlur(rng.normal(0, 1, (h, w)).astype(np.float32), (0, 0), 1.3)
    tone = (0.08 + 0.4 * tiles.reshape(h, w)) * (1 + 0.4 * fine)
    colour = np.clip(tone, 0.01, 0.8)[..., None] * np.float32([1.0, 0.55, 0.5])
    return cv2.GaussianBlur(colour, (0, 0), 0.7).astype(np.float32), alpha


def camera_path(how: str, n: int, rng: np.random.Generator) -> np.ndarray:
    """Camera shift (n, 2) px: locked, drifting or shaken, from the first frame on."""
    if how == "locked":
        return np.zeros((n, 2))
    if how == "drifting":
        return np.linspace(0, 1, n)[:, None] * rng.uniform(1.5, 4, 2) * rng.choice([-1, 1], 2)
    shake = ndimage.gaussian_filter1d(rng.normal(0, 1, (n, 2)), 1.0, axis=0)
    shake *= 2.0 / np.sqrt((shake**2).mean())
    return np.asarray(shake - shake[0])


def key_take(
    seed: int, how: str, share: float, *, crosses: bool, kind: str = "green", n: int = 14, noise: float = 1.3
) -> KeyTake:
    rng = np.random.default_rng(seed)
    screen, (colour, alpha) = screen_picture(seed, kind, crosses=crosses), subject_of(seed, share)
    path = camera_path(how, n, rng)
    phase, reach = rng.uniform(0, 6), rng.uniform(4, 14)
    frames = []
    for i in range(n):
        sway = np.array([reach * (np.sin(0.55 * i + phase) - np.sin(phase)), 1.5 * (np.sin(0.9 * i) - 0)])
        turn = 1.15 * np.sin(0.4 * i)
        camera = centred(*path[i], size=SIZE)
        own = centred(*(path[i] + sway), turn, size=SIZE)
        a = np.clip(ndimage.affine_transform(alpha, *_inverse(own), SIZE, order=3), 0, 1)[..., None]
        frames.append(recorded(seen(screen, camera, SIZE) * (1 - a) + seen(colour, own, SIZE) * a, 10 * seed + i, noise))
    return KeyTake(frames, path, float(a.mean()))


def least_error(seed: int, share: float, *, kind: str, noise: float = 1.3) -> float:
    """The least rms error (px) with which any unbiased method can tell the shift between two frames of such a take without crosses:
    the Cramer-Rao bound (Kay, Fundamentals of Statistical Signal Processing, 1993) from the true screen's gradients in all three
    channels, the noise of both frames, and a change of light (third order in x and y, and a gain) that is not known."""
    screen, (_, alpha) = screen_picture(seed, kind, crosses=False), subject_of(seed, share)
    still = centred(0, 0, size=SIZE)
    shown = ndimage.affine_transform(alpha, *_inverse(still), SIZE, order=3) < 0.004
    code = 255 * linear_to_srgb(seen(screen, still, SIZE)).astype(np.float64)
    v, u = np.mgrid[-1 : 1 : SIZE[0] * 1j, -1 : 1 : SIZE[1] * 1j]
    slow = [(u**i * v**j)[shown] for i in range(4) for j in range(4 - i)]
    told = np.zeros((2, 2))
    for c in range(3):
        gradients = np.stack([g[shown] for g in np.gradient(code[..., c])[::-1]], 1)
        light, _ = np.linalg.qr(np.stack([*slow, code[..., c][shown]], 1))
        left = gradients - light @ (light.T @ gradients)
        told += left.T @ left / (2 * (noise**2 + 1 / 12))
    return float(np.sqrt(np.trace(np.linalg.inv(told))))


def _inverse(move: object) -> tuple[np.ndarray, np.ndarray]:
    m = move.inverse().matrix  # type: ignore[attr-defined]
    return m[::-1, :2][:, ::-1], m[::-1, 2] + MARGIN
