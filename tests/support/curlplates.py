"""Another kind of made screen plate, with exact truth: dark long curls, a fur collar, a plaid coat, a veil of uneven thickness, a wire and a
fast ball, before cloth with fine texture of its own. It shares nothing with keyplates.py but the way it is drawn."""

from __future__ import annotations

import cv2
import numpy as np
from keyplates import SS, MadePlate, _Canvas, _decoded, _poly, _strand, smooth_noise, srgb_encode

DARK = np.float32([0.03, 0.022, 0.018])
STRANDS = (0.5, 0.8, 1.2, 1.8)  # px


class _Subject:
    """What stays the same from frame to frame."""

    def __init__(self, kind: str, size: tuple[int, int], rng: np.random.Generator) -> None:
        self.h, self.w = h, w = size
        self.y, self.x = np.mgrid[0 : h * SS, 0 : w * SS].astype(np.float32) / SS
        self.texture = 1 + 0.1 * cv2.resize(smooth_noise(rng, h, w, 4), (w * SS, h * SS))[..., None]
        plaid = (0.6 + 0.5 * (np.sin(self.x / 6) > 0.3) + 0.35 * (np.sin(self.y / 7 + 0.5) > 0.2))[..., None]
        self.coat = plaid * np.float32([0.10, 0.07, 0.12] if kind == "green" else [0.22, 0.16, 0.05])
        self.ball = np.float32([0.55, 0.06, 0.05] if kind == "green" else [0.6, 0.45, 0.05])
        self.curls = [
            (rng.uniform(-0.5, 0.5), rng.uniform(0.12, 0.34), rng.normal(0, 1, 2), rng.uniform(0, 6), float(rng.choice(STRANDS)))
            for _ in range(110)
        ]
        self.fur = [
            (rng.uniform(0, 1), rng.uniform(0.01, 0.04), rng.normal(0, 0.6), float(rng.choice(STRANDS[:3]))) for _ in range(420)
        ]

    def draw(self, t: float) -> np.ndarray:
        """Premultiplied (h, w, 4) at time `t`, in frames."""
        c, h, w = _Canvas(self.h, self.w), self.h, self.w
        cx = 0.42 * w + 3 * np.sin(t * 0.7)
        body = np.array([[-0.17, 1.02], [-0.13, 0.66], [-0.04, 0.54], [0.05, 0.54], [0.14, 0.66], [0.18, 1.02]]) * [w, h]
        m = c.mask()
        _poly(m, body + np.array([cx, 0]))
        c.over(m, self.coat * self.texture)
        self._fur(c, cx, t)
        head = np.array([cx + 2 * np.sin(t * 0.9), 0.37 * h])
        self._ellipse(c, head, (0.10, 0.15), DARK * self.texture * 1.3)
        self._curls(c, head, t)
        self._ellipse(c, head + np.array([0, 0.03 * h]), (0.065, 0.095), np.float32([0.5, 0.31, 0.22]) * self.texture)
        m = c.mask()
        _strand(m, np.array([[0.02 * w, 0.3 * h + 2 * t], [0.98 * w, 0.12 * h + 2 * t]]), 0.6)
        c.over(m, np.float32([0.02, 0.02, 0.02]))
        self._veil(c, t)
        self._ball(c, t)
        return cv2.GaussianBlur(cv2.resize(c.rgba, (w, h), interpolation=cv2.INTER_AREA), (0, 0), 0.6)

    def _ellipse(self, c: _Canvas, at: np.ndarray, axes: tuple[float, float], colour: np.ndarray) -> None:
        m, px = c.mask(), SS * 16
        middle, half = tuple(np.round(at * px).astype(int)), tuple(int(a * self.h * px) for a in axes)
        cv2.ellipse(m, middle, half, 0, 0, 360, 255, -1, cv2.LINE_AA, 4)
        c.over(m, colour)

    def _fur(self, c: _Canvas, cx: float, t: float) -> None:
        k = np.linspace(0, 1, 5)[:, None]
        for width in STRANDS[:3]:
            m = c.mask()
            for u, length, lean, own in self.fur:
                if own == width:
                    root = np.array([cx - 0.13 * self.w + 0.27 * self.w * u, (0.66 - 0.12 * np.sin(np.pi * u)) * self.h])
                    a = lean + 0.3 * np.sin(t + u * 9)
                    way = np.array([np.sin(a), -np.cos(a)]) * length * self.h
                    _strand(m, root + k * way + k**2 * np.array([[2 * np.sin(t + u * 20), 0]]), width)
            c.over(m, np.float32([0.38, 0.32, 0.27]))

    def _curls(self, c: _Canvas, head: np.ndarray, t: float) -> None:
        h, k = self.h, np.linspace(0, 1, 24)[:, None]
        for width in STRANDS:
            m = c.mask()
            for u, length, curl, phase, own in self.curls:
                if own == width:
                    root = head + np.array([u * 0.19 * h, -0.10 * h * np.cos(u * 2.6)])
                    way = np.array([u * 1.6 + 0.25 * curl[0], 0.75]) * length * h
                    wave = np.concatenate([np.sin(k * 9 + phase) * 0.02 * h * (1 + 0.4 * curl[1]), np.zeros_like(k)], 1)
                    _strand(m, root + k * way + wave * k + k**2 * np.array([[30 * length * np.sin(t * 0.8 + phase), 0]]), width)
            c.over(m, DARK)

    def _veil(self, c: _Canvas, t: float) -> None:
        """Up to 0.6 thick, with soft borders."""
        x = 0.74 * self.w + 4 * np.sin(t * 0.6)
        form = np.exp(-(((self.x - x) / (0.08 * self.w)) ** 4 + ((self.y - 0.5 * self.h) / (0.25 * self.h)) ** 4))
        a = (form * (0.35 + 0.25 * np.sin(self.x / 15 + t) * np.sin(self.y / 22)))[..., None].astype(np.float32)
        c.over(np.float32(255) * a[..., 0], np.float32([0.55, 0.5, 0.48]))

    def _ball(self, c: _Canvas, t: float, n: int = 24) -> None:
        """Blurred over half a frame."""
        seen = np.zeros((*c.rgba.shape[:2], 1), np.float32)
        for j in range(n):
            s, px = t + (j + 0.5) / n * 0.5, SS * 16
            at = np.array([(0.1 + 0.13 * s) % 1 * self.w, (0.82 - 0.25 * np.sin(s * 1.3) ** 2) * self.h])
            m = c.mask()
            cv2.circle(m, tuple(np.round(at * px).astype(int)), int(0.05 * self.h * px), 255, -1, cv2.LINE_AA, 4)
            seen += (m.astype(np.float32) / 255 / n)[..., None]
        c.over(255 * seen[..., 0], self.ball)


