"""Edits by name: each is one command of the document, says what is wrong in a sentence, and is what the command line runs."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from clirun import here, ran

from transmixis.core.errors import UserError
from transmixis.shot.document import Document
from transmixis.shot.edits import EDITS, do, run
from transmixis.shot.model import Pin, Plate, Shot, Step
from transmixis.shot.store import load_film


def two() -> Shot:
    shape = Step(id="a", kind="shapes", name="Cut out", inputs={"plate": "plate:hero"})
    layer = Step(id="b", kind="place", name="Sky", inputs={"front": "plate:sky", "back": "plate:hero"})
    plates = (Plate(id="hero", role="hero", path="h.png"), Plate(id="sky", role="element", path="s.png"))
    return Shot(code="A", length=9, width=64, height=48, plates=plates, steps=(shape, layer))


def test_every_edit_says_what_it_does() -> None:
    for one in EDITS.values():
        assert one.words.endswith(".")
        assert one.title
        assert "." in one.id


@pytest.mark.parametrize(
    ("edit", "args", "title", "check"),
    [
        ("step.switch", {"step": "Sky"}, "Switch Sky", lambda s: not s.step("b").on),
        ("step.rename", {"step": "b", "name": " Dusk "}, "Rename Sky", lambda s: s.step("b").name == "Dusk"),
        ("step.remove", {"step": "b"}, "Take out Sky", lambda s: [x.id for x in s.steps] == ["a"]),
        ("step.move", {"step": "b", "to": 0}, "Move Sky", lambda s: [x.id for x in s.steps] == ["b", "a"]),
        ("step.limit", {"step": "b", "reading": "enlargement", "limit": 2.0}, "Sky: limit of enlargement", lambda s: s.step("b").limits == {"enlargement": 2.0}),
        ("step.set", {"step": "b", "param": "x", "value": 4}, "Sky: x", lambda s: s.step("b").params == {"x": 4}),
        ("step.pin", {"step": "b", "param": "x", "frame": 3, "value": 4.5}, "Sky: x", lambda s: s.step("b").pins["x"] == (Pin(frame=3, value=4.5),)),
        ("cue.add", {"frame": 9, "name": "exit"}, "Add the cue exit", lambda s: s.cues[0].frame == 9),
        ("part.make", {"name": "Back", "steps": ["Sky"]}, "Gather Back", lambda s: s.parts[0].steps == ("b",)),
    ],
)  # fmt: skip
def test_an_edit_changes_what_it_says(edit: str, args: dict, title: str, check: object) -> None:
    done = run(two(), edit, args)
    assert done.title == title
    assert check(done.shot)  # type: ignore[operator]


def test_what_is_made_is_told_and_a_pin_can_be_taken_out() -> None:
    done = run(two(), "step.add", {"kind": "place", "name": "Smoke"})
    assert done.shot.step(done.made).name == "Smoke"
    assert done.title == "Add Smoke"
    pinned = run(two(), "step.pin", {"step": "b", "param": "x", "frame": 3, "value": 1}).shot
    assert run(pinned, "step.unpin", {"step": "b", "param": "x", "frame": 3}).shot.step("b").pins.get("x", ()) == ()
    part = run(two(), "part.make", {"name": "Back", "steps": ["b"]})
    assert part.made == part.shot.parts[0].id
    assert run(part.shot, "part.fold", {"part": "Back"}).shot.parts[0].folded
    assert run(part.shot, "part.rename", {"part": "Back", "name": "Dusk"}).shot.parts[0].name == "Dusk"
    assert run(part.shot, "part.remove", {"part": "Back"}).shot.parts == ()
    moved = run(part.shot, "part.move", {"part": "Back", "right": 4.0, "down": -3.0}).shot.step("b")
    assert (moved.params["x"], moved.params["y"]) == (4.0, -3.0)
    copy = run(part.shot, "part.copy", {"part": "Back", "name": "Twin", "right": 4.0, "down": -3.0})
    twin = copy.shot.step(copy.shot.parts[-1].steps[0])
    assert (copy.shot.parts[-1].name, twin.params["x"], twin.params["y"]) == ("Twin", 4.0, -3.0)


@pytest.mark.parametrize(
    ("edit", "args", "words"),
    [
        ("step.nothing", {}, "no edit 'step.nothing'"),
        ("step.switch", {}, "field required"),
        ("step.switch", {"step": "z"}, "no step 'z'"),
        ("step.switch", {"step": "b", "more": 1}, "more"),
        ("step.set", {"step": "b", "param": "nope", "value": 1}, "no parameter 'nope'"),
        ("step.set", {"step": "b", "param": "opacity", "value": 7}, "Sky"),
        ("step.pin", {"step": "b", "param": "opacity", "frame": 2, "value": 7}, "Sky"),
        ("step.rename", {"step": "b", "name": "  "}, "needs a name"),
        ("step.limit", {"step": "b", "reading": "x", "limit": float("nan")}, "finite"),
        ("step.add", {"kind": "nonsense"}, "nonsense"),
        ("step.add", {"kind": "place", "inputs": {"front": "plate:none"}}, "no plate 'none'"),
        ("step.add", {"kind": "place", "inputs": {"side": "plate:sky"}}, "no slot 'side'"),
        ("part.switch", {"part": "Nobody"}, "its parts are none yet"),
        ("part.rename", {"part": "Nobody", "name": "x"}, "its parts are none yet"),
        ("cue.add", {"frame": 10, "name": "late"}, "from 1 to 9"),
        ("cue.add", {"frame": 1, "name": ""}, "needs a name"),
    ],
)
def test_what_cannot_be_done_is_said(edit: str, args: dict, words: str) -> None:
    with pytest.raises(UserError, match=words):
        run(two(), edit, args)


def test_by_the_document_and_the_command_line(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.change_shot("Make", two())
    assert do(doc, "A", "step.switch", step="b").title == "Switch Sky"
    assert doc.undo() == "Switch Sky"
    doc.close()
    film = tmp_path / "film"
    told = json.loads(
        here("edit", film, "A", "step.set", "--with", "step=Sky", "--with", "param=blend", "--with", "value=add", "--json").stdout
    )
    assert told == {"title": "Sky: blend", "made": ""}
    assert load_film(film).shot("A").step("b").params == {"blend": "add"}
    assert "part" in here("edit", film, "A", "part.make", "--with", "name=Back", "--with", 'steps=["Sky"]').stdout
    bad = ran("edit", film, "A", "step.set", "--with", "step")
    assert bad.returncode == 1
    assert "argument and its value" in bad.stderr
    assert load_film(film).shot("A").parts[0].steps == ("b",)
