"""Lenses: field of view, size in the frame, depth of field, and what an enlargement leaves.

Thin-lens formulas as in any handbook of photography. Lengths of the lens and sensor in mm, distances in m, angles in degrees.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from transmixis.core.errors import UserError


@dataclass(frozen=True)
class Sharpness:
    """Nearest and farthest distance that are sharp enough (m; infinity beyond the hyperfocal distance), and that distance."""

    near: float
    far: float
    hyperfocal: float


def field_of_view(sensor: float, focal: float) -> float:
    """Angle (degrees) that a lens of `focal` mm shows on a sensor side of `sensor` mm (pinhole geometry)."""
    _positive(sensor=sensor, focal=focal)
    return math.degrees(2 * math.atan(sensor / (2 * focal)))


def focal_for(sensor: float, angle: float) -> float:
    """Focal length (mm) that shows `angle` degrees on a sensor side of `sensor` mm."""
    if not 0 < angle < 180:
        raise UserError(f"An angle of view of {angle:g}° cannot be; give one between 0 and 180.")
    return sensor / (2 * math.tan(math.radians(angle) / 2))


def size_px(size: float, distance: float, focal: float, sensor: float, width: int) -> float:
    """Pixels that a thing of `size` m at `distance` m takes in a frame `width` px wide."""
    _positive(distance=distance, focal=focal, sensor=sensor)
    return size / distance * focal / sensor * width


def distance_for(size: float, px: float, focal: float, sensor: float, width: int) -> float:
    """Distance (m) at which a thing of `size` m takes `px` pixels."""
    _positive(px=px, focal=focal, sensor=sensor)
    return size * focal / sensor * width / px


def depth_of_field(focal: float, stop: float, distance: float, blur: float) -> Sharpness:
    """What is sharp when focused at `distance` m; `blur` mm: the widest circle of confusion that passes for sharp."""
    _positive(focal=focal, stop=stop, distance=distance, blur=blur)
    hyper = focal**2 / (stop * blur) + focal
    d = distance * 1000
    if d <= focal:
        raise UserError(f"The distance of {distance:g} m lies inside the lens; give a longer one.")
    near = d * (hyper - focal) / (hyper + d - 2 * focal)
    far = d * (hyper - focal) / (hyper - d) if d < hyper else math.inf
    return Sharpness(near / 1000, far / 1000, hyper / 1000)


def circle_for(sensor: float, width: int, px: float) -> float:
    """Circle of confusion (mm) that is `px` pixels across in a frame `width` px wide."""
    return sensor / width * px


def growth(near: float, far: float) -> float:
    """How much larger (times) a thing looks at `near` m than at `far` m: what a walk towards the camera does."""
    _positive(near=near, far=far)
    return far / near


def distance_for_growth(depth: float, most: float) -> float:
    """Least distance (m) of the camera at which moving `depth` m nearer enlarges by no more than `most` times.

    So far back must it stand so that a cut-out that is moved across the frame keeps its look.
    """
    if most <= 1:
        raise UserError("Something that comes nearer grows; allow more than 1 time.")
    return depth * most / (most - 1)


def _positive(**values: float) -> None:
    for name, v in values.items():
        if not v > 0:
            raise UserError(f"{name.capitalize()} must be above zero, not {v:g}.")
