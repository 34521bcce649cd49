"""Loops and retimed elements as files and as a step: numbering, coding, what each frame shows, and what is refused."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from loopclips import flame

from transmixis.core.build.codes import from_codes
from transmixis.core.errors import UserError
from transmixis.media.cache import FrameCache
from transmixis.media.source import open_source
from transmixis.media.still import read_coded, write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer

COUNT = 30


@pytest.fixture(scope="module")
def element(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A made flame as a sequence, from frame 101 on."""
    out = tmp_path_factory.mktemp("flame")
    for n, codes in enumerate(flame(1)[:COUNT]):
        write_still(out / f"flame.{101 + n:04d}.png", from_codes(codes), kind="uint16")
    return out / "flame.####.png"


def test_a_loop_is_written_in_the_elements_coding(element: Path, tmp_path: Path) -> None:
    told = json.loads(here("loop", element, "--length", "20", "--blend", "4", "--out", tmp_path / "out", "--json").stdout)
    names = sorted(p.name for p in (tmp_path / "out").iterdir())
    assert names == [*(f"loop.{n:04d}.png" for n in range(1, 21)), "readings.json"]
    cut = told["loop"]
    assert (cut["length"], cut["blend"]) == (20, 4)
    first = read_coded(tmp_path / "out" / "loop.0001.png")
    assert first.dtype == np.uint16
    np.testing.assert_array_equal(first, read_coded(element.parent / f"flame.{100 + cut['first']:04d}.png"))
    assert told["shows"][0] == {"frame": 1, "from": cut["first"], "into": None, "share": 0.0}
    assert told["shows"][-1]["into"] == cut["first"] - 1
    assert {r["name"] for r in told["frames"][-1]["readings"]} == {"seam", "step", "contrast", "detail", "kept"}
    assert told == json.loads((tmp_path / "out" / "readings.json").read_text())
    again = ran("loop", element, "--out", tmp_path / "out")
    assert again.returncode == 1
    assert "overwrite" in again.stderr


def test_a_loop_from_a_part_of_it_and_as_linear(element: Path, tmp_path: Path) -> None:
    told = json.loads(here("loop", element, "--frames", "5-28", "--exr", "--out", tmp_path / "out", "--json").stdout)
    assert told["loop"]["first"] - told["loop"]["blend"] >= 5
    assert told["loop"]["last"] <= 28
    assert told["loop"]["length"] >= 0.6 * 24
    assert (tmp_path / "out" / "loop.0001.exr").exists()


@pytest.mark.parametrize(
    ("args", "words"),
    [
        (["loop", "--frames", "5"], "first and the last"),
        (["loop", "--frames", "9-3"], "cannot be used"),
        (["loop", "--frames", "1-900"], "frames 1 to 30"),
        (["loop", "--length", "0"], "a number of frames, or best"),
        (["loop", "--length", "29", "--blend", "9"], "wants at least 38 frames"),
        (["retime"], "Say one of"),
        (["retime", "--frames", "9", "--rate", "25"], "Say one of"),
        (["retime", "--rate", "25"], "how many pictures a second"),
        (["retime", "--speed", "no.json"], "no.json"),
    ],
)
def test_what_cannot_be_done_is_said_in_one_sentence(element: Path, tmp_path: Path, args: list[str], words: str) -> None:
    got = ran(args[0], element, *args[1:], "--out", tmp_path / "out")
    assert got.returncode == 1
    assert words in got.stderr.replace("\n", " ")
    assert not list(tmp_path.glob("out/*.png"))


def test_an_output_that_is_an_input_and_a_still_are_refused(element: Path, tmp_path: Path) -> None:
    write_still(tmp_path / "loop.0001.png", np.zeros((20, 30, 3), np.float32), kind="uint16")
    still = ran("loop", tmp_path / "loop.0001.png", "--out", tmp_path)
    assert "is a still" in still.stderr
    for n in range(1, 21):
        write_still(tmp_path / f"retimed.{n:04d}.png", from_codes(flame(1)[n]), kind="uint16")
    own = ran("retime", tmp_path / "retimed.####.png", "--frames", "9", "--overwrite", "--out", tmp_path)
    assert own.returncode == 1
    assert "retimed" in own.stderr


