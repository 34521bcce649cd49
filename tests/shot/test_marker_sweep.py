"""The Marker sweep step and its command, and Patch over a matte: what goes, what stays, what may stay by a press, what is read, what is refused."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from clirun import here, ran
from keyplates import srgb_encode
from marktakes import SIZE, cloth_take
from rigtakes import rig_take

from transmixis.media.cache import FrameCache
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.render import Renderer
from transmixis.shot.steps import kind_of

Array = np.ndarray
FRAMES = 8


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    out = tmp_path_factory.mktemp("cloth")
    take = cloth_take()
    for n in range(FRAMES):
        write_still(out / f"take.{n + 1:04d}.exr", take.plate[n], kind="float")
    return out


def shot(folder: Path, **params: object) -> Shot:
    plate = Plate(id="hero", role="hero", path=str(folder / "take.####.exr"))
    step = Step(id="sweep", kind="marker_sweep", name="Sweep", inputs={"plate": "plate:hero"}, params={"largest": 30.0, **params})
    return Shot(code="A010", length=FRAMES, width=SIZE[1], height=SIZE[0], plates=(plate,), steps=(step,))


def rendered(s: Shot) -> Renderer:
    return Renderer(s, Material(Path.cwd()), FrameCache(1 << 28))


@pytest.fixture(scope="module")
def swept(folder: Path) -> Renderer:
    return rendered(shot(folder))


def code(x: Array) -> Array:
    return np.asarray(np.clip(srgb_encode(np.clip(x, 0, 1)), 0, 1) * 255, np.float64)


def test_markers_go_and_all_else_stays(swept: Renderer) -> None:
    take = cloth_take()
    for n in (3, 6):
        product = swept.product("step:sweep", n)
        assert product.picture is not None
        assert product.matte is not None
        same = product.matte == 0
        np.testing.assert_array_equal(product.picture[same], take.plate[n - 1][same])
        core = take.marks[n - 1] > 0.9
        assert np.abs((code(product.picture) - code(take.truth[n - 1]))[core].mean(axis=0)).max() < 1.5
        assert np.abs((code(take.plate[n - 1]) - code(take.truth[n - 1]))[core].mean(axis=0)).max() > 40


def test_readings_name_the_worst_mark(swept: Renderer) -> None:
    read = {r.name: r for r in swept.measure("sweep", 4)}
    assert set(read) == {"mark left", "seam"}
    assert read["mark left"].value < 2
    assert read["mark left"].note.startswith("6 found on the shot, 6 covered here; most of number ")
    assert read["mark left"].spot is not None
    assert read["seam"].value < 2


def test_a_mark_may_stay(swept: Renderer, folder: Path) -> None:
    """Pressed on at one frame it is left on all; the ring is shown where the mark has gone, and a right press on it takes that back."""
    kind, take = kind_of("marker_sweep"), cloth_take()
    (handle,) = swept.handles("sweep", 2)
    assert len(handle.facts["found"]) == 6
    assert handle.value == ()
    x, y = take.at[1][1]
    step = kind.edited(shot(folder).step("sweep"), handle, 2, ((x - 0.5, y - 0.5, 8.0),))
    s = shot(folder).with_step(step)
    r = rendered(s)
    left = r.product("step:sweep", 7)
    u, v = (round(c) for c in take.at[6][1])
    box = (slice(v - 6, v + 7), slice(u - 6, u + 7))
    np.testing.assert_array_equal(left.picture[box], take.plate[6][box])
    assert (left.matte > 0.5).sum() > 300
    (there,) = r.handles("sweep", 7)
    assert len(there.facts["found"]) == 5
    assert len(there.value) == 1
    assert np.hypot(there.value[0][0] + 0.5 - take.at[6][1][0], there.value[0][1] + 0.5 - take.at[6][1][1]) < 2.5
    back = kind.edited(s.step("sweep"), there, 7, ())
    assert back.params["leave"] == []


def test_marks_one_by_one_are_drawn(swept: Renderer) -> None:
    swept.analysis("sweep")
    plot = swept.plot("sweep", 3)
    assert plot is not None
    (stills,) = plot.panels
    assert len(stills.pictures) == 6
    assert stills.below[0].startswith("1, frame 3")


def test_nothing_found_says_what_to_do(folder: Path, tmp_path: Path) -> None:
    for n in range(FRAMES):
        write_still(tmp_path / f"take.{n + 1:04d}.exr", cloth_take().truth[0].astype(np.float32), kind="float")
    r = rendered(shot(tmp_path, largest=12.0))
    (read,) = r.measure("sweep", 2)
    assert read.value is None
    assert "Set how large they are" in read.note
    np.testing.assert_array_equal(r.product("step:sweep", 2).picture, cloth_take().truth[0].astype(np.float32))


def test_from_the_command_line(folder: Path, tmp_path: Path) -> None:
    args = ("repair", "markers", folder / "take.####.exr", "--largest", "30")
    told = json.loads(here(*args, "--out", tmp_path / "out", "--json").stdout)
    assert len(told["frames"]) == FRAMES
    left = [r["value"] for f in told["frames"] for r in f["readings"] if r["name"] == "mark left"]
    assert np.median(left) < 2  # where an arm lies over half of one, a line of mixed pixels is left, and said
    same = json.loads(here(*args, "--colour", "118,140,110", "--out", tmp_path / "named", "--json").stdout)
    assert "6 found" in same["frames"][3]["readings"][0]["note"]
    wrong = ran(*args, "--colour", "white", "--out", tmp_path / "no")
    assert wrong.returncode == 1
    assert "three numbers" in wrong.stderr


def test_space_covers_a_region_from_beside(tmp_path: Path) -> None:
    take = rig_take(False, 3, 1, (135, 240))
    gone = np.zeros((135, 240), np.float32)
    gone[100:112, 40:56] = 1  # on the still wall
    for n in range(3):
        write_still(
            tmp_path / f"take.{n + 1:04d}.exr",
            np.where(gone[..., None] > 0, 0.02, take.plate[n]).astype(np.float32),
            kind="float",
        )
    write_still(tmp_path / "gone.png", gone, kind="uint8")
    args = ("repair", "space", tmp_path / "take.0001.exr", "--region", tmp_path / "gone.png")
    told = json.loads(here(*args, "--out", tmp_path / "best", "--json").stdout)
    own = json.loads(here(*args, "--from", "26,0", "--out", tmp_path / "own", "--json").stdout)
    assert (own["settings"]["right"], own["settings"]["down"]) == (26, 0)
    assert told["settings"].keys() >= {"right", "down"}

    def worst(t: dict) -> float:
        return max(r["value"] for f in t["frames"] for r in f["readings"] if r["name"] == "unlike")

    assert worst(told) <= worst(own) + 0.5
    assert {r["name"] for r in told["frames"][0]["readings"]} >= {"seam", "unlike", "source"}
    wrong = ran(*args, "--from", "26", "--out", tmp_path / "no")
    assert "two numbers" in wrong.stderr


def test_a_broken_frame_is_named_and_the_others_are_swept(folder: Path, tmp_path: Path) -> None:
    for n in range(1, FRAMES + 1):
        (tmp_path / f"take.{n:04d}.exr").write_bytes((folder / f"take.{n:04d}.exr").read_bytes()[: 3000 if n == 4 else None])
    made = ran("repair", "markers", tmp_path / "take.####.exr", "--largest", "30", "--out", tmp_path / "out", "--json")
    assert made.returncode == 1
    told = json.loads(made.stdout)
    assert list(told["failed"]) == ["4"]
    assert len(told["frames"]) == FRAMES - 1
    assert "6 found on the shot" in told["frames"][0]["readings"][0]["note"]
