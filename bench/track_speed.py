"""Speed of tracks as ratios to plain library calls over the same frames, in one run: a point beside pyramidal flow with 41 px windows, a
surface beside gaussian blurs of the frame, a camera in seconds beside flow of as many features.

python bench/track_speed.py
"""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import cv2
import numpy as np

sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "tests" / "support"))

from cardscenes import card_scene
from pointclips import clip
from surfaceclips import surface_clip

from transmixis.core.matte.shape import fill_shape
from transmixis.core.motion.features import coded8
from transmixis.core.motion.follow import Way, follow
from transmixis.core.motion.point import about_point
from transmixis.core.motion.surface import Surface
from transmixis.core.solve.camera import solved
from transmixis.core.solve.tracks import follow_all
from transmixis.core.types import Array

ROUNDS = 6
STILL = Way(np.eye(3), np.eye(3), at=0)


def best(jobs: dict[str, Callable[[], object]], rounds: int = ROUNDS) -> dict[str, float]:
    """The shortest of several runs of each, taken in turn, so that the machine's pace does not favour one."""
    out = dict.fromkeys(jobs, np.inf)
    for job in jobs.values():
        job()  # what is compiled or read first is not counted
    for _ in range(rounds):
        for name, job in jobs.items():
            began = time.perf_counter()
            job()
            out[name] = min(out[name], time.perf_counter() - began)
    return out


def flow_over(greys: list[Array], start: Array) -> None:
    p = start.astype(np.float32).reshape(-1, 1, 2)
    for a, b in pairwise(greys):
        p, _, _ = cv2.calcOpticalFlowPyrLK(a, b, p, np.empty(0), winSize=(41, 41), maxLevel=3)  # type: ignore[call-overload]


def points() -> None:
    for name, settings in (("sharp", {"fast": 3.0, "shutter": 0.25}), ("smeared by 8 px", {"fast": 16.0, "shutter": 0.5})):
        c = clip(3, frames=20, points=1, **settings)  # type: ignore[arg-type]
        greys = [cv2.cvtColor(coded8(f), cv2.COLOR_RGB2GRAY) for f in c.frames]
        pattern = about_point(c.frames[0], c.truth[0, 0], 20, "similarity")
        t = best(
            {
                "ours": lambda c=c, p=pattern: follow(p, lambda i: c.frames[i], range(1, 20), STILL, 40),  # type: ignore[misc]
                "flow": lambda c=c, g=greys: flow_over(g, c.truth[0, 0] - 0.5),  # type: ignore[misc]
            }
        )
        print(
            f"point, {name}: {1e3 * t['ours'] / 19:.2f} ms a frame, {t['ours'] / t['flow']:.1f} times pyramidal flow (wanted: 4)"
        )


def surfaces() -> None:
    for name, settings in (("plain", {"glare": False, "passer": False}), ("glare and a passer-by", {})):
        c = surface_clip(1, (540, 960), 24, **settings)  # type: ignore[arg-type]
        surface = Surface(c.frames[0], c.corners, fill_shape(c.corners, 540, 960))
        t = best(
            {
                "ours": lambda c=c, s=surface: follow(s, lambda i: c.frames[i], range(1, 24), STILL, 40),  # type: ignore[misc]
                "blur": lambda c=c: [cv2.GaussianBlur(f, (0, 0), 5) for f in c.frames[1:]],  # type: ignore[misc]
            },
            3,
        )
        print(f"surface, {name}: {1e3 * t['ours'] / 23:.0f} ms a frame, {t['ours'] / t['blur']:.1f} blurs of it (wanted: 3.5)")


def camera() -> None:
    c = card_scene(1, (540, 960), 60)
    began = time.perf_counter()
    tracks = follow_all(lambda i: c.frames[i], 60)
    followed = time.perf_counter() - began
    began = time.perf_counter()
    solved(tracks, (960, 540), c.focal, bend=False)
    solve = time.perf_counter() - began
    greys = [cv2.cvtColor(coded8(f), cv2.COLOR_RGB2GRAY) for f in c.frames]
    began = time.perf_counter()
    flow_over(greys, np.random.default_rng(1).uniform(40, 500, (250, 2)))
    flow = time.perf_counter() - began
    print(
        f"camera, 60 frames: {tracks.count} features in {followed:.1f} s, solved in {solve:.1f} s (wanted: 10 s in all), "
        f"{(followed + solve) / flow:.0f} times flow of 250"
    )


if __name__ == "__main__":
    points()
    surfaces()
    camera()