def test_retimed_to_a_length_by_flow_blend_and_hold(element: Path, tmp_path: Path) -> None:
    made = {}
    for by in ("flow", "blend", "hold"):
        told = json.loads(here("retime", element, "--frames", "59", "--by", by, "--out", tmp_path / by, "--json").stdout)
        assert [round(s["of the element"], 2) for s in told["shows"][:3]] == [1, 1.5, 2]
        assert len(told["frames"]) == 59
        made[by] = read_coded(tmp_path / by / "retimed.0002.png").astype(float)
        last = read_coded(tmp_path / by / "retimed.0059.png")
        np.testing.assert_array_equal(last, read_coded(element.parent / f"flame.{100 + COUNT:04d}.png"))
    np.testing.assert_array_equal(made["hold"], read_coded(element.parent / "flame.0102.png"))
    assert np.abs(made["flow"] - made["blend"]).mean() > 50  # of 65535
    held = json.loads((tmp_path / "hold" / "readings.json").read_text())
    assert held["worst"]["name"] in ("off its time", "doubled")
    assert held["worst"]["ratio"] >= 1


def test_retimed_by_a_curve_and_by_a_rate(element: Path, tmp_path: Path) -> None:
    curve = tmp_path / "curve.json"
    curve.write_text(json.dumps({"speed": [[1, 1.0], [10, 0.3], [20, 2.0]], "ends": "exact"}))
    told = json.loads(here("retime", element, "--speed", curve, "--out", tmp_path / "curve", "--json").stdout)
    assert [told["shows"][k]["of the element"] for k in (0, -1)] == [1, COUNT]
    twice = json.loads(
        here(
            "retime", element, "--rate", "48", "--element-rate", "24", "--by", "blend", "--out", tmp_path / "rate", "--json"
        ).stdout
    )
    assert len(twice["frames"]) == 2 * COUNT - 1
    info = open_source(tmp_path / "rate" / "retimed.####.png").info
    assert info.count == 2 * COUNT - 1


def rendered(element: Path, frames: int, **params: float) -> Renderer:
    plate = Plate(id="fire", role="element", path=str(element))
    step = Step(id="loop", kind="looping", name="Fire", inputs={"plate": "plate:fire"}, params=params)
    s = Shot(code="A010", length=frames, width=160, height=120, plates=(plate,), steps=(step,))
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


def test_the_step_goes_on_beyond_the_element(element: Path) -> None:
    r = rendered(element, 75, length=20, blend=4)
    got = {n: r.product("step:loop", n).picture for n in (1, 21, 41, 75, 55, 20)}
    np.testing.assert_array_equal(got[1], got[21])
    np.testing.assert_array_equal(got[1], got[41])
    np.testing.assert_array_equal(got[75], got[55])
    assert np.abs(got[20] - got[1]).mean() > 0
    read = {x.name: x for x in r.measure("loop", 20)}
    assert set(read) == {"seam", "step", "contrast", "detail", "kept"}
    assert "% frame" in read["seam"].note
    assert r.plot("loop", 3).words.startswith("Frames ")
    assert len(r.plot("loop", 3).panels[1].values) == 20
    later = rendered(element, 75, length=20, blend=4, start=5)
    np.testing.assert_array_equal(later.product("step:loop", 1).picture, r.product("step:loop", 6).picture)


def test_a_still_needs_no_loop(tmp_path: Path) -> None:
    write_still(tmp_path / "one.png", np.zeros((20, 30, 3), np.float32), kind="uint16")
    with pytest.raises(UserError, match="needs no loop"):
        rendered(tmp_path / "one.png", 10).product("step:loop", 1)
