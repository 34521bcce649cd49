"""The document: undo, saving, locks, broken files, pins, and killing the program while it saves."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.media.files import write_atomically
from transmixis.shot.document import Document, copy_production
from transmixis.shot.logbook import Entry, LogBook, folded, time_spent
from transmixis.shot.model import SCHEMA, Pin, Plate, Shot, Step
from transmixis.shot.pins import move_pin, params_at, remove_pin, set_pin, value_at
from transmixis.shot.store import load_film


def _shot(title: str = "one", code: str = "A010") -> Shot:
    return Shot(code=code, title=title, length=5, width=64, height=48, plates=(Plate(id="hero", role="hero", path="a.png"),))


def test_every_change_is_on_disk_at_once_and_can_be_undone(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.change_shot("Add", _shot())
    doc.change_shot("Title", _shot("two"))
    assert load_film(doc.folder).shot("A010").title == "two"
    assert doc.undo() == "Title"
    assert load_film(doc.folder).shot("A010").title == "one"
    assert doc.undo() == "Add"
    assert load_film(doc.folder).shots == ()
    assert doc.undo() is None
    assert doc.redo() == "Add"
    assert doc.redo() == "Title"
    assert doc.redo() is None
    assert load_film(doc.folder).shot("A010").title == "two"
    doc.change_shot("Again", _shot("three"))
    assert doc.redo_title is None
    doc.close()


@given(st.lists(st.sampled_from(["edit", "undo", "redo"]), max_size=25), st.integers(0, 10**6))
@settings(max_examples=25, deadline=None)
def test_undo_and_redo_always_match_the_disk(tmp_path_factory: pytest.TempPathFactory, moves: list[str], seed: int) -> None:
    rng = random.Random(seed)
    doc = Document.create(tmp_path_factory.mktemp("u") / "film", "Film")
    try:
        for m in moves:
            if m == "edit":
                doc.change_shot("Edit", _shot(str(rng.random())))
            else:
                getattr(doc, m)()
            assert load_film(doc.folder) == doc.film
    finally:
        doc.close()


def test_only_one_writer_and_a_dead_one_is_taken_over(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    with pytest.raises(UserError, match="is open in another Transmixis"):
        Document.open(doc.folder)
    reader = Document.open(doc.folder, read_only=True)
    with pytest.raises(UserError, match="looking only"):
        reader.change_shot("x", _shot())
    doc.close()
    lock = doc.folder / ".lock.json"
    assert lock.read_bytes() == b""  # never removed: another opener may have it in hand
    lock.write_text(json.dumps({"pid": 2**22 + 7, "host": os.uname().nodename, "user": "x"}))  # left by one that was killed
    again = Document.open(doc.folder)
    assert again.recovered
    again.close()
    assert not Document.open(doc.folder).recovered


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda t: t[: len(t) // 2], "line"),
        (lambda t: t.replace('"length": 5', '"length": "five"'), r"\$\.length"),
        (lambda t: t.replace('"title"', '"titel"'), r"\$\.titel"),
        (lambda t: "[]", r"\$"),
        (lambda t: t.replace('"rate": "24"', '"rate": "-1"'), r"\$\.rate"),
    ],
)
def test_a_broken_shot_file_is_named_and_left_alone(tmp_path: Path, spoil: object, words: str) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.change_shot("Add", _shot())
    doc.close()
    path = doc.folder / "shots" / "A010" / "shot.json"
    path.write_text(spoil(path.read_text()))  # type: ignore[operator]
    held = path.read_bytes()
    with pytest.raises(UserError, match=words) as e:
        Document.open(doc.folder)
    assert "shot.json" in str(e.value)
    assert path.read_bytes() == held
    with pytest.raises(UserError, match=words):  # and not "is open in another": the lock was let go
        Document.open(doc.folder)


def test_a_file_from_the_future_is_told(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.close()
    path = doc.folder / "production.json"
    path.write_text(path.read_text().replace(f'"schema_number": {SCHEMA}', '"schema_number": 99'))
    with pytest.raises(UserError, match="newer Transmixis"):
        Document.open(doc.folder)


def test_shot_codes_cannot_lead_out_of_the_folder(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    with pytest.raises(ValidationError, match="cannot be a shot code"):
        _shot(code="../evil")
    with pytest.raises(UserError, match="cannot be a shot code"):
        doc.change_shot("x", _shot().model_copy(update={"code": "../evil"}))
    doc.close()
    path = doc.folder / "production.json"
    path.write_text(path.read_text().replace('"shots": []', '"shots": ["../../etc"]'))
    with pytest.raises(UserError, match="cannot be a shot code"):
        Document.open(doc.folder)


def test_full_disk_or_read_only_folder_loses_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.change_shot("Add", _shot())

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(UserError, match="No space left"):
        doc.change_shot("Title", _shot("two"))
    monkeypatch.undo()
    assert doc.shot("A010").title == "one"
    assert load_film(doc.folder).shot("A010").title == "one"
    assert not list(doc.folder.rglob(".*.part"))
    doc.close()


def test_atomic_write_never_shows_half_a_file(tmp_path: Path) -> None:
    write_atomically(tmp_path / "a", b"old")
    write_atomically(tmp_path / "a", b"new" * 1000)
    assert (tmp_path / "a").read_bytes() == b"new" * 1000
    assert [p.name for p in tmp_path.iterdir()] == ["a"]


def test_log_passes_over_a_line_that_was_cut_off(tmp_path: Path) -> None:
    log = LogBook(tmp_path)
    log.add("note", "first")
    with open(tmp_path / "log.jsonl", "a") as f:
        f.write('{"when": "2026')
    assert [e.text for e in log.entries()] == ["first"]
    log.add("note", "second")
    assert [e.text for e in log.entries()] == ["first", "second"]


def test_copy_needs_an_empty_folder(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.close()
    copy_production(doc.folder, tmp_path / "copy")
    assert load_film(tmp_path / "copy").production.name == "Film"
    with pytest.raises(UserError, match="not empty"):
        copy_production(doc.folder, tmp_path / "copy")


EDITOR = """
import sys
from pathlib import Path
from transmixis.shot.document import Document
doc = Document.open(Path(sys.argv[1]))
n = 0
while True:
    n += 1
    doc.change_shot("Edit", doc.shot("A010").model_copy(update={"title": f"edit {n}"}))
    print(n, flush=True)
