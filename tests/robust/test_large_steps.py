"""A large step lies in a file of its own: an edit costs the disk what it changes, and nothing else is different for it."""

from __future__ import annotations

import json
import os
import shutil
import threading
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.media.files import write_atomically
from transmixis.shot import disk, texts
from transmixis.shot.document import Document
from transmixis.shot.model import Pin, Shot, Step
from transmixis.shot.store import load_film
from transmixis.shot.texts import APART, JOURNAL, is_document

OUTLINE = [[i, 10.5 * i, 7.25 * i] for i in range(60)]


def step(name: str, pins: int = 0) -> Step:
    many = {"outline": tuple(Pin(frame=k + 1, value=OUTLINE) for k in range(pins))} if pins else {}
    return Step(id=name, kind="shapes", name=name, inputs={"plate": "plate:hero"}, params={"feather": 1.0}, pins=many)


def made(folder: Path, *steps: Step) -> Document:
    doc = Document.create(folder, "Film")
    doc.change_shot("Make", Shot(code="A010", length=50, width=64, height=48, steps=steps))
    return doc


def stamps(folder: Path) -> dict[str, tuple[int, int]]:
    files = [p for p in folder.rglob("*.json") if p.name != ".lock.json"]
    return {str(p.relative_to(folder)): (p.stat().st_ino, p.stat().st_mtime_ns) for p in files}


def changed(before: dict[str, tuple[int, int]], after: dict[str, tuple[int, int]]) -> set[str]:
    return {n for n in {*before, *after} if before.get(n) != after.get(n)}


SHOT, BIG, OTHER = "shots/A010/shot.json", "shots/A010/steps/big.json", "shots/A010/steps/other.json"


def test_an_edit_writes_the_files_that_it_changes(tmp_path: Path) -> None:
    doc = made(tmp_path / "f", step("big", 8), step("small"), step("other", 8))
    there = stamps(doc.folder)
    assert {SHOT, BIG, OTHER} <= set(there)
    assert (doc.folder / SHOT).stat().st_size < 2000
    doc.change_step("Soften", "A010", doc.shot("A010").step("small").model_copy(update={"params": {"feather": 3.0}}))
    assert changed(there, there := stamps(doc.folder)) == {SHOT}
    doc.change_step("Draw", "A010", doc.shot("A010").step("big").model_copy(update={"params": {"feather": 2.0}}))
    assert changed(there, there := stamps(doc.folder)) == {BIG}
    doc.undo()
    assert changed(there, there := stamps(doc.folder)) == {BIG}
    assert load_film(doc.folder) == doc.film
    fewer = doc.shot("A010").model_copy(update={"steps": doc.shot("A010").steps[1:]})
    doc.change_shot("Take out", fewer)
    assert not (doc.folder / BIG).exists()
    assert load_film(doc.folder) == doc.film
    doc.undo()
    doc.close()
    again = Document.open(tmp_path / "f")
    assert [len(s.pins.get("outline", ())) for s in again.shot("A010").steps] == [8, 0, 8]
    there = stamps(again.folder)
    again.change_step("Soften", "A010", again.shot("A010").step("small").model_copy(update={"on": False}))
    assert changed(there, stamps(again.folder)) == {SHOT}  # what was read is not written out again
    again.close()


def test_a_step_that_grows_gets_a_file_and_one_that_shrinks_gives_it_back(tmp_path: Path) -> None:
    doc = made(tmp_path / "f", step("big"))
    assert not (doc.folder / BIG).exists()
    assert "outline" not in (doc.folder / SHOT).read_text()
    doc.change_step("Pin", "A010", step("big", 9))
    assert (doc.folder / BIG).stat().st_size > APART
    assert json.loads((doc.folder / SHOT).read_text())["steps"] == [{"id": "big", "apart": True}]
    doc.change_step("Clear", "A010", step("big"))
    assert not (doc.folder / BIG).exists()
    assert load_film(doc.folder) == doc.film
    doc.close()


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda p: p.unlink(), r"big\.json' is missing"),
        (lambda p: p.write_text("{"), r"big\.json"),
        (lambda p: p.write_text(p.read_text().replace('"id": "big"', '"id": "../x"')), "is not the id of its file"),
        (lambda p: p.write_text(p.read_text().replace('"kind": "shapes"', '"kindness": 1')), r"big\.json.*step"),
        (lambda p: p.write_text(p.read_text().replace('"schema_number": 3', '"schema_number": 99')), "newer"),
    ],
)
def test_a_spoilt_file_is_named_and_left(tmp_path: Path, spoil: Any, words: str) -> None:
    made(tmp_path / "f", step("big", 8)).close()
    path = tmp_path / "f" / BIG
    spoil(path)
    held = path.read_bytes() if path.exists() else None
    with pytest.raises(UserError, match=words):
        Document.open(tmp_path / "f")
    assert (path.read_bytes() if path.exists() else None) == held


