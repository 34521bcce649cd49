"""The work on KP030: the kite cut out by an outline on its own track, its tail by outlines that the picture carries from pin to pin, both joined;
and beside it kite, tail and rod as they are unlike the empty frame. Rod, stand and their shadow are replaced by the clean plate, brought to the take's
light, the kite before it."""

from __future__ import annotations

from outlines import pinned, standing

from transmixis.shot.model import Shot, Step
from transmixis.shot.stepjob import added
from transmixis.shot.steps import kind_of

AT = 13
FACE = [
    [427.0, 128.0],
    [470.0, 82.0],
    [556.0, 128.0],
    [520.0, 178.0],
    [500.0, 225.0],
    [460.0, 190.0],
]  # within the kite, px of frame AT
AROUND = [
    [360.0, 40.0],
    [860.0, 40.0],
    [860.0, 160.0],
    [620.0, 170.0],
    [570.0, 430.0],
    [400.0, 430.0],
    [360.0, 200.0],
]  # and its rod
RIG = {  # the stand with its rod, and its shadow, loosely, px
    "Rod and stand": [
        (874, 538), (846, 478), (846, 508), (836, 526), (824, 524), (816, 506), (818, 456), (772, 500), (756, 520), (738, 520), (736, 510), (754, 482), (790, 444),
        (817, 422), (818, 372), (820, 254), (821, 124), (770, 131), (674, 144), (624, 150), (546, 155), (538, 140), (626, 126), (677, 120), (776, 105), (812, 98),
        (814, 84), (822, 79), (838, 54), (853, 70), (865, 84), (895, 92), (893, 105), (864, 115), (855, 124), (854, 214), (852, 300), (851, 380), (850, 426), (863, 448),
        (882, 490), (884, 534),
    ],
    "Its shadow": [
        (744, 296), (832, 296), (854, 430), (868, 480), (896, 540), (724, 540), (722, 520), (736, 478), (732, 400),
    ],
}  # fmt: skip
KITE = {
    1: [(480.7, 59.6), (580.8, 147.0), (492.4, 293.2), (387.6, 153.6)],
    13: [(483.7, 62.0), (582.7, 149.0), (490.0, 291.7), (389.3, 153.3)],
    24: [(497.1, 60.2), (586.9, 159.2), (470.8, 291.8), (393.9, 141.0)],
}
STRING = {
    1: [(492.7, 296.3), (492.4, 324.0), (491.4, 355.0), (488.8, 391.0), (490.0, 417.0), (507.8, 453.0)],
    7: [(505.5, 293.0), (507.1, 320.8), (503.8, 358.4), (489.8, 392.7), (479.3, 420.4), (488.2, 449.8)],
    13: [(490.0, 291.7), (494.7, 323.3), (496.7, 356.7), (484.0, 393.3), (465.0, 423.3), (450.0, 445.0)],
    19: [(467.9, 294.0), (471.8, 322.4), (480.3, 358.4), (478.4, 392.7), (465.3, 420.4), (455.5, 453.0)],
    24: [(470.5, 294.0), (471.5, 322.4), (477.7, 358.4), (480.3, 392.7), (477.0, 426.9), (480.0, 459.6)],
}
BOWS = {
    "Upper red bow": {
        1: [(463.7, 308.1), (492.7, 320.5), (522.4, 308.1), (522.8, 337.1), (492.7, 324.4), (463.7, 337.5)],
        7: [(480.0, 308.1), (506.1, 319.8), (532.9, 304.8), (533.2, 333.9), (506.4, 325.1), (480.3, 338.1)],
        13: [(463.3, 314.0), (494.0, 319.3), (518.3, 303.3), (525.0, 331.7), (494.0, 325.0), (468.3, 342.3)],
        19: [(441.8, 312.7), (471.2, 321.8), (495.7, 302.2), (503.2, 330.6), (472.5, 325.1), (449.0, 341.4)],
        24: [(442.8, 310.0), (470.9, 321.8), (495.3, 304.8), (500.6, 334.9), (471.8, 325.7), (448.0, 339.4)],
    },
    "White bow": {
        1: [(472.5, 343.7), (492.7, 354.4), (513.0, 340.4), (513.3, 368.8), (492.7, 358.4), (473.5, 372.7)],
        7: [(481.6, 337.5), (503.8, 354.4), (529.6, 346.0), (526.0, 374.7), (503.2, 358.4), (478.4, 366.5)],
        13: [(471.7, 341.7), (496.7, 355.0), (528.3, 347.3), (524.3, 378.3), (496.7, 359.3), (467.3, 367.3)],
        19: [(449.6, 346.0), (480.3, 355.8), (507.8, 339.4), (511.3, 369.8), (481.0, 359.7), (452.9, 376.3)],
        24: [(448.0, 347.3), (477.7, 356.4), (501.6, 339.4), (507.1, 367.5), (478.4, 360.3), (454.9, 378.0)],
    },
    "Lower red bow": {
        1: [(470.9, 378.0), (489.5, 389.7), (505.1, 374.0), (507.8, 403.4), (490.1, 394.3), (474.4, 408.0)],
        7: [(471.5, 366.9), (490.4, 389.7), (519.2, 385.5), (509.7, 413.9), (489.8, 392.3), (461.4, 395.6)],
        13: [(467.7, 368.3), (485.0, 391.7), (513.3, 393.3), (500.7, 419.3), (484.0, 394.7), (454.0, 395.3)],
        19: [(461.1, 376.3), (479.3, 391.7), (497.3, 381.5), (494.0, 411.3), (478.4, 396.2), (457.1, 406.7)],
        24: [(465.0, 382.5), (479.3, 391.0), (488.8, 376.0), (493.7, 404.7), (480.3, 396.9), (469.9, 412.2)],
    },
}


