"""Outlines set by hand, for the demo's shots."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import set_pin
from transmixis.shot.steps import kind_of

LOOSE = {"off the edge": 1000.0, "shown beside": 100.0, "edge softness off": 1000.0}  # of what lies at no edge on purpose
Points = Sequence[tuple[float, float]]


def pinned(step: Step, param: str, places: Mapping[int, Points]) -> Step:
    """An outline set by hand at some frames."""
    for frame, points in places.items():
        value = [[i, float(x), float(y)] for i, (x, y) in enumerate(points, 1)]
        step = set_pin(step, param, Pin(frame=frame, value=value, easing="linear"))
    return step


def standing(step: Step, outlines: Mapping[str, Points]) -> Step:
    """A Shapes step with named outlines that stand still, well within something or loosely about it."""
    shapes = kind_of("shapes")
    param = "outline"
    for k, (name, points) in enumerate(outlines.items()):
        if k:
            step, param = shapes.with_thing(step, "outline")
        step = shapes.thing_set(step, param, "name", name)
        step = pinned(step, param, {1: points})
    return step.model_copy(update={"limits": LOOSE})
