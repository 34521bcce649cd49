"""The value of a parameter at a frame, from its pins."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from transmixis.core.easing import progress
from transmixis.shot.model import Pin, Step


def parameter(name: str) -> str:
    """The parameter that pins are of: those of 'outline.3' are of the third thing in 'outline'."""
    return name.partition(".")[0]


def near_pins(pins: tuple[Pin, ...], frame: int) -> tuple[Pin, ...]:
    """Those of sorted `pins` that the values from a frame before to a frame after hang on."""
    first = max((i for i, p in enumerate(pins) if p.frame <= frame - 1), default=0)
    last = min((i for i, p in enumerate(pins) if p.frame >= frame + 1), default=len(pins) - 1)
    return pins[first : last + 1]


def value_at(pins: tuple[Pin, ...], frame: float) -> Any:
    """Value of sorted `pins` (at least one) at `frame`, or between two: held outside, eased between. Lists are eased item by item."""
    if frame <= pins[0].frame:
        return pins[0].value
    for a, b in pairwise(pins):
        if a.frame <= frame < b.frame:
            t = progress(a.easing, (frame - a.frame) / (b.frame - a.frame), a.handles)
            return _between(a.value, b.value, t)
    return pins[-1].value


def _between(a: Any, b: Any, t: float) -> Any:
    if isinstance(a, bool) or isinstance(b, bool):
        return a if t < 1 else b
    if isinstance(a, (int, float)) and isinstance(b, (int, float)):
        return a + (b - a) * t
    if isinstance(a, (list, tuple)) and isinstance(b, (list, tuple)) and len(a) == len(b):
        return [_between(x, y, t) for x, y in zip(a, b, strict=True)]
    return a if t < 1 else b  # shapes of different numbers of points cannot be eased: the first holds


def params_at(step: Step, frame: int) -> dict[str, Any]:
    """The step's parameters at a frame, pins applied."""
    out = dict(step.params)
    for name, pins in step.pins.items():
        if pins:
            out[name] = value_at(pins, frame)
    return out


def set_pin(step: Step, param: str, pin: Pin) -> Step:
    """The step with a pin set, replacing one at the same frame."""
    rest = [p for p in step.pins.get(param, ()) if p.frame != pin.frame]
    pins = tuple(sorted([*rest, pin], key=lambda p: p.frame))
    return step.model_copy(update={"pins": {**step.pins, param: pins}})


def remove_pin(step: Step, param: str, frame: int) -> Step:
    """The step without the pin at `frame`; the last pin's value stays as the plain value."""
    pins = step.pins.get(param, ())
    rest = tuple(p for p in pins if p.frame != frame)
    table = {k: v for k, v in step.pins.items() if k != param}
    if rest:
        return step.model_copy(update={"pins": {**table, param: rest}})
    params = {**step.params, param: pins[0].value} if pins else step.params
    return step.model_copy(update={"pins": table, "params": params})


def move_pin(step: Step, param: str, frame: int, to: int) -> Step:
    """The step with a pin moved in time."""
    pin = next(p for p in step.pins[param] if p.frame == frame)
    return set_pin(remove_pin(step, param, frame), param, pin.model_copy(update={"frame": to}))
