"""Rendering a work order: caching by content, cycles, missing frames, proposals, delivering and going on."""

from __future__ import annotations

import contextlib
import itertools
import json
import os
import random
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from tinyplates import tiny_frame

from transmixis.core.errors import Cancelled, UserError
from transmixis.core.progress import Progress, words_for_seconds
from transmixis.media.cache import FrameCache
from transmixis.media.source import open_source
from transmixis.media.still import read_coded, write_still
from transmixis.shot.bare import bare_shot
from transmixis.shot.deliver import deliver, file_hash, frame_path
from transmixis.shot.document import Document
from transmixis.shot.given import refuse_cycles
from transmixis.shot.keyjob import KeyJob, run_key
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Shot
from transmixis.shot.outputs import Standing
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.session import Session
from transmixis.shot.steps import KINDS, kind_of
from transmixis.shot.stored import ReadingStore
from transmixis.shot.workorder import add_step, first_work_order, move_step, new_shot, plate_from, remove_step

SURVEY = ("steadiness", "exposure", "sharpness", "timing", "marks")


def made_shot(plates: Path) -> Shot:
    shot = None
    for name in ("take.0001.png", "clean_empty.png", "background_sky.png"):
        plate, info = plate_from(plates, plates / name, shot)
        shot = shot.model_copy(update={"plates": (*shot.plates, plate)}) if shot else new_shot("T010", "", info, plate, "24")
    assert shot is not None
    return first_work_order(shot)


def renderer_for(plates: Path, shot: Shot | None = None, cache: int = 1 << 28) -> Renderer:
    return Renderer(shot or made_shot(plates), Material(plates), FrameCache(cache))


def test_first_work_order_follows_the_roles(tiny_plates: Path) -> None:
    shot = made_shot(tiny_plates)
    assert [p.role for p in shot.plates] == ["hero", "clean", "background"]
    assert [s.kind for s in shot.steps] == [*SURVEY, "garbage_matte", "screen_key", "match", "place", "edges"]
    assert shot.step("screen_key").inputs == {"plate": "plate:hero", "clean": "plate:clean", "garbage": "step:garbage_matte"}
    assert shot.step("place").inputs == {"front": "step:match", "back": "plate:background"}
    assert output_ref(shot) == "step:place"
    without = shot.model_copy(update={"plates": shot.plates[:1]})
    assert [s.kind for s in first_work_order(without).steps] == [*SURVEY, "garbage_matte", "screen_key"]


def test_every_step_measures_every_frame(tiny_plates: Path) -> None:
    r = renderer_for(tiny_plates)
    for step in r.shot.steps:
        for n in range(1, r.shot.length + 1):
            readings = r.measure(step.id, n)
            assert readings, (step.id, n)
            assert all(x.value is not None or x.note for x in readings)


def test_same_inputs_same_bytes_and_only_what_changed_is_made_again(tiny_plates: Path) -> None:
    r = renderer_for(tiny_plates)
    one = r.product("step:place", 3).picture
    two = renderer_for(tiny_plates).product("step:place", 3).picture
    assert one is not None
    assert two is not None
    assert np.array_equal(one, two)
    step = r.shot.step("place")
    changed = Renderer(r.shot.with_step(step.model_copy(update={"params": {"opacity": 0.5}})), r.material, r.cache, r.analyses)
    assert changed.key("step:screen_key", 3) == r.key("step:screen_key", 3)
    assert changed.key("step:place", 3) != r.key("step:place", 3)
    assert changed.is_cached("step:match", 3)
    assert not changed.is_cached("step:place", 3)


def test_products_cannot_be_changed_by_who_gets_them(tiny_plates: Path) -> None:
    picture = renderer_for(tiny_plates).product("step:screen_key", 1).picture
    assert picture is not None
    with pytest.raises(ValueError, match="read-only"):
        picture[0] = 1


def test_a_changed_file_is_noticed(tiny_plates: Path) -> None:
    before = renderer_for(tiny_plates).key("step:screen_key", 2)
    write_still(tiny_plates / "take.0002.png", tiny_frame(2, shift=4), kind="uint8")
    assert renderer_for(tiny_plates).key("step:screen_key", 2) != before


