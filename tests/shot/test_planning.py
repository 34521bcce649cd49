"""The questions of the plan: answers, proposals that mend what they say, movements put on a step."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.readings import FAULT
from transmixis.shot.model import Shot, Step
from transmixis.shot.pins import params_at
from transmixis.shot.planning import QUESTIONS, plan_state, question_of
from transmixis.shot.planning.contract import Answer, with_plan, worst_ratio
from transmixis.shot.planning.report import shoot_list_html
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
    assert throw.down[-1] > 0 > throw.down[:-1].min()
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
    state, faults = plan_state(with_plan(SHOT, "lens", {"depth": 2.0}))
    assert (state, faults) == (FAULT, 1)
    assert plan_state(with_plan(SHOT, "lens", {"focal": -1})) == (FAULT, 1)
    assert worst_ratio(answer("takes")) is None
    with pytest.raises(UserError):
        question_of("weather")


def test_the_shoot_list_s_page_escapes_what_people_write() -> None:
    found = answer("takes", tricks=["miniature"])
    page = shoot_list_html(SHOT, [("What is the trick?", found)])
    assert "&lt;trial&gt;" in page
    assert "<trial>" not in page
    assert page.count("☐") == len(found.entries)
