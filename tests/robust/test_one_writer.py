"""One writer, commands that are whole, and a folder that changes under one's hands."""

from __future__ import annotations

import contextlib
import fcntl
import itertools
import json
import math
import os
import random
import shutil
import subprocess
import sys
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.media.files import write_atomically
from transmixis.shot import disk
from transmixis.shot.document import Document
from transmixis.shot.lock import Lock, Locked
from transmixis.shot.model import Film, Production, Shot, Step
from transmixis.shot.plainjson import dumps, fault_in
from transmixis.shot.session import Session
from transmixis.shot.store import load_film, save_film
from transmixis.shot.texts import JOURNAL

RACES = int(os.environ.get("TRANSMIXIS_RACES", "40"))
KILLS = int(os.environ.get("TRANSMIXIS_KILLS", "15"))


def shot(code: str, title: str = "0") -> Shot:
    return Shot(code=code, title=title, length=5, width=64, height=48)


def made(folder: Path, codes: tuple[str, ...] = ("A010", "A020", "A030")) -> Path:
    doc = Document.create(folder, "Film")
    for c in codes:
        doc.change_shot(f"Add {c}", shot(c))
    doc.close()
    return folder


def titled(film: Film, title: str) -> Film:
    """A change of every shot and of the production, as a film-wide command makes it."""
    shots = tuple(s.model_copy(update={"title": title}) for s in film.shots)
    return film.model_copy(update={"shots": shots, "production": film.production.model_copy(update={"name": title})})


# -- one writer

RACER = """
import sys, time
from pathlib import Path
from transmixis.core.errors import UserError
from transmixis.shot.lock import Lock
folder, rounds = Path(sys.argv[1]), int(sys.argv[2])
print("ready", flush=True)
for line in sys.stdin:
    n = line.strip()
    if not n:
        break
    lock = Lock(folder)
    try:
        lock.take()
    except UserError:
        print(n, "no", flush=True)
        continue
    try:  # whoever holds the lock is alone: an exclusive file shows it
        with open(folder / "alone", "x"):
            time.sleep(0.0005)
        (folder / "alone").unlink()
        print(n, "held", flush=True)
    except FileExistsError:
        print(n, "TWO WRITERS", flush=True)
    lock.release()
"""


