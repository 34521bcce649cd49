"""Made clips of things that are cut out by hand: a limb that bends, a thing that another crosses, a face that turns, one that leaves and
returns, one that is blurred by its motion, one that hardly stands out, one that swings in depth. The outline's truth is exact: 96 points that
keep to their stuff. Photographs as textures, drawn in linear light through the shutter's time, with noise, coded to 8 bit."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from typing import Any

import cv2
import numpy as np
import skimage.data
from keyplates import srgb_decode, srgb_encode
from scipy.spatial import cKDTree

from transmixis.core.matte.shape import fill_shape

SIZE = (360, 640)
FRAMES = 48
POINTS = 96
Array = np.ndarray
Inverse = Callable[[float, Array, Array], tuple[Array, Array]]


@dataclass(frozen=True)
class RotoClip:
    """`frames` n of (h, w, 3) linear float32; `truth` (n, 96, 2) px; `track` (n, 3, 3) how a surface track of the thing would lie, frame 1
    to this; `track_error` px; `front` n of outlines of what crosses before it, or None; `shutter` share of a frame."""

    name: str
    frames: list[Array] = field(repr=False)
    truth: Array = field(repr=False)
    track: Array = field(repr=False)
    track_error: float
    front: list[Array | None] = field(repr=False)
    shutter: float


@dataclass(frozen=True)
class Thing:
    """`outline(t)` (96, 2) px, `inverse(t, x, y)` texture px of the picture's places, `texture` (h, w, 3) linear."""

    outline: Callable[[float], Array]
    inverse: Inverse
    texture: Array


@cache
def photo(name: str) -> Array:
    """A photograph, linear light."""
    picture = getattr(skimage.data, name)()
    picture = np.repeat(picture[..., None], 3, 2) if picture.ndim == 2 else picture[..., :3]
    return np.asarray(srgb_decode(picture.astype(np.float32) / 255), np.float32)


def looked_up(texture: Array, u: Array, v: Array) -> Array:
    return np.asarray(
        cv2.remap(
            texture, (u - 0.5).astype(np.float32), (v - 0.5).astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT
        )
    )


def blob(radius: float, seed: int, rough: float = 0.25, long: float = 1.0) -> Array:
    """(96, 2) a closed curve about 0, not round."""
    rng = np.random.default_rng(seed)
    a = np.linspace(0, 2 * np.pi, POINTS, endpoint=False)
    r = np.ones(POINTS)
    for k in range(2, 6):
        r += rough / k * rng.uniform(-1, 1) * np.cos(k * a + rng.uniform(0, 2 * np.pi))
    return np.asarray(radius * np.stack([r * np.cos(a) * long, r * np.sin(a)], 1))


def swinging(
    curve: Array,
    texture: Array,
    path: Callable[[float], tuple[float, float, float, float]],
    wobble: float = 0.0,
    seed: int = 0,
    time: Callable[[float], float] = float,
) -> Thing:
    """A thing that moves by `path(t)`: x, y, degrees, size; its stuff is stirred by `wobble` px."""
    rng = np.random.default_rng(seed)
    k = rng.uniform(0.012, 0.03, (2, 2))
    p = rng.uniform(0, 2 * np.pi, 4)

    def stirred(t: float, x: Array, y: Array) -> tuple[Array, Array]:
        a, b = np.sin(0.21 * time(t) + p[0]), np.sin(0.17 * time(t) + p[1])
        return wobble * a * np.sin(k[0, 0] * x + k[0, 1] * y + p[2]), wobble * b * np.sin(k[1, 0] * x - k[1, 1] * y + p[3])

    def outline(t: float) -> Array:
        x, y, turn, size = path(t)
        c, s = size * np.cos(np.radians(turn)), size * np.sin(np.radians(turn))
        dx, dy = stirred(t, curve[:, 0], curve[:, 1])
        q = curve + np.stack([dx, dy], 1)
        return np.asarray(q @ np.array([[c, s], [-s, c]]) + (x, y))

    def inverse(t: float, xs: Array, ys: Array) -> tuple[Array, Array]:
        x, y, turn, size = path(t)
        c, s = np.cos(np.radians(turn)) / size, np.sin(np.radians(turn)) / size
        qx, qy = c * (xs - x) + s * (ys - y), -s * (xs - x) + c * (ys - y)
        ux, uy = qx, qy
        for _ in range(4):
            dx, dy = stirred(t, ux, uy)
            ux, uy = qx - dx, qy - dy
        return ux + texture.shape[1] / 2, uy + texture.shape[0] / 2

    return Thing(outline, inverse, texture)


