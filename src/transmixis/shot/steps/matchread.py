"""Readings of Match beyond the look: contrast by zones, darker corners, and from where the light comes."""

from __future__ import annotations

import numpy as np

from transmixis.core.build.corners import corners_of
from transmixis.core.build.over import with_alpha
from transmixis.core.build.zones import worst_zone, zones_of
from transmixis.core.light.direction import apart, lit_from
from transmixis.core.readings import Reading
from transmixis.core.types import Array, Matte

# docs/limits.md says why
CONTRAST = 14.0  # levels that darks, middle tones or lights are spread otherwise, in scenes of one kind
CORNERS = 0.3  # stops
LIGHT_OFF = 45.0  # degrees: less is not told by people who look at several things in a picture
WHOLE = 0.98  # of a picture that must be opaque for its corners to be its own


def contrast_reading(made: Array, plate: Array) -> Reading:
    """How much flatter or harder than the plate's its worst zone is."""
    mine, theirs = (zones_of(p[..., :3], p[..., 3] > 0.98) for p in map(with_alpha, (made, plate)))
    if mine is None or theirs is None:
        return Reading("contrast", None, "levels", CONTRAST, note="too little of it to be measured")
    off, zone = worst_zone(mine, theirs)
    return Reading(
        "contrast", abs(off), "levels", CONTRAST, note=f"of its {zone}, {'flatter' if off < 0 else 'harder'} than the plate's"
    )


def corners_reading(made: Array, plate: Array) -> Reading:
    """How much its corners are darker or brighter than the plate's."""
    theirs = corners_of([plate])
    if theirs is None or not theirs.told:
        return Reading("corners", None, "stops", CORNERS, note="the plate does not tell how dark its lens makes corners")
    full = with_alpha(made)
    if float(np.mean(full[..., 3] > 0.98)) < WHOLE:
        return Reading("corners", None, "stops", CORNERS, note=f"it is cut out; the plate's are {theirs.stops:+.2f} stops darker")
    mine = corners_of([full])
    if mine is None or not mine.told:
        return Reading(
            "corners", None, "stops", CORNERS, note=f"it does not tell its own; the plate's are {theirs.stops:+.2f} stops darker"
        )
    note = f"{mine.stops:+.2f} against {theirs.stops:+.2f} stops, ± {np.hypot(mine.error, theirs.error):.2f}"
    return Reading("corners", abs(mine.stops - theirs.stops), "stops", CORNERS, note=note)


def light_reading(made: Array, plate: Array, lit: Matte) -> Reading:
    """How far the light on what is placed comes from elsewhere than that on something in the plate."""
    if lit.shape != plate.shape[:2]:
        return Reading("light off", None, "°", LIGHT_OFF, note="the matte of what is lit has not the plate's size")
    full = with_alpha(made)
    mine, theirs = lit_from(full, full[..., 3]), lit_from(plate, lit)
    for found, whose in ((mine, "it"), (theirs, "what is lit in the plate")):
        if found is None or not found.told:
            return Reading("light off", None, "°", LIGHT_OFF, note=f"{whose} does not tell from where it is lit")
    assert mine is not None
    assert theirs is not None
    flipped = abs((180 - mine.angle - theirs.angle + 180) % 360 - 180)
    off = apart(mine, theirs)
    note = f"lit from {_side(mine.angle)} (± {mine.error:.0f}°), the plate from {_side(theirs.angle)} (± {theirs.error:.0f}°)"
    if off > LIGHT_OFF and flipped < 0.5 * off:
        note += f"; flipped left to right it would be {flipped:.0f}° off"
    return Reading("light off", off, "°", LIGHT_OFF, note=note)


def _side(angle: float) -> str:
    """A direction in words, and its angle: 0 right, 90 up."""
    names = ("the right", "above right", "above", "above left", "the left", "below left", "below", "below right")
    return f"{names[round(angle / 45) % 8]} ({angle % 360:.0f}°)"
