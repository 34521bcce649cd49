"""The Sun and its shadows: where it stands, how shadows of two plates compare, when they agree, a shadow measured in a picture.

Azimuths are degrees clockwise from north, elevations degrees above the horizon (refraction included), bearings of cameras the
same as azimuths. The Sun's place is pvlib's (Reda & Andreas, NREL, 2004).
"""

from __future__ import annotations

import importlib.util
import math
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.types import Array

LOWEST = 1.0  # degrees: lower, shadows have no end that could be compared


@dataclass(frozen=True)
class Place:
    """Latitude north and longitude east (degrees), height (m), air pressure (mbar) and temperature (°C)."""

    latitude: float
    longitude: float
    height: float = 0.0
    pressure: float = 1013.25
    temperature: float = 12.0


@dataclass(frozen=True)
class Sun:
    """Azimuth and elevation, degrees."""

    azimuth: float
    elevation: float


def sun_at(place: Place, when: datetime) -> Sun:
    """Where the Sun stands. Raises UserError for a time without a zone or a place that is none."""
    azimuth, elevation = _positions(place, (_checked(place, when),))
    return Sun(float(azimuth[0]), float(elevation[0]))


def day_of(place: Place, day: datetime, step: float = 5.0) -> tuple[list[datetime], Array, Array]:
    """Times every `step` minutes of the day (local, from midnight), and the Sun's azimuths and elevations."""
    start = _checked(place, day).replace(hour=0, minute=0, second=0, microsecond=0)
    times = tuple(start + timedelta(minutes=step * k) for k in range(round(24 * 60 / step) + 1))
    azimuth, elevation = _positions(place, times)
    return list(times), azimuth, elevation


def _checked(place: Place, when: datetime) -> datetime:
    if when.tzinfo is None:
        raise UserError("The hour has no time zone; say which, such as +01:00.")
    if not (-90 <= place.latitude <= 90 and -180 <= place.longitude <= 360):
        raise UserError(f"{place.latitude:g}, {place.longitude:g} is no place; latitudes go to 90, longitudes to 180.")
    return when


