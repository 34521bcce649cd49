"""Long takes: the solve is made of some frames, and the others are placed between them by the points that they see.

Adjusting all frames together costs with the cube of how many there are, placing one by known points nothing to speak of; and what lies
between two frames that are solved tells little of the points that those two do not.
"""

from __future__ import annotations

import numpy as np

from transmixis.core.progress import Progress
from transmixis.core.solve.bundle import CAUCHY, Bundle, adjusted
from transmixis.core.solve.grow import LEAST, NEAR, WRONG, Scene, cleaned
from transmixis.core.types import Array

MOST = 120  # frames that are solved together
WIDE = (100 * CAUCHY, 10 * CAUCHY, CAUCHY)  # px, how wide the weights are while a frame is placed
ROUNDS = 15


def some_frames(n: int) -> Array:
    """The frames (from 0) of n that are solved together, both ends among them."""
    step = int(np.ceil(n / MOST))
    return np.unique(np.r_[np.arange(0, n, step), n - 1])


def filled(some: Scene, frames: Array, places: Array, *, moving: bool, progress: Progress | None = None) -> Scene:
    """The scene of all tracks `places` (n, m, 2) from that of some of their `frames`. `moving`: the camera's place is found too."""
    progress = progress or Progress()
    n = len(places)
    zooms = None if some.zooms is None else np.interp(np.arange(n), frames, some.zooms)
    scene = Scene.unknown(places, float(some.lens[0]), some.middle, zooms)
    scene.lens, scene.points, scene.solid, scene.doubt = some.lens, some.points, some.solid.copy(), some.doubt
    scene.turns[frames], scene.shifts[frames], scene.known[frames] = some.turns, some.shifts, some.known
    scene.places[frames] = some.places  # without what was found to be wrong
    told = scene.known.copy()
    for k in np.flatnonzero(~told):
        progress.at(float(k), n, "placing the frames between")
        beside = np.flatnonzero(scene.known)
        if len(beside):
            _place(scene, int(k), int(beside[np.argmin(np.abs(beside - k))]), moving=moving)
    cleaned(scene, WRONG)
    return scene


def _place(scene: Scene, k: int, beside: int, *, moving: bool) -> None:
    """Frame k by the points that it sees, begun as the frame beside it stands; left unknown where they do not agree."""
    ids = np.flatnonzero(scene.solid & np.isfinite(scene.places[k, :, 0]))
    if len(ids) < LEAST:
        return
    zooms = None if scene.zooms is None else scene.zooms[[k]]
    b = Bundle(
        scene.turns[[beside]], scene.shifts[[beside]], scene.points[ids], scene.lens, scene.middle, np.zeros(len(ids), np.int64),
        np.arange(len(ids)), scene.places[k, ids], zooms,
    )  # fmt: skip
    for cauchy in WIDE:
        b = adjusted(b, rounds=ROUNDS, moving=moving, zoom=zooms is not None, held=3, cauchy=cauchy)
    if float(np.median(np.linalg.norm(b.off(), axis=1))) > NEAR:
        return
    scene.turns[k], scene.shifts[k], scene.known[k] = b.turns[0], b.shifts[0], True
    if scene.zooms is not None:
        scene.zooms[k] = b.zoomed[0]
