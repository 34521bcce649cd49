"""What is kept beside a film by key: analyses and readings, made once, whole or not at all."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from transmixis.core.errors import Cancelled, UserError
from transmixis.core.readings import Reading
from transmixis.shot.stored import NAME, AnalysisStore, ReadingStore, arrays_bytes, read_arrays


class Maker:
    """Makes an analysis, or fails, and counts how often it was asked."""

    def __init__(self, *, fails: type[Exception] | None = None) -> None:
        self.asked, self.fails = 0, fails

    def __call__(self) -> dict[str, np.ndarray]:
        self.asked += 1
        if self.fails:
            raise self.fails("there is no screen")
        return {"path": np.arange(6.0).reshape(2, 3), "words": np.array(["a", "b"])}


def test_an_analysis_is_made_once_and_found_again(tmp_path: Path) -> None:
    store, make = AnalysisStore(tmp_path / "kept"), Maker()
    assert not store.has("k")
    first = store.get_or_make("k", make)
    assert store.get_or_make("k", make) is first
    assert store.has("k")
    later = AnalysisStore(tmp_path / "kept")
    again = later.get_or_make("k", make)
    assert make.asked == 1
    assert np.array_equal(again["path"], first["path"])
    assert list(again["words"]) == ["a", "b"]


def test_what_cannot_be_made_is_not_tried_for_every_frame() -> None:
    store, make = AnalysisStore(None), Maker(fails=UserError)
    for _ in range(3):
        with pytest.raises(UserError, match="no screen"):
            store.get_or_make("k", make)
    assert make.asked == 1
    assert store.get_or_make("other", Maker())["path"].shape == (2, 3)
    assert not store.has("k")


def test_what_failed_is_tried_again_once_files_may_have_come_back() -> None:
    store, make = AnalysisStore(None), Maker(fails=UserError)
    with pytest.raises(UserError):
        store.get_or_make("k", make)
    make.fails = None
    store.try_again()
    assert store.get_or_make("k", make)
    assert make.asked == 2


def test_a_full_disk_is_no_failure_of_what_was_made(tmp_path: Path) -> None:
    """Where it cannot be written it is said; as soon as there is room it is made and kept."""
    blocked = tmp_path / "kept"
    blocked.write_text("a file where the folder should be")
    store, make = AnalysisStore(blocked), Maker()
    with pytest.raises(UserError, match="folder"):
        store.get_or_make("k", make)
    blocked.unlink()
    assert store.get_or_make("k", make)["path"].shape == (2, 3)
    assert (blocked / "k.npz").exists()


@pytest.mark.parametrize("stopped", [Cancelled, MemoryError])
def test_what_was_stopped_is_tried_again(stopped: type[Exception]) -> None:
    store, make = AnalysisStore(None), Maker(fails=stopped)
    with pytest.raises(stopped):
        store.get_or_make("k", make)
    make.fails = None
    assert store.get_or_make("k", make)
    assert make.asked == 2


def test_nothing_is_written_where_it_may_not(tmp_path: Path) -> None:
    store = AnalysisStore(tmp_path / "kept", may_write=lambda: False)
    store.get_or_make("k", Maker())
    readings = ReadingStore(tmp_path / "readings.jsonl", may_write=lambda: False)
    readings.put("k", [Reading("leak", 1.0, "%", 2.0)])
    assert readings.get("k")
    assert not list(tmp_path.iterdir())


@pytest.mark.parametrize("damage", ["other key", "cut", "noise", "empty", "folder"])
def test_a_file_that_is_not_what_it_should_be_is_made_anew(tmp_path: Path, damage: str) -> None:
    folder = tmp_path / "kept"
    folder.mkdir()
    path = folder / "k.npz"
    whole = arrays_bytes({"path": np.zeros(3)}, "k" if damage != "other key" else "j")
    if damage == "folder":
        path.mkdir()
        assert read_arrays(path, "k") is None
        return
    path.write_bytes({"other key": whole, "cut": whole[: len(whole) // 2], "noise": b"PK" + bytes(99), "empty": b""}[damage])
    make = Maker()
    assert AnalysisStore(folder).get_or_make("k", make)["path"].shape == (2, 3)
    assert make.asked == 1
    assert NAME not in (read_arrays(path, "k") or {NAME: 0})


def test_readings_are_kept_to_the_last_whole_line(tmp_path: Path) -> None:
    path = tmp_path / "readings.jsonl"
    store = ReadingStore(path)
    kept = [Reading("leak", 1.25, "%", 2.0, spot=(1, 2, 3, 4), note="why"), Reading("separation", None, "steps", 8.0, "high")]
    store.put("a", kept)
    store.put("b", [])
    store.put("a", [*kept, Reading("holes", 0.5, "%", 1.0)])
    with open(path, "a") as f:
        f.write('{"key": "c", "readi')
    again = ReadingStore(path)
    assert again.get("a") == [*kept, Reading("holes", 0.5, "%", 1.0)]
    assert again.get("b") == []
    assert again.get("c") is None


@pytest.mark.parametrize(
    "reading",
    [
        {"name": "x", "value": 1, "unit": "px", "limit": 0},
        {"name": "x", "value": 1, "unit": "px", "limit": -1},
        {"name": "x", "value": "much", "unit": "px", "limit": 1},
        {"value": 1, "unit": "px", "limit": 1},
        "x",
    ],
)
def test_a_reading_that_is_none_is_left_out(tmp_path: Path, reading: object) -> None:
    path = tmp_path / "readings.jsonl"
    good = {"name": "ok", "value": 1, "unit": "px", "limit": 1}
    path.write_text(
        json.dumps({"key": "bad", "readings": [reading]}) + "\n" + json.dumps({"key": "good", "readings": [good]}) + "\n"
    )
    store = ReadingStore(path)
    assert store.get("bad") is None
    assert store.get("good") == [Reading("ok", 1.0, "px", 1.0)]