def worked(shot: Shot) -> Shot:
    """The shot with its steps."""
    track = [f"region={[[[i, *p] for i, p in enumerate(FACE, 1)]]}", f"reference={AT}", "model=perspective"]
    shot, _ = added(shot, "surface_track", "Kite's face", ["plate=plate:hero"], track, [])
    inputs = ["plate=plate:hero", "motion=step:surface_track"]
    shot, kite = added(shot, "shapes", "Kite", inputs, [f"at={AT}", "line=corners"], [])
    shot = shot.with_step(pinned(kite, "outline", KITE))
    shot, tail = added(shot, "shapes", "Tail", ["plate=plate:hero"], ["line=corners"], [])
    tail = _tail(tail.model_copy(update={"inputs": {"plate": "plate:hero"}}))  # it swings by itself, not with the kite
    shot = shot.with_step(tail)
    shot, whole = added(
        shot, "join_mattes", "Kite and tail", ["plate=plate:hero", f"first=step:{kite.id}", f"adds=step:{tail.id}"], [], []
    )
    shot, around = added(shot, "garbage_matte", "Around the kite", [], [f"points={AROUND}", "feather=6"], [])
    inputs = ["plate=plate:hero", "clean=plate:clean", f"garbage=step:{around.id}"]
    shot, _ = added(shot, "difference_matte", "Unlike the empty frame", inputs, ["unlike=0.24"], [])
    shot, rig = added(
        shot, "shapes", "Rod, stand, shadow", ["plate=plate:hero"], ["line=corners", "carry=nothing, eased", "feather=1"], []
    )
    shot = shot.with_step(standing(rig, RIG).model_copy(update={"inputs": {"plate": "plate:hero"}}))
    inputs = ["plate=plate:hero", "clean=plate:clean", f"gone=step:{rig.id}", f"front=step:{whole.id}"]
    shot, _ = added(shot, "clean_patch", "Without rod and stand", inputs, ["feather=5", "beside=taken in"], [])
    return shot


def _tail(step: Step) -> Step:
    """The string as a strand, the bows as outlines."""
    shapes = kind_of("shapes")
    step, string = shapes.with_thing(step, "strand")
    named = [(string, "String", STRING)]
    for name, places in BOWS.items():
        step, bow = shapes.with_thing(step, "outline")
        named.append((bow, name, places))
    for param, name, places in named:
        step = shapes.thing_set(step, param, "name", name)
        step = pinned(step, param, places)
    step = shapes.thing_set(step, string, "wide", 2.6)
    return shapes.without_thing(step, "outline")
