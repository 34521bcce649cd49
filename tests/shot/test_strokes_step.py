"""Strokes: what is cut out at a frame, carried on, stopped with its reason, written as outlines, and from the command line."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here
from shapeshot import LENGTH, SIZE, shot_of, truth, written

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.roto.cover import covered
from transmixis.media.cache import FrameCache
from transmixis.media.exchange.outlines import read_svg
from transmixis.media.still import read_coded
from transmixis.shot.material import Material
from transmixis.shot.model import Step
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of


@pytest.fixture(scope="module")
def plate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return written(tmp_path_factory.mktemp("strokes"))


def hand(frame: int) -> list[list]:
    """A stroke over the thing and one round it."""
    line = truth(frame)
    middle = line.mean(axis=0)
    keep = middle + 0.5 * (line[::24] - middle)
    leave = middle + 1.6 * (line[::8] - middle)
    return [[frame, "in", keep.round(1).tolist()], [frame, "out", leave.round(1).tolist()]]


def made(plate: Path, strokes: list, **params: object) -> Renderer:
    step = Step(
        id="shapes", kind="stroke_cut", name="Blob", inputs={"plate": "plate:hero"}, params={"strokes": strokes, **params}
    )
    return Renderer(shot_of(plate, step), Material(Path.cwd()), FrameCache(1 << 28))


def overlap(r: Renderer, frame: int) -> float:
    matte, wanted = r.product("step:shapes", frame).matte, covered(truth(frame), *SIZE) > 0.5
    assert matte is not None
    mask = matte > 0.5
    return float((mask & wanted).sum() / (mask | wanted).sum())


def test_two_strokes_cut_out_and_are_carried_both_ways(plate: Path) -> None:
    r = made(plate, hand(5))
    assert overlap(r, 5) > 0.85
    for n in (3, 4, 6, 7):
        p = r.product("step:shapes", n)
        if not p.why:
            assert overlap(r, n) > 0.8
    assert not r.product("step:shapes", 6).why
    assert not r.product("step:shapes", 4).why
    told = {x.name: x for x in r.measure("shapes", 6)}
    here_ = {x.name: x for x in r.measure("shapes", 5)}
    assert here_["doubt"].value == 0
    assert here_["border shows"].value == pytest.approx(100)
    assert 0 < told["doubt"].value < told["doubt"].limit  # type: ignore[operator]


def test_it_stops_with_the_reason_and_asks_there(plate: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("transmixis.core.matte.onward.DOUBT_LIMIT", 0.3)
    r = made(plate, hand(1))
    for n in range(1, LENGTH + 1):
        r.product("step:shapes", n)
    stopped = [n for n in range(1, LENGTH + 1) if r.product("step:shapes", n).why]
    assert stopped
    assert stopped == list(range(stopped[0], LENGTH + 1))
    assert f"draw strokes of both sides at frame {stopped[0]}" in r.product("step:shapes", LENGTH).why
    assert "px off" in r.product("step:shapes", LENGTH).why
    found = r.propose("shapes", Progress())
    assert found is not None
    assert found.asks == (stopped[0],)
    reading = r.measure("shapes", LENGTH)[0]
    assert reading.value is None
    assert "draw strokes" in reading.note


def test_strokes_at_another_frame_begin_anew(plate: Path) -> None:
    r = made(plate, [*hand(1), *hand(7)])
    doubts = [next(x for x in r.measure("shapes", n) if x.name == "doubt").value for n in (1, 7)]
    assert doubts == [0, 0]
    assert overlap(r, 7) > 0.85
    only = made(plate, hand(5), carry="not at all")
    assert overlap(only, 5) > 0.85
    assert "no strokes are drawn at this frame" in only.product("step:shapes", 6).why


def test_a_stroke_of_one_side_sets_right_what_was_carried_there(plate: Path) -> None:
    wrong = hand(5)
    before = made(plate, wrong)
    mask = before.product("step:shapes", 6).matte > 0.5  # type: ignore[operator]
    ys, xs = np.nonzero(mask)
    edge = [float(xs[ys == int(ys.mean())].max()) - 2, float(int(ys.mean()))]
    after = made(plate, [*wrong, [6, "out", [edge, [edge[0] + 6, edge[1]]]]])
    told = after.product("step:shapes", 6)
    assert not told.why
    assert told.matte is not None
    assert mask[int(edge[1]), int(edge[0])]
    assert told.matte[int(edge[1]), int(edge[0])] < 0.5
    doubt = next(x for x in after.measure("shapes", 6) if x.name == "doubt").value
    assert doubt is not None
    assert doubt > 0  # it is still the carried one


def test_nothing_drawn_says_what_to_do(plate: Path) -> None:
    with pytest.raises(UserError, match="Nothing is drawn yet"):
        made(plate, []).product("step:shapes", 1)
    with pytest.raises(UserError, match="one on what is to be left"):
        made(plate, hand(1)[:1]).product("step:shapes", 1)


def test_strokes_of_a_frame_are_edited_and_those_of_others_stay(plate: Path) -> None:
    kind = kind_of("stroke_cut")
    step = made(plate, [*hand(1), *hand(7)]).shot.step("shapes")
    handle = kind.handles(None, kind.Params(**step.params), 7)[0]  # type: ignore[arg-type]
    assert handle.here
    assert len(handle.value) == 2
    after = kind.edited(step, handle, 7, [("in", ((1.04, 2.0), (3.0, 4.0)))])
    assert [s[:2] for s in after.params["strokes"]] == [[1, "in"], [1, "out"], [7, "in"]]
    assert after.params["strokes"][-1][2] == [[1.0, 2.0], [3.0, 4.0]]
    assert not kind.handles(None, kind.Params(**step.params), 3)[0].here  # type: ignore[arg-type]


def test_a_frame_is_written_as_an_outline_of_few_points(plate: Path, tmp_path: Path) -> None:
    r = made(plate, hand(5), error=3)
    path = tmp_path / "o.svg"
    words = r.to_file("shapes", 5, path)
    assert "1 outline of frame 5 written" in words
    curve = read_svg(path)[0]
    assert len(curve.segments) < 30
    made(plate, hand(5), error=0.75).to_file("shapes", 5, path)
    assert len(read_svg(path)[0].segments) > len(curve.segments)
    ring = [*hand(5), [5, "out", [truth(5).mean(axis=0).tolist(), (truth(5).mean(axis=0) + 3).tolist()]]]
    made(plate, ring, width=12).to_file("shapes", 5, path)
    joins = [c.joins for c in read_svg(path)]
    assert joins[0] == "add"
    assert "subtract" in joins
    with pytest.raises(UserError, match="Nothing is cut out at frame 9"):
        made(plate, hand(5), carry="not at all").to_file("shapes", 9, path)


def test_from_the_command_line(plate: Path, tmp_path: Path) -> None:
    keep, leave = (",".join(f"{v:.1f}" for p in s[2] for v in p) for s in hand(5))
    args = ("matte", "strokes", plate, "--frame", "5", "--keep", keep, "--leave", leave)
    told = json.loads(here(*args, "--to", "7", "--out", tmp_path / "o", "--json").stdout)
    assert told["frames"][0]["frame"] == 5
    files = sorted((tmp_path / "o").glob("matte.*.exr"))
    assert len(files) == len(told["frames"])
    mask, wanted = read_coded(files[0])[..., 0] > 0.5, covered(truth(5), *SIZE) > 0.5
    assert (mask & wanted).sum() / (mask | wanted).sum() > 0.85
    one = json.loads(here(*args, "--out", tmp_path / "one", "--json").stdout)
    assert len(one["frames"]) == 1
    assert "no frame 99" in here(*args, "--to", "99", "--out", tmp_path / "p", code=1).stderr
    assert (
        "is no stroke"
        in here(
            "matte", "strokes", plate, "--frame", "5", "--keep", "1,2,3", "--leave", leave, "--out", tmp_path / "q", code=2
        ).stderr
    )
    assert (
        "is no stroke"
        in here(
            "matte", "strokes", plate, "--frame", "5", "--keep", "nan,2", "--leave", leave, "--out", tmp_path / "q", code=2
        ).stderr
    )
    assert np.isfinite(told["frames"][0]["readings"][0]["value"])
