"""What must be filmed for a trick: takes with the reason for each, references, what is most often forgotten, who must agree,
the kinds of work, and cautions. Tricks combine; what several ask for is asked for once.

All of it is common practice of the trade; where work can hurt someone it says who to ask and never how to do it.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

from transmixis.core.plan.cautions import AIR, ALONE, ELECTRIC, FIRE, FLASH, HEAT, HEIGHT, OVERHEAD, ROAD, ROPES, WATER

T = TypeVar("T")

CAMERAS = ("locked off", "pan or tilt", "moving", "hand-held")


@dataclass(frozen=True)
class Take:
    """Something to film or note: what, why, and whether it is what people forget."""

    what: str
    why: str
    forgotten: bool = False


@dataclass(frozen=True)
class Trick:
    """A kind of shot: its takes, who must agree, the kinds of work it needs, and cautions."""

    name: str
    takes: tuple[Take, ...]
    agree: tuple[str, ...] = ()
    work: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class TakeList:
    """Takes in order of filming, who must agree, kinds of work, cautions."""

    takes: tuple[Take, ...]
    agree: tuple[str, ...]
    work: tuple[str, ...]
    cautions: tuple[str, ...]


CLEAN = Take("clean plate, a few seconds, after every take", "covers whatever must go; same focus, exposure and framing", True)
CARD = Take(
    "grey card and chart in the light of the scene", "colour and light of what is added can be measured, not guessed", True
)
DISTANCE = Take("distance, height and tilt of the camera, lens", "the second picture must be filmed from the same place", True)
LOCKED = Take("tripod weighted, nothing touched between takes", "two halves of a picture must fit to a third of a pixel")
FIXED = Take("exposure, focus and white fixed by hand", "automatics change between the takes, and flicker within them", True)
SHADOWS = Take(
    "references of everything that casts or takes a shadow, in its own light", "what is added must throw and take them too", True
)
REPEATED = Take(
    "a move that a motor repeats, or patches that are tracked by hand", "two hand-held takes never show the same background", True
)
DEPTH = Take(
    "markers at several depths, not on one plane, one distance measured",
    "a camera cannot be solved from a flat set of points",
    True,
)
TRICKS: dict[str, Trick] = {
    t.name: t
    for t in (
        Trick(
            "replace the background",
            (
                Take("subject before a screen, with room around hands and hair", "the key needs bare screen all round"),
                Take("the screen alone, same light", "the key then knows the screen at every pixel", True),
                Take("the background, from the same distance, height and tilt", "or the ground will not agree"),
                DISTANCE, SHADOWS, CARD,
            ),
            ("director",), ("key", "place and match"), (HEAT, ELECTRIC),
        ),
        Trick(
            "float or throw an object",
            (
                Take("action with the object held or on a rod from the side that is hidden best", "hands and eyes act on something real"),
                SHADOWS,
                Take("the object alone before a screen, turned as it will fly", "if the held one cannot be cleaned"),
                Take("the landing by itself", "contact and dust are real first", True), CLEAN,
            ),
            ("director",), ("roto", "place and match"), (ROPES, OVERHEAD, AIR),
        ),
        Trick(
            "remove a rig, person, sign, marker or reflection",
            (CLEAN, Take("the shadow of the rig without the rig, if it can be lit apart", "shadows stay behind when rigs go", True), LOCKED),
            ("post supervisor",), ("roto", "place and match"), (ROPES, OVERHEAD, HEIGHT),
        ),
        Trick(
            "duplicate a performer",
            (
                LOCKED, Take("each part at once after the other, before light changes", "cloud and sun shift within minutes"),
                Take("marks on the floor where the doubles must not cross", "crossing costs a hand-cut edge for every frame"), CLEAN,
            ),
            ("director", "actor"), ("roto", "place and match"), (),
        ),
        Trick(
            "freeze a moment and move it",
            (
                Take("the moment at 60 pictures a second or more", "one sharp frame must be found; at 30 there is seldom one", True),
                CLEAN, Take("camera far back with a longer lens", "a cut-out moved across the frame must not change its look"),
                SHADOWS,
            ),
            ("director",), ("roto", "place and match"), (HEIGHT, AIR),
        ),
        Trick(
            "transform one thing into another",
            (
                LOCKED, Take("both things in the same place, same pose and light", "under a second of blend hides what differs"),
                Take("marks for the corresponding points", "edges must meet"), CLEAN,
            ),
            ("director",), ("place and match",), (),
        ),
        Trick(
            "attach an element to a hand or tool",
            (
                Take("bright marks on the tool's ends", "motion-blurred tips are lost by every tracker", True),
                Take("a real lamp of the element's colour near it", "light on hands and clothes is real first"), CLEAN, CARD,
            ),
            ("director",), ("place and match",), (FLASH, FIRE),
        ),
        Trick(
            "put a picture on a screen or visor",
            (
                Take("four small marks at the corners, or the screen at a plain grey", "the picture must stick to it"),
                Take("a grid of lines on it, if it is curved", "how it bends is read off the grid", True),
                Take("the screen switched off", "reflections are kept from it", True), DISTANCE,
            ),
            ("director",), ("place and match",), (),
        ),
        Trick(
            "miniature",
            (
                Take("the model at the rate its scale asks for", "motion looks heavy only then"),
                Take("focus deep enough: small stop, much light", "a shallow focus shows that it is small", True), DISTANCE, CARD,
            ),
            ("director", "producer"), ("key", "place and match"), (HEAT, WATER, FIRE, ELECTRIC),
        ),
        Trick(
            "extend the set",
            (
                DISTANCE, SHADOWS,
                Take("lens chart or straight lines across the frame", "the lens bends what is straight", True), CARD,
            ),
            ("director", "post supervisor"), ("place and match",), (HEIGHT,),
        ),
        Trick(
            "time lapse",
            (
                LOCKED,
                Take("power and cards for the whole time", "a gap cannot be mended"),
            ),
            (), (), (ALONE, HEIGHT),
        ),
        Trick(
            "join two takes",
            (LOCKED, Take("the join's movement repeated to a beat", "picture and motion must meet in one frame"), CLEAN),
            ("editor",), ("track", "place and match"), (),
        ),
        Trick(
            "replace the sky or a window",
            (
                Take("the sky or window brighter than all before it, not clipped", "its edge is then a key by brightness"),
                Take("the new sky with the sun from the same side", "shadows tell"), DISTANCE,
            ),
            ("director",), ("key", "place and match"), (ROAD, HEIGHT),
        ),
        Trick(
            "light that the added thing gives",
            (
                Take("the scene with a real lamp where the thing will be", "light on faces cannot be painted as well", True),
                Take("the same without the lamp", "the two can then be mixed by its flicker"), CARD,
            ),
            ("director", "cinematographer"), ("place and match",), (FLASH, HEAT, ELECTRIC),
        ),
    )
}  # fmt: skip

_BY_CAMERA: dict[str, tuple[tuple[Take, ...], tuple[str, ...]]] = {
    "locked off": ((LOCKED, FIXED), ()),
    "pan or tilt": (
        (Take("the pan about the lens's entrance pupil, the clean plate panned alike", "near and far then do not shift"),), (),
    ),
    "moving": (
        (
            Take("a motor-driven move that repeats, or no clean plate but tracked patches", "a clean plate by hand never fits"),
            DEPTH,
        ), (),
    ),
    "hand-held": (
        (
            Take("more marks than for a tripod, sharp ones", "blurred marks are lost in every step"),
            Take("the clean plate swept slowly over all that is behind", "pieces of it are borrowed frame by frame", True),
        ), ("track",),
    ),
}  # fmt: skip


def take_list(tricks: tuple[str, ...], camera: str = "locked off") -> TakeList:
    """Everything that some tricks ask for together. Raises KeyError for one that is not in TRICKS."""
    chosen = [TRICKS[t] for t in tricks]
    more, work = _BY_CAMERA[camera]
    if camera == "hand-held" and "duplicate a performer" in tricks:
        more = (*more, REPEATED)
    if camera == "hand-held" and "extend the set" in tricks:
        more = (*more, DEPTH)
    takes = [t for trick in chosen for t in trick.takes if camera == "locked off" or t is not LOCKED] + list(
        more if chosen else ()
    )
    return TakeList(
        _once(takes), _once([a for t in chosen for a in t.agree]), _once([s for t in chosen for s in t.work] + list(work)),
        _once([c for t in chosen for c in t.cautions]),
    )  # fmt: skip


def _once(items: list[T]) -> tuple[T, ...]:
    return tuple(dict.fromkeys(items))
