"""Nothing that goes in is written over, by any command and by any name for it."""

from __future__ import annotations

import hashlib
import json
import os
from pathlib import Path

import numpy as np
import pytest
from clirun import here

from transmixis.core.errors import UserError
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.outputs import Standing, refuse


def hashes(folder: Path) -> dict[str, str]:
    return {
        str(p.relative_to(folder)): hashlib.sha256(p.read_bytes()).hexdigest()
        for p in sorted(folder.rglob("*"))
        if p.is_file() and p.name != ".lock.json"
    }


@pytest.fixture
def film(tmp_path: Path, tiny_plates: Path) -> Path:
    """A production whose plates lie beside it."""
    here("new", tmp_path / "film", "--name", "Film")
    here("add", tmp_path / "film", "T010", tiny_plates / "take.####.png", tiny_plates / "background_sky.png")
    return tmp_path / "film"


def refused(folder: Path, *args: object) -> str:
    """Run a command that must refuse: exit code 1, one sentence, and every file as it was."""
    before = hashes(folder)
    done = here(*args, code=1)
    said = done.stderr.strip()
    assert said, args
    assert "\n" not in said
    assert "Traceback" not in said
    after = hashes(folder)
    assert {k: after.get(k) for k in before} == before, args
    return said


COMMANDS = ("even", "steady", "dust", "conform")


@pytest.mark.parametrize("command", COMMANDS)
def test_mends_refuse_the_plate_itself_and_names_that_would_join_it(tmp_path: Path, tiny_plates: Path, command: str) -> None:
    take = tiny_plates / "take.0001.png"
    for out in (
        tiny_plates / "take.####.png",
        tiny_plates / "take.%04d.png",
        tiny_plates / "take.png",  # its frames become take.0001.png …
        tiny_plates / ".." / "plates" / "take.####.png",
    ):
        assert "never written over" in refused(tmp_path, command, take, "--out", out)
    (tmp_path / "link").symlink_to(tiny_plates)
    assert "never written over" in refused(tmp_path, command, take, "--out", tmp_path / "link" / "take.####.png")


def test_a_movie_is_not_evened_onto_itself_by_any_name(tmp_path: Path, tiny_plates: Path) -> None:
    here("conform", tiny_plates / "take.0001.png", "--out", tmp_path / "in.mkv", "--speed", 1)
    os.link(tmp_path / "in.mkv", tmp_path / "other.mkv")
    (tmp_path / "soft.mkv").symlink_to(tmp_path / "in.mkv")
    for out in ("in.mkv", "other.mkv", "soft.mkv"):
        assert "never written over" in refused(tmp_path, "even", tmp_path / "in.mkv", "--out", tmp_path / out)
        assert "never written over" in refused(tmp_path, "even", tmp_path / "in.mkv", "--out", tmp_path / out, "--overwrite")


def test_cleanplate_key_render_and_report_refuse_inputs_and_documents(tmp_path: Path, tiny_plates: Path, film: Path) -> None:
    take = tiny_plates / "take.####.png"
    assert "an input" in refused(tmp_path, "cleanplate", take, "--out", tiny_plates / "take.0001.png")
    assert "would join" in refused(tmp_path, "cleanplate", take, "--out", tiny_plates / "take.0099.png", "--overwrite")
    assert "an input" in refused(tmp_path, "render", film, "T010", "--out", take)
    matte = tiny_plates / "matte.0001.exr"
    write_still(matte, np.zeros((48, 64), np.float32), kind="half")
    assert "an input" in refused(tmp_path, "key", matte, "--out", tiny_plates, "--overwrite")
    for name in ("production.json", "shelf.json", "log.jsonl", ".lock.json", "shots/T010/shot.json", "analysis/x.html"):
        assert "documents of the production" in refused(tmp_path, "report", "log", film, "--out", film / name, "--overwrite")


def test_plates_of_any_production_in_reach_are_safe(tmp_path: Path, tiny_plates: Path, film: Path) -> None:
    """The production is not named: it is found beside the folder that is written to."""
    other = tmp_path / "other"
    other.mkdir()
    write_still(other / "a.0001.png", np.full((48, 64, 3), 0.2, np.float32), kind="uint8")
    said = refused(tmp_path, "even", other / "a.0001.png", "--out", tiny_plates / "take.####.png", "--overwrite")
    assert "of the production 'film'" in said
    assert "a frame that would" not in said
    # a shelf element too, and a shot file that no longer parses does not hide what it still names
    shelf = {"elements": [{"path": str(tiny_plates / "background_sky.png")}]}
    (film / "shelf.json").write_text(json.dumps(shelf))
    with pytest.raises(UserError, match="shelf element"):
        refuse([tiny_plates / "background_sky.png"], overwrite=True)


def test_what_else_stands_there_is_overwritten_only_when_asked(tmp_path: Path, tiny_plates: Path, film: Path) -> None:
    out = tmp_path / "o"
    out.mkdir()
    (out / "x.0003.png").write_text("mine")
    said = refused(tmp_path, "render", film, "T010", "--out", out / "x.####.png")
    assert "there already" in said
    assert "--overwrite" in said
    here("render", film, "T010", "--out", out / "x.####.png", "--overwrite")
    # its own earlier frames are gone on with, but not one that somebody has put in their place
    assert json.loads(here("render", film, "T010", "--out", out / "x.####.png", "--json").stdout)["kept"] == 6
    (out / "x.0002.png").write_text("mine again")
    assert "x.0002.png" in refused(tmp_path, "render", film, "T010", "--out", out / "x.####.png")
    here("render", film, "T010", "--out", out / "x.mkv")
    assert json.loads(here("render", film, "T010", "--out", out / "x.mkv", "--json").stdout)["kept"] == 6
    (out / "x.mkv").write_text("mine")
    assert "x.mkv" in refused(tmp_path, "render", film, "T010", "--out", out / "x.mkv")
    for command in ("cleanplate", "even"):
        target = out / f"{command}.exr"
        target.write_text("mine")
        standing = target if command == "cleanplate" else out / f"{command}.0001.exr"
        standing.write_text("mine")
        assert "there already" in refused(tmp_path, command, tiny_plates / "take.####.png", "--out", target)
    (out / "log.html").write_text("mine")
    assert "there already" in refused(tmp_path, "report", "log", film, "--out", out / "log.html")
    here("report", "log", film, "--out", out / "log.html", "--overwrite")


def test_folders_pipes_and_odd_names_are_refused_in_a_sentence(tmp_path: Path, tiny_plates: Path, film: Path) -> None:
    (tmp_path / "folder.png").mkdir()
    os.mkfifo(tmp_path / "pipe.exr")
    assert "is a folder" in refused(tmp_path, "cleanplate", tiny_plates / "take.####.png", "--out", tmp_path / "folder.png")
    assert "plain file" in refused(tmp_path, "cleanplate", tiny_plates / "take.####.png", "--out", tmp_path / "pipe.exr")
    with pytest.raises(Standing, match="there already"):
        refuse([tiny_plates / "clean_empty.png"])
    refuse([tiny_plates / "clean_empty.png"], overwrite=True)
    refuse([tmp_path / "new.png"], inputs=[tiny_plates / "take.####.png"], productions=[film])


def test_a_reader_does_not_need_the_lock(tmp_path: Path, film: Path) -> None:
    """Reports and renders look at a production that is open elsewhere."""
    doc = Document.open(film)
    here("report", "log", film, "--out", tmp_path / "log.html")
    doc.close()
