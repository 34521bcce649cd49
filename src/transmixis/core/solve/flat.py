"""A camera before one flat thing: its path, and its focal length if that is not known, from how the flat thing is seen.

Frame after frame the perspective that carries the flat thing over to a reference frame; from all of them which way the flat thing faces
(lengths and right angles on it are the same in every frame; Triggs, 1998); from both where each camera stands; then all adjusted with the
points kept on the flat thing.
"""

from __future__ import annotations

from dataclasses import replace

import cv2
import numpy as np
from scipy.optimize import least_squares, minimize_scalar

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.solve.bundle import CAUCHY, adjusted
from transmixis.core.solve.grow import LEAST, NEAR, SEED, WRONG, Scene, cleaned
from transmixis.core.types import Array

STEEP = 85.0  # degrees from the line of sight, up to which directions are tried
STEP = 15.0  # degrees between them
KEPT = 4  # directions that are adjusted
ROUNDS = 30  # of each adjustment
FEW = 10  # frames on which focal lengths are tried
WIDTHS = (0.6, 0.85, 1.2, 1.7, 2.4, 3.4)  # those tried first, in widths of the frame
TRIES = 6  # steps towards the best focal length
APART = 3.0  # degrees between two that are not the same
TELLS = 0.02  # of the focal length: less sure, and it is not told
ALIKE = 1.05  # times the rest of the best reading, up to which another one fits as well
NO_FOCAL = (
    "all features move as on one flat thing, which was not seen from enough sides to tell the focal length: give it in px, "
    "by the lens's chart or its data sheet"
)


def flat(places: Array, focal: float | None, middle: Array, *, bend: bool, progress: Progress | None = None) -> Scene:
    """The scene of tracks `places` (n, m, 2) of one flat thing, its points in its own plane z = 0. `focal` px, None: to be found.
    `Scene.doubt` is set where another path explains the tracks as well. Raises UserError where too little is shared, or where the focal
    length is to be found and the tracks do not tell it."""
    progress = progress or Progress()
    start = focal if focal is not None else _about(places, middle, progress)
    scene = _best(places, start, middle, bend=bend, progress=progress)
    for limit in (NEAR, WRONG):
        cleaned(scene, limit)
        scene = _adjusted(scene, progress, bend=bend)
    if focal is None:
        scene, unsure = _with_focal(scene, progress, bend=bend)
        if unsure > TELLS:
            raise UserError(NO_FOCAL)
    return scene


def _about(places: Array, middle: Array, progress: Progress) -> float:
    """px, the focal length by which a few frames are explained best. Where it is hardly told, any of those that do is as good."""
    frames = np.unique(np.linspace(0, len(places) - 1, min(len(places), FEW)).round().astype(int))
    some = places[frames]
    some = some[:, np.isfinite(some[..., 0]).sum(axis=0) >= 3]
    width = 2 * float(middle[0])

    def cost(log: float) -> float:
        return _cost(_best(some, width * float(np.exp(log)), middle, bend=False, progress=progress))

    logs = np.log(WIDTHS)
    costs = [cost(v) for v in logs]
    k = int(np.clip(np.argmin(costs), 1, len(logs) - 2))
    fit = minimize_scalar(cost, bounds=(logs[k - 1], logs[k + 1]), method="bounded", options={"xatol": 0.01})
    return width * float(np.exp(fit.x if fit.fun < min(costs) else logs[int(np.argmin(costs))]))


def _best(places: Array, focal: float, middle: Array, *, bend: bool, progress: Progress) -> Scene:
    """Of the ways in which the flat thing may face, with a focal length that is known, the one that explains the tracks."""
    scene = Scene.unknown(places.copy(), focal, middle, None)
    maps, at = _laid_over(scene, progress)
    found = [_adjusted(_posed(scene, maps, at, n), progress, bend=bend) for n in _facings(maps[scene.known])]
    costs = [_rest(s) for s in found]
    near = [s for s, c in zip(found, costs, strict=True) if c < ALIKE * min(costs)]
    best = min(near, key=_turned)
    best.doubt = any(_another(best, s) for s in near)
    return best