def curl_screen(kind: str, size: tuple[int, int], rng: np.random.Generator, falloff: float = 0.5) -> np.ndarray:
    """Cloth with soft folds, texture of 2 px and eight dots."""
    h, w = size
    base = np.float32([0.06, 0.31, 0.09]) if kind == "green" else np.float32([0.03, 0.07, 0.30]) / 2.2
    y, x = np.mgrid[0:h, 0:w].astype(np.float32)
    stops = falloff * (0.5 - ((x / w - 0.55) ** 2 + (y / h - 0.4) ** 2) * 1.5)
    stops += 0.07 * smooth_noise(rng, h, w, 60) + 0.03 * np.sin(x / 31 + y / 57)
    screen = base * np.exp2(stops)[..., None] * (1 + 0.02 * smooth_noise(rng, h, w, 2))[..., None]
    dots = np.zeros((h, w), np.float32)
    for _ in range(8):
        cv2.circle(dots, (int(rng.uniform(0.05, 0.95) * w), int(rng.uniform(0.05, 0.95) * h)), 4, 1.0, -1)
    dots = cv2.GaussianBlur(dots, (0, 0), 0.7)[..., None]
    return np.asarray(screen * (1 - dots) + screen * np.float32([1.6, 0.55, 1.5]) * dots, np.float32)


def curl_plate(kind: str = "green", frames: int = 6, size: tuple[int, int] = (360, 640), seed: int = 1) -> MadePlate:
    """One shot, 8-bit 4:4:4, spill and photon noise in it."""
    rng = np.random.default_rng(1000 + seed)
    screen, subject = curl_screen(kind, size, rng), _Subject(kind, size, rng)
    key = 1 if kind == "green" else 2

    def shoot(lin: np.ndarray) -> np.ndarray:
        sd = np.sqrt(np.maximum(lin, 0) * 2e-4 + 3e-6) * np.float32([1.2, 1, 1.6])
        noisy = lin + cv2.GaussianBlur(rng.standard_normal(lin.shape).astype(np.float32), (0, 0), 0.6) * 1.7 * sd
        return np.clip(srgb_encode(noisy) * 255 + rng.random(lin.shape, np.float32), 0, 255).astype(np.uint8)

    codes, alphas, colours = [], [], []
    for i in range(frames):
        drawn = subject.draw(float(i))
        a, colour = drawn[..., 3], drawn[..., :3]
        near = cv2.GaussianBlur(1 - a, (0, 0), 6)[..., None]
        spill = np.zeros_like(colour)
        spill[..., key], spill[..., 3 - key] = 0.12 * screen[..., key], 0.04 * screen[..., key]
        codes.append(shoot(colour + spill * near * a[..., None] + (1 - a[..., None]) * screen))
        alphas.append(a)
        colours.append(colour)
    return _decoded(np.stack(codes), shoot(screen), np.stack(alphas), np.stack(colours), kind)
