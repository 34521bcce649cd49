"""The step Retime: every frame shows what it says."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Pin, Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

COUNT, LENGTH = 12, 20


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """An element whose frame n is as bright as n hundredths; frame 7 shows nothing."""
    for n in range(1, COUNT + 1):
        write_still(tmp_path / f"e.{n:04d}.exr", np.full((8, 10, 3), 0.0 if n == 7 else n / 100, np.float32), kind="float")
    matte = np.zeros((8, 10, 1), np.float32)
    matte[:, :5] = 1
    write_still(tmp_path / "m.exr", np.concatenate([np.ones((8, 10, 3), np.float32), matte], 2), kind="half")
    plates = (Plate(id="e", role="element", path="e.####.exr"), Plate(id="m", role="still", path="m.exr"))
    made, step = add_step(Shot(code="A", length=LENGTH, rate="24", width=10, height=8, plates=plates), "retime")
    return made.with_step(step.model_copy(update={"inputs": {"plate": "plate:e"}}))


def with_values(shot: Shot, **values: object) -> Shot:
    step = shot.step("retime")
    return shot.with_step(step.model_copy(update={"params": {"frames": "hold the nearest", **values}}))


def shows(shot: Shot, folder: Path) -> list[float | None]:
    r = Renderer(shot, Material(folder))
    out: list[float | None] = []
    for n in range(1, LENGTH + 1):
        picture = r.product("step:retime", n).picture
        assert picture is not None
        there = picture.shape[2] == 3
        out.append(round(float(picture[0, 0, 0]) * 100, 3) if there else None)
    return out


def readings(shot: Shot, folder: Path, n: int) -> dict[str, Reading]:
    return {r.name: r for r in Renderer(shot, Material(folder)).measure("retime", n)}


def test_twice_as_fast_from_its_cue_on(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, speed=2.0, begin=3.0)
    assert shows(made, tmp_path)[:10] == [None, None, 1, 3, 5, 0, 9, 11, None, None]
    assert readings(made, tmp_path, 6)["empty"].state == "fault"
    assert readings(made, tmp_path, 5)["empty"].value == 0
    assert readings(made, tmp_path, 2)["empty"].value is None
    assert "shows frame 5" in readings(made, tmp_path, 5)["off its time"].note


def test_half_as_fast_is_read_as_doubled_where_frames_are_held(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, speed=0.5)
    assert readings(made, tmp_path, 3)["doubled"].value == 1 or readings(made, tmp_path, 2)["doubled"].value == 1
    blended = with_values(shot, speed=0.5, frames="blend")
    assert shows(blended, tmp_path)[:4] == [1, 1.5, 2, 2.5]
    assert readings(blended, tmp_path, 2)["doubled"].value == 0


def test_exact_ends_backwards_and_a_changing_speed(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, how="to exact ends", begin=2.0, end=7.0, last=6.0)
    assert shows(made, tmp_path)[:8] == [None, 1, 2, 3, 4, 5, 6, None]
    assert shows(with_values(shot, how="to exact ends", begin=2.0, end=7.0, last=6.0, way="backwards"), tmp_path)[1:7] == [
        6,
        5,
        4,
        3,
        2,
        1,
    ]
    step = made.step("retime")
    pins = {"speed": (Pin(frame=2, value=0.0, easing="linear"), Pin(frame=7, value=1.0))}
    eased = with_values(shot, how="to exact ends", begin=2.0, end=7.0, last=6.0, frames="blend")
    eased = eased.with_step(eased.step("retime").model_copy(update={"pins": pins}))
    found = shows(eased, tmp_path)[1:7]
    assert found[0] == 1
    assert found[-1] == 6
    assert found == pytest.approx([1 + 5 * k * k / 25 for k in range(6)], abs=2e-3)  # the square of the time
    assert step.pins == {}


def test_held_frozen_and_photos(shot: Shot, tmp_path: Path) -> None:
    assert shows(with_values(shot, how="middle held", last=5.0, middle=3.0, end=9.0), tmp_path)[:10] == [
        1,
        2,
        3,
        3,
        3,
        3,
        3,
        4,
        5,
        None,
    ]
    frozen = with_values(shot, how="one frame frozen", middle=4.0, begin=3.0, end=5.0)
    assert shows(frozen, tmp_path)[:7] == [None, None, 4, 4, 4, None, None]
    held = with_values(
        shot, how="one frame frozen", middle=4.0, begin=3.0, end=5.0, before="its first frame", after="its last frame"
    )
    assert shows(held, tmp_path) == [4] * LENGTH
    photos = with_values(shot, how="a photo for some frames", held=4.0, first=2.0, last=4.0)
    assert shows(photos, tmp_path)[:13] == [2, 2, 2, 2, 3, 3, 3, 3, 4, 4, 4, 4, None]
    assert not {"doubled", "skipped"} & set(readings(photos, tmp_path, 2))  # held on purpose
    assert readings(photos, tmp_path, 2)["off its time"].value == 0


def test_motion_only_where_the_matte_is(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, speed=0.5, frames="motion where the matte is")
    step = made.step("retime")
    made = made.with_step(step.model_copy(update={"inputs": {**step.inputs, "flows": "plate:m"}}))
    picture = Renderer(made, Material(tmp_path)).product("step:retime", 2).picture
    flown = (
        Renderer(with_values(shot, speed=0.5, frames="follow the motion"), Material(tmp_path)).product("step:retime", 2).picture
    )
    assert picture is not None
    assert flown is not None
    assert picture[:, :5] == pytest.approx(flown[:, :5], abs=1e-6)
    assert picture[:, 5:] == pytest.approx(0.015, abs=1e-6)


def test_what_cannot_be_is_one_sentence(shot: Shot, tmp_path: Path) -> None:
    for values, words in (
        ({"first": 40.0}, "nothing is left"),
        ({"begin": 30.0}, "nothing is left"),
        ({"how": "middle held", "middle": 50.0}, "none of those"),
    ):
        with pytest.raises(UserError, match=words):
            shows(with_values(shot, **values), tmp_path)


def test_the_plot_tells_what_is_shown_when(shot: Shot, tmp_path: Path) -> None:
    r = Renderer(with_values(shot, speed=2.0, begin=3.0), Material(tmp_path))
    plot = r.plot("retime", 1)
    assert plot is not None
    assert "from frame 3 to 8" in plot.words
    assert r.propose("retime", Progress()) is None  # a sequence tells no rate
