"""What hangs on what, and what lights what, in a shot from the side."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.media.still import write_still
from transmixis.shot.edits import run
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.parts import gathered
from transmixis.shot.render import Renderer
from transmixis.shot.section import Card, cards
from transmixis.shot.ties import carrier, motions_on, own_plates, plates_behind, rider, tied
from transmixis.shot.workorder import add_step

WIDE, HIGH = 120, 80


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """A wall, a person on it, and a lamp whose light falls on the person; a track of the person's plate."""
    person = np.zeros((HIGH, WIDE, 4), np.float32)
    person[20:80, 60:100] = (0.3, 0.2, 0.1, 1)
    lamp = np.zeros((HIGH, WIDE, 3), np.float32)
    lamp[40:50, 40:50] = (4.0, 3.0, 1.0)
    for name, p in (("wall", np.full((HIGH, WIDE, 3), 0.1, np.float32)), ("person", person), ("lamp", lamp)):
        write_still(tmp_path / f"{name}.exr", p, kind="half")
    roles = {"wall": "background", "person": "hero", "lamp": "element"}
    plates = tuple(Plate(id=n, role=r, path=str(tmp_path / f"{n}.exr")) for n, r in roles.items())
    out = Shot(code="A", length=3, rate="24", width=WIDE, height=HIGH, plates=plates)
    out = added(out, "point_track", "hand", {"plate": "plate:person"})
    out = added(out, "movement", "sway", {})
    out = added(out, "place", "person", {"front": "plate:person", "back": "plate:wall"})
    out = added(out, "place", "lamp", {"front": "plate:lamp", "back": "step:place"}, blend="add")
    near = {"back": "step:place 2", "glows": "plate:lamp", "near": "plate:person"}
    out = added(out, "light_given", "light", near, reach=40.0)
    return added(out, "grade", "finish", {"picture": "step:light_given"})


def added(shot: Shot, kind: str, name: str, inputs: dict[str, str], **values: object) -> Shot:
    out, step = add_step(shot, kind, name=name)
    ids = {
        s.kind + (" 2" if i else ""): s.id
        for k in {s.kind for s in out.steps}
        for i, s in enumerate(x for x in out.steps if x.kind == k)
    }
    inputs = {k: f"step:{ids[v[5:]]}" if v.startswith("step:") else v for k, v in inputs.items()}
    return out.with_step(step.model_copy(update={"inputs": inputs, "params": values}))


def named(shot: Shot, name: str) -> str:
    return next(s.id for s in shot.steps if s.name == name)


def by_name(shot: Shot) -> dict[str, Card]:
    return {c.name: c for c in cards(Renderer(shot, Material(Path("."))), 1)}


def test_a_tie_leads_to_the_layer_that_the_motion_was_tracked_on(shot: Shot) -> None:
    done = run(shot, "step.tie", {"step": named(shot, "lamp"), "motion": named(shot, "hand"), "frame": 2})
    assert done.title == "lamp hangs on hand"
    lamp = done.shot.step(named(shot, "lamp"))
    assert lamp.inputs["motion"] == f"step:{named(shot, 'hand')}"
    assert lamp.params["at"] == 2
    found = by_name(done.shot)
    assert (found["lamp"].hangs_on, found["lamp"].carrier) == ("hand", found["person"].step)
    free = run(done.shot, "step.untie", {"step": lamp.id}).shot
    assert "motion" not in free.step(lamp.id).inputs
    assert by_name(free)["lamp"].hangs_on == ""
    # a movement was tracked on nothing
    swung = run(shot, "step.tie", {"step": lamp.id, "motion": named(shot, "sway")}).shot
    assert (by_name(swung)["lamp"].hangs_on, by_name(swung)["lamp"].carrier) == ("sway", "")


def test_a_track_within_the_part_is_a_tie_as_well(shot: Shot) -> None:
    tie = run(shot, "step.tie", {"step": named(shot, "lamp"), "motion": named(shot, "hand")}).shot
    whole, _ = gathered(tie, "Lantern", [named(tie, n) for n in ("hand", "lamp", "light")])
    found = by_name(whole)
    assert (found["Lantern"].hangs_on, found["Lantern"].carrier) == ("hand", found["person"].step)
    assert found["Lantern"].light is not None
    assert found["Lantern"].light.source == found["Lantern"].step


def test_what_cannot_hang_says_so(shot: Shot) -> None:
    with pytest.raises(UserError, match="cannot hang"):
        run(shot, "step.tie", {"step": named(shot, "finish"), "motion": named(shot, "hand")})
    with pytest.raises(UserError, match="is no motion"):
        run(shot, "step.tie", {"step": named(shot, "lamp"), "motion": named(shot, "person")})


def test_a_light_says_what_it_comes_from_and_falls_on(shot: Shot) -> None:
    found = by_name(shot)
    light = found["light"].light
    assert light is not None
    assert (light.step, light.reach) == (named(shot, "light"), 40.0)
    assert light.source == found["lamp"].step
    assert light.lit == found["person"].step
    off = shot.with_step(shot.step(named(shot, "light")).model_copy(update={"on": False}))
    assert by_name(off)["light"].light is None


def test_cards_show_what_they_lay(shot: Shot) -> None:
    found = by_name(shot)
    person, lamp, wall = (found[n].thumb for n in ("person", "lamp", "wall"))
    assert person is not None
    assert person.shape[:2] == (60, 40)
    assert (person[..., 3] == 255).all()
    assert person[0, 0, 0] > person[0, 0, 2]
    assert lamp is not None
    assert lamp.shape[:2] == (10, 10)
    assert wall is not None
    assert wall.shape[:2] == (80, 120)
    assert found["finish"].thumb is None


def test_plates_are_followed_through_steps(shot: Shot) -> None:
    steps = {s.name: s for s in shot.steps}
    assert plates_behind(shot, [f"step:{steps['lamp'].id}"]) == {"wall", "person", "lamp"}
    assert plates_behind(shot, [f"step:{steps['lamp'].id}"], grounds=False) == {"lamp"}
    assert own_plates(shot, [steps["person"]]) == {"person"}
    assert [s.name for s in motions_on(shot, {"person"})] == ["hand"]
    assert motions_on(shot, {"wall"}) == []
    assert rider(shot, [steps["lamp"].id, steps["light"].id]) == steps["lamp"]
    assert rider(shot, [steps["finish"].id]) is None
    assert carrier(shot, [steps["lamp"]]) is None
    tie = tied(shot, steps["lamp"], steps["sway"].id, 3)
    assert carrier(tie, [tie.step(steps["lamp"].id)]) == steps["sway"]
