"""A surface about a point, where the point itself cannot be followed on: what covers the point or washes it out leaves enough of the
surface that it lies on. It is offered as a track of its own that what hung on the point hangs on then."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.follow import Way, follow
from transmixis.core.motion.motion import Motion, moved_points
from transmixis.core.motion.surface import surface_in
from transmixis.core.progress import Progress
from transmixis.core.types import Array
from transmixis.shot.contract import Effect, Inputs, Proposal
from transmixis.shot.offers import Instead
from transmixis.shot.steps.slips import WayOut
from transmixis.shot.steps.surface_track import SurfaceTrack

if TYPE_CHECKING:
    from transmixis.shot.steps.following import Following

SIDES = (
    8.0,
    5.0,
)  # halves of the point's pattern that half the surface's side is, the larger first: it bears more in front of it
LEAST = 40.0  # px of half the side
EDGE = 2.0  # px of the frame's border that are left out
SAME = 6  # frames before in which the surface must carry the point to where it was found
STEADY = 0.3  # px by which it may lie beside it there
MOST = 24  # frames that it is tried on
MODEL = "affine"  # bears slants, and less can go wrong than with a perspective


def surface_about(
    kind: Following[Any], inputs: Inputs, params: Any, frame: int, sign: int, motion: Motion, progress: Progress
) -> list[WayOut]:
    """Surfaces about the point as it lies at `frame`, of those that carried it to where it was found in the frames before: what lies
    at another depth does not."""
    if any(s.kind == SurfaceTrack.kind and int(s.params.get("reference", 1)) == frame for s in inputs.shot.steps):
        return []  # it was taken before
    at = moved_points(motion.matrix, kind.places(params))[0]
    before = [n for n in (frame - sign * k for k in range(1, SAME + 1)) if 1 <= n <= inputs.shot.length]
    picture, out = inputs.picture("plate", frame)[..., :3], []
    seen = {n: m for n in before if (m := kind.told(inputs, params, n).motion) is not None and m.known}
    for side in SIDES:
        progress.at(0, 0, "trying the surface about it")
        region = _square(at, max(side * float(params.half), LEAST), (picture.shape[1], picture.shape[0]))
        try:
            surface = surface_in(picture, [region], [], MODEL, told=at[None])
        except UserError:
            continue
        found, _ = follow(
            surface, lambda n: inputs.picture("plate", n), before, Way(np.eye(3), np.eye(3), at=frame), int(params.reach)
        )
        off = [
            float(np.hypot(*(moved_points(f.matrix, at)[0] - moved_points(seen[n].matrix, kind.places(params))[0])))
            for n, f in zip(before, found, strict=True)
            if n in seen and not f.lost
        ]
        if len(off) < min(len(before), 2) or max(off) > STEADY:
            continue
        size = region.max(axis=0) - region.min(axis=0)
        words = f"The surface about it, {size[0]:.0f} × {size[1]:.0f} px, is found on where the point is not. Take a track of it from frame {frame} instead."
        outline = [[i, round(float(x), 1), round(float(y), 1)] for i, (x, y) in enumerate(region, 1)]
        values = {"region": [outline], "reference": frame, "model": MODEL, "reach": params.reach}
        out.append(
            WayOut(params, surface, None, frame, Way(np.eye(3), np.eye(3), at=frame), motion.error, _offer(values, words), MOST)
        )
    return out


def _offer(values: dict[str, Any], words: str) -> Any:
    costs = "Another track; what hangs on this one hangs on that then."

    def made(effects: tuple[Effect, ...]) -> Proposal:
        return Proposal({}, words, effects, costs=costs, instead=Instead(SurfaceTrack.kind, "surface", values))

    return made


def _square(at: Array, half: float, size: tuple[int, int]) -> Array:
    """(4, 2) corners of an upright square about a place, as far as it lies in the frame."""
    low = np.maximum(at - half, EDGE)
    high = np.minimum(at + half, np.array(size) - EDGE)
    return np.array([low, [high[0], low[1]], high, [low[0], high[1]]])
