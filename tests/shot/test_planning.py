"""The questions of the plan: answers, proposals that mend what they say, movements put on a step."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT, UNKNOWN
from transmixis.shot.model import Shot, Step
from transmixis.shot.pins import params_at
from transmixis.shot.planning import QUESTIONS, plan_state, question_of
from transmixis.shot.planning.contract import Answer, with_plan
from transmixis.shot.planning.reportshot import shoot_list_html
from transmixis.shot.planning.timing import WHAT, with_path
from transmixis.shot.steps.params import facts

SHOT = Shot(code="A1", title="Test & <trial>", length=48, rate="24", width=1920, height=1080)


def answer(kind: str, shot: Shot = SHOT, **values: Any) -> Answer:
    return question_of(kind).of_shot(with_plan(shot, kind, values))


@pytest.mark.parametrize("kind", list(QUESTIONS))
def test_every_question_has_an_answer_from_the_start(kind: str) -> None:
    found = answer(kind)
    assert found.words
    for r in found.readings:
        assert r.name
        assert r.limit > 0


@settings(max_examples=60, deadline=None)
@given(data=st.data(), kind=st.sampled_from(list(QUESTIONS)))
def test_inputs_within_their_ranges_give_an_answer_or_one_sentence(data: st.DataObject, kind: str) -> None:
    values: dict[str, Any] = {}
    for name, field in QUESTIONS[kind].Params.model_fields.items():
        f = facts(field)
        if f["control"] == "number":
            high = min(f["high"], 2000.0)  # a loop of a hundred thousand frames is only slow
            values[name] = data.draw(st.floats(max(f["low"], -2000.0), high), label=name)
        elif f["control"] == "choice":
            values[name] = data.draw(st.sampled_from(f["options"]), label=name)
    said = ""
    try:
        found = answer(kind, **values)
    except UserError as e:
        said = str(e)
    if said:
        assert said.count(". ") <= 1
        return
    assert found.words
    assert all(r.value is None or np.isfinite(r.value) for r in found.readings)


@pytest.mark.parametrize(
    ("kind", "values", "reading"),
    [
        ("lens", {"depth": 1.0}, "growth"), ("shutter", {"crossing": 4.0}, "flicker"), ("shutter", {"crossing": 1.0, "mains": "none"}, "blur"),
        ("shadow", {}, "direction apart"),
    ],
)  # fmt: skip
def test_a_proposal_mends_what_it_was_made_for(kind: str, values: dict[str, Any], reading: str) -> None:
    before = answer(kind, **values)
    assert before.proposal is not None
    assert next(r for r in before.readings if r.name == reading).state == FAULT
    after = answer(kind, **{**values, **before.proposal.values})
    assert next(r for r in after.readings if r.name == reading).state != FAULT


def test_a_fall_ends_on_the_ground_and_a_throw_comes_back() -> None:
    fall = answer("timing", what="fall", height=2.0, metre=100.0, start=5).drawing
    assert fall.frames[0] == 5
    assert fall.down[0] == 0
    assert fall.down[-1] == pytest.approx(200)
    assert (np.diff(fall.down) > 0).all()
    throw = answer("timing", what="throw", speed=8.0, angle=60.0).drawing
    assert throw.down[-1] == 0 > throw.down[:-1].min()
    lower = answer("timing", what="throw", speed=8.0, angle=-20.0, lands=5.0).drawing
    assert (np.diff(lower.down) > 0).all()
    swing = answer("timing", what="swing", height=1.0, angle=20.0).drawing
    assert swing.right[-1] == pytest.approx(0, abs=3)
    turn = answer("timing", what="whole turn", frames=48).drawing
    assert turn.right[-1] + turn.right[1] == pytest.approx(SHOT.width)


@pytest.mark.parametrize("what", WHAT)
def test_every_movement_is_timed(what: str) -> None:
    found = answer("timing", what=what)
    assert any(c.isdigit() for c in found.words)


def test_a_movement_becomes_pins_of_place() -> None:
    place = Step(id="place", kind="place", name="Place", params={"x": 10.0, "y": -4.0})
    shot = SHOT.model_copy(update={"steps": (place,)})
    found = answer("timing", shot, what="fall", height=1.0, metre=100.0, start=3)
    moved = with_path(shot, found, "place").step("place")
    assert "x" not in moved.pins
    last = int(found.drawing.frames[-1])
    assert params_at(moved, 3)["y"] == pytest.approx(-4.0)
    assert params_at(moved, last)["y"] == pytest.approx(96.0)


def test_the_plan_s_mark_is_its_worst_answer() -> None:
    assert plan_state(SHOT) == ("none", 0)
    assert plan_state(with_plan(SHOT, "lens", {"depth": 0.1, "distance": 10.0}))[0] == "sound"
    state, faults = plan_state(with_plan(SHOT, "lens", {"depth": 2.0, "distance": 8.0}))
    assert (state, faults) == (FAULT, 1)  # it grows too much
    assert plan_state(with_plan(SHOT, "lens", {"focal": -1})) == (FAULT, 1)
    assert answer("takes").state == "sound"
    with pytest.raises(UserError):
        question_of("weather")


def test_the_shoot_list_s_page_escapes_what_people_write() -> None:
    found = answer("takes", tricks=["miniature"])
    page = shoot_list_html(SHOT, [("What is the trick?", found)])
    assert "&lt;trial&gt;" in page
    assert "<trial>" not in page
    assert page.count("☐") == len(found.entries)


def test_a_screen_that_will_not_hold_is_told_and_another_proposed() -> None:
    found = answer("screen", colours=["leaves", "light skin"], cloth="green")
    assert "leaves" in found.words
    assert any(r.state == FAULT for r in found.readings)
    assert found.proposal is not None
    assert found.proposal.values["cloth"] == "blue"
    better = answer("screen", colours=["leaves", "light skin"], **found.proposal.values)
    assert not any(r.state == FAULT for r in better.readings)
    near = answer("screen", colours=["light skin"], distance=0.5)
    assert near.proposal is not None
    assert not any(
        r.name == "spill at the outline" and r.state == FAULT
        for r in answer("screen", colours=["light skin"], **near.proposal.values).readings
    )
    assert "Not answered" in answer("screen").words


def test_markers_that_are_too_small_are_made_larger_by_the_proposal() -> None:
    bad = answer("markers", size=0.5, distance=8.0, motion="perspective")
    assert any(r.state == FAULT for r in bad.readings)
    assert bad.proposal is not None
    good = answer("markers", **{"size": 0.5, "distance": 8.0, **bad.proposal.values})
    size = next(r for r in good.readings if r.name == "size in the picture")
    assert size.state != FAULT
    assert bad.drawing.picture.dtype == np.uint8


@pytest.mark.parametrize("side", [-120.0, 0.0, 75.0])
def test_a_lamp_is_put_where_the_sun_stood(side: float) -> None:
    values: dict[str, Any] = {"second_light": "a lamp", "lamp_side": side, "depth": 0.8}
    found = answer("shadow", **values)
    assert found.proposal is not None
    mended = answer("shadow", **{**values, **found.proposal.values})
    assert all(r.state != FAULT for r in mended.readings if "apart" in r.name and r.name != "softness apart")
    falls = next(r for r in mended.readings if r.name == "falls off")
    assert falls.state != FAULT


def test_a_shadow_drawn_on_a_plate_is_measured() -> None:
    """By hand: a camera 1.5 m up, level, 90 degrees wide on 1920 px sees ground d m off at 960 * 1.5 / d px under the middle. A thing
    at 5 m, straight ahead, 1.7 m high, with its shadow 1.7 m to the right: the light is 45 degrees high and from the left."""
    y = 540 + 960 * 1.5 / 5
    values = {
        "first_light": "a drawn shadow", "base_x": 960.0, "base_y": y, "tip_x": 960 + 960 * 1.7 / 5, "tip_y": y, "view": 90.0, "tilt": 0.0,
        "eye": 1.5, "thing": 1.7,
    }  # fmt: skip
    found = answer("shadow", **values)
    assert "45.0° high" in dict(found.rows)["first"]
    assert found.drawing.shadow_first == pytest.approx(90, abs=0.01)
    with pytest.raises(UserError, match="horizon"):
        answer("shadow", **{**values, "tip_y": 100.0})
    with pytest.raises(UserError, match="no length"):
        answer("shadow", **{**values, "tip_x": 960.0})


def test_set_ups_agree_once_the_proposal_is_used() -> None:
    bad = answer("setups", scale=6.0, second_distance=1.3, second_height=0.2)
    assert bad.proposal is not None
    good = answer("setups", scale=6.0, **bad.proposal.values)
    assert good.words.startswith("Yes")


def test_a_third_plate_must_agree_as_well() -> None:
    """The two that lie furthest apart count; a third like the first changes nothing."""
    two = {r.name: r.value for r in answer("shadow").readings}
    like_first = answer("shadow", third_light="the Sun", third_day="2026-05-09", third_hour=10.7, third_camera=285.0)
    assert {r.name: r.value for r in like_first.readings} == pytest.approx(two)
    later = answer("shadow", third_light="the Sun", third_hour=16.0)
    assert next(r.value for r in later.readings if r.name == "direction apart") > two["direction apart"]
    assert "third" in dict(later.rows)


@given(
    rate=st.sampled_from([24.0, 23.976, 25.0, 29.97, 50.0, 60.0, 120.0, 240.0]), angle=st.sampled_from([11.25, 45.0, 90.0, 180.0, 360.0]),
    crossing=st.floats(0.3, 8), mains=st.sampled_from(["50 Hz", "60 Hz"]), sensor=st.sampled_from(["rolling shutter", "global shutter"]),
)  # fmt: skip
def test_a_shutter_proposal_mends_something_and_worsens_nothing_that_was_faulted(
    rate: float, angle: float, crossing: float, mains: str, sensor: str
) -> None:
    values = {"rate": rate, "angle": angle, "crossing": crossing, "mains": mains, "sensor": sensor}
    now = answer("shutter", **values)
    if now.proposal is None:
        return
    then = answer("shutter", **{**values, **now.proposal.values})
    before, after = ({r.name: r for r in a.readings} for a in (now, then))
    faults = {n for n, r in before.items() if r.state == "fault"}
    assert {n for n, r in after.items() if r.state == "fault"} < faults
    assert all((after[n].ratio or 0) <= (before[n].ratio or 0) * 1.01 for n in faults)


def test_a_hundred_rather_than_a_hundred_and_twenty_under_fifty_hertz() -> None:
    now = answer("shutter", rate=120, angle=180, crossing=4.0, sensor="global shutter")
    assert next(r for r in now.readings if r.name == "flicker").value == pytest.approx(
        200 * abs(np.sin(np.pi / 2.4) / (np.pi / 2.4)), abs=0.1
    )
    assert now.proposal is not None
    assert now.proposal.values["rate"] == 100


def test_dark_hair_and_skin_do_not_ask_for_a_dark_screen() -> None:
    """The cloth stays at the light's level; proposed darker by nearly three stops, the key was lost."""
    for colours in (("dark skin", "dark hair"), ("white shirt",), ("light skin", "grey wool")):
        found = answer("screen", colours=colours)
        assert next(r for r in found.readings if r.name == "light on the cloth").value == 0
        assert found.proposal is None or "level" not in found.proposal.values
    dim = answer("screen", colours=("dark skin", "dark hair"), level=-2.8)
    assert dim.proposal is not None
    assert dim.proposal.values["level"] == 0
    lit = answer("screen", colours=("dark skin", "dark hair"))
    steps = [next(r for r in a.readings if r.name == "separation").value or 0 for a in (dim, lit)]
    assert steps[1] > 2 * steps[0]