def test_a_missing_frame_is_a_reading_and_the_rest_goes_on(tiny_plates: Path) -> None:
    (tiny_plates / "take.0003.png").unlink()
    (tiny_plates / "take.0005.png").write_bytes(b"")
    r = renderer_for(tiny_plates)
    bad = r.measure("screen_key", 3)
    assert bad[0].value is None
    assert "Frame 3" in bad[0].note
    assert "0 bytes" in r.measure("screen_key", 5)[0].note
    assert r.measure("screen_key", 2)[0].value is not None


def test_cycles_are_refused_with_their_path(tiny_plates: Path) -> None:
    shot = made_shot(tiny_plates)
    loop = shot.with_step(
        shot.step("match").model_copy(update={"inputs": {"subject": "step:place", "plate": "plate:background"}})
    )
    with pytest.raises(UserError, match="Match → Place → Match"):
        refuse_cycles(loop)


def test_an_unconnected_or_unknown_input_says_what_to_do(tiny_plates: Path) -> None:
    shot = made_shot(tiny_plates)
    bare = shot.with_step(shot.step("match").model_copy(update={"inputs": {}}))
    assert "needs what is placed" in renderer_for(tiny_plates, bare).measure("match", 1)[0].note
    gone = shot.with_step(
        shot.step("match").model_copy(update={"inputs": {"subject": "step:nobody", "plate": "plate:background"}})
    )
    assert "no step 'nobody'" in renderer_for(tiny_plates, gone).measure("match", 1)[0].note
    wrong = shot.with_step(shot.step("screen_key").model_copy(update={"params": {"black": 7}}))
    assert "black" in renderer_for(tiny_plates, wrong).measure("screen_key", 1)[0].note


def test_a_step_switched_off_lets_its_input_through(tiny_plates: Path) -> None:
    shot = made_shot(tiny_plates)
    off = renderer_for(tiny_plates, shot.with_step(shot.step("match").model_copy(update={"on": False})))
    a, b = off.product("step:match", 1).picture, off.product("step:screen_key", 1).picture
    assert a is b or np.array_equal(a, b)  # type: ignore[arg-type]
    assert off.measure("match", 1) == []


def test_steps_are_added_moved_and_taken_out(tiny_plates: Path) -> None:
    shot = made_shot(tiny_plates)
    more, step = add_step(shot, "screen_key")
    assert step.id == "screen_key2"
    assert [s.id for s in more.steps].index("screen_key2") == 7
    less = remove_step(more, "match")
    assert less.step("place").inputs["front"] == "step:screen_key"
    assert move_step(less, "edges", 0).steps[0].id == "edges"


def test_proposals_are_measured_and_have_reasons(tiny_plates: Path) -> None:
    r = renderer_for(tiny_plates)
    garbage = r.propose("garbage_matte")
    assert garbage
    xs = [x for x, _ in garbage.values["points"]]
    assert 15 < min(xs) < 24
    assert 40 < max(xs) < 52
    assert garbage.reason
    match = r.propose("match")
    assert match is None or match.reason
    for step in r.shot.steps:
        KINDS[step.kind].Params.model_validate(
            {**step.params, **((r.propose(step.id) or garbage).values if step.id == "garbage_matte" else {})}
        )


def test_place_with_pins_moves_over_time(tiny_plates: Path) -> None:
    from transmixis.shot.model import Pin
    from transmixis.shot.pins import set_pin

    shot = made_shot(tiny_plates)
    placed = shot.step("place")
    placed = placed.model_copy(update={"params": {**placed.params, "shutter": 0.0}})
    step = set_pin(set_pin(placed, "x", Pin(frame=1, value=0.0, easing="linear")), "x", Pin(frame=5, value=8.0))
    r = renderer_for(tiny_plates, shot.with_step(step))
    still = renderer_for(tiny_plates, shot)
    moved, there = r.product("step:place", 5).matte, still.product("step:place", 5).matte
    assert moved is not None
    assert there is not None
    assert np.allclose(moved[:, 8:], there[:, :-8], atol=1e-6)


def test_memory_stays_within_the_cache_setting(tiny_plates: Path) -> None:
    r = renderer_for(tiny_plates, cache=200_000)
    for n in range(1, 7):
        r.product("step:place", n)
        assert r.cache.used <= 200_000


