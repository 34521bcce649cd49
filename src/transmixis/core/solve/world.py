"""A solved place laid out as people know it: the ground level, its origin under a mark, lengths in metres.

x right, y down, z forward, as in core.motion.pose; the ground is y = 0, and z is where the camera looked in the frame that was marked.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.pose import Camera
from transmixis.core.types import Array

NEAR = 14.0  # px within which a mark means the solved point
THIN = 0.05  # of its longest side that a triangle of the ground is wide at least
Place = tuple[float, float]


@dataclass(frozen=True)
class Marks:
    """What a person has said, as places (x, y) px of one frame: three on the ground, one for the origin, and the two ends of what is
    `metres` long; or `height` m of the camera over the ground in that frame. Empty or 0: not said."""

    ground: tuple[Place, ...] = ()
    origin: tuple[Place, ...] = ()
    span: tuple[Place, ...] = ()
    metres: float = 0.0
    height: float = 0.0


@dataclass(frozen=True)
class World:
    """A point X of the solve lies at scale * axes (X - origin). `levelled`, `measured`: the ground and the lengths are known."""

    scale: float = 1.0
    axes: Array = field(default_factory=lambda: np.eye(3))
    origin: Array = field(default_factory=lambda: np.zeros(3))
    levelled: bool = False
    measured: bool = False

    def points(self, points: Array) -> Array:
        """(n, 3) points of the solve as they lie in the world."""
        return np.asarray(self.scale * (np.asarray(points) - self.origin) @ self.axes.T)

    def camera(self, c: Camera) -> Camera:
        """A camera of the solve as it stands in the world; what it sees does not change."""
        turn, shift = c.turn @ self.axes.T, self.scale * (c.turn @ self.origin + c.shift)
        return replace(c, turn=turn, shift=shift, level=self.levelled, metres=self.measured)


def laid_out(points: Array, camera: Camera, marks: Marks) -> World:
    """The world that marks in the frame of a camera say. Raises UserError where they cannot be meant."""
    seen = camera.project(points) if len(points) else np.zeros((0, 2))
    axes, origin = np.eye(3), np.zeros(3)
    levelled = len(marks.ground) == 3
    if levelled:
        three = np.array([_spot(points, seen, m, "ground") for m in marks.ground])
        axes, origin = _level(three, camera), three[0]
    if marks.origin:
        mark = marks.origin[0]
        origin = _on_ground(camera, mark, axes, origin) if levelled else _spot(points, seen, mark, "origin")
    scale = _scale(points, seen, camera, marks, World(1.0, axes, origin, levelled))
    return World(scale or 1.0, axes, origin, levelled, scale is not None)


def _spot(points: Array, seen: Array, mark: Place, words: str) -> Array:
    """The solved point that a mark means."""
    if len(seen):
        away = np.hypot(*(seen - np.asarray(mark)).T)
        away[~np.isfinite(away)] = np.inf
        k = int(np.argmin(away))
        if away[k] <= NEAR:
            return np.asarray(points[k])
    raise UserError(
        f"The mark of the {words} at {mark[0]:.0f}, {mark[1]:.0f} lies on no solved point; put it on one of the dots, within {NEAR:g} px."
    )


def _level(three: Array, camera: Camera) -> Array:
    """Axes whose y points down into the ground through three points, the camera above it."""
    a, b = three[1] - three[0], three[2] - three[0]
    down = np.cross(a, b)
    longest = max(float(np.linalg.norm(v)) for v in (a, b, b - a))
    if float(np.linalg.norm(down)) < THIN * longest**2:
        raise UserError("The three marks of the ground lie on one line or one spot; set them further apart, as a triangle.")
    down = down / np.linalg.norm(down)
    if float((camera.place - three[0]) @ down) > 0:
        down = -down
    ahead = camera.turn[2] - (camera.turn[2] @ down) * down
    if float(np.linalg.norm(ahead)) < 1e-3:  # it looks straight down: its upper edge is ahead
        ahead = -camera.turn[1] + (camera.turn[1] @ down) * down
    ahead = ahead / np.linalg.norm(ahead)
    return np.array([np.cross(down, ahead), down, ahead])


def _on_ground(camera: Camera, mark: Place, axes: Array, origin: Array) -> Array:
    """Where the line of sight through a mark meets the ground."""
    way = camera.directions(np.array([mark]))[0]
    fall = float(axes[1] @ way)
    if fall <= 1e-6:
        raise UserError(f"The mark at {mark[0]:.0f}, {mark[1]:.0f} lies above the ground's horizon; set it lower in the picture.")
    return np.asarray(camera.place + way * float(axes[1] @ (origin - camera.place)) / fall)


def _scale(points: Array, seen: Array, camera: Camera, marks: Marks, world: World) -> float | None:
    if len(marks.span) == 2 and marks.metres > 0:
        a, b = (_spot(points, seen, m, "measured length") for m in marks.span)
        length = float(np.linalg.norm(a - b))
        if length <= 0:
            raise UserError("Both ends of the measured length lie on the same solved point; set them further apart.")
        return marks.metres / length
    if marks.height > 0:
        if not world.levelled:
            raise UserError(
                "The camera's height over the ground says nothing before the ground is marked; mark three points of it."
            )
        above = -float(world.points(camera.place[None])[0, 1])
        if above <= 0:
            raise UserError(
                "The camera lies in the marked ground itself, so that its height tells nothing; mark the ground anew."
            )
        return marks.height / above
    return None
