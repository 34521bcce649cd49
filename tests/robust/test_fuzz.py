"""Damaged documents, media and command lines: one sentence each, never a traceback, a hang or a flood.

Short in the suite; `make fuzz` runs thousands (TRANSMIXIS_FUZZ says how many of each).
"""

from __future__ import annotations

import copy
import json
import os
import random
import shutil
import time
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from clirun import ran
from tinyplates import tiny_frame

from transmixis.core.errors import UserError
from transmixis.media.movie import MovieWriter
from transmixis.media.source import open_source
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.edits import do
from transmixis.shot.session import Session
from transmixis.shot.workorder import first_work_order, new_shot, plate_from

MANY = int(os.environ.get("TRANSMIXIS_FUZZ", "0"))
LONGEST = 10.0  # seconds for any one of them
KINDS = ("png", "jpg", "tif", "exr", "dpx", "mov", "mp4", "mkv")

ODD: tuple[Any, ...] = (
    None, True, -1, 0, 10**18, 1e308, -1e-308, "", "x" * 5000, "\u0000", "../../evil", "1/0", "1e9999999", "plate:", "step:step",
    [], {}, [[[[[[]]]]]], {"a": {"b": {}}}, "2026-02-31", "NaN", ["hero"], 3.5, "\u202e",
)  # fmt: skip


def one_sentence(words: str) -> None:
    assert words.strip()
    assert "Traceback" not in words
    assert words.strip().count("\n") == 0, words
    assert len(words) < 1200, len(words)


# -- documents


LARGE = "shots/A010/steps/shapes.json"  # a step in a file of its own


