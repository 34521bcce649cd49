"""Parts: gathered, switched, stacked, moved, copied; what is to be seen is what the order says."""

from __future__ import annotations

import json
from itertools import pairwise
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.media.still import write_still
from transmixis.shot import parts
from transmixis.shot.document import Document
from transmixis.shot.material import Material
from transmixis.shot.model import Part, Pin, Plate, Shot, Step
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.store import load_film
from transmixis.shot.workorder import remove_step

COLOURS = {"red": (0.8, 0.1, 0.1), "blue": (0.1, 0.1, 0.8), "white": (0.9, 0.9, 0.9)}


def cards(folder: Path) -> None:
    write_still(folder / "ground.png", np.full((48, 64, 3), 0.2, np.float32), kind="uint8")
    for name, colour in COLOURS.items():
        card = np.zeros((48, 64, 4), np.float32)
        card[16:32, 16:40] = (*colour, 1)
        write_still(folder / f"{name}.png", card, kind="uint8")


def layer(name: str, below: str) -> list[Step]:
    """A card with a shape beside it that nothing uses, as a part has steps that give no picture."""
    return [
        Step(id=f"cut_{name}", kind="shapes", name=f"Cut {name}", inputs={"plate": "plate:ground"}, params={"outline": [[1, 2, 3], [2, 9, 3], [3, 9, 9]]}),
        Step(id=name, kind="place", name=name, inputs={"front": f"plate:{name}", "back": below}),
    ]  # fmt: skip


def stacked(*names: str) -> Shot:
    plates = (
        Plate(id="ground", role="hero", path="ground.png"),
        *(Plate(id=n, role="element", path=f"{n}.png") for n in COLOURS),
    )
    shot = Shot(code="A", length=4, width=64, height=48, plates=plates)
    below = "plate:ground"
    for name in names:
        shot = shot.model_copy(update={"steps": (*shot.steps, *layer(name, below))})
        shot, _ = parts.gathered(shot, name.title(), [f"cut_{name}", name])
        below = f"step:{name}"
    return shot


def seen(folder: Path, shot: Shot, x: int = 28, y: int = 24, frame: int = 1) -> str:
    """Which card is to be seen at a place."""
    picture = Renderer(shot, Material(folder)).product(output_ref(shot) or "", frame).picture
    assert picture is not None
    there = picture[y, x, :3]
    names = {**COLOURS, "ground": (0.2, 0.2, 0.2)}
    best = min(names, key=lambda n: float(np.abs(there - np.asarray(names[n])).sum()))
    assert np.abs(there - np.asarray(names[best])).max() < 0.02
    return best


def order(shot: Shot) -> list[str]:
    return [x.top.removeprefix("step:") for x in parts.layers(shot)]


def test_what_is_in_front_is_seen_and_can_be_put_behind(tmp_path: Path) -> None:
    cards(tmp_path)
    shot = stacked("red", "blue", "white")
    assert (order(shot), seen(tmp_path, shot)) == (["red", "blue", "white"], "white")
    back = parts.restacked(shot, "part3", forward=False)
    assert (order(back), seen(tmp_path, back)) == (["red", "white", "blue"], "blue")
    assert [s.id for s in back.steps] == ["cut_red", "red", "cut_white", "white", "cut_blue", "blue"]
    last = parts.restacked(back, "part3", forward=False)
    assert (order(last), seen(tmp_path, last)) == (["white", "red", "blue"], "blue")
    assert parts.restacked(parts.restacked(last, "part3", forward=True), "part3", forward=True) == shot
    with pytest.raises(UserError, match="nothing behind 'White'"):
        parts.restacked(last, "part3", forward=False)
    with pytest.raises(UserError, match="nothing in front of 'White'"):
        parts.restacked(shot, "part3", forward=True)


def test_the_step_that_is_delivered_stays_the_front_one(tmp_path: Path) -> None:
    cards(tmp_path)
    shot = stacked("red", "blue").model_copy(update={"output": "blue"})
    now = parts.restacked(shot, "part2", forward=False)
    assert (now.output, seen(tmp_path, now)) == ("red", "red")
    copy, _ = parts.copied(shot, "part2", right=200)
    assert copy.output not in ("blue", None)
    assert seen(tmp_path, copy) == "blue"


