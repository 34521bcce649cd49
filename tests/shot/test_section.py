"""A shot from the side, the order that is better, and presets."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.edits import run
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.parts import gathered
from transmixis.shot.presets import applied, kept, let_go, preset_named
from transmixis.shot.render import Renderer
from transmixis.shot.section import advice, cards
from transmixis.shot.workorder import add_step

WIDE, HIGH = 120, 80


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A wall, a flame on black, smoke, a card."""
    flame = np.zeros((HIGH, WIDE, 3), np.float32)
    flame[30:60, 50:64] = (3.0, 1.5, 0.4)
    smoke = np.zeros((HIGH, WIDE, 4), np.float32)
    smoke[10:70, 30:90] = np.float32([0.3, 0.3, 0.3, 1]) * 0.6
    card = np.zeros((HIGH, WIDE, 4), np.float32)
    card[40:80, 10:30] = (0.2, 0.4, 0.1, 1)
    for name, p in (("wall", np.full((HIGH, WIDE, 3), 0.1, np.float32)), ("flame", flame), ("smoke", smoke), ("card", card)):
        write_still(tmp_path / f"{name}.exr", p, kind="half")
    return tmp_path


def a_shot() -> Shot:
    plates = tuple(
        Plate(id=n, role="background" if n == "wall" else "element", path=f"{n}.exr") for n in ("wall", "flame", "smoke", "card")
    )
    out = Shot(code="A", length=3, rate="24", width=WIDE, height=HIGH, plates=plates)
    below = "plate:wall"
    for name, values in (("card", {}), ("flame", {"blend": "add"}), ("smoke", {"opacity": 0.9})):
        out, step = add_step(out, "place", name=name)
        out = out.with_step(step.model_copy(update={"inputs": {"front": f"plate:{name}", "back": below}, "params": values}))
        below = f"step:{step.id}"
    out, grade = add_step(out, "grade")
    return out.with_step(grade.model_copy(update={"inputs": {"picture": below}}))


def test_the_section_tells_what_lies_before_what(folder: Path) -> None:
    found = cards(Renderer(a_shot(), Material(folder)), 1)
    assert [c.name for c in found] == ["Grade", "smoke", "flame", "card", "wall"]
    grade, smoke, flame, card, wall = found
    assert grade.over_all
    assert grade.opacity == 1
    assert not flame.over_all
    assert flame.glows
    assert not smoke.glows
    assert not card.glows
    assert smoke.opacity == pytest.approx(0.54, abs=0.01)
    assert card.rows == (0.5, 1.0)
    assert smoke.rows == pytest.approx((10 / 80, 70 / 80), abs=0.02)
    assert wall.step == ""


def test_ties_and_what_is_off_are_told(folder: Path) -> None:
    shot, moves = add_step(a_shot(), "movement", name="sway")
    flame = next(s for s in shot.steps if s.name == "flame")
    shot = shot.with_step(flame.model_copy(update={"inputs": {**flame.inputs, "motion": f"step:{moves.id}"}}))
    smoke = next(s for s in shot.steps if s.name == "smoke")
    shot = shot.with_step(smoke.model_copy(update={"on": False}))
    found = {c.name: c for c in cards(Renderer(shot, Material(folder)), 1)}
    assert found["flame"].hangs_on == "sway"
    assert not found["smoke"].on
    assert found["smoke"].opacity == 0


def test_smoke_over_a_flame_is_found_and_put_right(folder: Path) -> None:
    shot = a_shot()
    found = advice(Renderer(shot, Material(folder)), Progress())
    assert len(found) == 1
    assert "'smoke' lies before 'flame'" in found[0].words
    assert found[0].share == pytest.approx(0.54, abs=0.03)
    better, title, _ = _run(shot, found[0].step)
    assert title == "flame to the front"
    names = [c.name for c in cards(Renderer(better, Material(folder)), 1)]
    assert names == ["Grade", "flame", "smoke", "card", "wall"]
    assert advice(Renderer(better, Material(folder)), Progress()) == ()


def _run(shot: Shot, step: str) -> tuple[Shot, str, str]:
    done = run(shot, "step.front", {"step": step})
    return done.shot, done.title, done.made


def test_what_cannot_change_places_says_so(folder: Path) -> None:
    shot = a_shot()
    with pytest.raises(UserError, match="nothing in front of"):
        run(shot, "step.front", {"step": "grade"})
    moved, moves = add_step(shot, "movement")
    with pytest.raises(UserError, match="lies on nothing"):
        run(moved, "step.back", {"step": moves.id})