def test_a_file_changed_or_linked_from_outside_is_not_written_over(tmp_path: Path) -> None:
    doc = made(tmp_path / "f", step("big", 8))
    path = doc.folder / BIG
    path.write_text(path.read_text().replace('"feather": 1.0', '"feather": 7.0'))
    assert doc.outside().startswith(f"{BIG} was changed")
    with pytest.raises(UserError, match="changed by another program"):
        doc.change_step("Draw", "A010", step("big", 9))
    doc.take_in()
    assert doc.shot("A010").step("big").params["feather"] == 7.0
    doc.close()
    away = tmp_path / "away"
    shutil.move(doc.folder / "shots/A010/steps", away)
    (doc.folder / "shots/A010/steps").symlink_to(away)
    with pytest.raises(UserError, match="link that leads out"):
        Document.open(doc.folder)


@pytest.mark.parametrize("fails_at", range(1, 5))
def test_a_save_that_fails_anywhere_is_all_or_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fails_at: int) -> None:
    doc = made(tmp_path / "f", step("big", 8), step("other", 8))
    before, left = doc.film, [fails_at]

    def filling(path: Path, data: bytes) -> None:
        left[0] -= 1
        if left[0] <= 0:
            raise UserError("Cannot save (No space left on device)")
        write_atomically(path, data)

    monkeypatch.setattr(disk, "write_atomically", filling)
    shot = doc.shot("A010").model_copy(update={"steps": (step("other", 9), step("new", 9)), "title": "new"})
    try:
        doc.change_shot("All", shot)
    except UserError:
        assert fails_at == 1
        assert doc.film == before
    assert load_film(doc.folder) == doc.film
    monkeypatch.undo()
    doc.change_step("Draw", "A010", step("other", 7))
    assert load_film(doc.folder) == doc.film
    doc.close()
    assert load_film(doc.folder).shot("A010").step("other") == step("other", 7)
    assert not (doc.folder / JOURNAL).exists()
    if fails_at > 1:
        assert not (doc.folder / BIG).exists()