def limb(texture: Array, path: Callable[[float], tuple[float, float, float, float]], length: float, width: float) -> Thing:
    """An arm from a shoulder at x, y, at an angle (degrees), that bends by so many degrees in its middle."""

    def spine(t: float) -> tuple[Array, Array]:
        x, y, angle, bend = path(t)
        s = np.linspace(0, 1, 241)
        turn = np.radians(angle) + np.radians(bend) / (1 + np.exp(-(s - 0.5) / 0.05))
        step = length / 240
        px = x + np.concatenate([[0], np.cumsum(np.cos(turn[:-1]))]) * step
        py = y + np.concatenate([[0], np.cumsum(np.sin(turn[:-1]))]) * step
        return np.stack([px, py], 1), turn

    def half(s: Array) -> Array:
        return width * (0.55 - 0.2 * s + 0.05 * np.sin(9 * s))

    def outline(t: float) -> Array:
        line, turn = spine(t)
        normal = np.stack([-np.sin(turn), np.cos(turn)], 1)
        s = np.linspace(0, 1, 241)
        at = np.linspace(0, 240, 38).round().astype(int)
        one, two = line + half(s)[:, None] * normal, line - half(s)[:, None] * normal
        end, start = turn[-1], turn[0]
        a = np.linspace(np.pi / 2, -np.pi / 2, 12)[1:-1]
        cap = line[-1] + half(s)[-1] * np.stack([np.cos(end + a), np.sin(end + a)], 1)
        back = line[0] + half(s)[0] * np.stack([np.cos(start + a + np.pi), np.sin(start + a + np.pi)], 1)
        return np.concatenate([one[at], cap, two[at][::-1], back])

    def inverse(t: float, xs: Array, ys: Array) -> tuple[Array, Array]:
        line, turn = spine(t)
        px = np.stack([xs.ravel(), ys.ravel()], 1)
        near = cKDTree(line).query(px)[1]
        off = px - line[near]
        along = off[:, 0] * np.cos(turn[near]) + off[:, 1] * np.sin(turn[near])
        across = -off[:, 0] * np.sin(turn[near]) + off[:, 1] * np.cos(turn[near])
        u, v = near * length / 240 + along + width, across + width + 60
        return u.reshape(xs.shape), v.reshape(xs.shape)

    return Thing(outline, inverse, texture)


def face(texture: Array, path: Callable[[float], tuple[float, float, float, float]], rx: float, ry: float) -> Thing:
    """A head at x, y that turns by a yaw (degrees) and rolls: its outline is what is seen last of it, its skin passes under it."""
    a = np.linspace(0, 2 * np.pi, POINTS, endpoint=False)
    curve = np.stack([rx * np.cos(a), ry * np.sin(a) * (1 + 0.12 * np.sin(a))], 1)

    def outline(t: float) -> Array:
        x, y, yaw, roll = path(t)
        nose = (
            np.exp(-(((a - (0 if yaw > 0 else np.pi) + np.pi) % (2 * np.pi) - np.pi) ** 2) / 0.08)
            * 20
            * np.sin(abs(np.radians(yaw)))
        )
        q = curve * (1 + nose / rx)[:, None]
        c, s = np.cos(np.radians(roll)), np.sin(np.radians(roll))
        return np.asarray(q @ np.array([[c, s], [-s, c]]) + (x, y))

    def inverse(t: float, xs: Array, ys: Array) -> tuple[Array, Array]:
        x, y, yaw, roll = path(t)
        c, s = np.cos(np.radians(roll)), np.sin(np.radians(roll))
        qx, qy = (c * (xs - x) + s * (ys - y)) / (1.15 * rx), (-s * (xs - x) + c * (ys - y)) / (1.25 * ry)
        z = np.sqrt(np.clip(1 - qx**2 - qy**2, 0.02, None))
        b = np.radians(yaw)
        sx = np.cos(b) * qx - np.sin(b) * z
        return texture.shape[1] / 2 + 1.3 * rx * sx, texture.shape[0] / 2 + 1.3 * ry * qy

    return Thing(outline, inverse, texture)


