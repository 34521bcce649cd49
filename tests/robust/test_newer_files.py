"""Files of other versions: the first one's are brought up, a newer one's strange steps are kept and passed by."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from places import ROOT

from transmixis.core.errors import UserError
from transmixis.shot import parts
from transmixis.shot.document import Document
from transmixis.shot.migrate import SCHEMA, to_present
from transmixis.shot.render import output_ref
from transmixis.shot.session import Session
from transmixis.shot.store import load_film
from transmixis.shot.workorder import add_step, first_work_order, move_step, new_shot, plate_from, remove_step

V1 = ROOT / "tests" / "data" / "film_v1"


def test_a_first_version_film_opens_unchanged_but_for_the_stage_s_name(tmp_path: Path) -> None:
    folder = tmp_path / "film"
    shutil.copytree(V1, folder)
    before = {p: p.read_bytes() for p in folder.rglob("*.json")}
    doc = Document.open(folder)
    assert doc.film.production.schema_number == SCHEMA == 3
    assert doc.film.production.people[1].does == ("Plan", "Survey", "Matte", "Repair", "Check", "Hand over")
    assert [s.code for s in doc.film.shots] == ["KP010", "KP020", "KP070"]
    assert len(doc.shot("KP010").steps) == len(json.loads((V1 / "shots/KP010/shot.json").read_text())["steps"])
    assert all(p.read_bytes() == b for p, b in before.items() if p.name != ".lock.json")  # opening alone changes nothing
    doc.change_shot("Edit", doc.shot("KP010").model_copy(update={"title": "x"}))
    kept = json.loads((folder / "shots/KP010/shot.json").read_text())
    assert (kept["schema_number"], kept["title"]) == (SCHEMA, "x")
    doc.close()
    assert load_film(folder) == doc.film


def test_migration_touches_what_it_must_and_nothing_else() -> None:
    shot = {"code": "A", "work": [{"stage": "Deliver", "id": "a"}, {"stage": "Matte"}, 5], "title": "Deliver"}
    out = to_present(shot)
    assert out == {**shot, "work": [{"stage": "Hand over", "id": "a"}, {"stage": "Matte"}, 5], "schema_number": SCHEMA}
    assert shot["work"][0]["stage"] == "Deliver"  # type: ignore[index]  # the input is left as it is
    for data in (
        5,
        [],
        {"schema_number": "two"},
        {"schema_number": True},
        {"schema_number": SCHEMA, "work": [{"stage": "Deliver"}]},
    ):
        assert to_present(data) == data


def test_a_strange_step_and_a_strange_parameter_are_kept_and_passed_by(tmp_path: Path, tiny_plates: Path) -> None:
    folder = tmp_path / "film"
    doc = Document.create(folder, "Film")
    plate, info = plate_from(folder, tiny_plates / "take.0001.png", None)
    shot = first_work_order(new_shot("A010", "", info, plate, "24"))
    back, _ = plate_from(folder, tiny_plates / "background_sky.png", shot)
    doc.change_shot("Add", first_work_order(shot.model_copy(update={"plates": (plate, back)})))
    doc.close()
    path = folder / "shots" / "A010" / "shot.json"
    data = json.loads(path.read_text())
    key = next(s for s in data["steps"] if s["kind"] == "screen_key")
    key["params"]["from_the_future"] = 3
    data["steps"].insert(
        -1,
        {"id": "glow", "kind": "future_glow", "name": "Glow", "inputs": {"light": "step:screen_key"}, "params": {"size": [1, 2]}},
    )
    place = next(s for s in data["steps"] if s["kind"] == "place")
    place["inputs"]["front"] = "step:glow"
    path.write_text(json.dumps(data))
    session = Session.open(folder)
    r = session.renderer("A010")
    told = r.measure("glow", 1)
    assert [x.value for x in told] == [None]
    assert "knows no step 'future_glow'" in told[0].note
    assert r.known_readings("glow", 1) == told
    passed, keyed = r.product("step:glow", 2).picture, r.product("step:screen_key", 2).picture
    assert passed is not None
    assert keyed is not None
    assert np.array_equal(passed, keyed)
    assert r.product("step:place", 2).picture is not None
    assert all(x.note == "" or x.value is None for x in r.measure("screen_key", 1))
    step = session.document.shot("A010").step("glow")
    session.document.change_shot("Edit", session.document.shot("A010").model_copy(update={"title": "t"}))
    session.close()
    again = load_film(folder).shot("A010")
    assert again.step("glow") == step
    assert again.step("screen_key").params["from_the_future"] == 3
    with pytest.raises(UserError, match="knows no step 'future_glow'; use one of"):
        add_step(again, "future_glow")


def test_a_strange_step_can_be_gathered_copied_moved_and_taken_out(tmp_path: Path, tiny_plates: Path) -> None:
    """Nothing that is done to a list of steps may stumble over one that this version does not know."""
    plate, info = plate_from(tmp_path, tiny_plates / "take.0001.png", None)
    shot = first_work_order(new_shot("A010", "", info, plate, "24"))
    ids = [s.id for s in shot.steps]
    for strange in ids:
        odd = shot.with_step(shot.step(strange).model_copy(update={"kind": "newer_kind", "params": {"x": [1, {"y": 2}]}}))
        assert parts.layers(odd) is not None
        held, part = parts.gathered(odd, "Part", [strange])
        copied, _ = parts.copied(held, part.id, "Again", 3, 4, 1)
        new = next(s for s in copied.steps if s.id not in ids)
        assert (new.kind, new.params) == ("newer_kind", {"x": [1, {"y": 2}]})
        parts.moved(held, part.id, 3, 4)
        off = parts.switched(held, part.id)
        assert not off.step(strange).on
        assert parts.suggested(odd, strange) >= {strange}
        left = remove_step(odd, strange)
        assert strange not in [s.id for s in left.steps]
        first = next(iter(odd.step(strange).inputs.values()), None)
        for s in left.steps:  # what it let through stands for it
            was = odd.step(s.id).inputs
            assert s.inputs == {k: (first if v == f"step:{strange}" else v) for k, v in was.items()}
        move_step(odd, strange, 0)
        assert output_ref(odd) is not None
