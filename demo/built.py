"""The built shots: a lantern for the courier, a kite that is launched, three couriers, a letter that becomes a kite, one storm. Their plates are those of the other shots, and parts that
paint_parts.py has painted."""

from __future__ import annotations

from collections.abc import Mapping

from transmixis.shot.model import Cue, Pin, Plate, Shot
from transmixis.shot.parts import gathered
from transmixis.shot.pins import set_pin
from transmixis.shot.stepjob import added
from transmixis.shot.workorder import first_work_order

SIZE = {"rate": "24", "width": 960, "height": 540}
LENGTHS = {"KP130": 48, "KP140": 24, "KP150": 48, "KP160": 36, "KP170": 48}
TITLES = {
    "KP130": "The lantern on the cliff",
    "KP140": "The last kite goes up",
    "KP150": "Three couriers",
    "KP160": "The letter finds its way",
    "KP170": "The storm comes in",
}
HERO = Plate(id="hero", role="hero", path="plates/KP010/hero/KP010_hero.1001.png", name="hero", space="camera 709")
CLEAN = Plate(id="clean", role="clean", path="plates/KP010/clean/KP010_clean.0001.png", name="clean", space="camera 709")
PLACE = Plate(
    id="background", role="background", path="plates/KP010/background/KP010_background.mp4", name="background", space="camera 709"
)
SMOKE = Plate(id="smoke", role="element", path="elements/chimney_smoke.mp4", name="chimney smoke", space="sRGB")
REST, HAND = 8, (682.0, 277.5)  # the frame in which the waving hand rests, and where it is then, px
SPRINGS = (30.0, 34.0)  # frames at which the two others spring out, and go back


def part(name: str, code: str, ending: str, role: str = "element") -> Plate:
    return Plate(id=name, role=role, path=f"plates/{code}/{name}.{ending}", name=name.replace("_", " "), space="sRGB")  # type: ignore[arg-type]


def pinned(shot: Shot, step_id: str, param: str, values: Mapping[int, float], easing: str = "smooth") -> Shot:
    step = shot.step(step_id)
    for frame, value in values.items():
        step = set_pin(step, param, Pin(frame=frame, value=value, easing=easing))  # type: ignore[arg-type]
    return shot.with_step(step)


def made(code: str) -> Shot:
    """A built shot with its work order."""
    return {"KP130": lantern, "KP140": launch, "KP150": three, "KP160": turned, "KP170": storm}[code](
        Shot(code=code, title=TITLES[code], length=LENGTHS[code], **SIZE)  # type: ignore[arg-type]
    )


def _keyed(shot: Shot, *more: Plate) -> Shot:
    return first_work_order(shot.model_copy(update={"plates": (HERO, CLEAN, PLACE, *more)}))


def _last(shot: Shot) -> Shot:
    """What checks the edges looks at the finished picture."""
    return shot.model_copy(update={"output": shot.output})


