"""Bundle adjustment: cameras, points and lens moved together until the points are seen where they were found.

Levenberg and Marquardt's steps with the points eliminated (Schur complement; Triggs, McLauchlan, Hartley, Fitzgibbon, 2000), weighted by
Cauchy's law so that what is wrong does not pull. A camera's turn is changed by a small turn on its left; x_cam = R X + t. A focal length
that changes is the lens's, times a zoom of each camera.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from transmixis.core.progress import Progress
from transmixis.core.solve.kernels import residuals, step_of
from transmixis.core.types import Array

CAUCHY = 0.3  # px: what is off by so much counts half
DAMPING, LEAST_DAMPING, MOST_DAMPING = 1e-4, 1e-12, 1e8
DONE = 1e-7  # of the sum: less gained ends it
# A zoom goes evenly: what its change changes by from frame to frame, at the frame's edge, weighs as so much of a feature beside its place.
# A fast and softly begun zoom (to double in two seconds) does 0.7 px there, of which this makes 0.014 px, against all of the frame's
# features: at five times as much, made takes were found 0.3 % too short.
EVEN = 0.02
AT_ONCE = 0.08  # of all pairs of cameras that see a point together, on the average: then all points go in one product


@dataclass(frozen=True)
class Bundle:
    """`turns` (n, 3, 3), `shifts` (n, 3), `points` (m, 3), `lens` (focal px, k1, k2), `middle` (x, y) px. Seen: camera `cams` (k,), point
    `ids` (k,), `at` (k, 2) px, in the order of the points."""

    turns: Array
    shifts: Array
    points: Array
    lens: Array
    middle: Array
    cams: Array
    ids: Array
    at: Array
    zooms: Array | None = None  # (n,) of the lens's focal length; None: all 1
    when: Array | None = None  # (n,) the cameras' frames, in order; None: one after the other

    @property
    def zoomed(self) -> Array:
        return np.ones(len(self.turns)) if self.zooms is None else self.zooms

    def off(self) -> Array:
        """(k, 2) px that each is seen beside where it was found."""
        out = np.empty((len(self.at), 2))
        residuals(
            self.turns, self.shifts, self.points, self.lens, self.zoomed, self.middle, self.cams, self.ids, self.at, out
        )  # fmt: skip
        return out

    def uneven(self) -> Array:
        """(n - 2, n) what leads from the zooms to how far each lies beside the even change between the two beside it, as px at the edge
        of the frame."""
        n = len(self.turns)
        when = np.arange(n) if self.when is None else self.when
        out = np.zeros((max(n - 2, 0), n))
        for k in range(1, n - 1):
            before, after = when[k] - when[k - 1], when[k + 1] - when[k]
            share = before / (before + after)
            out[k - 1, k - 1 : k + 2] = 2 * np.array([share - 1, 1, -share]) / (before * after)
        return out * float(self.middle[0])


def adjusted(
    b: Bundle,
    *,
    rounds: int = 30,
    focal: bool = False,
    bend: bool = False,
    moving: bool = True,
    zoom: bool = False,
    held: int = 0,
    cauchy: float = CAUCHY,
    progress: Progress | None = None,
) -> Bundle:
    """The bundle as it fits best. Free are `focal` and the `bend` of the lens if said, or with `zoom` each camera's own focal length;
    `moving`: the cameras' places too; the last `held` of each point's x, y, z stay as they are."""
    free = np.array([focal and not zoom, bend, bend])
    b = replace(b, turns=b.turns.copy(), shifts=b.shifts.copy(), points=b.points.copy(), lens=b.lens.astype(np.float64).copy())
    even = EVEN * b.uneven() if zoom else np.zeros((0, len(b.turns)))
    starts = np.searchsorted(b.ids, np.arange(len(b.points) + 1))
    at_once = float((np.diff(starts).astype(float) ** 2).mean()) > AT_ONCE * len(b.turns) ** 2 if len(b.points) else False
    cost = _cost(b, even, cauchy)
    damping = DAMPING
    for _ in range(rounds):
        if progress is not None:
            progress.check()
        step = step_of(
            b.turns, b.shifts, b.points, b.lens, b.zoomed, even, b.middle, b.cams, b.at, starts, free, moving, held,
            7 if zoom else 6, cauchy, damping, at_once,
        )  # fmt: skip
        new = _moved(b, *step)
        then = _cost(new, even, cauchy)
        if np.isfinite(then) and then < cost:
            gained = (cost - then) / max(cost, 1e-30)
            b, cost, damping = new, then, max(damping / 5, LEAST_DAMPING)
            if gained < DONE:
                break
        else:
            damping *= 8
            if damping > MOST_DAMPING:
                break
    return b


def _cost(b: Bundle, even: Array, cauchy: float) -> float:
    seen = np.log1p((b.off() ** 2).sum(axis=1) / cauchy**2).sum()
    return float(seen + ((even @ b.zoomed) ** 2).sum() / cauchy**2) if (b.zoomed > 0).all() else float("inf")


def _moved(b: Bundle, cams: Array, lens: Array, points: Array) -> Bundle:
    turns = np.array([_rotation(w) @ r for w, r in zip(cams[:, :3], b.turns, strict=True)])
    zooms = b.zoomed + cams[:, 6] if cams.shape[1] > 6 else b.zooms
    return replace(b, turns=turns, shifts=b.shifts + cams[:, 3:6], lens=b.lens + lens, points=b.points + points, zooms=zooms)


def _rotation(w: Array) -> Array:
    """A small turn about the axis w, by |w| rad (Rodrigues)."""
    a = float(np.linalg.norm(w))
    k = np.array([[0, -w[2], w[1]], [w[2], 0, -w[0]], [-w[1], w[0], 0]])
    if a < 1e-12:
        return np.asarray(np.eye(3) + k)
    return np.asarray(np.eye(3) + np.sin(a) / a * k + (1 - np.cos(a)) / a**2 * (k @ k))