@lru_cache(maxsize=1)
def _spa() -> Any:
    """pvlib's solar position algorithm by itself: the whole package takes a second to load, in which the window would stall."""
    whole = importlib.util.find_spec("pvlib")
    assert whole is not None
    assert whole.submodule_search_locations
    spec = importlib.util.spec_from_file_location("pvlib_spa", Path(whole.submodule_search_locations[0]) / "spa.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


@lru_cache(maxsize=64)
def _positions(place: Place, times: tuple[datetime, ...]) -> tuple[Array, Array]:
    unix = np.array([t.timestamp() for t in times], float)
    delta_t = 64.797 if times[0].year < 2005 else 69.2  # s between dynamic and clock time; a second of it is 0.004 degrees
    found = _spa().solar_position(
        unix, place.latitude, place.longitude, place.height, place.pressure, place.temperature, delta_t, 0.5667, numthreads=1
    )
    return np.asarray(found[4]), np.asarray(found[2])


def shadow_length(elevation: float) -> float:
    """Length of a shadow on level ground over the height of what casts it; infinite with the Sun at the horizon."""
    return math.inf if elevation <= 0 else 1 / math.tan(math.radians(elevation))


def shadow_bearing(azimuth: float) -> float:
    """Where a shadow points."""
    return (azimuth + 180) % 360


def in_camera(bearing: float, camera: float) -> float:
    """A bearing as the camera sees it: 0 away from it, above zero to the right, -180 to 180."""
    return (bearing - camera + 180) % 360 - 180


def apart(a: float, b: float) -> float:
    """Angle between two directions, 0 to 180."""
    return abs((a - b + 180) % 360 - 180)


@dataclass(frozen=True)
class Hours:
    """Over a day: times, the worse of the two differences over its limit (1 at the limit), and the spans that agree."""

    times: tuple[datetime, ...]
    ratio: Array
    spans: tuple[tuple[datetime, datetime], ...]
    best: datetime | None


def hours_that_agree(
    wanted: Sun, camera: float, place: Place, day: datetime, camera_there: float, most_direction: float, most_height: float,
    step: float = 2.0,
) -> Hours:  # fmt: skip
    """When on a day the Sun gives shadows like `wanted` as seen by a camera that looks to `camera_there`."""
    times, azimuth, elevation = day_of(place, day, step)
    there, here = azimuth + 180 - camera_there, shadow_bearing(wanted.azimuth) - camera
    direction = np.abs((there - here + 180) % 360 - 180)
    worse = np.maximum(direction / most_direction, np.abs(elevation - wanted.elevation) / most_height)
    ratio = np.where(elevation > LOWEST, worse, np.inf)
    fine = np.concatenate([[False], ratio <= 1, [False]])
    starts, ends = np.flatnonzero(fine[1:] & ~fine[:-1]), np.flatnonzero(~fine[1:] & fine[:-1]) - 1
    spans = tuple((times[int(a)], times[int(b)]) for a, b in zip(starts, ends, strict=True))
    best = times[int(np.argmin(ratio))] if np.isfinite(ratio).any() else None
    return Hours(tuple(times), ratio, spans, best)


def minutes_until_moved(place: Place, when: datetime, most: float) -> float:
    """Minutes until a shadow has turned, or the Sun risen or sunk, by `most` degrees; a high Sun turns shadows fast."""
    first = sun_at(place, when)
    times = tuple(when + timedelta(minutes=k) for k in range(1, 24 * 60))
    azimuth, elevation = _positions(place, times)
    turned = np.abs((azimuth - first.azimuth + 180) % 360 - 180)
    moved = np.flatnonzero(np.maximum(turned, np.abs(elevation - first.elevation)) >= most)
    return float(moved[0] + 1) if len(moved) else math.inf


@dataclass(frozen=True)
class Measured:
    """A shadow as drawn on a picture: where it points in the camera's view (degrees), its length over the camera's height, and
    the light's elevation (degrees; nan without the height of what casts it)."""

    direction: float
    length: float
    elevation: float


def shadow_in_picture(
    base: tuple[float, float], tip: tuple[float, float], size: tuple[int, int], angle: float, tilt: float, height: float,
    thing: float = 0.0,
) -> Measured:  # fmt: skip
    """Direction and length of a shadow from its base and tip (px) on level ground.

    `size` (w, h) px, `angle` the horizontal field of view, `tilt` of the camera (degrees, down positive), `height` of the camera
    and of the `thing` in m. Raises UserError where a point lies above the horizon.
    """
    a, b = (_on_ground(p, size, angle, tilt, height) for p in (base, tip))
    d = b - a
    length = float(np.hypot(*d))
    elevation = math.degrees(math.atan2(thing, length)) if thing > 0 and length > 0 else math.nan
    return Measured(math.degrees(math.atan2(d[0], d[1])), length / height, elevation)


def _on_ground(p: tuple[float, float], size: tuple[int, int], angle: float, tilt: float, height: float) -> Array:
    """Right and forward (m) of the camera's foot, of what a pixel shows of the ground."""
    f = size[0] / (2 * math.tan(math.radians(angle) / 2))
    x, y = p[0] - size[0] / 2, p[1] - size[1] / 2
    t = math.radians(tilt)
    down, forward = y * math.cos(t) + f * math.sin(t), f * math.cos(t) - y * math.sin(t)
    if down <= 0:
        raise UserError(f"The point {p[0]:.0f}, {p[1]:.0f} lies above the horizon; mark where the shadow lies on the ground.")
    return np.array([x, forward]) * height / down


SUN_ACROSS = 0.533  # degrees: the Sun's mean angular diameter (astronomical handbooks)


@dataclass(frozen=True)
class Lamp:
    """A lamp over level ground: where it stands about the subject as the camera sees it from above (degrees; 0 beyond the subject,
    above zero to the right, 180 at the camera), its distance along the ground and height (m), and its size across (m)."""

    side: float
    distance: float
    height: float
    size: float

    def elevation(self, thing: float) -> float:
        """Elevation (degrees) of its light over the top of a thing so high (m); below zero the shadow has no end."""
        return math.degrees(math.atan2(self.height - thing, self.distance))

    def across(self) -> float:
        """Its angular diameter (degrees) at the subject: the softness of its shadows."""
        away = math.hypot(self.distance, self.height)
        return math.degrees(2 * math.atan(self.size / 2 / away)) if away > 0 else 180.0

    def shadow(self) -> float:
        """Where its shadows point as the camera sees it."""
        return in_camera(self.side + 180, 0.0)


def lamp_stops(near: float, far: float) -> float:
    """Stops that a small lamp's light loses from `near` to `far` m (inverse square)."""
    if near <= 0 or far <= 0:
        raise UserError("Distances from a lamp must be above zero.")
    return 2 * math.log2(far / near)