def lantern(shot: Shot) -> Shot:
    """KP130: a lantern that hangs from the waving hand, its flame leaning as it goes, its light on the coat; smoke from the chimney."""
    shot = _keyed(shot, part("lantern", "KP130", "png"), part("flame", "KP130", "mp4"), SMOKE)
    shot, hand = added(
        shot,
        "point_track",
        "Hand",
        ["plate=plate:hero"],
        [f"point=[[{HAND[0]}, {HAND[1]}]]", f"reference={REST}", "half=30", "reach=80", "follows=position, turn and size"],
        [],
    )
    on_hand = [f"at={REST}", "takes=position", "lost=carry it on"]
    x, y = HAND[0] - 480 - 2, HAND[1] - 270 + 48
    back = "step:place"
    shot, smoke_loop = added(shot, "looping", "Smoke loop", ["plate=plate:smoke"], [], [])
    shot, smoke = added(
        shot, "place", "Smoke", [f"front=step:{smoke_loop.id}", "back=plate:background", "motion=", "crop=", "where="],
        ["x=-90", "y=-62", "scale=0.55", "blend=screen", "opacity=0.6", "ends=40", "soften=1.6"], [],
    )  # fmt: skip
    courier = shot.step("place")
    shot = shot.with_step(courier.model_copy(update={"inputs": {**courier.inputs, "back": f"step:{smoke.id}"}}))
    shot, body = added(
        shot, "place", "Lantern", ["front=plate:lantern", f"back={back}", f"motion=step:{hand.id}"],
        [f"x={x}", f"y={y}", "scale=0.9", "soften=0.7", *on_hand], [],
    )  # fmt: skip
    shot, loop = added(shot, "looping", "Flame loop", ["plate=plate:flame"], [], [])
    shot, bend = added(
        shot, "bend", "Lean", [f"picture=step:{loop.id}", f"motion=step:{hand.id}"],
        ["how=leans with speed", "source=[[48, 148], [48, 20]]", "lean=1.2", f"at={REST}", "takes=position", "lost=carry it on"], [],
    )  # fmt: skip
    shot, placed = added(
        shot, "place", "Flame", [f"front=step:{bend.id}", "back=", f"motion=step:{hand.id}"],
        [f"x={x}", f"y={y + 4}", "scale=0.42", "soften=0.6", *on_hand], [],
    )  # fmt: skip
    shot, over = added(
        shot,
        "place",
        "Flame in it",
        [f"front=step:{placed.id}", f"back=step:{body.id}", "motion="],
        ["blend=add", "shutter=0"],
        [],
    )
    shot, light = added(
        shot, "light_given", "Light on the coat", [f"back=step:{over.id}", f"glows=step:{placed.id}", "where=", "near=step:screen_key"],
        ["strength=16", "ahead=50", "depth=0.08"], [],
    )  # fmt: skip
    shot, end = added(
        shot,
        "lens_and_bars",
        "Finish",
        [f"picture=step:{light.id}", "like="],
        ["aspect=2.0", "up=6", "vignette=0.25", "fringe=0.4"],
        [],
    )
    shot, _ = gathered(shot, "Lantern", [hand.id, body.id, loop.id, bend.id, placed.id, over.id, light.id])
    shot, _ = gathered(shot, "Chimney smoke", [smoke_loop.id, smoke.id])
    return _last(shot).model_copy(update={"output": end.id, "cues": (Cue(frame=REST, name="hand rests"),)})


def launch(shot: Shot) -> Shot:
    """KP140: a kite stands on the grass for ten frames and is gone within five."""
    shot = first_work_order(shot.model_copy(update={"plates": (PLACE, part("kite", "KP140", "png"))}))
    shot, goes = added(shot, "movement", "Launch", [], ["what=launch", "begins=10", "frames=5", "way=760", "angle=74"], [])
    shot, kite = added(
        shot, "place", "Kite", ["front=plate:kite", "back=plate:background", f"motion=step:{goes.id}"],
        ["x=330", "y=88", "scale=0.9", "turn=-8", "soften=1.2", "shutter=180"], [],
    )  # fmt: skip
    shot, end = added(shot, "reframe", "By hand", [f"picture=step:{kite.id}"], ["shake=1.2", "seed=3"], [])
    shot, _ = gathered(shot, "Kite", [goes.id, kite.id])
    return shot.model_copy(update={"output": end.id, "cues": (Cue(frame=10, name="let go"),)})


def three(shot: Shot) -> Shot:
    """KP150: two more couriers spring out of the one, and go back on the same frame."""
    shot = _keyed(shot)
    first, last = SPRINGS[0] - 18, SPRINGS[1]
    back = "plate:background"
    parts = []
    for name, angle in (("Left", 180.0), ("Right", 0.0)):
        shot, goes = added(
            shot,
            "movement",
            f"{name} springs",
            [],
            ["what=spring out", f"begins={first}", f"back={last}", "frames=4", "way=240", f"angle={angle}"],
            [],
        )
        shot, late = added(
            shot,
            "retime",
            f"{name} in time",
            ["plate=step:match", "flows="],
            ["frames=hold the nearest", "after=its last frame", f"begin={3 if angle else 1}", "before=its first frame"],
            [],
        )
        shot, other = added(
            shot,
            "place",
            f"{name} courier",
            [f"front=step:{late.id}", f"back={back}", f"motion=step:{goes.id}"],
            ["scale=0.96", "y=6"],
            [],
        )
        parts.append((name, [goes.id, late.id, other.id]))
        back = f"step:{other.id}"
    courier = shot.step("place")
    shot = shot.with_step(courier.model_copy(update={"inputs": {**courier.inputs, "back": back}}))
    for name, ids in parts:
        shot, _ = gathered(shot, f"{name} courier", ids)
    return shot.model_copy(
        update={"output": "place", "cues": (Cue(frame=int(first), name="out"), Cue(frame=int(last), name="back"))}
    )


