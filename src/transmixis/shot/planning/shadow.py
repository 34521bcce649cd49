"""Will the shadows agree?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime, timedelta, timezone
from itertools import combinations
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.plan.sun import (
    LOWEST,
    SUN_ACROSS,
    Hours,
    Lamp,
    Place,
    Sun,
    apart,
    hours_that_agree,
    in_camera,
    lamp_stops,
    minutes_until_moved,
    shadow_bearing,
    shadow_in_picture,
    shadow_length,
    sun_at,
)
from transmixis.core.plan.takes import HEAT
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, choice, hidden, number

DIRECTION, HEIGHT = 10.0, 5.0  # degrees: further apart, two shadows in one picture are seen to differ (judgement)
MOVED = 5.0  # degrees that the Sun may move between two halves of a trick (judgement)
SOFTER = 2.0  # doublings of the light's angular size: from four times on, edges of shadows are seen to differ (judgement)
FALLS = 0.5  # stops over the depth in which the subject moves; the Sun has none (judgement)
SUN, DRAWN, LAMP, NONE = "the Sun", "a drawn shadow", "a lamp", "none"


class ShadowParams(Params):
    first_light: str = choice(
        SUN, (SUN, DRAWN), "First plate lit by", "The plate that exists: by its hour, or by a shadow drawn on it."
    )
    second_light: str = choice(SUN, (SUN, LAMP), "Second lit by", "What will light the plate still to be filmed.")
    latitude: float = number(50.0, -90.0, 90.0, "°", "Latitude", "North of the equator; below zero south.", step=0.1)
    longitude: float = number(8.0, -180.0, 180.0, "°", "Longitude", "East of Greenwich; below zero west.", step=0.1)
    zone: float = number(
        1.0, -12.0, 14.0, "h", "Clock ahead", "Hours that the clock there is ahead of UTC; summer time counts.", step=0.5
    )
    first_day: str = hidden("2026-05-09")
    first_hour: float = number(10.7, 0.0, 24.0, "h", "First plate at", "Hour of the day of the plate that exists.", step=0.05)
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
    second_day: str = hidden("2026-05-22")
    second_hour: float = number(
        12.3, 0.0, 24.0, "h", "Second plate at", "Hour of the day of the plate still to be filmed.", step=0.05
    )
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
    third_day: str = hidden("2026-05-22")
    third_hour: float = number(12.3, 0.0, 24.0, "h", "Third plate at", "Hour of the day of that plate.", step=0.05)
    third_camera: float = number(293.0, 0.0, 360.0, "°", "The third looks to", "Compass bearing of its camera.", step=1)


SUNS = ("latitude", "longitude", "zone")
ONE = {
    SUN: (*SUNS, "first_day", "first_hour", "first_camera"),
    DRAWN: ("base_x", "base_y", "tip_x", "tip_y", "view", "tilt", "eye", "thing"),
}
TWO = {SUN: (*SUNS, "second_day", "second_hour", "second_camera"), LAMP: ("thing", "lamp_side", "lamp_distance", "lamp_height", "lamp_size", "depth")}  # fmt: skip


@dataclass(frozen=True)
class Light:
    """A light as its camera sees it: where its shadows point, its elevation, its angular size (degrees), and what it is called."""

    shadow: float
    elevation: float
    across: float
    words: str


@dataclass(frozen=True)
class ShadowDrawing:
    """Both suns (a lamp stands for one), both shadows as their cameras see them (degrees), the day's agreement, and the hour planned;
    neither for a lamp."""

    first: Sun
    second: Sun
    shadow_first: float
    shadow_second: float
    hours: Hours | None
    planned: datetime | None
    third: tuple[float, Sun] | None = None  # a third plate's shadow, and its Sun


class ShadowQuestion(Question):
    kind, title = "shadow", "Will the shadows agree?"
    says = "Two pictures laid over each other must show the light from one side and from one height."
    Params = ShadowParams

    def used(self, values: dict[str, Any]) -> set[str]:
        first, second = str(values.get("first_light", SUN)), str(values.get("second_light", SUN))
        third = (*SUNS, "third_day", "third_hour", "third_camera") if values.get("third_light", NONE) == SUN else ()
        return {"first_light", "second_light", "third_light", *ONE.get(first, ()), *TWO.get(second, ()), *third}

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        place, zone = Place(p.latitude, p.longitude), timezone(timedelta(hours=p.zone))
        one = _first(p, shot, place, zone)
        two = _second(p, place, zone)
        three = _sun(place, p.third_day, p.third_hour, p.third_camera, zone) if p.third_light == SUN else None
        lights = [one, two, *([three] if three else [])]
        down = any(x.elevation <= 0 for x in lights)
        note = "a light is below the horizon" if down else ""
        pairs = list(combinations(lights, 2))  # of several plates the two that lie furthest apart
        direction = max(apart(a.shadow, b.shadow) for a, b in pairs)
        height = max(abs(a.elevation - b.elevation) for a, b in pairs)
        readings = (
            Reading("direction apart", None if down else direction, "°", DIRECTION, note=note),
            Reading("height apart", None if down else height, "°", HEIGHT, note=note),
            *_softness(p, one, two),
        )
        agrees = not down and all((r.ratio or 0) < 1 for r in readings)
        words = "Yes. " if agrees else "No. "
        words += "A light is below the horizon." if down else f"{direction:.0f}° apart in direction, {height:.0f}° in height."
        when = _when(p.second_day, p.second_hour, zone) if p.second_light == SUN else None
        hours = None
        if when is not None and one.elevation > LOWEST:
            wanted = Sun((one.shadow + 180) % 360, one.elevation)
            hours = hours_that_agree(wanted, 0.0, place, when, p.second_camera, DIRECTION, HEIGHT)
        return Answer(
            words, readings,
            (
                ("first", f"{one.words}: {one.elevation:.1f}° high"), ("second", f"{two.words}: {two.elevation:.1f}° high"), *((("third", f"{three.words}: {three.elevation:.1f}° high"),) if three else ()),
                ("shadows", f"{', '.join(_length(x) for x in lights)} × height"), *_day_rows(hours, place, when, two),
            ),
            cautions=(
                "Thin cloud takes the edge off a shadow: hold a ball on a stick before the camera at each take.",
                HEAT if p.second_light == LAMP else "Never look into the Sun through a lens or a viewfinder.",
            ),
            entries=(
                _entry(p, when), Entry("a ball and a stick in the light, each take", "direction and hardness can then be measured", True),
            ),
            proposal=None if agrees else _proposal(p, one, hours),
            drawing=ShadowDrawing(
                Sun(one.shadow + 180, one.elevation), Sun(two.shadow + 180, two.elevation), one.shadow, two.shadow, hours, when,
                (three.shadow, Sun(three.shadow + 180, three.elevation)) if three else None,
            ),
        )  # fmt: skip


def _first(p: Any, shot: Shot, place: Place, zone: timezone) -> Light:
    if p.first_light == SUN:
        return _sun(place, p.first_day, p.first_hour, p.first_camera, zone)
    found = shadow_in_picture((p.base_x, p.base_y), (p.tip_x, p.tip_y), (shot.width, shot.height), p.view, p.tilt, p.eye, p.thing)
    if math.isnan(found.elevation):
        raise UserError("The drawn shadow has no length; mark its foot and its tip apart from each other.")
    return Light(found.direction, found.elevation, SUN_ACROSS, f"drawn, {found.length * p.eye:.2f} m long")


def _second(p: Any, place: Place, zone: timezone) -> Light:
    if p.second_light == SUN:
        return _sun(place, p.second_day, p.second_hour, p.second_camera, zone)
    lamp = _lamp(p)
    return Light(lamp.shadow(), lamp.elevation(p.thing), lamp.across(), "lamp")


def _sun(place: Place, day: str, hour: float, camera: float, zone: timezone) -> Light:
    when = _when(day, hour, zone)
    sun = sun_at(place, when)
    return Light(in_camera(shadow_bearing(sun.azimuth), camera), sun.elevation, SUN_ACROSS, f"Sun at {when:%H:%M}")


def _lamp(p: Any) -> Lamp:
    return Lamp(p.lamp_side, p.lamp_distance, p.lamp_height, p.lamp_size)


def _softness(p: Any, one: Light, two: Light) -> tuple[Reading, ...]:
    if p.second_light != LAMP:
        return ()
    doubled = math.log2(two.across / one.across)
    away = math.hypot(p.lamp_distance, p.lamp_height)
    return (
        Reading(
            "softness apart",
            abs(doubled),
            "doublings",
            SOFTER,
            note=f"the lamp is {two.across:.2f}° across, the Sun {SUN_ACROSS}°",
        ),
        Reading("falls off", lamp_stops(away, away + p.depth), "stops", FALLS, note="over the depth in which the subject moves"),
    )


def _day_rows(hours: Hours | None, place: Place, when: datetime | None, two: Light) -> tuple[tuple[str, str], ...]:
    if when is None or hours is None:
        return ()
    left = minutes_until_moved(place, when, MOVED) if two.elevation > 0 else 0.0
    spans = ", ".join(f"{s:%H:%M}–{e:%H:%M}" for s, e in hours.spans)
    return ("agree that day", spans or "at no hour"), (f"moves by {MOVED:g}° in", f"{left:.0f} min")


def _entry(p: Any, when: datetime | None) -> Entry:
    if when is None:
        return Entry(
            f"lamp {p.lamp_distance:g} m away, {p.lamp_height:g} m high, at {_signed(p.lamp_side)}° about the subject",
            "shadows as in the first plate",
        )
    return Entry(
        f"second plate {p.second_day} at {when:%H:%M}, camera to {p.second_camera:.0f}°", "shadows as in the first plate"
    )


def _proposal(p: Any, one: Light, hours: Hours | None) -> PlanProposal | None:
    if p.second_light == SUN:
        if hours is None or not hours.spans or hours.best is None:
            return None
        spans = ", ".join(f"{s:%H:%M}–{e:%H:%M}" for s, e in hours.spans)
        hour = hours.best.hour + hours.best.minute / 60
        return PlanProposal({"second_hour": round(hour, 2)}, f"On that day they agree {spans}; best at {hours.best:%H:%M}.")
    if one.elevation <= 0:
        return None
    slope = math.tan(math.radians(one.elevation))
    away = p.depth / (2 ** (FALLS / 2) - 1) * 1.02  # along the ray: so far off it falls by less than the limit over the depth
    distance = min(max(p.lamp_distance, away * math.cos(math.radians(one.elevation))), 100.0)
    height = p.thing + distance * slope
    if height > 50:
        distance, height = (50 - p.thing) / slope, 50.0
    side = in_camera(one.shadow + 180, 0.0)
    return PlanProposal(
        {"lamp_side": round(side), "lamp_distance": round(distance, 2), "lamp_height": round(height, 2)},
        f"From {_signed(side)}° about the subject, {distance:.1f} m away and {height:.1f} m high its shadow falls as in the first plate.",
    )


def _signed(degrees: float) -> str:
    return f"{degrees:.0f}".replace("-", "\u2212")


def _length(s: Light) -> str:
    return "no" if s.elevation <= 0 else f"{shadow_length(s.elevation):.2f}"


def _when(day: str, hour: float, zone: timezone) -> datetime:
    try:
        d = date.fromisoformat(day)
    except ValueError:
        raise UserError(f"'{day}' is not a day; write it like 2026-05-22.") from None
    return datetime(d.year, d.month, d.day, tzinfo=zone) + timedelta(minutes=round(60 * min(hour, 23.999)))