def test_a_command_cut_off_between_its_files_is_whole(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    doc = made(tmp_path / "f", step("big", 8), step("other", 8))
    monkeypatch.setattr(doc._store.disk, "settle", lambda: None)  # ends right after the journal
    doc.change_shot("All", doc.shot("A010").model_copy(update={"steps": (step("other", 9), step("small"))}))
    assert (doc.folder / BIG).exists()
    looked = load_film(doc.folder)
    assert looked == doc.film
    doc._lock.release()  # type: ignore[union-attr]
    again = Document.open(doc.folder)
    assert again.film == looked
    assert not (doc.folder / BIG).exists()
    again.close()


def test_a_shot_of_the_format_before_is_brought_to_this_one_by_its_first_edit(tmp_path: Path) -> None:
    doc = made(tmp_path / "f", step("big", 8))
    doc.close()
    path = doc.folder / SHOT
    data = json.loads(path.read_text())
    data["steps"] = [json.loads((doc.folder / BIG).read_text())["step"]]
    path.write_text(json.dumps({**data, "schema_number": 2}))
    os.remove(doc.folder / BIG)
    again = Document.open(doc.folder)
    assert again.film == doc.film
    again.change_step("Draw", "A010", step("big", 9))
    assert (doc.folder / BIG).exists()
    assert json.loads(path.read_text())["schema_number"] == 3
    assert load_film(doc.folder) == again.film
    again.close()


@pytest.mark.parametrize(
    ("name", "ours"),
    [
        (BIG, True), (SHOT, True), ("shots/A010/steps/../x.json", False), ("shots/../steps/x.json", False),
        ("shots/A010/steps/.json", False), ("shots/A010/steps/big.txt", False), ("shots/A010/other/big.json", False), ("shots/A010/steps/a/b.json", False),
    ],
)  # fmt: skip
def test_which_names_are_documents(name: str, ours: bool) -> None:
    assert is_document(name) is ours


EDITS = st.lists(
    st.tuples(st.sampled_from(["put", "drop", "undo", "redo", "open"]), st.sampled_from("abc"), st.integers(0, 9)), max_size=9
)


@settings(max_examples=25, deadline=None)
@given(edits=EDITS)
def test_the_disk_holds_what_memory_holds_after_any_edits(
    tmp_path_factory: pytest.TempPathFactory, edits: list[tuple[str, str, int]]
) -> None:
    doc = made(tmp_path_factory.mktemp("p") / "f", step("a", 5))
    for what, name, pins in edits:
        shot = doc.shot("A010") if doc.film.shots else Shot(code="A010", length=50, width=64, height=48)
        rest = tuple(s for s in shot.steps if s.id != name)
        if what == "put":
            doc.change_shot("Put", shot.model_copy(update={"steps": (*rest, step(name, pins))}))
        elif what == "drop":
            doc.change_shot("Drop", shot.model_copy(update={"steps": rest}))
        elif what == "open" and doc.film.shots:  # the files of a shot that was taken out stay, as its own does
            doc.close()
            doc = Document.open(doc.folder)
        elif what != "open":
            getattr(doc, what)()
        assert load_film(doc.folder) == doc.film
    if doc.film.shots:
        kept = {p.stem for p in (doc.folder / "shots/A010/steps").glob("*")}
        lengths = {s.id: len(json.dumps(s.model_dump(mode="json"), indent=1)) for s in doc.shot("A010").steps}
        assert {i for i, n in lengths.items() if n > 1.2 * APART} <= kept  # in the shot's file it stands deeper, so is longer
        assert not {i for i, n in lengths.items() if n < 0.5 * APART} & kept
        assert kept <= set(lengths)
    doc.close()


def test_what_could_not_be_written_beside_is_taken_back_and_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    doc = made(tmp_path / "f", step("small"))
    lost, gate, full = threading.Event(), threading.Event(), [False]
    doc.save_beside(lost.set)

    def slow(path: Path, data: bytes) -> None:
        gate.wait(20)
        if full[0]:
            raise UserError("Cannot save (No space left on device)")
        write_atomically(path, data)

    monkeypatch.setattr(disk, "write_atomically", slow)
    doc.change_step("Soften", "A010", step("small").model_copy(update={"on": False}))
    assert not doc.shot("A010").step("small").on  # counts at once
    assert load_film(doc.folder).shot("A010").step("small").on  # while it is being written
    gate.set()
    doc.wait()
    assert load_film(doc.folder) == doc.film
    good = doc.film
    full[0] = True
    doc.change_step("Soften", "A010", step("small", 9))
    assert lost.wait(20)
    assert doc.take_back().startswith("Cannot save")
    assert doc.take_back() == ""
    assert doc.film == good == load_film(doc.folder)
    assert doc.undo_title == "Soften"
    doc.change_step("Pin", "A010", step("small", 9))
    with pytest.raises(UserError, match="Cannot save"):  # the one after is not built on what was lost
        doc.change_shot("Title", doc.shot("A010").model_copy(update={"title": "x"}))
    assert doc.film == good
    doc.change_step("Pin", "A010", step("small", 9))
    with pytest.raises(UserError, match="Cannot save"):
        doc.undo()
    full[0] = False
    doc.undo()
    assert doc.shot("A010").step("small").on
    doc.redo()
    doc.close()
    assert load_film(doc.folder) == good


def test_making_ready_beside_an_edit_takes_nothing_from_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Opening makes the texts of all steps on a worker; an edit in between writes what it made itself."""
    doc = made(tmp_path / "f", step("big", 8))
    real = texts.StepTexts.of_shot
    before = doc.shot("A010")

    def meanwhile(self: texts.StepTexts, shot: Shot, name: str) -> Any:
        out = real(self, shot, name)
        real(self, before, name)  # the worker comes to the shot as it was
        return out

    monkeypatch.setattr(texts.StepTexts, "of_shot", meanwhile)
    doc.change_step("Draw", "A010", step("big", 9))
    assert load_film(doc.folder) == doc.film
    doc.close()
