"""Made screen plates with an exact truth, drawn by 2-D supersampling (unlike the rendered demo film).

Every plate is drawn at four times its size: a body, a head, hair of 0.7 to 2 px, a limb whose motion blur is
integrated over the shutter, a pane of alpha 0.4, and for the blue set leaves. The screen falls off, wrinkles and
carries crosses; screen light spills on to the outline; photon noise is added in linear light.
"""

from __future__ import annotations

from dataclasses import dataclass

import av
import cv2
import numpy as np

SS = 4


@dataclass(frozen=True)
class MadePlate:
    """One made shot. All pictures are (n, h, w, c) float32, scene linear unless said; alpha is (n, h, w)."""

    plate: np.ndarray  # scene linear decoded from the 8-bit code, as an application would read it
    code: np.ndarray  # uint8 sRGB-coded frames
    clean: np.ndarray  # (h, w, 3) linear, one noisy frame of the empty screen (8-bit coded and decoded)
    clean_code: np.ndarray
    alpha: np.ndarray
    premult: np.ndarray  # alpha * F without spill or noise
    kind: str


def srgb_encode(x: np.ndarray) -> np.ndarray:
    x = np.clip(x, 0, 1)
    return np.where(x <= 0.0031308, 12.92 * x, 1.055 * np.power(np.maximum(x, 1e-9), 1 / 2.4) - 0.055).astype(np.float32)


def srgb_decode(c: np.ndarray) -> np.ndarray:
    return np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4).astype(np.float32)


def smooth_noise(rng: np.random.Generator, h: int, w: int, scale: float) -> np.ndarray:
    small = rng.standard_normal((max(2, int(h / scale) + 2), max(2, int(w / scale) + 2))).astype(np.float32)
    return cv2.resize(small, (w, h), interpolation=cv2.INTER_CUBIC)


def made_screen(kind: str, h: int, w: int, rng: np.random.Generator, falloff: float = 0.8) -> np.ndarray:
    base = np.float32([0.045, 0.27, 0.07]) if kind == "green" else np.float32([0.035, 0.085, 0.33]) / 2.83
    yy, xx = np.mgrid[0:h, 0:w].astype(np.float32)
    ramp = (xx / w * 0.7 + yy / h * 0.3) + 0.35 * ((xx / w - 0.4) ** 2 + (yy / h - 0.3) ** 2)
    stops = -falloff * 1.2 * ramp + 0.1 * smooth_noise(rng, h, w, 90) + 0.05 * np.sin(xx / 23 + 2.2 * np.sin(yy / 70))
    stops += 0.06 * np.exp(-(((xx - 0.2 * w) + 0.15 * yy) ** 2) / 18) - 0.05 * np.exp(-((xx - 0.72 * w - 0.1 * yy) ** 2) / 30)
    shadow = np.exp(-(((xx - 0.72 * w) / (0.13 * w)) ** 2 + ((yy - 0.8 * h) / (0.22 * h)) ** 2))
    s = base * np.exp2(stops - 0.45 * shadow)[..., None]
    mark = np.zeros((h, w), np.float32)
    for cx, cy in ((0.1, 0.2), (0.9, 0.22), (0.1, 0.75), (0.9, 0.8), (0.72, 0.1), (0.31, 0.15)):
        x, y = int(cx * w), int(cy * h)
        cv2.line(mark, (x - 7, y), (x + 7, y), 1.0, 2)
        cv2.line(mark, (x, y - 7), (x, y + 7), 1.0, 2)
    mark = cv2.GaussianBlur(mark, (0, 0), 0.6)[..., None]
    tape = np.float32([0.16, 0.3, 0.17]) if kind == "green" else np.float32([0.10, 0.14, 0.19])
    return (s * (1 - mark) + tape * mark * np.exp2(stops)[..., None]).astype(np.float32)


class _Canvas:
    """Premultiplied RGBA at SS times the size."""

    def __init__(self, h: int, w: int) -> None:
        self.rgba = np.zeros((h * SS, w * SS, 4), np.float32)

    def over(self, mask: np.ndarray, colour: np.ndarray, alpha: float = 1.0) -> None:
        a = (mask.astype(np.float32) / 255 * alpha)[..., None]
        self.rgba *= 1 - a
        self.rgba[..., :3] += a * colour
        self.rgba[..., 3:] += a

    def mask(self) -> np.ndarray:
        return np.zeros(self.rgba.shape[:2], np.uint8)


def _poly(m: np.ndarray, pts: np.ndarray) -> None:
    cv2.fillPoly(m, [np.round(pts * SS * 16).astype(np.int32)], 255, cv2.LINE_AA, 4)


