"""Glow and Light given as steps: they follow the thing's own pixels, begin and end with it, and are read."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

WIDE, HIGH, FRAMES = 240, 160, 6


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """A grey wall with a post before it, and a lamp that is lit from frame 3 to 5."""
    wall = np.full((HIGH, WIDE, 3), 0.3, np.float32)
    post = np.zeros((HIGH, WIDE, 4), np.float32)
    post[20:140, 100:140] = 1
    for n in range(1, FRAMES + 1):
        lamp = np.zeros((HIGH, WIDE, 4), np.float32)
        if 3 <= n <= 5:
            lamp[70:90, 170 + 2 * n : 190 + 2 * n] = (6.0, 3.0, 1.0, 1.0)
        write_still(tmp_path / f"lamp.{n:04d}.exr", lamp, kind="half")
    write_still(tmp_path / "wall.exr", wall, kind="half")
    write_still(tmp_path / "post.exr", post, kind="half")
    plates = (
        Plate(id="wall", role="background", path="wall.exr"),
        Plate(id="lamp", role="element", path="lamp.####.exr"),
        Plate(id="post", role="still", path="post.exr"),
    )
    out = Shot(code="A", length=FRAMES, rate="24", width=WIDE, height=HIGH, plates=plates)
    out, glow = add_step(out, "glow")
    out = out.with_step(glow.model_copy(update={"inputs": {"picture": "plate:lamp"}}))
    out, light = add_step(out, "light_given")
    return out.with_step(light.model_copy(update={"inputs": {"back": "plate:wall", "glows": "plate:lamp", "near": "plate:post"}}))


def with_values(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def picture(shot: Shot, folder: Path, step: str, n: int) -> np.ndarray:
    made = Renderer(shot, Material(folder)).product(f"step:{step}", n).picture
    assert made is not None
    return made


def readings(shot: Shot, folder: Path, step: str, n: int) -> dict[str, Reading]:
    return {r.name: r for r in Renderer(shot, Material(folder)).measure(step, n)}


def test_light_begins_and_ends_with_the_thing_and_has_its_colour(shot: Shot, tmp_path: Path) -> None:
    for n in (1, 2, 6):
        assert picture(shot, tmp_path, "light_given", n) == pytest.approx(0.3, abs=1e-3)
    lit = picture(shot, tmp_path, "light_given", 4) - np.float32(0.3)
    on = lit[80, 136]
    assert on[0] > 0.01
    assert on[0] / on[1] == pytest.approx(2.0, rel=0.01)
    assert lit[80, 136, 0] > 3 * lit[80, 106, 0]  # its rounded side towards the lamp
    assert np.abs(lit[:, :98]).max() < 1e-3  # only what stands near
    assert np.abs(lit[:, 145:]).max() < 1e-3
    assert readings(shot, tmp_path, "light_given", 2)["light short"].value is None
    assert "nothing glows" in readings(shot, tmp_path, "light_given", 2)["light short"].note


def test_it_follows_the_thing_and_stays_off_what_lies_behind(shot: Shot, tmp_path: Path) -> None:
    step = shot.step("light_given")
    wall = shot.with_step(step.model_copy(update={"inputs": {"back": "plate:wall", "glows": "plate:lamp"}}))
    a, b = (picture(wall, tmp_path, "light_given", n)[80, :, 0] for n in (3, 5))
    assert int(a.argmax()) == pytest.approx(186, abs=1)
    assert int(b.argmax()) == pytest.approx(190, abs=1)
    off = shot.with_step(step.model_copy(update={"inputs": {"back": "plate:wall", "glows": "plate:lamp", "away": "plate:post"}}))
    lit = picture(off, tmp_path, "light_given", 4)[..., 0]
    assert lit[80, 120] == pytest.approx(0.3, abs=1e-3)
    assert lit[80, 160] > 0.32


def test_too_little_light_is_read_and_mended(shot: Shot, tmp_path: Path) -> None:
    weak = with_values(shot, "light_given", strength=0.3, forms="flat")
    read = readings(weak, tmp_path, "light_given", 4)["light short"]
    assert read.value == pytest.approx(70, abs=1)
    assert read.state == "fault"
    assert read.spot is not None
    assert read.spot[0] >= 100
    proposal = Renderer(weak, Material(tmp_path)).propose("light_given", Progress())
    assert proposal is not None
    assert proposal.values == {"strength": 1.0}
    assert Renderer(with_values(weak, "light_given", strength=1.0), Material(tmp_path)).propose("light_given", Progress()) is None


def test_flicker_reach_and_a_place_of_its_own(shot: Shot, tmp_path: Path) -> None:
    base = picture(shot, tmp_path, "light_given", 4)[80, 130, 0] - 0.3
    moving = picture(with_values(shot, "light_given", depth=0.5, seed=3.0), tmp_path, "light_given", 4)[80, 130, 0] - 0.3
    assert 0.5 * base <= moving <= 1.5 * base
    assert moving != pytest.approx(base, rel=1e-3)
    assert picture(with_values(shot, "light_given", reach=40.0), tmp_path, "light_given", 4)[80, 120] == pytest.approx(
        0.3, abs=1e-3
    )
    left = picture(with_values(shot, "light_given", lamp=[[60.0, 80.0]]), tmp_path, "light_given", 4)[80, :, 0]
    assert left[104] > left[136]


def test_a_glow_keeps_its_light_and_says_so(shot: Shot, tmp_path: Path) -> None:
    lamp = picture(shot, tmp_path, "glow", 4)
    assert lamp[60, 188, 0] > 0.03
    read = readings(shot, tmp_path, "glow", 4)
    assert read["stray light"].value < 0.5
    assert "leaves the frame" in read["stray light"].note
    assert readings(shot, tmp_path, "glow", 1)["stray light"].value is None
    heavy = with_values(shot, "glow", amount=4.0, reach=400.0, energy="added")
    assert readings(heavy, tmp_path, "glow", 4)["veil"].state == "fault"
    assert read["veil"].state == "sound"
