"""Cautions: who to ask where work can hurt someone, never how to do it. Some follow from what is done, some from how high, fast or
bright it is; local rules come first, and their figures differ.

All of it is common practice of the trade; the figures from which a caution is given are judgement, on the careful side.
"""

from __future__ import annotations

HIGH = 2.0  # m: from here on many local rules call it work at heights (common practice)
STEEP = 60.0  # degrees: a lamp that stands so high over people hangs over them
FAST = 5.0  # m/s: what flies faster is not caught by hand, and hurts
DRIVEN = 4.0  # m/s: faster than a person walks with a camera, so something on wheels carries one of the two
BROAD = 6.0  # m²: cloth of that size is a sail

ROPES = "Ropes, harness and anything that lifts a person: only with a licensed rigger, after local rules; never as a favour."
FIRE = "Fire, charges, sparks: only licensed people, with the fire service told and local rules kept. Add flames later instead."
HEIGHT = "Work at heights needs a trained person, a barrier and somebody below who keeps people away."
WATER = "Water: depth and bottom known, a lifeguard, warm and dry places; electricity far away."
ROAD = "Roads and vehicles: permit, marshals, no filming in traffic; the driver does nothing but drive."
FLASH = "Flashing light can bring on fits: warn cast, crew and audience, and keep under three flashes a second."
HEAT = "Lamps are hot and heavy: guards, sandbags, safety chains, cool before touching."
AIR = "Compressed air throws dust, grit and fittings: goggles and ears covered, nobody in front of it, only people who know the gear."
ELECTRIC = "Mains and generators: a qualified electrician, residual-current protection, cables off the floor and away from water."
OVERHEAD = (
    "Whatever hangs overhead has a second, independent safety line, and nobody stands under it while it is rigged; ask a rigger."
)
ALONE = "Nobody works alone with electricity, heights or water."
DEBRIS = "Things that fall or fly: light dummies, goggles, a barrier round where they may land, nobody under or before them, one person who calls it off."
WIND = "Cloth and lamps on stands are sails: weighted or tied, watched, taken down when wind comes up."


def of_height(metres: float) -> tuple[str, ...]:
    """For something that must be put up, or somebody who must stand, so high."""
    return (HEIGHT, ALONE) if metres >= HIGH else ()


def of_lamp(height: float, elevation: float) -> tuple[str, ...]:
    """For a lamp so high (m) that stands at an elevation (degrees) as its subject sees it."""
    over = (OVERHEAD,) if elevation >= STEEP else ()
    high = (*of_height(height), WIND) if height >= HIGH else ()
    return (HEAT, ELECTRIC, *over, *high)


def of_flight(height: float, speed: float) -> tuple[str, ...]:
    """For something that falls from a height (m) or flies at a speed (m/s)."""
    return (*((DEBRIS,) if height >= HIGH or speed >= FAST else ()), *of_height(height))


def of_motion(speed: float) -> tuple[str, ...]:
    """For a camera or a thing that moves at a speed (m/s) past the other."""
    return (ROAD,) if speed >= DRIVEN else ()


def of_cloth(wide: float, high: float) -> tuple[str, ...]:
    """For a screen of a size (m) that hangs."""
    return (*((WIND,) if wide * high >= BROAD else ()), *of_height(high))