def test_what_matches_what_lies_behind_follows_and_a_circle_is_refused() -> None:
    shot = stacked("red", "blue")
    look = Step(id="match", kind="match", name="Match", inputs={"subject": "plate:blue", "plate": "step:red"})
    steps = tuple(
        s.model_copy(update={"inputs": {**s.inputs, "front": "step:match"}}) if s.id == "blue" else s for s in shot.steps
    )
    shot, _ = parts.gathered(shot.model_copy(update={"steps": (*steps, look)}), "Blue", ["match", "cut_blue", "blue"])
    now = parts.restacked(shot, parts.part_of(shot, "blue").id, forward=False)  # type: ignore[union-attr]
    assert now.step("match").inputs["plate"] == "plate:ground"
    assert order(now) == ["blue", "red"]
    tied = stacked("red", "blue")  # what lies in front is cut out by a shape that looks at what lies behind
    lay = Step(id="blue", kind="lay_in", name="b", inputs={"front": "plate:blue", "back": "step:red", "before": "step:cut_red"})
    tied = tied.with_step(lay).with_step(tied.step("cut_red").model_copy(update={"inputs": {"plate": "step:red"}}))
    Renderer(tied, Material(Path()))
    with pytest.raises(UserError, match="wait for each other"):
        parts.restacked(tied, "Blue", forward=False)


def test_a_part_is_switched_as_one_and_comes_back_as_it_was(tmp_path: Path) -> None:
    cards(tmp_path)
    shot = stacked("red", "blue")
    shot = shot.with_step(shot.step("cut_blue").model_copy(update={"on": False}))
    off = parts.switched(shot, "part2")
    assert seen(tmp_path, off) == "red"
    assert not off.step("blue").on
    assert parts.part_named(off, "Blue").asleep == ("cut_blue",)
    both = parts.switched(off, "part")
    assert seen(tmp_path, both) == "ground"
    assert parts.switched(parts.switched(both, "part"), "part2") == shot


def test_a_copy_has_offsets_of_its_own(tmp_path: Path) -> None:
    cards(tmp_path)
    shot = stacked("red", "blue")
    pinned = shot.step("blue").model_copy(update={"pins": {"x": (Pin(frame=1, value=0.0), Pin(frame=3, value=8.0))}})
    outline = (Pin(frame=2, value=[[1, 2, 3], [2, 9, 3], [3, 9, 9]]),)
    shot = shot.with_step(pinned).with_step(shot.step("cut_blue").model_copy(update={"pins": {"outline": outline}}))
    now, made = parts.copied(shot, "part2", "Second", right=20, down=-12, frames=1)
    assert made.name == "Second"
    assert [now.step(s).kind for s in made.steps] == ["shapes", "place"]
    new = now.step(made.steps[1])
    assert (new.inputs["front"], new.inputs["back"]) == ("plate:blue", "step:blue")
    assert [(p.frame, p.value) for p in new.pins["x"]] == [(2, 20.0), (4, 28.0)]
    assert new.params["y"] == -12
    cut = now.step(made.steps[0])
    assert cut.params["outline"] == [[1, 22, -9], [2, 29, -9], [3, 29, -3]]
    assert (cut.pins["outline"][0].frame, cut.pins["outline"][0].value[0]) == (3, [1, 22, -9])
    assert seen(tmp_path, now, 28, 24) == "blue"
    assert seen(tmp_path, now, 50, 10) == "blue"
    assert seen(tmp_path, shot, 50, 10) == "ground"
    assert len({s.name for s in now.steps}) == len(now.steps)
    moved = parts.moved(now, made.id, -20, 12, -1)
    assert moved.step(new.id).pins["x"] == pinned.pins["x"]
    assert seen(tmp_path, moved, 50, 10) == "ground"
    parts_left = parts.removed(moved, made.id)
    assert parts_left == shot


def test_removing_steps_leaves_no_empty_part_and_shows_what_lay_behind(tmp_path: Path) -> None:
    cards(tmp_path)
    shot = stacked("red", "blue")
    less = remove_step(remove_step(shot, "blue"), "cut_blue")
    assert [p.name for p in less.parts] == ["Red"]
    assert seen(tmp_path, less) == "red"
    more = remove_step(stacked("red", "blue", "white"), "blue")
    assert more.step("white").inputs["back"] == "step:red"