def _strand(m: np.ndarray, pts: np.ndarray, width: float) -> None:
    t = max(1, round(width * SS))
    cv2.polylines(m, [np.round(pts * SS * 16).astype(np.int32)], False, 255, t, cv2.LINE_AA, 4)


def _limb(m: np.ndarray, h: int, w: int, ang: float) -> None:
    base = np.array([0.60 * w, 0.52 * h])
    d = np.array([np.cos(ang), -np.sin(ang)])
    n = np.array([-d[1], d[0]])
    ln, r = 0.33 * h, 0.028 * h
    _poly(m, np.array([base + n * r, base + d * ln + n * r * 0.8, base + d * ln - n * r * 0.8, base - n * r]))
    cv2.circle(m, tuple(np.round((base + d * ln) * SS * 16).astype(int)), int(r * 1.5 * SS * 16), 255, -1, cv2.LINE_AA, 4)


def _texture(rng: np.random.Generator, h: int, w: int, amount: float) -> np.ndarray:
    t = smooth_noise(rng, h, w, 3) * 0.6 + smooth_noise(rng, h, w, 25)
    return (1 + amount * cv2.resize(t, (w * SS, h * SS)))[..., None].clip(0.3, 2).astype(np.float32)


def _draw(kind: str, h: int, w: int, t: float, tex: np.ndarray, strands: list, shirt: np.ndarray) -> np.ndarray:
    c = _Canvas(h, w)
    sway = 2.5 * np.sin(t * 0.5)
    m = c.mask()
    _poly(m, np.array([[0.36, 1.0], [0.39, 0.62], [0.45, 0.5], [0.55, 0.5], [0.61, 0.62], [0.64, 1.0]]) * [w, h] + [sway, 0])
    c.over(m, shirt * tex)
    if kind == "blue":
        leaf = np.random.default_rng(5)
        for _ in range(26):
            p = np.array([(0.37 + 0.26 * leaf.random()) * w + sway, (0.58 + 0.38 * leaf.random()) * h])
            m = c.mask()
            cv2.ellipse(
                m,
                tuple(np.round(p * SS * 16).astype(int)),
                (int(0.035 * h * SS * 16), int(0.014 * h * SS * 16)),
                leaf.random() * 180,
                0,
                360,
                255,
                -1,
                cv2.LINE_AA,
                4,
            )
            c.over(m, np.float32([0.05, 0.17, 0.03]) * (0.7 + 0.6 * leaf.random()) * tex)
    head = np.array([0.5 * w + 1.4 * sway, 0.36 * h])
    m = c.mask()
    cv2.ellipse(
        m,
        tuple(np.round(head * SS * 16).astype(int)),
        (int(0.085 * h * SS * 16), int(0.12 * h * SS * 16)),
        0,
        0,
        360,
        255,
        -1,
        cv2.LINE_AA,
        4,
    )
    c.over(m, np.float32([0.42, 0.25, 0.17]) * tex)
    for colour in (np.float32([0.05, 0.03, 0.02]), np.float32([0.30, 0.19, 0.09])):
        for width in (0.7, 1.0, 1.5, 2.0):
            m = c.mask()
            for s in strands:
                if s["w"] == width and s["c"] == float(colour[0]):
                    k = np.linspace(0, 1, 14)[:, None]
                    sw = np.array([[np.sin(t * 0.6 + s["ph"]) * 5, 0]])
                    pts = head + s["root"] * [h, h] + k * s["dir"] * h * s["len"] + k**2 * (s["curl"] * h * 0.08 + sw)
                    _strand(m, pts, width)
            c.over(m, colour)
    acc = np.zeros_like(c.rgba)
    n = 16
    for i in range(n):
        ang = 0.55 + 0.75 * np.sin((t + (i + 0.5) / n * 0.5 - 0.25) * 0.9)
        m = c.mask()
        _limb(m, h, w, ang)
        a = (m.astype(np.float32) / 255)[..., None]
        acc[..., :3] += a * np.float32([0.45, 0.16, 0.05]) / n
        acc[..., 3:] += a / n
    c.rgba = acc + (1 - acc[..., 3:]) * c.rgba
    m = c.mask()
    _poly(m, np.array([[0.2, 0.45], [0.31, 0.43], [0.33, 0.72], [0.21, 0.75]]) * [w, h] + [0, 2 * np.sin(t * 0.3)])
    c.over(m, np.float32([0.24, 0.25, 0.27]), 0.4)
    m2 = c.mask()
    cv2.polylines(
        m2,
        [
            np.round(
                (np.array([[0.2, 0.45], [0.31, 0.43], [0.33, 0.72], [0.21, 0.75]]) * [w, h] + [0, 2 * np.sin(t * 0.3)]) * SS * 16
            ).astype(np.int32)
        ],
        True,
        255,
        int(1.6 * SS),
        cv2.LINE_AA,
        4,
    )
    c.over(m2, np.float32([0.5, 0.5, 0.5]), 0.8)
    return cv2.resize(c.rgba, (w, h), interpolation=cv2.INTER_AREA)