def turned(shot: Shot) -> Shot:
    """KP160: the letter turns into a kite, corner for corner, in less than half a second."""
    shot = first_work_order(
        shot.model_copy(update={"plates": (PLACE, part("letter", "KP160", "png"), part("kite", "KP140", "png"))})
    )
    shot, one = added(
        shot, "place", "Letter", ["front=plate:letter", "back=", "motion="], ["x=250", "y=-20", "turn=6", "soften=1.0"], []
    )
    shot, other = added(shot, "place", "Kite", ["front=plate:kite", "back=", "motion="], ["x=250", "y=-10", "soften=1.0"], [])
    letter = [[674, 216], [794, 204], [802, 280], [682, 292]]  # its corners in the frame
    kite = [[669, 216], [730, 156], [791, 216], [730, 290]]
    shot, morph = added(
        shot, "turn_into", "Letter to kite", [f"one=step:{one.id}", f"other=step:{other.id}", "outline=", "outline_other="],
        ["begin=14", "warps=9", "fades=4", "glow=0.8", "reach=40", f"named_one={letter}", f"named_other={kite}"], [],
    )  # fmt: skip
    shot, goes = added(shot, "movement", "Rises", [], ["what=by hand"], [])
    shot = pinned(shot, goes.id, "y", {1: 0.0, 14: 0.0, 36: -46.0})
    shot = pinned(shot, goes.id, "turn", {14: 0.0, 25: 5.0, 36: -4.0})
    shot = shot.with_step(
        shot.step(goes.id).model_copy(update={"params": {**shot.step(goes.id).params, "pivot": [[730.0, 250.0]]}})
    )
    shot, over = added(
        shot, "place", "Over the sea", [f"front=step:{morph.id}", "back=plate:background", f"motion=step:{goes.id}"], [], []
    )
    shot, _ = gathered(shot, "Letter and kite", [one.id, other.id, morph.id, goes.id, over.id])
    return shot.model_copy(update={"output": over.id, "cues": (Cue(frame=14, name="turns"),)})


def storm(shot: Shot) -> Shot:
    """KP170: another sky, rain, one flash, and evening over all."""
    shot = first_work_order(shot.model_copy(update={"plates": (PLACE, part("storm_sky", "KP170", "png", "still"))}))
    shot, bright = added(
        shot, "luma_matte", "Sky is bright", ["plate=plate:background"], ["by=what is bright", "low=0.44", "high=0.6"], []
    )
    shot, above = added(
        shot,
        "garbage_matte",
        "Above the sea",
        ["plate=plate:background"],
        ["points=[[-20, -20], [980, -20], [980, 202], [424, 202], [424, 84], [348, 84], [348, 202], [-20, 202]]", "feather=4"],
        [],
    )
    shot, sky = added(
        shot,
        "place",
        "Storm sky",
        ["front=plate:storm_sky", "back=plate:background", "motion=", f"crop=step:{above.id}", f"where=step:{bright.id}"],
        ["y=-130", "scale=1.08", "soften=1.5"],
        [],
    )
    shot = pinned(shot, sky.id, "x", {1: -20.0, 48: 20.0}, "linear")
    shot, dark = added(
        shot,
        "grade",
        "Evening",
        [f"picture=step:{sky.id}", "matte="],
        ["space=linear light", "slope_r=0.42", "slope_g=0.47", "slope_b=0.56", "saturation=0.7"],
        [],
    )
    shot, rain = added(
        shot, "particle", "Rain", ["motion="],
        ["what=rain", "begin=-60", "rate=900", "speed=900", "angle=262", "cone=5", "pull=0", "drag=0", "life=1.4", "size=1.0", "soft=0.5", "red=0.30", "green=0.33", "blue=0.38"], [],
    )  # fmt: skip
    shot, wet = added(
        shot,
        "place",
        "Rain over it",
        [f"front=step:{rain.id}", f"back=step:{dark.id}", "motion="],
        ["blend=screen", "shutter=0", "opacity=0.8"],
        [],
    )
    shot, flash = added(shot, "grade", "Flash", [f"picture=step:{wet.id}", "matte="], ["space=linear light"], [])
    for name, by in (("slope_r", 2.2), ("slope_g", 2.4), ("slope_b", 2.8)):
        shot = pinned(shot, flash.id, name, {20: 1.0, 21: by, 22: 1.25, 23: by * 0.8, 27: 1.0}, "linear")
    shot, _ = gathered(shot, "Sky", [bright.id, above.id, sky.id])
    shot, _ = gathered(shot, "Rain", [rain.id, wet.id])
    return shot.model_copy(update={"output": flash.id, "cues": (Cue(frame=21, name="flash"),)})


__all__ = ["LENGTHS", "TITLES", "made"]
