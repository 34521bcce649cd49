"""Will the shadows agree?"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta, timezone
from typing import Any

from transmixis.core.errors import UserError
from transmixis.core.plan.sun import (
    Hours,
    Place,
    Sun,
    compare,
    hours_that_agree,
    in_camera,
    minutes_until_moved,
    shadow_bearing,
    shadow_length,
    sun_at,
)
from transmixis.core.readings import Reading
from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer, Entry, PlanProposal, Question
from transmixis.shot.steps.params import Params, hidden, number

DIRECTION, HEIGHT = 10.0, 5.0  # degrees: further apart, two shadows in one picture are seen to differ (judgement)
MOVED = 5.0  # degrees that the Sun may move between two halves of a trick (judgement)


class ShadowParams(Params):
    latitude: float = number(50.0, -90.0, 90.0, "°", "Latitude", "North of the equator; below zero south.", step=0.1)
    longitude: float = number(8.0, -180.0, 180.0, "°", "Longitude", "East of Greenwich; below zero west.", step=0.1)
    zone: float = number(
        1.0, -12.0, 14.0, "h", "Clock ahead", "Hours that the clock there is ahead of UTC; summer time counts.", step=0.5
    )
    first_day: str = hidden("2026-05-09")
    first_hour: float = number(10.7, 0.0, 24.0, "h", "First plate at", "Hour of the day of the plate that exists.", step=0.05)
    first_camera: float = number(285.0, 0.0, 360.0, "°", "It looks to", "Compass bearing of its camera; 90 is east.", step=1)
    second_day: str = hidden("2026-05-22")
    second_hour: float = number(
        12.3, 0.0, 24.0, "h", "Second plate at", "Hour of the day of the plate still to be filmed.", step=0.05
    )
    second_camera: float = number(293.0, 0.0, 360.0, "°", "That looks to", "Compass bearing of its camera.", step=1)


@dataclass(frozen=True)
class ShadowDrawing:
    """Both suns, both shadows as their cameras see them (degrees), the day's agreement, and the hour planned."""

    first: Sun
    second: Sun
    shadow_first: float
    shadow_second: float
    hours: Hours
    planned: datetime


class ShadowQuestion(Question):
    kind, title = "shadow", "Will the shadows agree?"
    says = "Two pictures laid over each other must show the Sun from one side and from one height."
    Params = ShadowParams

    def answer(self, params: Any, shot: Shot) -> Answer:
        p = params
        place, zone = Place(p.latitude, p.longitude), timezone(timedelta(hours=p.zone))
        one, two = _when(p.first_day, p.first_hour, zone), _when(p.second_day, p.second_hour, zone)
        a, b = sun_at(place, one), sun_at(place, two)
        hours = hours_that_agree(a, p.first_camera, place, two, p.second_camera, DIRECTION, HEIGHT)
        found = compare(a, p.first_camera, b, p.second_camera)
        down = a.elevation <= 0 or b.elevation <= 0
        readings = (
            Reading("direction apart", None if down else found.direction, "°", DIRECTION, note="the Sun is down" if down else ""),
            Reading("height apart", None if down else found.height, "°", HEIGHT, note="the Sun is down" if down else ""),
        )
        sides = tuple(in_camera(shadow_bearing(s.azimuth), c) for s, c in ((a, p.first_camera), (b, p.second_camera)))
        spans = ", ".join(f"{s:%H:%M}–{e:%H:%M}" for s, e in hours.spans)
        left = minutes_until_moved(place, two, MOVED) if not down else 0.0
        agrees = not down and found.direction <= DIRECTION and found.height <= HEIGHT
        words = ("Yes" if agrees else "No") + (
            ". The Sun is down at one of them."
            if down
            else f". {found.direction:.0f}° apart in direction, {found.height:.0f}° in height."
        )
        proposal = None
        if not agrees and hours.spans and hours.best is not None:
            hour = hours.best.hour + hours.best.minute / 60
            proposal = PlanProposal(
                {"second_hour": round(hour, 2)}, f"On that day they agree {spans}; best at {hours.best:%H:%M}."
            )
        return Answer(
            words, readings,
            (
                ("hours", f"{one:%H:%M} and {two:%H:%M}"), ("first Sun", f"{a.elevation:.1f}° high, from {a.azimuth:.0f}°"), ("second Sun", f"{b.elevation:.1f}° high, from {b.azimuth:.0f}°"),
                ("shadows", f"{_length(a)} and {_length(b)} × height"), ("agree that day", spans or "at no hour"),
                ("moves by 5° in", f"{left:.0f} min"),
            ),
            cautions=(
                "Thin cloud takes the edge off a shadow: hold a ball on a stick before the camera at each take.",
                "Never look into the Sun through a lens or a viewfinder.",
            ),
            entries=(
                Entry(f"second plate {p.second_day} at {two:%H:%M}, camera to {p.second_camera:.0f}°", "shadows as in the first plate"),
                Entry("a ball and a stick in the light, each take", "direction and hardness can then be measured", True),
            ),
            proposal=proposal, drawing=ShadowDrawing(a, b, sides[0], sides[1], hours, two),
        )  # fmt: skip


def _length(s: Sun) -> str:
    return "no" if s.elevation <= 0 else f"{shadow_length(s.elevation):.2f}"


def _when(day: str, hour: float, zone: timezone) -> datetime:
    try:
        d = date.fromisoformat(day)
    except ValueError:
        raise UserError(f"'{day}' is not a day; write it like 2026-05-22.") from None
    return datetime(d.year, d.month, d.day, tzinfo=zone) + timedelta(minutes=round(60 * min(hour, 23.999)))
