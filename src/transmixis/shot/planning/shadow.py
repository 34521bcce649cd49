"""Will the shadows agree?"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date, datetime, timedelta, timezone
from itertools import combinations
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.plan.cautions import of_lamp
from transmixis.core.plan.sun import (
    LOWEST,
    SUN_ACROSS,
    Hours,
    Lamp,
    Place,
    Sun,
    apart,
    day_of,
    hours_that_agree,
    in_camera,
    lamp_stops,
    minutes_until_moved,
    shadow_bearing,
    shadow_in_picture,
    shadow_length,
    sun_at,
)
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.planning.dates import short_day
from transmixis.shot.planning.shadowparams import LAMP, OTHER, SUN, ShadowParams, used
from transmixis.shot.steps.params import clock_words

DIRECTION, HEIGHT = 10.0, 5.0  # degrees: further apart, two shadows in one picture are seen to differ (judgement)
MOVED = 5.0  # degrees that the Sun may move between two halves of a trick (judgement)
SOFTER = 2.0  # doublings of the light's angular size: from four times on, edges of shadows are seen to differ (judgement)
FALLS = 0.5  # stops over the depth in which the subject moves; the Sun has none (judgement)
NOON_OFF = 2.6  # h: by no clock in use the Sun is highest further from 12 than that, summer time included (common practice)


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
        return used(values)

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        place, zone = _place(p, "second"), timezone(timedelta(hours=p.second_zone))
        one = _first(p, shot)
        two = _second(p, place, zone)
        three = (
            _sun(_place(p, "third"), p.third_day, p.third_hour, p.third_camera, timezone(timedelta(hours=p.third_zone)))
            if p.third_light == SUN
            else None
        )
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
                *(of_lamp(p.lamp_height, two.elevation) if p.second_light == LAMP else ()),
                *(("Never look into the Sun through a lens or a viewfinder.",) if SUN in (p.first_light, p.second_light, p.third_light) else ()),
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


def _place(p: Any, which: str) -> Place:
    """Where a plate is filmed; the first one's place unless it has its own."""
    if getattr(p, f"{which}_place") == OTHER:
        return Place(getattr(p, f"{which}_latitude"), getattr(p, f"{which}_longitude"))
    return Place(p.latitude, p.longitude)


def _first(p: Any, shot: Shot) -> Light:
    if p.first_light == SUN:
        place, zone = Place(p.latitude, p.longitude), timezone(timedelta(hours=p.zone))
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
    return Light(in_camera(shadow_bearing(sun.azimuth), camera), sun.elevation, SUN_ACROSS, f"Sun at {_clock(when)}")


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
    rows = [("agree that day", _spans(hours) or "at no hour with the camera as it looks")]
    if two.elevation > 0:
        left = minutes_until_moved(place, when, MOVED)
        rows.append((f"its shadow turns or shortens by {MOVED:g}° in", f"{left:.0f} min"))
    return (*rows, ("the Sun is highest at", _noon_words(place, when)))


def _spans(hours: Hours) -> str:
    return ", ".join(f"{_clock(s)}–{_clock(e)}" for s, e in hours.spans)


def _clock(t: datetime) -> str:
    return clock_words(t.hour + t.minute / 60)


def _noon_words(place: Place, when: datetime) -> str:
    """By the plate's clock: a clock that is set wrongly shows here."""
    times, _, elevation = day_of(place, when, 2.0)
    noon = times[int(elevation[:-1].argmax())]
    off = abs(noon.hour + noon.minute / 60 - 12)
    return _clock(noon) + (": is the clock right for that place?" if min(off, 24 - off) > NOON_OFF else "")


def _entry(p: Any, when: datetime | None) -> Entry:
    if when is None:
        return Entry(
            f"lamp {p.lamp_distance:g} m away, {p.lamp_height:g} m high, at {_signed(p.lamp_side)}° about the subject",
            "shadows as in the first plate",
            setting=True,
        )
    return Entry(
        f"second plate on {short_day(when.date())} at {_clock(when)}, camera to {p.second_camera:.0f}°",
        "shadows as in the first plate",
        setting=True,
    )


def _proposal(p: Any, one: Light, hours: Hours | None) -> PlanProposal | None:
    if p.second_light == SUN:
        return None if hours is None else _other_hour(p, one, hours, _place(p, "second"))
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


def _other_hour(p: Any, one: Light, hours: Hours, place: Place) -> PlanProposal | None:
    """Another hour if that does it; else the hour at which the Sun stands as high, and the camera turned to suit it."""
    if hours.spans and hours.best is not None:
        hour = hours.best.hour + hours.best.minute / 60
        return PlanProposal({"second_hour": hour}, f"On that day they agree {_spans(hours)}; best at {_clock(hours.best)}.")
    times, azimuth, elevation = day_of(place, hours.times[0], 2.0)
    now = round(p.second_hour * 60)
    high = [i for i, e in enumerate(elevation[:-1]) if abs(e - one.elevation) < HEIGHT * 0.8 and e > LOWEST]
    if not high:
        return None
    i = min(high, key=lambda k: abs(2 * k - now))  # of all hours that are high enough the nearest to what was planned
    camera = round(shadow_bearing(float(azimuth[i])) - one.shadow) % 360
    return PlanProposal(
        {"second_hour": times[i].hour + times[i].minute / 60, "second_camera": float(camera)},
        f"At no hour of that day do they agree with the camera to {p.second_camera:.0f}°. At {_clock(times[i])} the Sun is "
        f"{elevation[i]:.0f}° high; with the camera to {camera}° its shadow falls as in the first plate.",
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
