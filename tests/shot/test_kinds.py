"""A kind declares all about itself: none is named elsewhere, and another one appears everywhere without a change."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from clirun import here
from dimkind import Dim
from places import ROOT

from transmixis.media.still import write_still
from transmixis.shot.contract import BACKGROUND, SCREEN, StepKind
from transmixis.shot.model import Plate, Shot
from transmixis.shot.steps import KINDS, kind_with, steps_with
from transmixis.shot.workorder import add_step, first_work_order, remove_step

SOURCE = ROOT / "src" / "transmixis"
OWN = ("shot/steps/",)  # a kind's own modules, and the registry
# these are also names of other things: topics of findings, questions before the shoot, tools
WORDS = {"survey", "exposure", "timing", "marks", "dust", "match", "place", "edges", "patch", "sharpness", "conform", "shapes"}


def named(tree: ast.AST) -> list[tuple[str, int]]:
    """Texts that name a kind: any that can be nothing else, and other words where a kind is asked for."""
    out = []
    for node in ast.walk(tree):
        if isinstance(node, ast.Constant) and node.value in set(KINDS) - WORDS:
            out.append((node.value, node.lineno))
        if isinstance(node, ast.Compare):
            sides = [node.left, *node.comparators]
            if any(
                isinstance(s, ast.Attribute)
                and s.attr == "kind"
                and isinstance(s.value, ast.Name)
                and s.value.id in ("s", "step")
                for s in sides
            ):
                out += [
                    (c.value, node.lineno) for s in sides for c in ast.walk(s) if isinstance(c, ast.Constant) and c.value in KINDS
                ]
        if isinstance(node, ast.Call):
            name = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
            given = [*node.args, *(k.value for k in node.keywords if k.arg == "kind")]
            if name in ("add_step", "kind_of", "known_kind", "Step"):
                out += [(a.value, node.lineno) for a in given if isinstance(a, ast.Constant) and a.value in KINDS]
    return out


def test_no_kind_is_named_outside_of_its_own_modules() -> None:
    found = []
    for path in sorted(SOURCE.rglob("*.py")):
        where = path.relative_to(SOURCE).as_posix()
        if not where.startswith(OWN):
            found += [f"{where}:{line} {kind}" for kind, line in named(ast.parse(path.read_text()))]
    # the commands that mend one plate are named after what they do, each a command of its own
    assert [f for f in found if not f.startswith("cli/plates.py")] == []


def test_the_search_finds_names() -> None:
    for text in (
        'x = "screen_key"',
        'add_step(shot, "place")',
        'if s.kind == "dust": pass',
        'Step(kind="match", id="a", name="b")',
    ):
        assert named(ast.parse(text)), text
    assert not named(ast.parse('topic = "exposure"; add_step(shot, kind.kind)'))


@pytest.fixture
def dim() -> Iterator[StepKind]:
    KINDS[Dim.kind] = Dim()
    yield KINDS[Dim.kind]
    del KINDS[Dim.kind]


def shot_with(*roles: str) -> Shot:
    plates = tuple(Plate(id=r, role=r, path=f"{r}.png") for r in roles)  # type: ignore[arg-type]
    return Shot(code="A", length=2, width=32, height=24, plates=plates)


def test_another_kind_appears_in_work_order_command_line_and_check(dim: StepKind, tmp_path: Path) -> None:
    write_still(tmp_path / "wall.png", np.full((24, 32, 3), 0.5, np.float32), kind="uint8")
    here("new", tmp_path / "f", "--name", "F")
    here("add", tmp_path / "f", "A", tmp_path / "wall.png", "--role", "still")
    made = here("step", "add", tmp_path / "f", "A", "dim_for_a_test", "--set", "radius=3", "--json").stdout
    assert '"plate:still"' in made
    assert '"radius": 3' in made
    assert "Dim: " not in here("step", "list", tmp_path / "f", "A").stderr
    assert "halves the light" in here("step", "list", tmp_path / "f", "A").stdout
    assert "light left" in here("check", tmp_path / "f", "A", "--json").stdout
    assert kind_with("dimmed") is dim


def test_first_work_orders_are_what_the_kinds_say(dim: StepKind) -> None:
    """As the program always began: looked at; keyed before a screen; put together where there is a background."""
    looked = ["steadiness", "exposure", "sharpness", "timing", "marks"]
    assert [s.kind for s in first_work_order(shot_with("still")).steps] == looked
    assert [s.kind for s in first_work_order(shot_with("hero"), keyed=False).steps] == looked
    keyed = [*looked, "garbage_matte", "screen_key"]
    assert [s.kind for s in first_work_order(shot_with("hero", "clean")).steps] == keyed
    whole = first_work_order(shot_with("hero", "clean", "background"))
    assert [s.kind for s in whole.steps] == [*keyed, "match", "place", "dim_for_a_test", "edges"]
    by = {s.kind: s.inputs for s in whole.steps}
    assert by["screen_key"] == {"plate": "plate:hero", "clean": "plate:clean", "garbage": "step:garbage_matte"}
    assert by["match"] == {"subject": "step:screen_key", "plate": "plate:background"}
    assert by["place"] == {"front": "step:match", "back": "plate:background"}
    assert by["edges"] == {"result": "step:place", "plate": "plate:hero"}
    assert {k.begins for k in KINDS.values()} >= {"", SCREEN, BACKGROUND}


def test_new_steps_are_connected_by_role() -> None:
    shot, track = add_step(shot_with("hero", "still"), "point_track")
    shot, shape = add_step(shot, "shapes")
    assert shape.inputs == {"plate": "plate:hero", "motion": f"step:{track.id}"}
    shot, board = add_step(shot, "lay_in")
    assert board.inputs == {
        "front": "plate:still", "back": "plate:hero", "motion": f"step:{track.id}", "before": f"step:{shape.id}",
    }  # fmt: skip
    shot, second = add_step(shot, "lay_in")
    assert second.inputs["back"] == f"step:{board.id}"
    assert [s.id for s in steps_with(shot, "motion")] == [track.id]
    # a patch stands between the plate and what uses it, save what it hangs on and what is followed
    shot, patch = add_step(shot, "patch")
    by = {s.id: s.inputs for s in shot.steps}
    assert by[patch.id]["plate"] == "plate:hero"
    assert by[track.id]["plate"] == "plate:hero"
    assert by[board.id]["back"] == f"step:{patch.id}"
    assert by[shape.id]["plate"] == f"step:{patch.id}"
    gone = remove_step(shot, patch.id)
    assert gone.step(board.id).inputs["back"] == "plate:hero"
