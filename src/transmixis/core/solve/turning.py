"""A camera that only turns, on a tripod: its turns, and its focal length if that is not known, from directions alone."""

from __future__ import annotations

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.solve.bundle import adjusted
from transmixis.core.solve.grow import LEAST, NEAR, WRONG, Scene, cleaned
from transmixis.core.types import Array

ROUNDS = 8  # of weighing while a turn is found
TUKEY = 4.685


def turning(
    places: Array,
    focal: float,
    middle: Array,
    *,
    free: bool,
    bend: bool,
    zooms: Array | None = None,
    progress: Progress | None = None,
) -> Scene:
    """The turns of a camera that stays in its place, from tracks (n, m, 2). Points are directions of length 1. `zooms` (n,): beginnings
    of a focal length that changes. Raises UserError where too few features are shared."""
    progress = progress or Progress()
    n = len(places)
    scene = Scene.unknown(places, focal, middle, zooms)
    rays = _rays(scene)
    scene.known[int(np.argmax(np.isfinite(places[..., 0]).sum(axis=1)))] = True
    _directions(scene, rays)
    while not scene.known.all():
        progress.at(float(scene.known.sum()), n, "solving the camera's turns")
        counts = np.where(scene.known, -1, (scene.solid & np.isfinite(places[..., 0])).sum(axis=1))
        k = int(np.argmax(counts))
        if counts[k] < LEAST:
            break
        both = scene.solid & np.isfinite(places[k, :, 0])
        scene.turns[k] = turned_by(scene.points[both], rays[k, both])
        scene.known[k] = True
        _directions(scene, rays)
    if scene.known.sum() < 2:
        raise UserError("Too few features are shared between frames; a more textured take can be solved.")
    zoom = free and zooms is not None
    for limit in (NEAR, WRONG):
        scene.taken(adjusted(scene.bundle(), focal=free, bend=bend, moving=False, zoom=zoom, progress=progress))
        cleaned(scene, limit)
    scene.taken(adjusted(scene.bundle(), focal=free, bend=bend, moving=False, zoom=zoom, progress=progress))
    return scene


def turned_by(a: Array, b: Array) -> Array:
    """(3, 3) the turn that takes directions a (n, 3) to b, as most of them say (Kabsch, 1976, with Tukey's weights)."""
    w = np.ones(len(a))
    turn = np.eye(3)
    for _ in range(ROUNDS):
        u, _, v = np.linalg.svd((b * w[:, None]).T @ a)
        turn = u @ np.diag([1, 1, np.sign(np.linalg.det(u @ v))]) @ v
        off = np.linalg.norm(a @ turn.T - b, axis=1)
        r = off / (TUKEY * 1.4826 * float(np.median(off)) + 1e-12)
        w = np.where(r < 1, (1 - np.minimum(r, 1) ** 2) ** 2, 0)
    return np.asarray(turn)


def _rays(scene: Scene) -> Array:
    flat = scene.flat()
    rays = np.concatenate([flat, np.ones((*flat.shape[:2], 1))], axis=2)
    return np.asarray(rays / np.linalg.norm(rays, axis=2, keepdims=True))


def _directions(scene: Scene, rays: Array) -> None:
    """Directions of all features seen in the known frames: the mean of where they say."""
    frames = np.flatnonzero(scene.known)
    there = np.einsum("nji,nmj->nmi", scene.turns[frames], rays[frames])
    seen = np.isfinite(there[..., 0])
    total = np.where(seen[..., None], there, 0).sum(axis=0)
    size = np.linalg.norm(total, axis=1, keepdims=True)
    scene.solid[:] = seen.any(axis=0)
    scene.points[:] = np.where(size > 0, total / np.where(size > 0, size, 1), 0)
