"""What dropped files are taken for, and which shot they go to."""

from __future__ import annotations

import dataclasses
from pathlib import Path

import numpy as np
import pytest
from tinyplates import tiny_frame

from transmixis.media.still import write_still
from transmixis.shot.dropped import dropped, free_codes
from transmixis.shot.model import Film, Plate, Production, Shot
from transmixis.shot.workorder import with_plates


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "in").mkdir()
    return tmp_path / "in"


def take(folder: Path, name: str, frames: int = 3) -> Path:
    """A sequence, or a still; gives its first file."""
    made = [folder / (f"{name}.{i + 1:04d}.png" if frames > 1 else f"{name}.png") for i in range(frames)]
    for i, path in enumerate(made):
        write_still(path, np.full((12, 16, 3), 0.1 + 0.01 * i, np.float32), kind="uint8")
    return made[0]


def sorted_out(folder: Path, *paths: Path, shots: tuple[Shot, ...] = (), now: str = "") -> dict[str, list[tuple[str, str]]]:
    out: dict[str, list[tuple[str, str]]] = {}
    for p in dropped(folder.parent, list(paths), shots, now).pieces:
        out.setdefault(p.code, []).append((p.plate.name.split(".")[0], p.plate.role))
    return out


def test_one_take_with_what_belongs_to_it_is_one_shot(folder: Path) -> None:
    found = sorted_out(folder, take(folder, "boat"), take(folder, "empty_view", 1), take(folder, "sky", 2))
    assert found == {"SH010": [("boat", "hero"), ("empty_view", "clean"), ("sky", "background")]}
    # two that are named nothing and differ in more than figures: a plate, and what lies behind it
    assert sorted_out(folder, take(folder, "boat"), take(folder, "harbour")) == {
        "SH010": [("boat", "hero"), ("harbour", "background")]
    }


def test_takes_become_shots_and_the_rest_goes_with_its_own(folder: Path) -> None:
    found = sorted_out(
        folder, take(folder, "C0011_a"), take(folder, "C0012_a"), take(folder, "C0012_a_clean", 1), take(folder, "C0013_a")
    )
    assert list(found) == ["SH010", "SH020", "SH030"]
    assert found["SH020"] == [("C0012_a", "hero"), ("C0012_a_clean", "clean")]


def test_a_planned_shot_gets_the_first_take(folder: Path) -> None:
    planned = Shot(code="KP070", length=10, rate="24", width=16, height=12)
    found = sorted_out(folder, take(folder, "c1_x"), take(folder, "c2_x"), shots=(planned,), now="KP070")
    assert list(found) == ["KP070", "KP080"]
    there = planned.model_copy(update={"plates": (Plate(id="hero", role="hero", path="x.png"),)})
    assert sorted_out(folder, take(folder, "clean_view", 1), shots=(there,), now="KP070") == {"KP070": [("clean_view", "clean")]}
    assert list(sorted_out(folder, take(folder, "c1_x"), shots=(there,), now="KP070")) == ["KP080"]


def test_what_is_left_out_is_said(folder: Path) -> None:
    first = take(folder, "boat", 3)
    (folder / "words.txt").write_text("no picture")
    found = dropped(folder.parent, [first, folder / "boat.0002.png", folder / "words.txt", folder / "gone.mov"], ())
    assert len(found.pieces) == 1
    assert len(found.left_out) == 3
    assert any("words.txt" in w for w in found.left_out)
    assert any("gone.mov" in w for w in found.left_out)
    assert "2 of the files are frames of" in found.left_out[-1]


def test_free_codes_go_on_from_those_there_are() -> None:
    shots = tuple(Shot(code=c, length=1, width=1, height=1) for c in ("AB010", "AB035"))
    assert free_codes(shots, 3) == ["AB040", "AB050", "AB060"]
    assert free_codes((), 2) == ["SH010", "SH020"]


def test_plates_added_to_a_planned_shot_keep_its_plan(folder: Path) -> None:
    planned = Shot(
        code="A", title="Boat", length=99, rate="24", width=4, height=4, plan={"lens": {"focal": 50.0}}, plates_due="2026-05-01"
    )
    film = Film(production=Production(name="F", shots=("A",)), shots=(planned,))
    pieces = dropped(folder.parent, [take(folder, "sky", 2), take(folder, "boat")], film.shots, "A").pieces
    made = with_plates(film, "A", "", [(p.plate, p.info) for p in pieces])
    assert [p.role for p in made.plates] == ["hero", "background"]
    assert (made.length, made.width, made.title, made.plan, made.plates_due) == (3, 16, "Boat", planned.plan, "")
    assert [s.kind for s in made.steps][:2] == ["steadiness", "exposure"]
    more = with_plates(film.with_shot(made), "A", "", [(pieces[0].plate, pieces[0].info)])
    assert [p.id for p in more.plates] == ["hero", "background", "background2"]


def test_stills_become_a_shot_only_where_nothing_moves(folder: Path) -> None:
    pair = sorted_out(folder, take(folder, "harbour", 1), take(folder, "mountain", 1))
    assert pair == {"SH010": [("harbour", "hero"), ("mountain", "still")]}
    beside = sorted_out(folder, take(folder, "boat"), take(folder, "mountain", 1), take(folder, "waves", 2))
    assert beside == {"SH010": [("boat", "hero"), ("mountain", "still"), ("waves", "background")]}
    there = Shot(code="A", length=3, width=1, height=1, plates=(Plate(id="hero", role="hero", path="x.png"),))
    assert sorted_out(folder, take(folder, "mountain", 1), shots=(there,), now="A") == {"A": [("mountain", "still")]}
    assert sorted_out(folder, take(folder, "clean_sea", 1), take(folder, "mountain", 1)) == {
        "SH010": [("clean_sea", "clean"), ("mountain", "still")]
    }


def test_a_plate_without_a_screen_is_not_keyed(tmp_path: Path) -> None:
    """A street gets its survey and no key, which could only fail; before a screen, and where nobody could look, the key is there."""
    street = np.random.default_rng(1).random((60, 80, 3)).astype(np.float32) * np.float32([0.5, 0.4, 0.4])
    for name, frame in (("street", street), ("stage", tiny_frame(1, (60, 80)))):
        for n in (1, 2, 3):
            write_still(tmp_path / f"{name}.{n:04d}.png", frame, kind="uint8")
    write_still(tmp_path / "sky.png", street, kind="uint8")
    film = Film(production=Production(name="Film", rate="24"), shots=())
    kinds = {}
    for name in ("street", "stage"):
        found = dropped(tmp_path, [tmp_path / f"{name}.0001.png", tmp_path / "sky.png"], ())
        assert found.pieces[0].info.screen == (name == "stage")
        shot = with_plates(film, "A", "", [(p.plate, p.info) for p in found.pieces])
        kinds[name] = [s.kind for s in shot.steps]
        assert len(shot.plates) == 2
    assert set(kinds["street"]) == {"steadiness", "exposure", "sharpness", "timing", "marks"}
    assert {"screen_key", "place", "edges"} < set(kinds["stage"])
    unread = [(p.plate, dataclasses.replace(p.info, screen=None)) for p in found.pieces]
    assert "screen_key" in [s.kind for s in with_plates(film, "A", "", unread).steps]