def test_of_two_openers_never_two_write(tmp_path: Path) -> None:
    """Races of two openers over a stale lock, over none, and over one that was just let go."""
    racers = [
        subprocess.Popen(
            [sys.executable, "-c", RACER, str(tmp_path), str(RACES)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        for _ in range(2)
    ]
    assert all(r.stdout.readline() == "ready\n" for r in racers)  # type: ignore[union-attr]
    said = []
    for n in range(RACES):
        if n % 3 == 0:
            (tmp_path / ".lock.json").write_text(json.dumps({"pid": 2**22 + 7, "host": os.uname().nodename}))
        for r in racers:
            r.stdin.write(f"{n}\n")  # type: ignore[union-attr]
            r.stdin.flush()  # type: ignore[union-attr]
        said += [r.stdout.readline().split(maxsplit=1)[1].strip() for r in racers]  # type: ignore[union-attr]
    for r in racers:
        r.communicate("\n")
    assert "TWO WRITERS" not in said
    assert said.count("held") >= RACES  # each race had a winner


EDITOR = """
import sys
from pathlib import Path
from transmixis.core.errors import UserError
from transmixis.shot.document import Document
folder, me, wanted = Path(sys.argv[1]), sys.argv[2], int(sys.argv[3])
done = 0
while done < wanted:
    try:
        doc = Document.open(folder)
    except UserError:
        continue
    shot = doc.shot("A010")
    doc.change_shot("Edit", shot.model_copy(update={"title": str(int(shot.title) + 1)}))
    doc.close()
    done += 1
"""


def test_no_edit_is_lost_between_two_processes(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    editors = [subprocess.Popen([sys.executable, "-c", EDITOR, str(folder), str(i), "60"]) for i in range(2)]
    assert [e.wait(120) for e in editors] == [0, 0]
    assert load_film(folder).shot("A010").title == "120"


def test_the_owner_is_named_and_a_second_program_may_look(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    doc = Document.open(folder)
    with pytest.raises(Locked, match=f"on {os.uname().nodename}"):
        Document.open(folder)
    looking = Document.open(folder, read_only=True)
    doc.change_shot("Edit", shot("A010", "now"))
    assert looking.outside() == "shots/A010/shot.json was changed by another program. Press M to take it in."
    looking.take_in()
    assert looking.shot("A010").title == "now"
    with pytest.raises(UserError, match="looking only"):
        looking.change_shot("Edit", shot("A010", "x"))
    looking.close()
    assert (folder / ".lock.json").read_text() != ""  # closing the second one took nothing from the first
    doc.close()
    assert not Document.open(folder).recovered


def test_a_lock_needs_no_room_and_does_not_follow_links(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = made(tmp_path / "film")

    def full(*_: object) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "pwrite", full)
    doc = Document.open(folder)
    with pytest.raises(Locked):
        Document.open(folder)
    doc.close()
    monkeypatch.undo()
    (folder / ".lock.json").unlink()
    (tmp_path / "precious").write_text("mine")
    (folder / ".lock.json").symlink_to(tmp_path / "precious")
    with pytest.raises(UserError, match="Cannot write"):
        Document.open(folder)
    assert (tmp_path / "precious").read_text() == "mine"

    monkeypatch.setattr(fcntl, "flock", full)
    lock = Lock(tmp_path)
    with pytest.raises(UserError, match="keeps no locks"):
        lock.take()
    assert not lock.held


def test_a_session_that_cannot_begin_lets_the_lock_go(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = made(tmp_path / "film")
    monkeypatch.setattr("transmixis.shot.session.ReadingStore", lambda *a: 1 / 0)
    with pytest.raises(ZeroDivisionError):
        Session.open(folder)
    monkeypatch.undo()
    (folder / "analysis").mkdir()
    (folder / "analysis" / "readings.jsonl").mkdir()  # cannot be read: everything is measured again
    Session.open(folder).close()


# -- commands that touch several shots

WIDE = """
import sys
from pathlib import Path
from transmixis.shot.document import Document
doc = Document.open(Path(sys.argv[1]))
n = int(doc.film.production.name) if doc.film.production.name.isdigit() else 0
while True:
    n += 1
    film = doc.film
    shots = tuple(s.model_copy(update={"title": str(n)}) for s in film.shots)
    doc.apply("All", film.model_copy(update={"shots": shots, "production": film.production.model_copy(update={"name": str(n)})}))
    print(n, flush=True)
"""


def test_a_film_wide_command_is_whole_after_a_kill(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    rng = random.Random(3)
    for _ in range(KILLS):
        editor = subprocess.Popen([sys.executable, "-c", WIDE, str(folder)], stdout=subprocess.PIPE, text=True)
        assert editor.stdout is not None
        editor.stdout.readline()
        time.sleep(rng.uniform(0, 0.03))
        editor.kill()
        said = editor.communicate()[0].split()
        looked = load_film(folder)  # somebody who only looks sees a whole command too
        doc = Document.open(folder)
        assert doc.film == looked
        names = {doc.film.production.name, *(s.title for s in doc.film.shots)}
        assert len(names) == 1, names
        if said:
            assert int(names.pop()) - int(said[-1]) in (0, 1)
        assert not (folder / JOURNAL).exists()
        doc.close()
    assert not list(folder.rglob(".*.part"))


@pytest.mark.parametrize("fails_at", range(1, 8))
def test_a_save_that_fails_anywhere_is_all_or_nothing(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, fails_at: int) -> None:
    """The disk is full from the n-th write on: what the program says and what the disk holds agree."""
    folder = made(tmp_path / "film")
    doc = Document.open(folder)
    count = itertools.count(1)

    def filling(path: Path, data: bytes) -> None:
        if next(count) >= fails_at:
            raise UserError("Cannot save (No space left on device)")
        write_atomically(path, data)

    monkeypatch.setattr(disk, "write_atomically", filling)
    try:
        doc.apply("All", titled(doc.film, "new"))
    except UserError:
        assert fails_at == 1
    assert load_film(folder) == doc.film
    assert doc.film.production.name == ("Film" if fails_at == 1 else "new")
    monkeypatch.undo()
    doc.change_shot("One more", shot("A020", "later"))  # a single file must not be undone by what still lies in the journal
    assert load_film(folder) == doc.film
    doc.close()
    assert load_film(folder).shot("A020").title == "later"
    assert load_film(folder).shot("A010").title == ("0" if fails_at == 1 else "new")


def test_a_reader_sees_whole_commands_while_another_writes(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    editor = subprocess.Popen([sys.executable, "-c", WIDE, str(folder)], stdout=subprocess.PIPE, text=True)
    assert editor.stdout is not None
    editor.stdout.readline()
    seen = set()
    for _ in range(60):
        with contextlib.suppress(UserError):  # written faster than it can be read: said, and tried again
            film = load_film(folder)
        names = {film.production.name, *(s.title for s in film.shots)}
        assert len(names) == 1
        seen |= names
    editor.kill()
    editor.communicate()
    assert len(seen) > 1


def test_a_journal_of_strangers_is_refused_and_left(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    for text in ('{"../../evil": "x"}', "[1]", '{"shots/../../x/shot.json": ""}', '{"production.json": 5}', "{"):
        (folder / JOURNAL).write_text(text)
        with pytest.raises(UserError, match=r"journal"):
            Document.open(folder)
        assert (folder / JOURNAL).read_text() == text
    assert not (tmp_path / "evil").exists()


def test_codes_in_files_are_checked_against_their_folder(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    path = folder / "shots" / "A010" / "shot.json"
    whole = path.read_text()
    path.write_text(whole.replace('"A010"', '"../../evil"'))
    with pytest.raises(UserError, match="cannot be a shot code"):
        Document.open(folder)
    path.write_text(whole.replace('"A010"', '"A099"'))
    with pytest.raises(UserError, match="is not the code of its folder"):
        Document.open(folder)
    path.write_text(whole)
    listed = folder / "production.json"
    listed.write_text(listed.read_text().replace('"A020"', '"A010"'))
    with pytest.raises(UserError, match="two shots have the code 'A010'"):
        Document.open(folder)
    with pytest.raises(UserError, match="same code"):
        save_film(tmp_path, Film(production=Production(name="x"), shots=(shot("A"), shot("A"))))


def test_a_shot_folder_that_leads_out_is_not_written_through(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    away = tmp_path / "away"
    shutil.move(folder / "shots" / "A010", away)
    (folder / "shots" / "A010").symlink_to(away)
    with pytest.raises(UserError, match="leads out of the production"):
        Document.open(folder)


# -- the world outside


def test_a_renamed_folder_is_told_and_never_made_anew(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    session = Session.open(folder)
    doc = session.document
    folder.rename(tmp_path / "elsewhere")
    assert "moved, renamed or taken away" in doc.outside()
    with pytest.raises(UserError, match="moved, renamed or taken away"):
        doc.change_shot("Edit", shot("A010", "x"))
    doc.log.add("note", "x")
    session.readings.put("k", [])
    session.analyses.get_or_make("k", lambda: {"a": math.pi})  # type: ignore[dict-item]
    session.close()
    assert not folder.exists()
    # another production under the old name is not ours either
    other = made(tmp_path / "film")
    assert load_film(other).shot("A010").title == "0"
    assert load_film(tmp_path / "elsewhere").shot("A010").title == "0"


def test_a_shot_changed_from_outside_is_not_written_over(tmp_path: Path) -> None:
    folder = made(tmp_path / "film")
    doc = Document.open(folder)
    path = folder / "shots" / "A010" / "shot.json"
    path.write_text(path.read_text().replace('"title": "0"', '"title": "theirs"'))
    with pytest.raises(UserError, match="changed by another program"):
        doc.change_shot("Edit", shot("A010", "mine"))
    assert doc.shot("A010").title == "0"
    doc.change_shot("Edit", shot("A020", "mine"))  # others go on
    doc.take_in()
    assert (doc.shot("A010").title, doc.shot("A020").title) == ("theirs", "mine")
    doc.undo()
    assert load_film(folder).shot("A010").title == "0"
    doc.close()


def test_a_shot_that_stands_unlisted_is_kept_aside(tmp_path: Path) -> None:
    folder = made(tmp_path / "film", ("A010",))
    doc = Document.open(folder)
    doc.undo()
    (folder / "shots" / "A020").mkdir()
    (folder / "shots" / "A020" / "shot.json").write_text("by hand")
    doc.change_shot("Add", shot("A020"))
    assert (folder / "shots" / "A020" / "shot.before-1.json").read_text() == "by hand"
    doc.close()


# -- what no reader could take

BAD = (math.nan, math.inf, -math.inf, "\ud800", {"a": math.nan}, ["\udfff"], 10**400, {"\ud800": 1}, object(), 2**60)


@pytest.mark.parametrize("value", BAD, ids=range(len(BAD)))
def test_what_could_not_be_read_again_never_reaches_a_file(tmp_path: Path, value: object) -> None:
    folder = made(tmp_path / "film")
    doc = Document.open(folder)
    before = (folder / "shots" / "A010" / "shot.json").read_bytes()
    step = Step(id="s", kind="place", name="S", params={"x": value})
    with pytest.raises(UserError, match="Shot A010 cannot be kept so"):
        doc.change_shot("Edit", shot("A010").model_copy(update={"steps": (step,)}))
    if isinstance(value, (str, float)):
        with pytest.raises(UserError, match="cannot be kept so"):
            doc.change_shot("Edit", shot("A010").model_copy(update={"title": value}))
    doc.log.add("note", f"{value!r}" if not isinstance(value, str) else value, value=value)
    assert (folder / "shots" / "A010" / "shot.json").read_bytes() == before
    doc.close()
    again = Document.open(folder)
    assert again.log.entries()[-1].kind == "note"
    json.loads((folder / "log.jsonl").read_text().splitlines()[-1], parse_constant=lambda c: pytest.fail(c))
    again.close()


PLAIN = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=4), inner, max_size=3),
    max_leaves=8,
)


@given(PLAIN)
def test_whatever_is_dumped_is_read_back_the_same(value: object) -> None:
    if fault_in(value):
        with pytest.raises(ValueError):
            dumps(value)
    else:
        assert json.loads(dumps(value)) == value
