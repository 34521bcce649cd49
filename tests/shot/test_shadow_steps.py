"""Shadow and Reflection as steps: against the plate's own shadow, the plan's Sun, and mirrored pictures."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest

from transmixis.core.light.mirror import mirrored, seen_at_angle
from transmixis.core.light.shadow import cast_of, drawn_cast, lies_along, shadow_of
from transmixis.core.progress import Progress
from transmixis.core.readings import Reading
from transmixis.media.still import write_still
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot
from transmixis.shot.planning.contract import with_plan
from transmixis.shot.planning.shadow import ShadowQuestion
from transmixis.shot.render import Renderer
from transmixis.shot.workorder import add_step

HIGH, WIDE = 240, 360
LEFT = np.array([0.30, 0.36, 0.45])


def post(x: int, foot: int, tall: int) -> np.ndarray:
    out = np.zeros((HIGH, WIDE), np.float32)
    out[foot - tall : foot, x - 6 : x + 6] = 1
    return out


@pytest.fixture
def shot(tmp_path: Path) -> Shot:
    """Ground with the shadow of a post that is in the plate, and another post to be added."""
    rng = np.random.default_rng(2)
    ground = np.full((HIGH, WIDE, 3), (0.5, 0.45, 0.35), np.float32) * rng.normal(1, 0.02, (HIGH, WIDE, 1)).astype(np.float32)
    a = post(80, 110, 70)
    own = shadow_of(a, cast_of((80, 110), 110.0, 40.0, 25.0, 2.0)) * (1 - a)
    ground *= 1 - own[..., None] * (1 - LEFT.astype(np.float32))
    for name, picture in (
        ("ground", ground),
        ("own", np.dstack([own] * 4)),
        ("added", np.dstack([post(220, 110, 70)] * 4) * np.float32([0.6, 0.2, 0.1, 1])),
    ):
        write_still(tmp_path / f"{name}.exr", picture.astype(np.float32), kind="half")
    plates = (
        Plate(id="ground", role="hero", path="ground.exr"),
        Plate(id="own", role="still", path="own.exr"),
        Plate(id="added", role="element", path="added.exr"),
    )
    out = Shot(code="A", length=3, rate="24", width=WIDE, height=HIGH, plates=plates)
    out, step = add_step(out, "shadow_cast")
    out = out.with_step(step.model_copy(update={"inputs": {"back": "plate:ground", "casts": "plate:added", "own": "plate:own"}}))
    out, mirror = add_step(out, "reflection")
    return out.with_step(mirror.model_copy(update={"inputs": {"back": "plate:ground", "front": "plate:added"}}))


def with_values(shot: Shot, step_id: str, **values: object) -> Shot:
    step = shot.step(step_id)
    return shot.with_step(step.model_copy(update={"params": {**step.params, **values}}))


def readings(shot: Shot, folder: Path, step: str) -> dict[str, Reading]:
    return {r.name: r for r in Renderer(shot, Material(folder)).measure(step, 2)}


def test_a_shadow_like_the_plate_s_own_is_sound_and_another_is_found(shot: Shot, tmp_path: Path) -> None:
    # light from 110: the shadow points to 160 on the right's side of the camera
    same = with_values(
        shot, "shadow_cast", points=160.0 + 0.0, elevation=40.0, tilt=25.0, across=2.0, left=LEFT.tolist(), contact=0.0
    )
    product = Renderer(same, Material(tmp_path)).product("step:shadow_cast", 2)
    assert product.matte is not None
    want = shadow_of(post(220, 110, 70), cast_of((220, 110), 110.0, 40.0, 25.0, 2.0)) * (1 - post(220, 110, 70))
    assert product.matte == pytest.approx(want, abs=1e-3)
    found = readings(same, tmp_path, "shadow_cast")
    assert found["off the plate's shadow"].value == pytest.approx(0, abs=2)
    assert found["off its darkness"].value == pytest.approx(0, abs=2)
    wrong = readings(with_values(same, "shadow_cast", points=90.0, left=[0.8, 0.8, 0.8]), tmp_path, "shadow_cast")
    assert wrong["off the plate's shadow"].state == "fault"
    assert wrong["off its darkness"].value == pytest.approx(50, abs=3)


def test_its_colour_is_proposed_from_the_plate(shot: Shot, tmp_path: Path) -> None:
    proposal = Renderer(shot, Material(tmp_path)).propose("shadow_cast", Progress())
    assert proposal is not None
    assert proposal.values["left"] == pytest.approx(LEFT, abs=0.02)
    taken = shot.with_step(proposal.used(shot.step("shadow_cast")))
    assert Renderer(taken, Material(tmp_path)).propose("shadow_cast", Progress()) is None


def test_its_direction_is_taken_from_the_plan(shot: Shot, tmp_path: Path) -> None:
    plan = {"first_day": "2026-06-20", "first_hour": 10.5, "first_camera": 200.0, "latitude": 48.0, "longitude": 9.0, "zone": 2.0}
    planned = with_plan(with_values(shot, "shadow_cast", left=LEFT.tolist()), "shadow", plan)
    proposal = Renderer(planned, Material(tmp_path)).propose("shadow_cast", Progress())
    assert proposal is not None
    drawing = ShadowQuestion().of_shot(planned).drawing
    assert proposal.values["points"] == pytest.approx(drawing.shadow_first, abs=0.1)
    assert proposal.values["elevation"] == pytest.approx(drawing.first.elevation, abs=0.1)
    night = with_plan(with_values(shot, "shadow_cast", left=LEFT.tolist()), "shadow", {**plan, "first_hour": 1.0})
    assert Renderer(night, Material(tmp_path)).propose("shadow_cast", Progress()) is None


def test_it_follows_a_drawn_line(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "shadow_cast", by="as drawn", line=[[220.0, 110.0], [300.0, 150.0]], contact=0.0, soft=0.0)
    matte = Renderer(made, Material(tmp_path)).product("step:shadow_cast", 2).matte
    assert matte is not None
    ys, xs = np.nonzero(matte > 0.5)
    tip = ys.argmax()
    assert ys[tip] == pytest.approx(150, abs=2)
    assert xs[ys == ys.max()].mean() == pytest.approx(300, abs=8)
    assert lies_along(matte) == pytest.approx(180 - np.degrees(np.arctan2(40, 80)), abs=3)
    assert drawn_cast((0, 10), (4, 14), (0, 0), 0.1).disc == ((0.05, 0.0), (0.0, 0.05))


def test_the_ground_is_dark_where_they_touch(shot: Shot, tmp_path: Path) -> None:
    made = with_values(shot, "shadow_cast", density=0.0, contact=8.0, contact_dark=0.6)
    matte = Renderer(made, Material(tmp_path)).product("step:shadow_cast", 2).matte
    assert matte is not None
    assert matte[110, 220] == pytest.approx(0.6, abs=0.02)
    assert matte[112, 220] < matte[110, 220]
    assert matte[100, 220] == 0  # not on the thing


def test_a_reflection_is_the_thing_upside_down(shot: Shot, tmp_path: Path) -> None:
    made = Renderer(with_values(shot, "reflection", strength=0.5, soft=0.0), Material(tmp_path)).product("step:reflection", 1)
    assert made.matte is not None
    assert made.matte[130, 220] == pytest.approx(0.5, abs=0.01)
    assert made.matte[176, 220] == pytest.approx(0.5, abs=0.01)
    assert made.matte[184, 220] == 0
    assert made.matte[105, 220] == 0
    assert readings(shot, tmp_path, "reflection")["floats"].value == 0
    assert readings(with_values(shot, "reflection", foot=130.0), tmp_path, "reflection")["floats"].state == "fault"


def test_a_mirror_is_softer_and_wavier_farther_off() -> None:
    picture = np.dstack([post(180, 100, 90)] * 4)
    soft = mirrored(picture, 100.0, 1.0, 6.0, 0.0, 0.0, 1)[..., 3]
    widths = [np.count_nonzero((row > 0.1) & (row < 0.9)) for row in (soft[108], soft[150])]
    assert widths[0] < widths[1]
    half = mirrored(picture, 100.0, 0.5, 0.0, 0.0, 0.0, 1)[..., 3]
    assert half[140, 180] > 0.9
    assert half[150, 180] == 0
    a, b = (mirrored(picture, 100.0, 1.0, 0.0, 6.0, t, 1)[..., 3] for t in (0.0, 0.5))
    assert np.abs(a - b).max() > 0.5  # waves run
    assert np.array_equal(a, mirrored(picture, 100.0, 1.0, 0.0, 6.0, 0.0, 1)[..., 3])
    assert cv2.countNonZero((a > 0.5).astype(np.uint8)) > 300


def test_water_sends_back_what_fresnel_says() -> None:
    """2.04 % straight down (index 1.333), all at grazing; at Brewster's angle half of the upright part's share (handbook of optics, from memory; recomputed)."""
    assert seen_at_angle(90) == pytest.approx(0.0204, abs=1e-4)
    assert seen_at_angle(0.01) > 0.99
    brewster = 90 - np.degrees(np.arctan(1.333))
    n2 = 1.333**2
    assert seen_at_angle(brewster) == pytest.approx(((n2 - 1) / (n2 + 1)) ** 2 / 2, rel=1e-6)
