"""The outlines of a Shapes step as things: added, named, set and taken out without the window."""

from __future__ import annotations

import pytest

from transmixis.core.errors import UserError
from transmixis.shot.model import Pin, Step
from transmixis.shot.steps import KINDS, kind_of
from transmixis.shot.steps.outlines import MOST

SQUARE = [[1, 40.0, 40.0], [2, 120.0, 40.0], [3, 120.0, 120.0], [4, 40.0, 120.0]]
SHAPES = kind_of("shapes")


def step(**params: object) -> Step:
    return Step(id="shapes", kind="shapes", name="Cut out", params={"outline": SQUARE, "at": 3, **params})


def test_a_step_that_names_none_has_one() -> None:
    (one,) = SHAPES.things(step())
    assert (one.param, one.words, one.note, one.on) == ("outline", "Outline", "1 pin", True)
    assert one.values["joins"] == "add"
    assert "id" not in one.values
    assert SHAPES.things(Step(id="a", kind="shapes", name="a"))[0].note == "not drawn"


def test_things_are_added_set_and_taken_out() -> None:
    two, param = SHAPES.with_thing(step(line="corners"), "strand")
    assert param == "outline.2"
    assert two.params["outline"] == SQUARE
    first, second = SHAPES.things(two)
    assert (first.values["line"], second.values["line"]) == ("corners", "smooth")
    assert second.words == "Strand 2"
    named = SHAPES.thing_set(two, param, "name", "String")
    named = SHAPES.thing_set(named, param, "on", False)
    assert SHAPES.things(named)[1].words == "String"
    assert SHAPES.things(named)[1].on is False
    assert SHAPES.things(named)[0] == first
    pinned = named.model_copy(
        update={"pins": {"outline.2": (Pin(frame=1, value=SQUARE[:2]),), "points.2": (Pin(frame=2, value=SQUARE[:1]),)}}
    )
    three, third = SHAPES.with_thing(pinned, "outline")
    assert third == "outline.3"
    without = SHAPES.without_thing(three, "outline.2")
    assert [t.param for t in SHAPES.things(without)] == ["outline", "outline.3"]
    assert without.pins == {}
    assert SHAPES.without_thing(three, "outline").params.get("outline") is None
    again, fresh = SHAPES.with_thing(without, "outline")
    assert fresh == "outline.4"  # not that of the one that was taken out
    assert len(SHAPES.things(again)) == 3


def test_the_last_one_leaves_an_empty_step() -> None:
    empty = SHAPES.without_thing(step(), "outline")
    assert [(t.param, t.note) for t in SHAPES.things(empty)] == [("outline", "not drawn")]


def test_what_cannot_be_is_told() -> None:
    with pytest.raises(UserError, match="no longer there"):
        SHAPES.thing_set(step(), "outline.9", "name", "x")
    with pytest.raises(UserError, match="'Outline'"):
        SHAPES.thing_set(step(), "outline", "wide", -3.0)
    with pytest.raises(UserError, match="should match"):
        SHAPES.thing_set(step(), "outline", "joins", "melt")
    full = step(shapes=[{"id": k} for k in range(1, MOST + 1)])
    with pytest.raises(UserError, match="the most"):
        SHAPES.with_thing(full, "outline")
    with pytest.raises(UserError, match="at most"):
        SHAPES.things(step(shapes=[{"id": k} for k in range(1, MOST + 2)]))


@pytest.mark.parametrize("shapes", ["x", [1], [{"id": 0}], [{"id": 1, "wide": "much"}], [{"joins": "add"}]])
def test_what_is_no_list_of_shapes_is_told(shapes: object) -> None:
    with pytest.raises(UserError, match="set it anew"):
        SHAPES.things(step(shapes=shapes))


def test_kinds_without_things_hold_none() -> None:
    for kind in KINDS.values():
        if kind.thing is None:
            assert kind.things(step()) == ()
            assert kind.new_things == ()