# -- delivering


@pytest.mark.parametrize("ending", [".####.exr", ".%03d.png", ".tif"])
def test_sequences_are_delivered_and_read_back(tiny_plates: Path, tmp_path: Path, ending: str) -> None:
    r = renderer_for(tiny_plates)
    target = tmp_path / "out" / f"T010{ending}"
    report = deliver(r, "step:place", target, range(1, 7), Progress())
    assert (report.made, report.failed) == (6, {})
    source = open_source(frame_path(target, 1))
    assert source.info.count == 6
    want = r.product("step:place", 4).picture
    assert want is not None
    assert np.abs(source.read(4) - want).max() < 2e-3


@pytest.mark.parametrize("ending", ["mov", "mp4", "mkv"])
def test_movies_are_delivered_at_the_shots_rate(tiny_plates: Path, tmp_path: Path, ending: str) -> None:
    shot = made_shot(tiny_plates).model_copy(update={"rate": "25"})
    report = deliver(renderer_for(tiny_plates, shot), "step:place", tmp_path / f"T010.{ending}", range(1, 7), Progress())
    assert report.made == 6
    info = open_source(tmp_path / f"T010.{ending}").info
    assert (info.count, info.rate, info.width) == (6, Fraction(25), 64)
    assert sorted(p.name for p in tmp_path.iterdir() if p.name.startswith(".")) == [f".T010.{ending}.frames.json"]


def test_finished_frames_are_not_made_again_unless_changed(tiny_plates: Path, tmp_path: Path) -> None:
    target = tmp_path / "T010.####.exr"
    assert deliver(renderer_for(tiny_plates), "step:place", target, range(1, 7), Progress()).made == 6
    assert deliver(renderer_for(tiny_plates), "step:place", target, range(1, 7), Progress()).kept == 6
    frame_path(target, 2).write_bytes(b"damaged")
    frame_path(target, 5).unlink()
    with pytest.raises(Standing, match=r"T010\.0002\.exr"):  # not ours any more, as far as can be told
        deliver(renderer_for(tiny_plates), "step:place", target, range(1, 7), Progress())
    again = deliver(renderer_for(tiny_plates), "step:place", target, range(1, 7), Progress(), overwrite=True)
    assert (again.made, again.kept) == (2, 4)
    assert deliver(renderer_for(tiny_plates), "step:place", target, range(1, 7), Progress(), resume=False).made == 6


@pytest.mark.parametrize("name", ["a.####.png", "a.mkv"])
def test_a_delivery_cut_off_at_any_write_goes_on(
    tiny_plates: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str
) -> None:
    """Cut off just before and just after a file gets its name, the first time and when the work has changed since."""
    whole = tmp_path / f"whole.{name.split('.', 1)[1]}"
    for ref in ("step:place", "step:screen_key"):
        for moment in ("before", "after"):
            for cut in (1, 2, 4):
                count = itertools.count(1)

                def replace(a: Path, b: Path, cut: int = cut, moment: str = moment, count: Iterator[int] = count) -> None:
                    ours = Path(b).suffix in (".png", ".mkv")
                    n = next(count) if ours else 0
                    if n == cut and moment == "before":
                        raise KeyboardInterrupt
                    os.rename(a, b)
                    if n == cut:
                        raise KeyboardInterrupt

                monkeypatch.setattr(os, "replace", replace)
                with contextlib.suppress(KeyboardInterrupt):
                    deliver(renderer_for(tiny_plates), ref, tmp_path / name, range(1, 7), Progress())
                monkeypatch.undo()
        deliver(renderer_for(tiny_plates), ref, tmp_path / name, range(1, 7), Progress())
        deliver(renderer_for(tiny_plates), ref, whole, range(1, 7), Progress())
        for n in range(1, 7):
            pair = [p if p.suffix == ".mkv" else frame_path(p, n) for p in (tmp_path / name, whole)]
            assert file_hash(pair[0]) == file_hash(pair[1])