def drawn(
    name: str, thing: Thing, ground: Array, *, shutter: float = 0.5, noise: float = 1.5, pan: float = 0.0, front: Thing | None = None,
    contrast: float = 1.0, about: Callable[[float], Array] | None = None, track_error: float = 0.15, seed: int = 0,
) -> RotoClip:  # fmt: skip
    """The clip. `pan` px a frame that the ground moves; `contrast` of the thing against its ground (1: as the photographs are); `about`:
    the places that the track is told by, if not the whole outline."""
    rng = np.random.default_rng(seed)
    h, w = SIZE
    ys, xs = np.mgrid[0:h, 0:w].astype(np.float64) + 0.5
    frames, truth, fronts = [], [], []
    for n in range(FRAMES):
        fast = np.abs(thing.outline(n + 0.1) - thing.outline(n - 0.1)).max() / 0.2
        many = int(np.clip(np.ceil(fast * shutter), 1, 24))
        total = np.zeros((h, w, 3), np.float32)
        for k in range(many):
            t = n + shutter * ((k + 0.5) / many - 0.5)
            picture = looked_up(ground, xs + 60 + pan * t, ys + 30 + 0.3 * pan * t)
            picture = _over(picture, thing, t, xs, ys, contrast)
            total += picture if front is None else _over(picture, front, t, xs, ys, 1.0)
        light = np.clip(cv2.GaussianBlur((total / many).astype(np.float32), (0, 0), 0.5), 0, 1)
        coded = srgb_encode(light) * 255 + rng.normal(0, noise, light.shape)
        frames.append(srgb_decode((np.clip(coded, 0, 255).round() / 255).astype(np.float32)))
        truth.append(thing.outline(float(n)))
        fronts.append(None if front is None else front.outline(float(n)))
    told = about or thing.outline
    track = np.array([_fitted(told(0.0), told(float(n))) for n in range(FRAMES)])
    slip = cv2.GaussianBlur(rng.normal(0, 1, (1, FRAMES, 2)), (0, 0), 2)[0]
    track[:, :2, 2] += track_error * (slip - slip[0]) / slip.std()
    return RotoClip(name, frames, np.array(truth), track, track_error, fronts, shutter)


def _over(picture: Array, thing: Thing, t: float, xs: Array, ys: Array, contrast: float) -> Array:
    line = thing.outline(t)
    x0, y0 = np.clip(np.floor(line.min(axis=0)).astype(int) - 1, 0, SIZE[::-1])
    x1, y1 = np.clip(np.ceil(line.max(axis=0)).astype(int) + 1, 0, SIZE[::-1])
    if x1 <= x0 or y1 <= y0:
        return picture
    part = np.s_[y0:y1, x0:x1]
    cover = fill_shape(line - (x0, y0), y1 - y0, x1 - x0)[..., None]
    own = looked_up(thing.texture, *thing.inverse(t, xs[part], ys[part]))
    if contrast < 1:
        own = contrast * own + (1 - contrast) * cv2.GaussianBlur(np.ascontiguousarray(picture[part]), (0, 0), 12)
    out = picture.copy()
    out[part] = picture[part] * (1 - cover) + own * cover
    return out


def _fitted(a: Array, b: Array) -> Array:
    """The affine matrix of least squares."""
    whole = np.c_[a, np.ones(len(a))]
    return np.vstack([np.linalg.lstsq(whole, b, rcond=None)[0].T, [0, 0, 1]])


def bursts(seed: int) -> Callable[[float], float]:
    """Time that runs slowly, then fast: things rest and then move."""
    p = float(np.random.default_rng(100 + seed).uniform(0, 2 * np.pi))
    return lambda t: float(t + 7 * (np.sin(2 * np.pi * t / 48 + p) - np.sin(p)))


def wave(middle: float, reach: float, per: float, phase: float = 0.0) -> Callable[[float], float]:
    return lambda t: float(middle + reach * np.sin(2 * np.pi * t / per + phase))


def names() -> tuple[str, ...]:
    """Of all clips."""
    return tuple(_things())


@cache
def clip_named(name: str) -> RotoClip:
    """A clip, drawn."""
    return _things()[name]()