def document(folder: Path) -> Path:
    project = folder / "film"
    doc = Document.create(project, "Film")
    other = a_shot().model_copy(update={"code": "B"})
    doc.apply(
        "shots",
        doc.film.with_shot(a_shot().model_copy(update={"plates": _absolute(folder)})).with_shot(
            other.model_copy(update={"plates": _absolute(folder)})
        ),
    )
    doc.close()
    return project


def _absolute(folder: Path) -> tuple[Plate, ...]:
    return tuple(p.model_copy(update={"path": str(folder / p.path)}) for p in a_shot().plates)


def test_presets_are_kept_applied_and_let_go(folder: Path) -> None:
    project = document(folder)
    doc = Document.open(project)
    try:
        shot = doc.shot("A")
        grade = shot.step("grade")
        pins = {"saturation": (Pin(frame=1, value=0.7), Pin(frame=3, value=0.9))}
        shot = shot.with_step(
            grade.model_copy(update={"params": {"slope_r": 1.3}, "pins": pins, "limits": {"pushed to white": 5.0}})
        )
        film = kept(doc.film.with_shot(shot), shot, "grade", "dusk")
        doc.apply("preset", film)
    finally:
        doc.close()
    doc = Document.open(project)
    try:
        preset = preset_named(doc.film, "dusk")
        assert preset.steps[0].inputs == {}
        onto = applied(doc.shot("B"), preset, ["grade"]).shot.step("grade")
        assert onto.params == {"slope_r": 1.3, "saturation": 0.7}
        assert onto.inputs == doc.shot("B").step("grade").inputs
        assert onto.limits == {"pushed to white": 5.0}
        with pytest.raises(UserError, match="is a Place"):
            applied(doc.shot("B"), preset, ["card"])
        with pytest.raises(UserError, match="no preset"):
            preset_named(doc.film, "dawn")
        with pytest.raises(UserError, match="wants a name"):
            kept(doc.film, doc.shot("A"), "grade", "  ")
        assert let_go(doc.film, "dusk").production.presets == ()
    finally:
        doc.close()


def test_a_part_s_preset_brings_its_steps_and_says_what_is_to_be_done(folder: Path) -> None:
    shot, track = add_step(a_shot(), "point_track", name="hand")
    flame = next(s for s in shot.steps if s.name == "flame")
    shot = shot.with_step(flame.model_copy(update={"inputs": {**flame.inputs, "motion": f"step:{track.id}"}}))
    shot = shot.with_step(track.model_copy(update={"params": {"point": [[20.0, 30.0]]}}))
    shot, part = gathered(shot, "lantern", [flame.id, track.id])
    doc = Document.create(folder / "film", "Film")
    try:
        film = kept(doc.film.with_shot(shot), shot, "lantern", "lantern")
    finally:
        doc.close()
    done = applied(a_shot().model_copy(update={"code": "B"}), preset_named(film, "lantern"))
    assert len(done.steps) == 2
    made = {s.kind: s for s in done.shot.steps if s.id in done.steps}
    assert made["place"].inputs["motion"] == f"step:{made['point_track'].id}"
    assert made["place"].params["blend"] == "add"
    assert "point" not in made["point_track"].params
    assert any(p.name == "lantern" for p in done.shot.parts)
    assert any("point" in w and w.endswith("in the picture") for w in done.anew)
    assert any("works through the shot anew" in w for w in done.anew)
    assert part.name == "lantern"


def test_the_commands(folder: Path) -> None:
    project = document(folder)
    told = json.loads(here("part", "order", project, "A", "--json").stdout)
    assert told["front_to_back"][0]["name"] == "Grade"
    assert len(told["advice"]) == 1
    used = json.loads(here("part", "order", project, "A", "--use", "--json").stdout)
    assert used["turned"] == 1
    assert json.loads(here("part", "order", project, "A", "--json").stdout)["advice"] == []
    assert ran("part", "order", project, "A", "--frame", "90").returncode == 1
    here("preset", "keep", project, "A", "flame", "warm flame")
    assert json.loads(here("preset", "list", project, "--json").stdout)["presets"][0]["name"] == "warm flame"
    made = json.loads(here("apply", "warm flame", project, "A", "B", "--json").stdout)
    assert set(made) == {"A", "B"}
    assert len(made["B"]["steps"]) == 1
    assert ran("apply", "cold", project, "B").returncode == 1
    onto = json.loads(here("apply", "warm flame", project, "B", "--step", "card", "--json").stdout)
    assert onto["B"]["steps"] == ["place"]
    here("preset", "remove", project, "warm flame")
    assert "No presets" in here("preset", "list", project).stdout