def test_what_serves_a_step_alone_is_suggested_with_it() -> None:
    shot = stacked("red", "blue").model_copy(update={"parts": ()})
    lay = Step(
        id="blue",
        kind="lay_in",
        name="b",
        inputs={"front": "step:match", "back": "step:red", "before": "step:cut_blue", "motion": "step:track"},
    )
    more = (
        Step(id="match", kind="match", name="Match", inputs={"subject": "step:even", "plate": "step:red"}),
        Step(id="even", kind="even_out", name="Even", inputs={"plate": "plate:blue"}),
        Step(id="track", kind="surface_track", name="Track", inputs={"plate": "plate:ground"}),
    )
    shot = shot.with_step(lay).model_copy(update={"steps": (*shot.with_step(lay).steps, *more)})
    assert parts.suggested(shot, "blue") == {"blue", "cut_blue", "match"}  # no track, no mend, no other layer
    shared = shot.with_step(shot.step("red").model_copy(update={"inputs": {**shot.step("red").inputs, "front": "step:match"}}))
    assert parts.suggested(shared, "blue") == {"blue", "cut_blue"}  # what another uses too stays out
    moved = parts.moved(parts.gathered(shot, "B", ["cut_blue"])[0], "B", 1 / 3, 0)
    assert moved.step("cut_blue").params["outline"][0] == [1, 2.3333, 3]


def test_what_is_no_part_is_said() -> None:
    shot = stacked("red")
    for which, words in (("Green", "its parts are 'Red'"), ("part9", "no one part")):
        with pytest.raises(UserError, match=words):
            parts.part_named(shot, which)
    with pytest.raises(UserError, match="at least one step"):
        parts.gathered(shot, "x", [])
    with pytest.raises(UserError, match="no step 'nowhere'"):
        parts.gathered(shot, "x", ["nowhere"])
    cuts, made = parts.gathered(shot, "Cuts", ["cut_red"])
    assert [p.steps for p in cuts.parts] == [("red",), ("cut_red",)]
    with pytest.raises(UserError, match="lies on nothing"):
        parts.restacked(cuts, made.id, forward=True)
    fields = shot.model_dump()
    with pytest.raises(ValidationError, match="places in parts"):
        Shot.model_validate({**fields, "parts": [*fields["parts"], {"id": "p", "name": "p", "steps": ["red"]}]})


@settings(max_examples=40, deadline=None)
@given(
    acts=st.lists(
        st.tuples(st.sampled_from(["front", "back", "switch", "copy", "drop", "gather"]), st.integers(0, 3)), max_size=7
    )
)
def test_any_orders_keep_every_part_whole(acts: list[tuple[str, int]]) -> None:
    shot = stacked("red", "blue", "white")
    for what, k in acts:
        if not shot.parts:
            break
        part = shot.parts[k % len(shot.parts)]
        try:
            if what in ("front", "back"):
                shot = parts.restacked(shot, part.id, forward=what == "front")
            elif what == "switch":
                shot = parts.switched(shot, part.id)
            elif what == "copy" and len(shot.parts) < 5:
                shot, _ = parts.copied(shot, part.id)
            elif what == "drop":
                shot = parts.removed(shot, part.id)
            elif what == "gather":
                shot, _ = parts.gathered(shot, part.name, part.steps)
        except UserError:
            continue
        again = Shot.model_validate(shot.model_dump())
        assert again == shot
        every = parts.layers(shot)
        assert len(every) == len(shot.parts)
        for below, above in pairwise(every):
            assert above.below == below.top  # one on another, without gaps
        if every:
            assert every[0].below == "plate:ground"
            assert output_ref(shot) == every[-1].top


