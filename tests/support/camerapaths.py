"""Features as cameras with a known path see them: points in depth, directions, or a flat wall, with noise."""

from __future__ import annotations

import numpy as np
from scipy.spatial.transform import Rotation

SIZE = (960, 540)
FOCAL = 1100.0


def turns(vectors: np.ndarray) -> np.ndarray:
    return Rotation.from_rotvec(vectors).as_matrix()


def zoomed(frames: int, most: float) -> np.ndarray:
    """(n,) a focal length that begins and ends softly, over that of the first frame."""
    return np.asarray(most ** ((1 - np.cos(np.pi * np.linspace(0, 1, frames))) / 2))


def seen(
    points: np.ndarray,
    turn: np.ndarray,
    place: np.ndarray,
    *,
    k1: float,
    noise: float,
    rng: np.random.Generator,
    zoom: np.ndarray | None = None,
) -> np.ndarray:
    """(n, m, 2) px of points (m, 3) by cameras that stand at `place` (n, 3); nan outside of the frame."""
    there = np.einsum("nij,nmj->nmi", turn, points[None] - place[:, None])
    with np.errstate(all="ignore"):
        flat = there[..., :2] / there[..., 2:]
    q = (flat**2).sum(axis=-1, keepdims=True)
    focal = FOCAL if zoom is None else FOCAL * zoom[:, None, None]
    at = np.array(SIZE) / 2 + focal * flat * (1 + k1 * q)
    out = (there[..., 2] < 0.1) | (at < 10).any(axis=-1) | (at > np.array(SIZE) - 10).any(axis=-1)
    at = at + noise * rng.standard_normal(at.shape)
    at[out] = np.nan
    return at


def lasting(at: np.ndarray, most: int, frames: int = 8) -> np.ndarray:
    """Which features are seen long enough."""
    return np.flatnonzero(np.isfinite(at[..., 0]).sum(axis=0) >= frames)[:most]


def truck(
    seed: int = 1,
    frames: int = 30,
    points: int = 160,
    move: float = 1.4,
    k1: float = 0.0,
    noise: float = 0.03,
    flat: bool = False,
    dolly: float = 0.3,
    zoom: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Tracks (n, m, 2), turns, places (n, 3) and points of a camera that goes past things 4 to 14 m away, or past a wall at 8 m."""
    rng = np.random.default_rng(seed)
    depth = np.full(points * 3, 8.0) if flat else rng.uniform(4, 14, points * 3)
    things = np.c_[rng.uniform(-6, 6, points * 3), rng.uniform(-3, 3, points * 3), depth]
    t = np.linspace(0, 1, frames)
    place = np.c_[move * (t - 0.5), 0.15 * np.sin(4 * t), dolly * t]
    turn = turns(np.c_[0.03 * np.sin(3 * t), -0.12 * (t - 0.5), 0.02 * t])
    at = seen(things, turn, place, k1=k1, noise=noise, rng=rng, zoom=zoom)
    keep = lasting(at, points, min(8, frames))
    return at[:, keep], turn, place, things[keep]


def past_a_wall(
    seed: int = 2,
    frames: int = 30,
    points: int = 160,
    *,
    tilt: float = 0.0,
    move: float = 1.4,
    dolly: float = 0.3,
    bob: float = 0.15,
    swing: float = 7.0,
    nod: float = 0.03,
    k1: float = 0.0,
    noise: float = 0.03,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Tracks, turns, places, and the direction that the wall faces, of a camera before a wall at 8 m that is turned aside by `tilt`
    degrees; it swings by `swing` degrees while it moves."""
    rng = np.random.default_rng(seed)
    spots = np.c_[rng.uniform(-6, 6, points * 3), rng.uniform(-3, 3, points * 3), np.zeros(points * 3)]
    aside = Rotation.from_euler("y", tilt, degrees=True).as_matrix()
    t = np.linspace(0, 1, frames)
    place = np.c_[move * (t - 0.5), bob * np.sin(4 * t), dolly * t]
    turn = turns(np.c_[nod * np.sin(3 * t), -np.radians(swing) * (t - 0.5), nod * t])
    at = seen(spots @ aside.T + [0, 0, 8], turn, place, k1=k1, noise=noise, rng=rng)
    return at[:, lasting(at, points)], turn, place, aside[:, 2]


def pan(
    seed: int = 3, frames: int = 30, degrees: float = 30.0, noise: float = 0.03, zoom: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """Tracks and turns of a camera on a tripod."""
    rng = np.random.default_rng(seed)
    away = rng.normal(size=(1500, 3)) * [1, 0.4, 1]
    away /= np.linalg.norm(away, axis=1, keepdims=True)
    t = np.linspace(0, 1, frames)
    turn = turns(np.c_[0.05 * np.sin(6 * t), np.radians(degrees) * (t - 0.5), 0.01 * t])
    at = seen(away * 1e6, turn, np.zeros((frames, 3)), k1=0.0, noise=noise, rng=rng, zoom=zoom)
    return at[:, lasting(at, 250, 5)], turn


def laid_over(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Places a (n, 3) turned, moved and sized so that they lie over b as well as they can (Umeyama, 1991)."""
    x, y = a - a.mean(axis=0), b - b.mean(axis=0)
    u, s, v = np.linalg.svd(y.T @ x)
    sign = np.array([1, 1, np.sign(np.linalg.det(u @ v))])
    return (s * sign).sum() / (x**2).sum() * (x @ (u @ np.diag(sign) @ v).T) + b.mean(axis=0)


def path_error(cameras: list, place: np.ndarray) -> float:
    """Root mean square of how far a solved path lies beside the true one, over its length."""
    own = np.array([c.place for c in cameras])
    off = np.linalg.norm(laid_over(own, place) - place, axis=1)
    return float(np.sqrt((off**2).mean()) / np.linalg.norm(np.diff(place, axis=0), axis=1).sum())