def _with_focal(scene: Scene, progress: Progress, *, bend: bool) -> tuple[Scene, float]:
    """The scene with the focal length by which all fits best, and how unsure it is as a part of itself (one standard deviation): the
    lowest place, and the bend, of what is left with lengths a little longer and shorter. A free focal length in one adjustment goes
    along a curved valley in hundreds of rounds."""
    unsure = np.inf
    for _ in range(TRIES):
        spread = _rest(scene) / 1.1774  # px of one of two numbers, by the median of their length
        low, here, high = (_cost(_longer(scene, t, progress, bend=bend)) / spread**2 for t in (1 - TELLS, 1.0, 1 + TELLS))
        bend_of = low - 2 * here + high
        if not bend_of > 0:
            return scene, np.inf
        unsure = TELLS * np.sqrt(2 / bend_of)
        step = float(np.clip(TELLS * (low - high) / (2 * bend_of), -4 * TELLS, 4 * TELLS))
        scene = _longer(scene, 1 + step, progress, bend=bend)
        if abs(step) < 0.1 * unsure:
            break
    return scene, unsure


def _longer(scene: Scene, times: float, progress: Progress, *, bend: bool) -> Scene:
    """Another scene, adjusted with a focal length so many times as long."""
    out = replace(
        scene, turns=scene.turns.copy(), shifts=scene.shifts.copy(), points=scene.points.copy(), lens=scene.lens * (times, 1, 1)
    )
    out.followed = scene.followed
    return _adjusted(out, progress, bend=bend)


def _cost(scene: Scene) -> float:
    """px², what is left, strangers counting little."""
    return float((np.log1p((scene.bundle().off() ** 2).sum(axis=1) / CAUCHY**2) * CAUCHY**2).sum())


def _laid_over(scene: Scene, progress: Progress) -> tuple[Array, Array]:
    """(n, 3, 3) from directions in the reference frame to those in each, and (m, 2) where the features lie in the reference's. Frames
    that are reached are `known`, features `solid`."""
    seen = scene.flat()
    there = np.isfinite(seen[..., 0])
    first = int(np.argmax(there.sum(axis=1)))
    maps, at = np.tile(np.eye(3), (len(seen), 1, 1)), seen[first].copy()
    scene.known[first] = True
    tried: set[int] = set()
    while True:
        progress.at(float(scene.known.sum()), len(seen), "solving the camera before a flat thing")
        solid = np.isfinite(at[:, 0])
        counts = np.where(scene.known, -1, (there & solid).sum(axis=1))
        counts[list(tried)] = -1
        k = int(np.argmax(counts))
        if counts[k] < LEAST:
            break
        both = there[k] & solid
        cv2.setRNGSeed(SEED)
        m, within = cv2.findHomography(at[both], seen[k, both], cv2.USAC_MAGSAC, NEAR / float(scene.focals[k]), None, 2000, 0.999)
        if m is None or int(within.sum()) < LEAST:
            tried.add(k)
            continue
        maps[k], scene.known[k] = m / np.cbrt(np.linalg.det(m)), True
        tried.clear()
        new = there[k] & ~solid
        at[new] = _through(np.linalg.inv(maps[k]), seen[k, new])
    if scene.known.sum() < 3:
        raise UserError("Too few features are shared between frames; a more textured take can be solved.")
    scene.solid[:] = np.isfinite(at[:, 0])
    return maps, at


def _through(m: Array, at: Array) -> Array:
    q = np.c_[at, np.ones(len(at))] @ m.T
    return np.asarray(q[:, :2] / q[:, 2:])


