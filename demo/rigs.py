"""The work on what must go: KP110's sign, which passes close by a camera that trucks, and KP120's microphone, which dips into a locked take. Both come out by other frames of
their takes; and the markers of KP010's cloth, covered from beside."""

from __future__ import annotations

from outlines import LOOSE, pinned

from transmixis.shot.model import Shot, Step
from transmixis.shot.stepjob import added
from transmixis.shot.steps import kind_of

SIGN_FRAMES = 30
BOARD = [(-70.0, 150.0), (70.0, 146.0), (72.0, 226.0), (-68.0, 232.0)]  # px about the sign's middle
POST = [(-9.0, 226.0), (9.0, 226.0), (11.0, 542.0), (-11.0, 542.0)]
FIRST, SPEED = 880.0, 26.0  # px, and px a frame to the left
POLE = [
    [(308.0, -160.0), (320.0, -160.0), (262.0, 110.0), (252.0, 108.0)],
    [(240.0, 100.0), (270.0, 106.0), (262.0, 172.0), (232.0, 166.0)],
]  # px, when it is deepest in the picture: the pole and its microphone
DIPS = {
    1: (30.0, -200.0),
    4: (30.0, -200.0),
    10: (0.0, 0.0),
    13: (-4.0, 4.0),
    19: (26.0, -200.0),
    24: (26.0, -200.0),
}  # frame: px to the right and down
LOOSELY = 12.0  # px that its outline is drawn about what must go: blur, softness, and a little


def sign_left(t: float) -> float:
    """Where the sign's middle is at a time, px."""
    return FIRST - SPEED * (t - 1)


def pole_at(t: float) -> tuple[float, float]:
    """How far the pole is from where it is deepest, px."""
    frames = sorted(DIPS)
    t = min(max(t, frames[0]), frames[-1])
    after = next(f for f in frames if f >= t)
    before = max(f for f in frames if f <= t)
    share = 0.0 if after == before else (t - before) / (after - before)
    (a, b), (c, d) = DIPS[before], DIPS[after]
    return a + share * (c - a), b + share * (d - b)


def sign(shot: Shot) -> Shot:
    """KP110: the sign by its outline, and by other frames what it hides."""
    r = LOOSELY
    about = [
        (-72 - r, 146 - r),
        (72 + r, 142 - r),
        (74 + r, 226 + r),
        (11 + r, 230 + r),
        (13 + r, 545),
        (-13 - r, 545),
        (-11 - r, 232 + r),
        (-70 - r, 232 + r),
    ]
    places = {n: [(x + sign_left(n), y) for x, y in about] for n in (1, SIGN_FRAMES)}
    shot, drawn = added(shot, "shapes", "Sign", ["plate=plate:hero"], ["line=corners", "carry=nothing, eased", "feather=1"], [])
    shot = shot.with_step(_loose(drawn, "Sign", places))
    inputs = ["plate=plate:hero", f"gone=step:{drawn.id}"]
    shot, _ = added(shot, "ways", "What can serve", inputs, [], [])
    shot, _ = added(shot, "time_patch", "Without the sign", inputs, ["feather=2", "rest=made up", "moves=at several depths"], [])
    return shot


def pole(shot: Shot) -> Shot:
    """KP120: pole and microphone by their outline, and by other frames what they hide."""
    r = LOOSELY
    about = [(308 - r, -170), (320 + r, -170), (270 + r, 100), (262 + r, 172 + r), (232 - r, 170 + r), (236 - r, 96 - r)]
    places = {n: [(x + dx, y + dy) for x, y in about] for n, (dx, dy) in DIPS.items()}
    shot, drawn = added(
        shot, "shapes", "Microphone", ["plate=plate:hero"], ["line=corners", "carry=nothing, eased", "feather=1"], []
    )
    shot = shot.with_step(_loose(drawn, "Microphone", places))
    inputs = ["plate=plate:hero", f"gone=step:{drawn.id}"]
    shot, _ = added(shot, "ways", "What can serve", inputs, [], [])
    shot, _ = added(shot, "time_patch", "Without the microphone", inputs, ["feather=2", "moves=not at all"], [])
    return shot


def swept(shot: Shot) -> Shot:
    """KP010 with its crosses covered, beside the key, which needs no such thing."""
    shot, _ = added(shot, "marker_sweep", "Without crosses", ["plate=plate:hero"], ["largest=48"], [])
    return shot


def _loose(step: Step, name: str, places: dict[int, list[tuple[float, float]]]) -> Step:
    """A Shapes step with one outline loosely about what must go."""
    step = kind_of("shapes").thing_set(step, "outline", "name", name)
    step = pinned(step, "outline", places)
    return step.model_copy(update={"limits": {**LOOSE, "creep": 1000.0, "idle shapes": 10.0}, "inputs": {"plate": "plate:hero"}})