def test_what_does_not_hold_does_not_read_as_approval() -> None:
    found = answer("screen", colours=("leaves", "grass", "green fruit"), cloth="green", grain=6.0)
    assert "clear" not in found.words
    dim = answer("screen", colours=("dark hair",), level=-4.0, grain=8.0)
    assert "does not hold" in dim.words or "key through" in dim.words


# what a proposal of these mends can be found at once; the others simulate
QUICK = ("shutter", "lens", "setups", "shadow", "miniature")


@settings(max_examples=150, deadline=None)
@given(data=st.data(), kind=st.sampled_from(QUICK))
def test_what_is_proposed_can_be_set_and_then_holds_what_it_promised(data: st.DataObject, kind: str) -> None:
    """No proposal lies outside of a control's range, nor is there the same one again once it is used."""
    values: dict[str, Any] = {}
    for name, field in QUESTIONS[kind].Params.model_fields.items():
        f = facts(field)
        if f["control"] == "number":
            values[name] = data.draw(st.floats(max(f["low"], -2000.0), min(f["high"], 2000.0)), label=name)
        elif f["control"] == "choice":
            values[name] = data.draw(st.sampled_from(f["options"]), label=name)
    try:
        before = answer(kind, **values)
    except UserError:
        return
    if before.proposal is None:
        return
    after = answer(kind, **{**values, **before.proposal.values})
    assert after.proposal is None or after.proposal.values != before.proposal.values
    faults = [sum(r.state in (FAULT, UNKNOWN) for r in a.readings) for a in (before, after)]
    assert faults[1] <= faults[0]