def _things() -> dict[str, Callable[[], RotoClip]]:
    """All of them, at one set of strengths."""
    cat, girl, cup, rocket = photo("chelsea"), photo("astronaut"), photo("coffee"), photo("rocket")
    wide = np.concatenate([cup, cup[:, ::-1]], 1)
    lane = np.concatenate([rocket, rocket[:, ::-1]], 1)
    x, y, a, b = wave(180, 25, 60), wave(120, 12, 40), wave(10, 30, 46), wave(30, 60, 31, 1.0)
    gravel = (photo("gravel")[:300] * (0.9, 0.6, 0.45)).astype(np.float32)
    u = [bursts(k) for k in range(8)]
    arm = limb(
        0.35 * gravel + 0.65 * gravel.mean(axis=(0, 1)), lambda t: (x(u[0](t)), y(u[0](t)), a(u[0](t)), b(u[0](t))), 260, 52
    )
    crossed = swinging(
        blob(80, 3),
        cat,
        lambda t: (300 + 60 * np.sin(u[1](t) / 11), 180 + 25 * np.cos(t / 9), 25 * np.sin(t / 8), 1 + 0.1 * np.sin(t / 13)),
        14,
        1,
        u[1],
    )
    passing = swinging(blob(38, 9, long=0.5), girl, lambda t: (60 + 11.5 * t, 180 + 30 * np.sin(t / 6), 4 * t, 1.0))
    head = face(
        girl[:400, 60:400],
        lambda t: (310 + 40 * np.sin(t / 10), 175 + 14 * np.sin(t / 7), 42 * np.sin(u[2](t) / 8), 12 * np.sin(t / 6 + 1)),
        70,
        92,
    )
    leaver = swinging(
        blob(66, 5),
        cup,
        lambda t: (560 + 130 * np.sin(t / 7.6 - 0.6), 190 + 40 * np.sin(t / 10), 40 * np.sin(t / 12), 1.0),
        11,
        2,
        u[3],
    )
    fast = swinging(
        blob(58, 7, long=1.4), cat[:, 100:400],
        lambda t: (320 + 190 * np.sin(u[4](t) / 6.5), 180 + 60 * np.sin(t / 4.6), 50 * np.sin(t / 6), 1.0), 8, 3, u[4],
    )  # fmt: skip
    faint = swinging(
        blob(78, 11), girl[100:400, 100:450],
        lambda t: (330 + 70 * np.sin(u[5](t) / 9), 180 + 30 * np.sin(t / 7 + 1), 22 * np.sin(t / 7), 1 + 0.12 * np.sin(t / 10)), 12, 4, u[5],
    )  # fmt: skip
    sail = _sail(lane[60:420, 120:520], u[6])

    def clip(name: str, thing: Thing, ground: Array, **how: Any) -> Callable[[], RotoClip]:
        return lambda: drawn(name, thing, ground, **how)

    return {
        "limb": clip("limb", arm, wide, pan=1.0, about=lambda t: arm.outline(t)[24:70], seed=1),
        "crossed": clip("crossed", crossed, wide, pan=-1.5, front=passing, seed=2),
        "face": clip("face", head, lane, pan=0.7, seed=3),
        "leaves": clip("leaves", leaver, wide, pan=0.5, seed=4),
        "blurred": clip("blurred", fast, wide, shutter=0.5, seed=5),
        "faint": clip("faint", faint, cat, contrast=0.35, noise=3.0, pan=0.8, seed=6),
        "sail": clip("sail", sail, wide, pan=1.2, seed=7),
    }


def _sail(texture: Array, time: Callable[[float], float]) -> Thing:
    """A cloth that swings in depth (perspective) and bellies."""
    c = np.array([[-90, -70], [90, -60], [70, 80], [-80, 70]], float)
    curve = np.concatenate([np.linspace(c[i], c[(i + 1) % 4], 24, endpoint=False) for i in range(4)])

    def matrix(t: float) -> Array:
        yaw, roll, far = np.radians(42 * np.sin(t / 9)), np.radians(14 * np.sin(t / 7)), 700 + 120 * np.sin(t / 11)
        rot = np.array([[np.cos(roll), -np.sin(roll), 0], [np.sin(roll), np.cos(roll), 0], [0, 0, 1]]) @ np.array(
            [[np.cos(yaw), 0, np.sin(yaw)], [0, 1, 0], [-np.sin(yaw), 0, np.cos(yaw)]]
        )
        k = np.array([[700, 0, 320 + 40 * np.sin(t / 8)], [0, 700, 180], [0, 0, 1]])
        return np.asarray(k @ np.c_[rot[:, :2], [0, 0, far]])

    def belly(t: float, q: Array) -> Array:
        return q + np.stack([0 * q[:, 0], 12 * np.sin(time(t) / 5) * np.sin(q[:, 0] / 45)], 1)

    def outline(t: float) -> Array:
        p = np.c_[belly(t, curve), np.ones(POINTS)] @ matrix(t).T
        return np.asarray(p[:, :2] / p[:, 2:])

    def inverse(t: float, xs: Array, ys: Array) -> tuple[Array, Array]:
        p = np.stack([xs.ravel(), ys.ravel(), np.ones(xs.size)], 1) @ np.linalg.inv(matrix(t)).T
        q = p[:, :2] / p[:, 2:]
        v = q[:, 1] - 12 * np.sin(time(t) / 5) * np.sin(q[:, 0] / 45)
        return (q[:, 0] + texture.shape[1] / 2).reshape(xs.shape), (v + texture.shape[0] / 2).reshape(xs.shape)

    return Thing(outline, inverse, texture)