def test_cancelled_delivery_goes_on_where_it_stopped(tiny_plates: Path, tmp_path: Path) -> None:
    progress = Progress(lambda share, *_: progress.cancel() if share >= 0.5 else None)
    with pytest.raises(Cancelled):
        deliver(renderer_for(tiny_plates), "step:place", tmp_path / "a.mkv", range(1, 7), progress)
    assert not (tmp_path / "a.mkv").exists()
    report = deliver(renderer_for(tiny_plates), "step:place", tmp_path / "a.mkv", range(1, 7), Progress())
    assert report.kept >= 3
    deliver(renderer_for(tiny_plates), "step:place", tmp_path / "b.mkv", range(1, 7), Progress())
    assert file_hash(tmp_path / "a.mkv") == file_hash(tmp_path / "b.mkv")


def test_a_frame_that_cannot_be_made_is_reported(tiny_plates: Path, tmp_path: Path) -> None:
    (tiny_plates / "take.0004.png").unlink()
    report = deliver(renderer_for(tiny_plates), "step:place", tmp_path / "a.####.png", range(1, 7), Progress())
    assert list(report.failed) == [4]
    assert "missing" in report.failed[4]
    assert report.made == 5


def test_wrong_targets_say_what_to_do(tiny_plates: Path, tmp_path: Path) -> None:
    r = renderer_for(tiny_plates)
    with pytest.raises(UserError, match="no ending that can be written"):
        deliver(r, "step:place", tmp_path / "a.gif", range(1, 2), Progress())
    (tmp_path / "file").write_text("x")
    with pytest.raises(UserError, match="choose a place"):
        deliver(r, "step:place", tmp_path / "file" / "a.####.png", range(1, 2), Progress())
    report = deliver(r, "step:edges", tmp_path / "a.####.png", range(1, 2), Progress())
    assert "readings only" in report.failed[1]


RENDER = """
import sys
from pathlib import Path
from transmixis.core.progress import Progress
from transmixis.shot.deliver import deliver
from transmixis.shot.session import Session
s = Session.open(Path(sys.argv[1]), read_only=True)
print("go", flush=True)
deliver(s.renderer("T010"), "step:place", Path(sys.argv[2]), range(1, 7), Progress(lambda a, t, l: print(t, flush=True)))
"""


def test_kill_while_rendering_and_the_resumed_render_is_the_same_byte_for_byte(tiny_plates: Path, tmp_path: Path) -> None:
    folder = tmp_path / "film"
    doc = Document.create(folder, "Film")
    shutil.copytree(tiny_plates, folder / "plates")
    shot = made_shot(folder / "plates")
    plates = tuple(p.model_copy(update={"path": f"plates/{p.path}"}) for p in shot.plates)
    doc.change_shot("Add", shot.model_copy(update={"plates": plates}))
    doc.close()
    whole = tmp_path / "whole"
    session = Session.open(folder, read_only=True)
    deliver(session.renderer("T010"), "step:place", whole / "a.####.exr", range(1, 7), Progress())
    rng = random.Random(2)
    for i in range(6):
        part = tmp_path / f"part{i}"
        job = subprocess.Popen(
            [sys.executable, "-c", RENDER, str(folder), str(part / "a.####.exr")], stdout=subprocess.PIPE, text=True
        )
        assert job.stdout is not None
        for _ in range(rng.randint(1, 6)):
            job.stdout.readline()
        time.sleep(rng.uniform(0, 0.01))
        os.kill(job.pid, signal.SIGKILL)
        job.stdout.close()
        job.wait()
        deliver(session.renderer("T010"), "step:place", part / "a.####.exr", range(1, 7), Progress())
        for n in range(1, 7):
            assert file_hash(frame_path(part / "a.####.exr", n)) == file_hash(frame_path(whole / "a.####.exr", n))
    session.close()