def test_a_second_picture_that_does_not_fill_the_frame_does_not_join() -> None:
    """By hand: the same stand and tilt, a lens 1 / 0.7 and 50 times as long: brought to size it covers 70 % and 2 % of the frame."""
    same = {"second_distance": 6.0, "second_height": 1.5, "second_tilt": 4.0}
    assert answer("setups", **same, second_focal=35.0).words.startswith("Yes")
    for share in (0.7, 0.1):
        found = answer("setups", **same, second_focal=35.0 / share)
        assert found.words.startswith("No")
        bare = next(r for r in found.readings if r.name == "left bare")
        assert bare.state == FAULT
        # feet stay on feet, so the strip above or below is the wider one
        assert 50 * (1 - share) <= bare.value <= 100 * (1 - share) + 1e-9  # type: ignore[operator]
    wide = answer("setups", **same, second_focal=28.0)
    assert next(r for r in wide.readings if r.name == "left bare").value == 0
    assert next(r for r in wide.readings if r.name == "enlarged by").value == pytest.approx(25.0)
    small = answer("setups", **same, second_focal=35.0, second_pixels=960.0)
    assert small.words.startswith("No")
    assert next(r for r in small.readings if r.name == "enlarged by").value == pytest.approx(100.0)


def test_the_shoot_list_prints_no_set_up_that_was_found_wrong() -> None:
    for kind, good, bad in (
        ("setups", {"second_distance": 6.0, "second_height": 1.5, "second_tilt": 4.0, "second_focal": 35.0}, {}),
        ("lens", {"size": 0.5, "depth": 0.1}, {"depth": 2.0}),
        ("shadow", {"second_hour": "10:52"}, {}),
    ):
        held, open_ = answer(kind, **good), answer(kind, **bad)
        assert held.state in ("sound", "watch")
        assert not any("not settled" in e.what for e in held.entries)
        assert any(e.setting for e in held.entries)
        assert open_.state == FAULT
        assert not any(e.setting for e in open_.entries)
        assert open_.entries[0].what == f"not settled yet: {QUESTIONS[kind].title}"
        assert open_.entries[0].why == open_.words