"""


def test_kill_at_twenty_random_moments_loses_at_most_the_last_edit(tmp_path: Path) -> None:
    doc = Document.create(tmp_path / "film", "Film")
    doc.change_shot("Add", _shot())
    doc.close()
    rng = random.Random(5)
    for _ in range(20):
        editor = subprocess.Popen([sys.executable, "-c", EDITOR, str(doc.folder)], stdout=subprocess.PIPE, text=True)
        assert editor.stdout is not None
        editor.stdout.readline()
        time.sleep(rng.uniform(0, 0.05))
        editor.send_signal(signal.SIGKILL)
        said = editor.stdout.read().split()
        editor.stdout.close()
        editor.wait()
        done = int(said[-1]) if said else 1
        opened = Document.open(doc.folder)
        assert opened.recovered
        title = opened.shot("A010").title
        opened.close()
        # the edit under way may be there already; none that was confirmed is gone
        assert int(title.split()[1]) in (done, done + 1)
        assert not list(doc.folder.rglob(".*.part"))


def test_pins_hold_ease_and_move() -> None:
    step = Step(id="s", kind="place", name="S", params={"x": 1.0})
    step = set_pin(set_pin(step, "x", Pin(frame=10, value=0.0, easing="linear")), "x", Pin(frame=20, value=10.0))
    assert [params_at(step, n)["x"] for n in (1, 10, 15, 20, 99)] == [0, 0, 5, 10, 10]
    held = set_pin(step, "x", Pin(frame=10, value=0.0, easing="hold"))
    assert params_at(held, 19)["x"] == 0
    moved = move_pin(step, "x", 10, 12)
    assert [p.frame for p in moved.pins["x"]] == [12, 20]
    bare = remove_pin(remove_pin(step, "x", 10), "x", 20)
    assert not bare.pins
    assert bare.params["x"] == 10.0
    shape = (Pin(frame=1, value=[[0, 0], [2, 2]], easing="linear"), Pin(frame=3, value=[[2, 0], [4, 2]]))
    assert value_at(shape, 2) == [[1, 0], [3, 2]]


@given(
    st.lists(st.tuples(st.integers(1, 100), st.floats(-5, 5)), min_size=1, max_size=6, unique_by=lambda p: p[0]),
    st.integers(-10, 120),
)
def test_eased_values_never_leave_their_pins_range(pins: list[tuple[int, float]], frame: int) -> None:
    step = Step(id="s", kind="place", name="S")
    for f, v in pins:
        step = set_pin(step, "x", Pin(frame=f, value=v))
    values = [v for _, v in pins]
    assert min(values) - 1e-9 <= params_at(step, frame)["x"] <= max(values) + 1e-9


def test_measuring_is_folded_by_shot_and_day_and_time_is_counted_without_pauses() -> None:
    def line(when: str, kind: str, shot: str = "A") -> Entry:
        return Entry(when, kind, shot, f"{kind} at {when}", {})

    entries = [
        line("2026-05-11T09:00:00", "measured"), line("2026-05-11T09:05:00", "note"), line("2026-05-11T11:00:00", "measured"),
        line("2026-05-11T11:00:30", "measured", "B"), line("2026-05-12T09:00:00", "measured"), line("2026-05-12T09:10:00", "note"),
        line("2026-05-12T09:24:59", "note"), line("2026-05-12T10:00:00", "note"), line("no time", "note"),
    ]  # fmt: skip
    found = folded(entries)
    assert [e.when for e in found if e.kind == "measured"] == [
        "2026-05-11T11:00:00",
        "2026-05-11T11:00:30",
        "2026-05-12T09:00:00",
    ]
    assert found[1].text.endswith("(the last of 2 that day)")
    assert "last of" not in found[2].text
    assert sum(e.kind == "note" for e in found) == 5
    assert time_spent(entries) == 14 * 60 + 59  # a quarter of an hour and more is a pause
    assert time_spent([]) == 0