def test_parts_by_the_command_line(tmp_path: Path) -> None:
    cards(tmp_path)
    doc = Document.create(tmp_path / "film", "Film")
    shot = stacked("red", "blue").model_copy(update={"parts": ()})
    doc.change_shot(
        "Make",
        shot.model_copy(update={"plates": tuple(p.model_copy(update={"path": str(tmp_path / p.path)}) for p in shot.plates)}),
    )
    doc.close()
    film = tmp_path / "film"

    def run(*args: object) -> dict:
        return json.loads(here("part", *args, "--json").stdout)

    assert run("make", film, "A", "Front", "blue", "Cut blue")["steps"] == ["blue", "cut_blue"]
    run("make", film, "A", "Behind", "red")
    assert run("list", film, "A")["back_to_front"] == ["Behind", "Front"]
    run("back", film, "A", "Front")
    assert run("list", film, "A")["back_to_front"] == ["Front", "Behind"]
    run("front", film, "A", "Front")
    assert run("switch", film, "A", "Front")["on"] is False
    assert run("switch", film, "A", "Front")["on"] is True
    assert run("copy", film, "A", "Front", "--name", "Twin", "--right", 20, "--down", -12)["name"] == "Twin"
    run("move", film, "A", "Twin", "--right", 5)
    made = load_film(film).shot("A")
    assert made.step(parts.part_named(made, "Twin").steps[0]).params["outline"][0][1:] == [27, -9]
    assert seen(film, made, 53, 10) == "blue"
    run("loosen", film, "A", "Behind")
    run("remove", film, "A", "Twin")
    assert [p.name for p in load_film(film).shot("A").parts] == ["Front"]
    bad = ran("part", "front", film, "A", "Nobody")
    assert bad.returncode == 1
    assert "its parts are 'Front'" in bad.stderr
    assert "From back to front" in here("part", "list", film, "A").stdout


def test_gathering_never_changes_what_is_delivered(tmp_path: Path) -> None:
    """Side by side with a step at the end of the list, a layer stands last in it; it still lies behind the other."""
    cards(tmp_path)
    shot = stacked("red", "blue").model_copy(update={"parts": ()})
    edges = Step(id="edges", kind="edges", name="Edges", inputs={"result": "step:blue", "plate": "plate:ground"})
    shot = shot.model_copy(update={"steps": (*shot.steps, edges)})
    now, _ = parts.gathered(shot, "Odd", ["red", "edges"])
    assert output_ref(shot) == output_ref(now) == "step:blue"
    assert seen(tmp_path, now) == "blue"


def test_what_was_followed_in_the_plate_stays_when_a_part_is_moved() -> None:
    track = Step(id="track", kind="point_track", name="T", inputs={"plate": "plate:ground"}, params={"point": [[9.0, 9.0]]},
                 pins={"seat": (Pin(frame=3, value=[[10.0, 9.0]]),)})  # fmt: skip
    shot = stacked("red").model_copy(update={"parts": ()})
    shot, made = parts.gathered(shot.model_copy(update={"steps": (track, *shot.steps)}), "All", ["track", "red"])
    assert parts.moved(shot, made.id, 5, 5, 2).step("track") == track


@pytest.mark.parametrize("spoilt", [{"x": "far"}, {"x": 19_999.0}])
def test_what_cannot_be_moved_is_said(spoilt: dict) -> None:
    shot = stacked("red")
    shot = shot.with_step(shot.step("red").model_copy(update={"params": spoilt}))
    with pytest.raises(UserError, match="'red' cannot be moved so"):
        parts.moved(shot, "Red", 50, 0)
    drawn = stacked("red")
    drawn = drawn.with_step(drawn.step("cut_red").model_copy(update={"params": {"outline": [[1]]}}))
    with pytest.raises(UserError, match="'Cut red' cannot be moved so"):
        parts.moved(drawn, "Red", 5, 0)


def test_a_placing_that_moves_its_back_picture_is_not_moved_as_if_it_were_the_front() -> None:
    shot = stacked("red")
    shot = shot.with_step(shot.step("red").model_copy(update={"params": {"moved": "back"}}))
    with pytest.raises(UserError, match="picture behind"):
        parts.moved(shot, "Red", 5, 0)
    assert parts.copied(shot, "Red")[1].name == "Red2"


def test_a_part_whose_steps_are_gone_is_said() -> None:
    shot = stacked("red").model_copy(update={"parts": (Part(id="p", name="Gone", steps=("nowhere",)),)})
    with pytest.raises(UserError, match="no steps any more"):
        parts.copied(shot, "Gone")