def test_a_subject_larger_than_the_frame_or_at_the_camera_is_said() -> None:
    """By hand: 35 mm on 24 mm at 1 m shows 0.69 m across and 0.39 m up; 1.8 m of height fill it 4.7 times."""
    near = answer("lens", distance=1.0, depth=0.0)
    fills = next(r for r in near.readings if r.name == "fills")
    assert fills.value == pytest.approx(100 * 1.8 / (24 / 35 * 9 / 16), rel=1e-6)
    assert "larger than the frame" in near.words
    assert near.proposal is not None
    assert next(r for r in answer("lens", **{"depth": 0.0, **near.proposal.values}).readings if r.name == "fills").state != FAULT
    assert (
        next(r for r in answer("lens", distance=1.0, depth=0.0, size=0.6, side="width").readings if r.name == "fills").state
        != FAULT
    )
    reached = answer("lens", distance=2.0, depth=3.0)
    assert next(r for r in reached.readings if r.name == "growth").value is None
    assert reached.state == FAULT
    assert reached.words.startswith("The subject would reach the camera.")
    far = answer("lens", focal=400.0, distance=30.0, depth=20.0)  # 220 m and 2933 mm would be needed
    assert far.proposal is None


def test_each_plate_has_its_own_place_and_clock() -> None:
    """By hand: a clock an hour ahead in summer shows the same Sun an hour later; 15 degrees further east it stands there an hour
    sooner."""
    same = {"second_day": "2026-05-09", "second_camera": 285.0}
    plain = {r.name: r.value for r in answer("shadow", **same, second_hour="10:42").readings}
    assert plain == pytest.approx({"direction apart": 0, "height apart": 0}, abs=0.02)
    summer = answer("shadow", **same, second_hour="11:42", second_zone=2.0)
    assert next(r.value for r in summer.readings if r.name == "direction apart") == pytest.approx(0, abs=0.02)
    east = answer("shadow", **same, second_hour="9:42", second_place="another place", second_latitude=50.0, second_longitude=23.0)
    assert next(r.value for r in east.readings if r.name == "direction apart") == pytest.approx(0, abs=0.05)
    old = question_of("shadow").params({"zone": 0.0})  # a plan from before plates had clocks of their own
    assert old.second_zone == old.third_zone == 0.0  # type: ignore[attr-defined]
    used = question_of("shadow").used({"second_place": "another place"})
    assert {"second_latitude", "second_zone", "latitude"} <= used
    assert "third_zone" not in used
    assert "is the clock right" in dict(answer("shadow", second_zone=8.0).rows)["the Sun is highest at"]
    assert "is the clock right" not in dict(answer("shadow").rows)["the Sun is highest at"]