def _strands(rng: np.random.Generator) -> list[dict]:
    out = []
    for _ in range(150):
        ang = rng.uniform(np.pi * 0.02, np.pi * 0.98)
        root = np.array([np.cos(ang) * 0.08, -np.sin(ang) * 0.115])
        d = np.array([np.cos(ang), -np.sin(ang)]) + rng.normal(0, 0.35, 2)
        out.append(
            {
                "root": root,
                "dir": d,
                "len": rng.uniform(0.03, 0.11),
                "curl": rng.normal(0, 1, 2),
                "w": float(rng.choice([0.7, 1.0, 1.5, 2.0])),
                "ph": rng.uniform(0, 6),
                "c": float(np.float32(rng.choice([0.05, 0.30]))),
            }
        )
    return out


def _through_420(code: np.ndarray) -> np.ndarray:
    """uint8 RGB frames through 8-bit 4:2:0 limited range and back, as a camera movie gives them (no other loss)."""
    out = []
    for f in code:
        fr = av.VideoFrame.from_ndarray(f, format="rgb24")
        yuv = fr.reformat(format="yuv420p", dst_colorspace="ITU709", dst_color_range="MPEG")
        out.append(yuv.reformat(format="rgb24", src_colorspace="ITU709", src_color_range="MPEG").to_ndarray())
    return np.stack(out)


def make_plate(
    kind: str = "green", frames: int = 3, size: tuple[int, int] = (240, 426), seed: int = 3, noise: float = 1.0
) -> MadePlate:
    """Draw one shot of `kind` green or blue, 8-bit 4:4:4; `noise` scales the photon noise."""
    h, w = size
    rng = np.random.default_rng(seed)
    screen = made_screen(kind, h, w, rng)
    tex, strands = _texture(rng, h, w, 0.12), _strands(rng)
    shirt = np.float32([0.30, 0.05, 0.03]) if kind == "green" else np.float32([0.28, 0.22, 0.16])
    key = 1 if kind == "green" else 2

    def shoot(lin: np.ndarray) -> np.ndarray:
        sd = noise * np.sqrt(np.maximum(lin, 0) * 1.2e-4 + 2e-6) * np.float32([1.3, 1.0, 1.5])
        noisy = lin + cv2.GaussianBlur(rng.standard_normal(lin.shape).astype(np.float32), (0, 0), 0.5) * 1.5 * sd
        return np.clip(srgb_encode(noisy) * 255 + rng.random(lin.shape, np.float32), 0, 255).astype(np.uint8)

    codes, alphas, pres = [], [], []
    for i in range(frames):
        rgba = cv2.GaussianBlur(_draw(kind, h, w, float(i) + 2, tex, strands, shirt), (0, 0), 0.5)
        a, pre = rgba[..., 3], rgba[..., :3]
        near = cv2.GaussianBlur(1 - a, (0, 0), 5)[..., None]
        spill = np.zeros_like(pre)
        spill[..., key] = 0.18 * screen[..., key]
        spill[..., 3 - key] += 0.05 * screen[..., key]
        codes.append(shoot(pre + spill * near * a[..., None] + (1 - a[..., None]) * screen))
        alphas.append(a)
        pres.append(pre)
    return _decoded(np.stack(codes), shoot(screen), np.stack(alphas), np.stack(pres), kind)


def _decoded(code: np.ndarray, clean: np.ndarray, alpha: np.ndarray, premult: np.ndarray, kind: str) -> MadePlate:
    return MadePlate(srgb_decode(code / np.float32(255)), code, srgb_decode(clean / np.float32(255)), clean, alpha, premult, kind)


def as_420(plate: MadePlate) -> MadePlate:
    """The same shot as an 8-bit 4:2:0 recording gives it."""
    return _decoded(_through_420(plate.code), _through_420(plate.clean_code[None])[0], plate.alpha, plate.premult, plate.kind)


def background(h: int, w: int) -> np.ndarray:
    """A soft new background, scene linear."""
    rng = np.random.default_rng(11)
    yy = np.mgrid[0:h, 0:w].astype(np.float32)[0]
    b = np.stack([0.35 - 0.2 * yy / h, 0.4 - 0.15 * yy / h, 0.55 - 0.25 * yy / h], -1)
    return np.clip(b * (1 + 0.15 * smooth_noise(rng, h, w, 40)[..., None]), 0.02, 1).astype(np.float32)