def test_stored_readings_and_analyses_survive_and_broken_ones_are_made_again(tiny_plates: Path, tmp_path: Path) -> None:
    folder = tmp_path / "film"
    doc = Document.create(folder, "Film")
    plates = tuple(p.model_copy(update={"path": str(tiny_plates / p.path)}) for p in made_shot(tiny_plates).plates)
    doc.change_shot("Add", made_shot(tiny_plates).model_copy(update={"plates": plates}))
    session = Session(doc)
    first = session.renderer("T010").measure("screen_key", 2)
    session.close()
    session = Session.open(folder)
    r = session.renderer("T010")
    assert r.has_analysis("screen_key")
    assert r.known_readings("screen_key", 2) == first
    session.close()
    for f in (folder / "analysis").glob("*.npz"):
        f.write_bytes(f.read_bytes()[:40])
    (folder / "analysis" / "readings.jsonl").write_text('{"key": "x", "readi')
    session = Session.open(folder)
    assert session.renderer("T010").measure("screen_key", 2) == first
    session.close()


def test_key_job_writes_matte_foreground_and_comp(tiny_plates: Path, tmp_path: Path) -> None:
    (tiny_plates / "take.0004.png").unlink()
    job = KeyJob(tiny_plates / "take.0001.png", clean=tiny_plates / "clean_empty.png", over=tiny_plates / "background_sky.png")
    result = run_key(job, tmp_path / "out", Progress())
    assert list(result["failed"]) == ["4"]
    assert len(result["frames"]) == 5
    assert json.dumps(result)
    matte = read_coded(tmp_path / "out" / "matte.0002.exr")[..., 0]
    assert matte[25, 30] > 0.98
    assert matte[3, 3] < 0.02
    fore = read_coded(tmp_path / "out" / "foreground.0002.exr")
    assert fore.shape[2] == 4
    assert np.allclose(fore[..., 3], matte)
    comp, sky = read_coded(tmp_path / "out" / "comp.0002.exr"), open_source(tiny_plates / "background_sky.png").read(1)
    assert np.abs(comp[:10] - sky[:10]).max() < 0.02


def test_words_for_time_left() -> None:
    assert words_for_seconds(6.2) == "6 s left"
    assert words_for_seconds(200) == "3 min left"
    assert words_for_seconds(9000) == "2.5 h left"
    assert words_for_seconds(None) == ""


def test_a_key_holds_all_that_a_product_depends_on(tiny_plates: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A newer version of a kind, another size, another frame before: each makes another key, so nothing old is shown for new."""
    shot, _ = bare_shot(tiny_plates / "take.0001.png", None)
    shot = first_work_order(shot)
    refs = {s.kind: f"step:{s.id}" for s in shot.steps}

    def keys(of: Shot, frame: int = 3) -> dict[str, str]:
        r = Renderer(of, Material(Path.cwd()))
        return {k: r.key(ref, frame) for k, ref in refs.items()}

    before = keys(shot)
    assert keys(shot) == before
    kind = kind_of("screen_key")
    with monkeypatch.context() as m:
        m.setattr(kind, "version", kind.version + 1)
        assert keys(shot)["screen_key"] != before["screen_key"]
        r, old = Renderer(shot, Material(Path.cwd())), Renderer(shot, Material(Path.cwd()))
        whole = r.whole_key(refs["screen_key"])
        m.undo()
        assert old.whole_key(refs["screen_key"]) != whole
    wider = shot.model_copy(update={"width": shot.width + 2})
    assert keys(wider)["screen_key"] != before["screen_key"]
    assert keys(shot, 4)["screen_key"] != before["screen_key"]


def test_a_reading_that_looks_back_depends_on_the_frame_before(tiny_plates: Path) -> None:
    """Boil compares with the frame before: a setting that is pinned there alone changes what is read here."""
    shot, _ = bare_shot(tiny_plates / "take.0001.png", None)
    shot = first_work_order(shot)
    key = next(s for s in shot.steps if s.kind == "screen_key")
    assert kind_of("screen_key").frames_back == 1
    store = ReadingStore(None)
    plain = Renderer(shot, Material(Path.cwd()), readings=store)
    plain.measure(key.id, 3)
    pins = {"white": (Pin(frame=2, value=0.5), Pin(frame=3, value=1.0))}
    pinned = shot.with_step(key.model_copy(update={"pins": pins, "params": {**key.params, "white": 1.0}}))
    r = Renderer(pinned, Material(Path.cwd()), readings=store)
    assert r.key(f"step:{key.id}", 2) != plain.key(f"step:{key.id}", 2)
    assert r.known_readings(key.id, 3) is None