def test_where_no_hour_will_do_the_camera_is_turned() -> None:
    found = answer("shadow", second_camera=100.0)
    assert found.proposal is not None
    assert set(found.proposal.values) == {"second_hour", "second_camera"}
    mended = answer("shadow", **{"second_camera": 100.0, **found.proposal.values})
    assert mended.words.startswith("Yes")
    winter = answer("shadow", second_day="2026-12-21", second_camera=100.0)  # the Sun never stands so high then
    assert winter.proposal is None


def test_an_hour_is_written_as_clocks_show_it() -> None:
    found = answer("shadow", second_hour="10:52")
    assert dict(found.rows)["second"].startswith("Sun at 10:52")
    with pytest.raises(UserError, match="second_hour"):
        answer("shadow", second_hour="10:75")


@pytest.mark.parametrize(
    ("kind", "values", "asked", "not_asked"),
    [
        ("shadow", {"second_light": "a lamp", "lamp_height": 14.0, "lamp_distance": 4.0}, ("heights", "overhead", "electrician", "hot"), ()),
        ("shadow", {"second_light": "a lamp", "lamp_height": 1.0}, ("electrician", "hot"), ("heights", "overhead")),
        ("timing", {"what": "fall", "height": 12.0}, ("fall or fly", "heights"), ()),
        ("timing", {"what": "fall", "height": 0.5}, (), ("fall or fly", "heights")),
        ("timing", {"what": "throw", "speed": 12.0}, ("fall or fly",), ("heights",)),
        ("screen", {"wide": 6.0, "high": 4.0, "colours": ["light skin"]}, ("sails", "heights", "electrician"), ()),
        ("screen", {"wide": 1.5, "high": 1.5, "colours": ["light skin"]}, ("electrician",), ("sails", "heights")),
        ("markers", {"speed": 9.0}, ("Roads",), ()),
        ("markers", {}, (), ("Roads",)),
        ("setups", {"second_height": 6.0}, ("heights",), ()),
    ],
)  # fmt: skip
def test_cautions_follow_from_the_numbers(
    kind: str, values: dict[str, Any], asked: tuple[str, ...], not_asked: tuple[str, ...]
) -> None:
    words = " ".join(answer(kind, **values).cautions)
    assert all(w in words for w in asked)
    assert not any(w in words for w in not_asked)