def _facings(maps: Array) -> list[Array]:
    """Unit directions from the reference camera to the flat thing's nearest place, the best first: those by which lengths and right
    angles on it are kept by all maps (n, 3, 3)."""
    starts = [np.array([0.0, 0.0, 1.0])]
    for away in np.radians(np.arange(STEP, STEEP, STEP)):
        for round_ in np.radians(np.arange(0, 360, 2 * STEP)):
            starts.append(np.array([np.sin(away) * np.cos(round_), np.sin(away) * np.sin(round_), np.cos(away)]))
    cost = [float((_unlike(s, maps) ** 2).sum()) for s in starts]
    found: list[tuple[float, Array]] = []
    for k in np.argsort(cost)[: 3 * KEPT]:
        n, left = _turned_to(starts[int(k)], maps)
        if n[2] > np.cos(np.radians(STEEP)) and all(n @ other < np.cos(np.radians(APART)) for _, other in found):
            found.append((left, n))
    found.sort(key=lambda f: f[0])
    return [n for _, n in found[:KEPT]] or [starts[0]]


def _turned_to(start: Array, maps: Array) -> tuple[Array, float]:
    """The direction near `start` that suits the maps best, and what is left."""
    u, v = _along(start)

    def told(p: Array) -> Array:
        n = start + p[0] * u + p[1] * v
        return np.asarray(n / np.linalg.norm(n))

    fit = least_squares(lambda p: _unlike(told(p), maps), np.zeros(2), loss="soft_l1", f_scale=1e-3)
    return told(fit.x), float(fit.cost)


def _along(n: Array) -> tuple[Array, Array]:
    """Two directions at right angles to n and each other; u, v, n turn as x, y, z do."""
    u = np.cross([0.0, 1.0, 0.0] if abs(n[1]) < 0.9 else [1.0, 0.0, 0.0], n)
    u /= np.linalg.norm(u)
    return u, np.cross(n, u)


def _unlike(n: Array, maps: Array) -> Array:
    """(2 k,) how far the two directions along the flat thing are from being as long as each other, and at right angles, in each frame."""
    u, v = _along(n)
    a, b = maps @ u, maps @ v
    both = (a**2).sum(axis=1) + (b**2).sum(axis=1)
    return np.concatenate([((a**2).sum(axis=1) - (b**2).sum(axis=1)) / both, 2 * (a * b).sum(axis=1) / both])


def _posed(scene: Scene, maps: Array, at: Array, n: Array) -> Scene:
    """A scene of its own in which the flat thing, at distance 1, faces along n."""
    u, v = _along(n)
    rays = np.c_[at, np.ones(len(at))]
    ahead = rays @ n
    good = scene.solid & (ahead > 1e-3)
    on = rays / np.where(good, ahead, 1)[:, None] - n
    out = Scene.unknown(scene.places.copy(), float(scene.lens[0]), scene.middle, None)
    out.followed, out.known, out.solid = scene.followed, scene.known.copy(), good
    out.points[good] = np.c_[on @ u, on @ v, np.zeros(len(on))][good]
    for k in np.flatnonzero(scene.known):
        a, b, c = maps[k] @ u, maps[k] @ v, maps[k] @ n
        size = np.sqrt(np.linalg.norm(a) * np.linalg.norm(b))
        if float(np.median((out.points[good] @ np.stack([a, b, c]))[:, 2] + c[2])) < 0:
            size = -size
        turn = np.stack([a / size, b / size, np.cross(a, b) / size**2], axis=1)
        left, _, right = np.linalg.svd(turn)
        out.turns[k], out.shifts[k] = left @ right, c / size
    return out


def _adjusted(scene: Scene, progress: Progress, *, bend: bool) -> Scene:
    progress.check()
    scene.taken(adjusted(scene.bundle(), rounds=ROUNDS, bend=bend, held=1, progress=progress))
    return scene


def _rest(scene: Scene) -> float:
    return float(np.median(np.linalg.norm(scene.bundle().off(), axis=1)))


def _turned(scene: Scene) -> float:
    """How much the camera turns over the take: of two paths that explain it the one that is carried, not swung, is likelier."""
    turns = scene.turns[scene.known]
    return float(np.arccos(np.clip((np.einsum("nij,ij->n", turns, turns[0]) - 1) / 2, -1, 1)).sum())


def _another(a: Scene, b: Scene) -> bool:
    """Whether two scenes face in other directions, as seen by their first camera."""
    k = int(np.flatnonzero(a.known)[0])
    return bool(float(a.turns[k][:, 2] @ b.turns[k][:, 2]) < np.cos(np.radians(APART)))
