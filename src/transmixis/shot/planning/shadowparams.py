"""Inputs of the question about shadows: each plate's light, place, clock, day, hour and camera."""

from __future__ import annotations

from typing import Any

from pydantic import model_validator

from transmixis.shot.steps.params import Params, choice, clock, hidden, number

SUN, DRAWN, LAMP, NONE = "the Sun", "a drawn shadow", "a lamp", "none"
SAME, OTHER = "the same place", "another place"


def _latitude() -> Any:
    return number(50.0, -90.0, 90.0, "°", "Latitude", "North of the equator; below zero south.", step=0.1)


def _longitude() -> Any:
    return number(8.0, -180.0, 180.0, "°", "Longitude", "East of Greenwich; below zero west.", step=0.1)


def _clock_ahead(whose: str) -> Any:
    return number(
        1.0,
        -12.0,
        14.0,
        "h",
        "Clock ahead",
        f"Hours by which {whose} was ahead of UTC on that day; summer time counts.",
        step=0.25,
    )


class ShadowParams(Params):
    first_light: str = choice(
        SUN, (SUN, DRAWN), "First plate lit by", "The plate that exists: by its hour, or by a shadow drawn on it."
    )
    second_light: str = choice(SUN, (SUN, LAMP), "Second lit by", "What will light the plate still to be filmed.")
    latitude: float = _latitude()
    longitude: float = _longitude()
    zone: float = _clock_ahead("the first plate's camera")
    first_day: str = hidden("2026-05-09")
    first_hour: float = clock(10.7, "First plate at", "Hour of the day of the plate that exists.")
    first_camera: float = number(285.0, 0.0, 360.0, "°", "It looks to", "Compass bearing of its camera; 90 is east.", step=1)
    base_x: float = number(
        400.0, -20_000.0, 20_000.0, "px", "Foot, right", "Where the thing that casts the shadow stands.", step=1
    )
    base_y: float = number(
        400.0, -20_000.0, 20_000.0, "px", "Foot, down", "Where the thing that casts the shadow stands.", step=1
    )
    tip_x: float = number(520.0, -20_000.0, 20_000.0, "px", "Tip, right", "The far end of its shadow.", step=1)
    tip_y: float = number(380.0, -20_000.0, 20_000.0, "px", "Tip, down", "The far end of its shadow.", step=1)
    view: float = number(40.0, 5.0, 120.0, "°", "Angle of view", "Of the first plate, across.", step=0.5)
    tilt: float = number(5.0, -60.0, 80.0, "°", "Camera tilt", "Down is above zero.", step=0.5)
    eye: float = number(1.5, 0.05, 100.0, "m", "Camera height", "Over the ground on which the shadow lies.", step=0.05)
    thing: float = number(1.7, 0.01, 100.0, "m", "Thing's height", "Of what casts the shadow.", step=0.05)
    second_place: str = choice(SAME, (SAME, OTHER), "Second filmed at", "Where the plate still to be filmed is made.")
    second_latitude: float = _latitude()
    second_longitude: float = _longitude()
    second_zone: float = _clock_ahead("the second plate's camera")
    second_day: str = hidden("2026-05-22")
    second_hour: float = clock(12.3, "Second plate at", "Hour of the day of the plate still to be filmed.")
    second_camera: float = number(293.0, 0.0, 360.0, "°", "That looks to", "Compass bearing of its camera.", step=1)
    lamp_side: float = number(
        -60.0,
        -180.0,
        180.0,
        "°",
        "Lamp stands",
        "About the subject, from above: 0 beyond it, 90 to the right, 180 at the camera.",
        step=1,
    )
    lamp_distance: float = number(4.0, 0.2, 100.0, "m", "Lamp away", "Along the ground from the subject.", step=0.1)
    lamp_height: float = number(4.0, 0.0, 50.0, "m", "Lamp height", "Over the ground.", step=0.1)
    lamp_size: float = number(0.2, 0.005, 10.0, "m", "Lamp across", "Of its open front or of what it shines through.", step=0.05)
    depth: float = number(1.0, 0.0, 50.0, "m", "Moves in depth", "How far the subject moves towards or from the lamp.", step=0.1)
    third_light: str = choice(NONE, (NONE, SUN), "Third plate lit by", "Another plate that is laid in as well, such as a sky.")
    third_place: str = choice(SAME, (SAME, OTHER), "Third filmed at", "Where that plate is or was made.")
    third_latitude: float = _latitude()
    third_longitude: float = _longitude()
    third_zone: float = _clock_ahead("the third plate's camera")
    third_day: str = hidden("2026-05-22")
    third_hour: float = clock(12.3, "Third plate at", "Hour of the day of that plate.")
    third_camera: float = number(293.0, 0.0, 360.0, "°", "The third looks to", "Compass bearing of its camera.", step=1)

    @model_validator(mode="before")
    @classmethod
    def _one_clock_for_all(cls, data: Any) -> Any:
        """Plans from before each plate had a clock of its own keep the one that they had."""
        if isinstance(data, dict) and "zone" in data:
            return {"second_zone": data["zone"], "third_zone": data["zone"], **data}
        return data


SUNS = ("latitude", "longitude", "zone")
ONE = {
    SUN: (*SUNS, "first_day", "first_hour", "first_camera"),
    DRAWN: ("base_x", "base_y", "tip_x", "tip_y", "view", "tilt", "eye", "thing"),
}
TWO = {SUN: ("second_place", "second_zone", "second_day", "second_hour", "second_camera"), LAMP: ("thing", "lamp_side", "lamp_distance", "lamp_height", "lamp_size", "depth")}  # fmt: skip


def used(values: dict[str, Any]) -> set[str]:
    """The inputs that matter with these values."""
    first, second = str(values.get("first_light", SUN)), str(values.get("second_light", SUN))
    third = values.get("third_light", NONE) == SUN
    out = {"first_light", "second_light", "third_light", *ONE.get(first, ()), *TWO.get(second, ())}
    out |= {"third_place", "third_zone", "third_day", "third_hour", "third_camera"} if third else set()
    suns = {"first": first == SUN, "second": second == SUN, "third": third}
    own = {w: sun and values.get(f"{w}_place", SAME) == OTHER for w, sun in suns.items()}
    out |= {f"{w}_{what}" for w, there in own.items() if there for what in ("latitude", "longitude")}
    if any(suns[w] and not own[w] for w in suns):  # a drawn first plate gives no place: that of the others is asked for
        out |= {"latitude", "longitude"}
    return out