@pytest.fixture(scope="module")
def small_film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("fuzz") / "film"
    doc = Document.create(folder, "Film")
    (folder / "plates").mkdir()
    for n in (1, 2):
        write_still(folder / "plates" / f"take.{n:04d}.png", tiny_frame(n), kind="uint8")
    write_still(folder / "plates" / "background.png", np.full((48, 64, 3), 0.3, np.float32), kind="uint8")
    plate, info = plate_from(folder, folder / "plates" / "take.0001.png", None)
    shot = new_shot("A010", "", info, plate, "24")
    back, _ = plate_from(folder, folder / "plates" / "background.png", shot)
    doc.change_shot("Add", first_work_order(shot.model_copy(update={"plates": (plate, back)})))
    drawn = [[i, 10 + i % 20, 10 + i // 3] for i in range(1, 61)]
    made = do(doc, "A010", "step.add", kind="shapes").made
    for n in (1, 2):
        do(doc, "A010", "step.pin", step=made, param="outline", frame=n, value=[[*m, 0][:3] for m in drawn])
    doc.change_step("Longer", "A010", doc.shot("A010").step(made).model_copy(update={"params": {"outline": drawn * 1}}))
    do(doc, "A010", "part.make", name="Drawn", steps=[made, "place"])
    doc.close()
    assert (folder / LARGE).exists()
    return folder


def places(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    out = [path]
    for k, v in value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ():
        out += places(v, (*path, k))
    return out


def changed(data: Any, rng: random.Random) -> Any:
    """A document with one place taken out, doubled or replaced by something odd."""
    data = copy.deepcopy(data)
    path = rng.choice(places(data)[1:])
    node = data
    for k in path[:-1]:
        node = node[k]
    how = rng.random()
    if how < 0.25:
        del node[path[-1]]
    elif how < 0.35 and isinstance(node, list):
        node.append(copy.deepcopy(node[path[-1]]))
    elif how < 0.45 and isinstance(node, dict):
        node[rng.choice(("new", "kind", "id", "schema_number"))] = rng.choice(ODD)
    else:
        node[path[-1]] = rng.choice(ODD)
    return data


def damaged(content: bytes, rng: random.Random) -> bytes:
    """Bytes cut off, turned, doubled or written over."""
    if not content:
        return content
    b = bytearray(content)
    for _ in range(rng.choice((1, 1, 2, 8, 40))):
        i = rng.randrange(len(b))
        how = rng.random()
        if how < 0.45:
            b[i] = rng.randrange(256)
        elif how < 0.6:
            b[i : i + 4] = rng.choice((b"\xff\xff\xff\xff", b"\x00\x00\x00\x00", b"\x7f\xff\xff\xff", b"\xff\xff\xff\x7f"))
        elif how < 0.75:
            j = min(len(b), i + rng.randrange(1, 64))
            b[i:i] = b[i:j]
        elif how < 0.9:
            del b[i : i + rng.randrange(1, 64)]
        else:
            del b[i:]
        if not b:
            return bytes(b)
    return bytes(b)


def mutated(path: Path, rng: random.Random) -> bytes:
    whole = path.read_bytes()
    if rng.random() < 0.3:
        return damaged(whole, rng)
    return json.dumps(changed(json.loads(whole), rng)).encode()


SPECIAL: tuple[Callable[[bytes], bytes], ...] = (
    lambda b: b"[" * 200_000,
    lambda b: b.replace(b'"length": 2', b'"length": ' + b"9" * 5000),
    lambda b: b.replace(b'"length": 2', b'"length": NaN'),
    lambda b: b.replace(b'"title": ""', b'"title": "\\ud800"'),
    lambda b: b.replace(b'"rate": "24"', b'"rate": "1/0"'),
    lambda b: b.replace(b'"rate": "24"', b'"rate": "1e9999999"'),
    lambda b: b.replace(b'"rate": "24"', b'"rate": "' + b"1" * 100_000 + b'"'),
    lambda b: b"\xff\xfe" + b,
    lambda b: b"",
    lambda b: b.replace(b'"path": "', b'"path": "\\u0000'),
)


def test_mutated_documents_give_one_sentence_or_open(small_film: Path, tmp_path: Path) -> None:
    rng = random.Random(1)
    folder = tmp_path / "film"
    shutil.copytree(small_film, folder)
    names = ["shots/A010/shot.json"] * 4 + [LARGE] * 2 + ["production.json", "log.jsonl"]
    whole = {n: (folder / n).read_bytes() for n in set(names)}
    opened = 0
    for i in range(MANY or 150):
        name = names[0] if i < len(SPECIAL) else rng.choice(names)
        content = SPECIAL[i](whole[name]) if i < len(SPECIAL) else mutated(small_film / name, rng)
        (folder / name).write_bytes(content)
        began = time.monotonic()
        try:
            session = Session.open(folder)
        except UserError as e:
            one_sentence(str(e))
        else:
            opened += 1
            try:
                for shot in session.document.film.shots:
                    for step in shot.steps:
                        session.renderer(shot.code).measure(step.id, 1)
            except UserError as e:
                one_sentence(str(e))
            finally:
                session.close()
        assert time.monotonic() - began < LONGEST, content[:300]
        assert (folder / name).read_bytes() == content or name == "log.jsonl"
        assert not list(tmp_path.glob("evil*"))
        (folder / name).write_bytes(whole[name])
    assert opened > 10


# -- media


def made_media(folder: Path) -> dict[str, Path]:
    frames = [np.clip(tiny_frame(n), 0, 1) for n in (1, 2, 3)]
    out = {}
    for kind in KINDS:
        path = folder / f"m_{kind}.{kind}"
        if kind in ("mov", "mp4", "mkv"):
            codec = {"mov": "prores", "mp4": "h264", "mkv": "ffv1"}[kind]
            writer = MovieWriter(path, codec, 64, 48, Fraction(24))
            for f in frames:
                writer.write(f)
            writer.finish()
        else:
            write_still(path, frames[0], kind="half" if kind == "exr" else "uint8")
        out[kind] = path
    return out


def test_mutated_media_give_one_sentence_or_frames(tmp_path: Path) -> None:
    rng = random.Random(2)
    media = {k: p.read_bytes() for k, p in made_media(tmp_path).items()}
    read = refused = 0
    for i in range(MANY or 240):
        kind = KINDS[i % len(KINDS)]
        path = tmp_path / f"damaged.{kind}"
        path.write_bytes(damaged(media[kind], rng))
        began = time.monotonic()
        try:
            source = open_source(path)
            try:
                for n in range(1, min(source.info.count, 3) + 1):
                    picture = source.read(n)
                    assert picture.shape[:2] == (source.info.height, source.info.width)
                    assert np.isfinite(picture).all()
                    read += 1
            finally:
                source.close()
        except UserError as e:
            one_sentence(str(e))
            refused += 1
        assert time.monotonic() - began < LONGEST
    assert read > 20
    assert refused > 20


def jpeg_claiming(path: Path, width: int, height: int) -> None:
    """A small JPEG whose head says another size."""
    write_still(path, np.full((48, 64, 3), 0.3, np.float32), kind="uint8")
    b = bytearray(path.read_bytes())
    at = next(i for i in range(len(b) - 1) if b[i] == 0xFF and b[i + 1] in (0xC0, 0xC1, 0xC2))
    b[at + 5 : at + 9] = height.to_bytes(2, "big") + width.to_bytes(2, "big")
    path.write_bytes(bytes(b))


def test_a_head_that_claims_more_than_the_bytes_hold_takes_no_memory(tmp_path: Path) -> None:
    jpeg_claiming(tmp_path / "big.jpg", 14000, 14000)
    with pytest.raises(UserError, match=r"14000 x 14000, which \d+ bytes cannot hold|header claims a"):
        open_source(tmp_path / "big.jpg")
    jpeg_claiming(tmp_path / "vast.jpg", 60000, 60000)
    with pytest.raises(UserError, match=r"more than can be opened|header claims a"):
        open_source(tmp_path / "vast.jpg")


def test_folders_pipes_and_nothing_where_a_file_is_meant(tmp_path: Path) -> None:
    (tmp_path / "movie.mp4").mkdir()
    (tmp_path / "pic.png").mkdir()
    os.mkfifo(tmp_path / "pipe.png")
    os.mkfifo(tmp_path / "pipe.mov")
    (tmp_path / "none.exr").touch()
    for name in ("movie.mp4", "pic.png", "pipe.png", "pipe.mov", "none.exr", "gone.png", "x" * 300 + ".png", "a\0b.png"):
        with pytest.raises(UserError) as e:
            open_source(tmp_path / name)
        one_sentence(str(e.value))


def test_one_damaged_frame_ends_no_job_of_many(tmp_path: Path) -> None:
    for n in range(1, 6):
        write_still(tmp_path / f"take.{n:04d}.exr", tiny_frame(n), kind="half")
    bad = tmp_path / "take.0003.exr"
    bad.write_bytes(bad.read_bytes().replace(b"channels\0chlist", b"chan\xff\xfe\0\0\xff\xc3list")[:400])
    done = ran("steady", tmp_path / "take.####.exr", "--out", tmp_path / "o" / "s.####.png", "--json")
    told = json.loads(done.stdout)
    assert (told["made"], list(told["failed"])) == (4, ["3"])
    one_sentence(told["failed"]["3"])
    done = ran("key", tmp_path / "take.####.exr", "--out", tmp_path / "k", "--json")
    assert (done.returncode, list(json.loads(done.stdout)["failed"])) == (0, ["3"])


# -- command lines


def test_a_name_of_thousands_does_not_flood_what_is_said_of_it() -> None:
    done = ran("info", "9" * 5000)
    assert done.returncode == 1
    one_sentence(done.stderr)
    assert done.stderr.strip().endswith("rights.")
    for command in (("new",), ("check",), ("plan", "schedule", "--project"), ("shelf", "list")):  # whoever raised it
        done = ran(*command, "9" * 5000)
        assert done.returncode in (1, 2)
        one_sentence(done.stderr)
    assert str(UserError("short")) == "short"


def test_odd_command_lines_end_in_one_sentence(small_film: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    rng = random.Random(3)
    folder = tmp_path / "film"
    shutil.copytree(small_film, folder)
    take = folder / "plates" / "take.0001.png"
    (tmp_path / "dir.png").mkdir()
    os.mkfifo(tmp_path / "pipe.png")
    odd = ["", "nan", "-1", "1/0", "1e9999999", "9" * 5000, "x" * 400, "..", "/dev/zero", str(tmp_path / "dir.png"), "\ud800", "--",
           str(tmp_path / "pipe.png"), "nan,1,1", "1,2", "1,2,inf", "0-0", "1-1000000000", "a=b", "=", "KP010", "%09999999d.png"]  # fmt: skip
    fixed: list[list[object]] = [
        ["new", tmp_path / "n", "--rate", "abc"], ["new", tmp_path / "n", "--rate", "1/0"], ["new", tmp_path / "n", "--rate", "1e9999999"],
        ["even", take, "--out", tmp_path / "e.####.png", "--space", "nonsense"],
        ["dust", take, "--out", tmp_path / "d.####.png", "--spot", "nan,1,1"],
        ["conform", take, "--out", tmp_path / "c.####.png", "--frames", "1000000000"], ["shot", folder, "B010", "--frames", "1000000000"],
        ["render", folder, "A010", "--out", tmp_path / "r.####.png", "--range", "1-1000000000"], ["info", tmp_path / "pipe.png"],
        ["survey", "/dev/zero"], ["open", tmp_path / "dir.png"], ["plan", "takes", "tricks=nothing such"], ["plan", "nothing"],
        ["report", "nothing", folder, "--out", tmp_path / "x.html"], ["add", folder, "../x", take], ["join", take, tmp_path / "dir.png"],
    ]  # fmt: skip
    commands: list[list[object]] = [
        ["info", "@"], ["new", "@", "--rate", "@"], ["add", folder, "@", "@"], ["add", folder, "A010", "@", "--role", "@"],
        ["shot", folder, "@", "--frames", "@"], ["survey", "@", "--clean", "@"], ["even", take, "--out", "@", "--anchor", "@"],
        ["steady", take, "--out", tmp_path / "s.####.png", "--point", "@", "--strength", "@"], ["dust", take, "--out", "@", "--spot", "@"],
        ["conform", take, "--out", "@", "--speed", "@"], ["key", take, "--out", "@", "--black", "@"], ["render", "@", "A010", "--out", "@"],
        ["render", folder, "A010", "--out", tmp_path / "q.@.png", "--range", "@"], ["check", "@", "@"], ["bestframe", "@"], ["join", "@", "@"],
        ["plan", "@", "@"], ["plan", "shutter", "rate=@", "angle=@"], ["plan", "schedule", "--project", "@"], ["report", "log", folder, "--out", "@"],
        ["shelf", "add", folder, "@"], ["shelf", "list", "@"], ["cleanplate", take, "--out", "@"], ["plan", "screen", "--still", take, "--box", "@"],
        ["part", "make", folder, "A010", "@", "@", "@"], ["part", "@", folder, "A010", "@"], ["part", "copy", folder, "A010", "@", "--right", "@"],
        ["part", "move", folder, "A010", "Drawn", "--down", "@", "--frames", "@"], ["edit", folder, "A010", "@", "--with", "@"],
        ["edit", folder, "A010", "step.set", "--with", "step=shapes", "--with", "param=@", "--with", "value=@"],
        ["edit", folder, "@", "part.front", "--with", "part=@"], ["@"], ["--version", "@"],
    ]  # fmt: skip
    for i in range(len(fixed) + (MANY or 60)):
        line = fixed[i] if i < len(fixed) else rng.choice(commands)
        args = [str(a).replace("@", rng.choice(odd)) for a in line]
        if any("\0" in a for a in args):
            continue
        began = time.monotonic()
        if i >= len(fixed) and args[:1] == ["open"]:
            continue
        done = ran(*args) if args[0] != "open" else ran("check", *args[1:])
        assert time.monotonic() - began < LONGEST, args
        assert done.returncode in (0, 1, 2, 3), args
        assert "Traceback" not in done.stderr + done.stdout, args
        if i < len(fixed):
            assert done.returncode in (1, 2), (args, done.stdout)
        if done.returncode == 1:
            assert "went wrong inside" not in done.stderr, (args, done.stderr)
            one_sentence(done.stderr)
